package phrases_test

import (
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/phrases"
	"regola.example/regola/internal/core/store"
	"regola.example/regola/internal/core/tables"
	"regola.example/regola/internal/seed"
	"regola.example/regola/rulebooks"
)

// texts are descriptions in many languages, each repeated up to nearly 4,000
// characters.
func texts(t *testing.T) map[string]string {
	data, err := os.ReadFile("testdata/texts.txt")
	require.NoError(t, err)
	out := map[string]string{}
	for part := range strings.SplitSeq(string(data), "# ") {
		if tag, text, ok := strings.Cut(part, "\n"); ok {
			text = strings.TrimSpace(text)
			for n := len([]rune(text)); (len([]rune(out[tag])) + n) < 4000; {
				out[tag] += text + "\n"
			}
		}
	}
	require.Len(t, out, 11)
	return out
}

func builtIn(t *testing.T) *tables.Set {
	set, err := rulebooks.BuiltIn.Tables()
	require.NoError(t, err)
	return set
}

// listing loads one language from a file, as a dossier does.
func listing(t *testing.T, locale, source string) *dossier.Listing {
	dir := t.TempDir()
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "listing"), 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "dossier.yaml"), []byte("regola: 1\napp: {name: x, default_locale: "+locale+"}\n"), 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "listing", locale+".yaml"), []byte(source), 0o644))
	d, ps := dossier.Load(dir, []*store.Store{{ID: "ios", Blocks: []string{"ios"}}, {ID: "android", Blocks: []string{"android"}}}, nil)
	require.Empty(t, ps)
	require.Len(t, d.Listing, 1)
	return d.Listing[0]
}

func yaml(text string) string {
	return "name: Terrafuoco\ndescription: |\n  " + strings.ReplaceAll(text, "\n", "\n  ") + "\n"
}

// TestSound finds nothing in long texts of many languages, and takes each for
// what it is.
func TestSound(t *testing.T) {
	set := builtIn(t)
	all := texts(t)
	for tag, text := range all {
		l := listing(t, tag, yaml(text))
		for _, s := range []string{"android", "ios"} {
			for _, h := range phrases.Find(l, l.Texts, "", s, set.Phrases, dossier.Brand{}, phrases.NewMemo()) {
				t.Errorf("%s: %s %q in %q", tag, h.Kind, h.Words, h.Around)
			}
		}
		other, signs := phrases.Guess(text, tag, phrases.Languages{Frequent: set.FrequentWords, Near: set.NearLanguages, Letters: set.ScriptLetters})
		assert.Empty(t, other, "%s: %v", tag, signs)
		for wrong := range all {
			if wrong == tag {
				continue
			}
			other, signs := phrases.Guess(text, wrong, phrases.Languages{Frequent: set.FrequentWords, Near: set.NearLanguages, Letters: set.ScriptLetters})
			assert.NotEmpty(t, other, "a text in %s under %s", tag, wrong)
			assert.NotEmpty(t, signs)
		}
	}
}

// TestPlanted finds faults that were put into the texts, each at its line and
// column.
func TestPlanted(t *testing.T) {
	set := builtIn(t)
	all := texts(t)
	for _, c := range []struct{ tag, store, words, kind string }{
		{"en", "ios", "The best kiln log app", "ranking"}, {"en", "android", "award-winning", "ranking"}, {"en", "ios", "Android", "platform"},
		{"en", "android", "iPhone", "platform"}, {"en", "ios", "coming soon", "unfinished"}, {"en", "ios", "Lorem ipsum", "filler"}, {"en", "android", "Rate us", "rating"},
		{"de", "android", "Nummer 1", "ranking"}, {"de", "ios", "Betaversion", "unfinished"},
		{"it", "android", "5 stelle", "rating"}, {"fr", "ios", "Notez-nous", "rating"},
		{"es", "ios", "la mejor app", "ranking"},
		{"zh-Hans", "ios", "安卓", "platform"}, {"en", "ios", "https://terrafuoco.example", "address"},
	} {
		lines := strings.Split(strings.TrimSuffix(all[c.tag], "\n"), "\n")
		lines[1] = "Neu: " + c.words + " (x)"
		l := listing(t, c.tag, yaml(strings.Join(lines, "\n")))
		var hits []*phrases.Hit
		for _, h := range phrases.Find(l, l.Texts, "", c.store, set.Phrases, dossier.Brand{}, phrases.NewMemo()) {
			if h.Kind == c.kind {
				hits = append(hits, h)
			}
		}
		if !assert.Len(t, hits, 1, "%v", c) {
			continue
		}
		h := hits[0]
		assert.Contains(t, strings.ToLower(c.words), strings.ToLower(h.Words))
		at := strings.Index(c.words, h.Words)
		require.GreaterOrEqual(t, at, 0, "%v %q", c, h.Words)
		assert.Equal(t, []int{4, 2 + len("Neu: ") + len([]rune(c.words[:at])) + 1}, []int{h.Self().Line, h.Self().Column}, "%v", c)
		assert.Equal(t, "description", h.Field)
	}
}

// TestBrand finds names that may not occur, as whole words, and leaves names of
// one's own alone.
func TestBrand(t *testing.T) {
	set := builtIn(t)
	l := listing(t, "en", "name: Free Kiln for free\nkeywords: [ofenblick, ofenblicke]\ndescription: Better than Ofenblick and C++.\n")
	brand := dossier.Brand{Own: []string{"free kiln"}, Never: []string{"Ofenblick", "C++", " "}}
	var got []string
	for _, h := range phrases.Find(l, l.Texts, "", "ios", set.Phrases, brand, nil) {
		got = append(got, h.Kind+" "+h.Field+" "+h.Words)
	}
	assert.ElementsMatch(t, []string{"price name for free", "brand keywords ofenblick", "brand description Ofenblick", "brand description C++"}, got)
}

// TestMemo finds the same with a memory as without, also in another language's file
// with the same text, and forgets no name of one dossier for another.
func TestMemo(t *testing.T) {
	set := builtIn(t)
	memo := phrases.NewMemo()
	texts := dossier.Texts{Name: "Terrafuoco", Description: "The best app. Free today! Download now, 50 % off."}
	for _, locale := range []string{"en-GB", "it", "en-US"} {
		for _, store := range []string{"android", "ios"} {
			for _, brand := range []dossier.Brand{{}, {Never: []string{"today"}}, {Own: []string{"The best app"}}} {
				l := &dossier.Listing{Locale: locale}
				say := func(m *phrases.Memo) (out []string) {
					for _, h := range phrases.Find(l, texts, "", store, set.Phrases, brand, m) {
						out = append(out, h.Kind+" "+h.Words+" "+h.Field)
					}
					return out
				}
				assert.Equal(t, say(nil), say(memo), "%s %s %v", locale, store, brand)
			}
		}
	}
}

// TestGuess holds which language each beginning of a text is taken for, in the place of
// each other language.
func TestGuess(t *testing.T) {
	var out strings.Builder
	all, set := texts(t), builtIn(t)
	for _, tag := range slices.Sorted(maps.Keys(all)) {
		for _, n := range []int{28, 29, 30, 31, 45, 70, 100, 130, 200, 4000} {
			runes := []rune(all[tag])
			for _, locale := range slices.Sorted(maps.Keys(all)) {
				other, signs := phrases.Guess(string(runes[:min(n, len(runes))]), locale, phrases.Languages{Frequent: set.FrequentWords, Near: set.NearLanguages, Letters: set.ScriptLetters})
				fmt.Fprintf(&out, "%s %d as %s: %s %v\n", tag, n, locale, other, signs)
			}
		}
	}
	seed.Golden(t, "guesses.txt", out.String())
}

// TestLeft finds English that was left in among other texts, and takes no language for its
// neighbours or for another script.
func TestLeft(t *testing.T) {
	set := builtIn(t)
	guess := func(text, locale string) string {
		other, _ := phrases.Guess(text, locale, phrases.Languages{Frequent: set.FrequentWords, Near: set.NearLanguages, Letters: set.ScriptLetters})
		return other
	}
	german := texts(t)["de"]
	assert.Equal(t, "en", guess(german+"\nThe log now keeps every curve for you, and you can share it with what you like.", "de"))
	assert.Empty(t, guess(german+"\nThe Who, and the Rolling Stones.", "de"), "a name is no sentence")
	assert.Empty(t, guess("Dnevnik peći za grnčare: krive, konusi, glazure i fotografije svake posude, uvek pri ruci i bez mreže, za svaku peć u radionici.", "sr"))
	assert.Empty(t, guess("Diari del forn per a ceramistes: corbes, cons, esmalts i fotografies de cada peça, sempre a mà i sense xarxa, per a cada forn del taller.", "ca"), "Catalan has no profile")
	assert.Empty(t, guess("Дневник на пещта за грънчари: криви, конуси, глазури и снимки на всеки съд, винаги под ръка и без мрежа, за всяка пещ в работилницата.", "bg"))
	assert.Equal(t, "fi", guess("Uunin päiväkirja keraamikoille: käyrät, kartiot, lasitteet ja kuvat jokaisesta astiasta, aina mukana ja ilman verkkoa, jokaiselle uunille.", "hu"))
	assert.Equal(t, "the script Cyrl", guess("Журнал печи для гончаров: кривые, конусы, глазури и снимки", "de"))
	const hans, hant = "这个应用为你的窑炉记录每一次烧成的温度和时间，学习釉料的结果，并与别人分享。", "這個應用為你的窯爐記錄每一次燒成的溫度和時間，學習釉料的結果，並與別人分享。"
	assert.Equal(t, "zh-Hans", guess(hans, "zh-TW"))
	assert.Equal(t, "zh-Hans", guess(hans, "zh-Hant"))
	assert.Equal(t, "zh-Hant", guess(hant, "zh-CN"))
	assert.Empty(t, guess(hans, "zh-CN"))
	assert.Empty(t, guess(hant, "zh-HK"))
	assert.Empty(t, guess("書名《這個窯》："+hans, "zh-Hans"), "a quote")
}
