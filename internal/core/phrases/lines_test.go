package phrases_test

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"unicode"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/phrases"
	"regola.example/regola/internal/core/tables"
)

// claims are the kinds of words that the corpus holds sound lines against.
var claims = map[string]bool{"price": true, "ranking": true, "install": true, "unfinished": true, "platform": true, "promise": true, "barred": true, "filler": true, "official": true, "testimonial": true, "rating": true, "no-ads": true, "reward": true, "no-data": true, "no-account": true}

// judged are the kinds that every language of the corpus is held to.
var judged = []string{"price", "ranking", "install", "unfinished", "promise", "rating"}

// line is one line of the corpus.
type line struct{ field, kind, text string }

func corpus(t *testing.T, file string) (faulty, sound []line) {
	data, err := os.ReadFile(file)
	require.NoError(t, err)
	for s := range strings.Lines(string(data)) {
		if strings.HasPrefix(s, "#") {
			continue
		}
		cells := strings.SplitN(strings.TrimRight(s, "\n"), "\t", 4)
		require.Len(t, cells, 4, "%s: %q", file, s)
		l := line{cells[0], cells[1], cells[3]}
		if cells[2] == "faulty" {
			faulty = append(faulty, l)
			continue
		}
		sound = append(sound, l)
	}
	return faulty, sound
}

// found are the kinds that the rows find in a line, with their words.
func (l line) found(lang string, rows []*tables.Phrase) map[string]string {
	var texts dossier.Texts
	switch l.field {
	case "name":
		texts.Name = l.text
	case "tagline":
		texts.Tagline = l.text
	case "pitch":
		texts.Pitch = l.text
	case "keywords":
		texts.Keywords = []string{l.text}
	default:
		texts.Description = l.text
	}
	out := map[string]string{}
	for _, s := range []string{"android", "ios"} {
		for _, h := range phrases.Find(&dossier.Listing{Locale: lang, Texts: texts}, texts, "", s, rows, dossier.Brand{}, nil) {
			out[h.Kind] = h.Words
		}
	}
	return out
}

// TestLines holds the rows against the corpus of lines: in every language and of every kind
// nine of ten faulty lines are found by a row of their kind, and nothing is found in a
// sound one. Each kind that a language has rows for has three sound lines that share a
// word with them.
func TestLines(t *testing.T) {
	set := builtIn(t)
	files, err := filepath.Glob("testdata/lines/*.tsv")
	require.NoError(t, err)
	require.GreaterOrEqual(t, len(files), 40)
	kinds := map[string][2]int{} // found and all of a kind, in all languages
	for _, file := range files {
		lang := strings.TrimSuffix(filepath.Base(file), ".tsv")
		faulty, sound := corpus(t, file)
		assert.GreaterOrEqual(t, len(faulty), 30, file)
		assert.GreaterOrEqual(t, len(sound), 30, file)
		var missed, alarms []string
		for _, l := range faulty {
			n := kinds[l.kind]
			n[1]++
			if l.found(lang, set.Phrases)[l.kind] == "" {
				missed = append(missed, l.text)
			} else {
				n[0]++
			}
			kinds[l.kind] = n
		}
		for _, l := range sound {
			for k, words := range l.found(lang, set.Phrases) {
				if claims[k] {
					alarms = append(alarms, fmt.Sprintf("%s %q in %s", k, words, l.text))
				}
			}
		}
		assert.Empty(t, alarms, "%s: sound lines", file)
		assert.LessOrEqual(t, len(missed)*10, len(faulty), "%s: %q are missed", file, missed)
		for _, kind := range judged {
			stems := stemsOf(set.Phrases, kind, lang)
			if !assert.NotEmpty(t, stems, "%s has no row of %s", lang, kind) {
				continue
			}
			n := 0
			for _, l := range sound {
				if shares(l.text, stems, slices.Contains([]string{"ja", "ko", "th", "zh"}, lang)) {
					n++
				}
			}
			assert.GreaterOrEqual(t, n, 3, "%s: near misses of %s", file, kind)
		}
	}
	for kind, n := range kinds {
		assert.GreaterOrEqual(t, n[0]*10, n[1]*9, "%s: %d of %d are found", kind, n[0], n[1])
	}
}

func stemsOf(rows []*tables.Phrase, kind, lang string) (out []string) {
	for _, r := range rows {
		if r.Kind == kind && slices.Contains(r.Languages, lang) {
			out = append(out, r.Stems...)
		}
	}
	return out
}

// shares tells whether a line has a word that begins as one of the stems does; in a
// language without blanks, two letters that follow each other in one.
func shares(text string, stems []string, unspaced bool) bool {
	words := func(s string) []string {
		return strings.FieldsFunc(strings.ToLower(s), func(r rune) bool {
			return !unicode.IsLetter(r) && !unicode.Is(unicode.Mn, r) && !unicode.Is(unicode.Mc, r)
		})
	}
	for _, s := range stems {
		for _, w := range words(s) {
			runes := []rune(w)
			for i := 0; unspaced && i+2 <= len(runes); i++ {
				if strings.Contains(strings.ToLower(text), string(runes[i:i+2])) {
					return true
				}
			}
			for _, x := range words(text) {
				if !unspaced && start(x) == start(w) {
					return true
				}
			}
		}
	}
	return false
}

// start is the first four letters of a word.
func start(w string) string {
	r := []rune(w)
	return string(r[:min(4, len(r))])
}
