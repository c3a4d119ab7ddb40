package phrases

import (
	"reflect"
	"slices"
	"strings"
	"sync/atomic"
	"unicode"

	"golang.org/x/text/language"
)

// Bounds of the guess: letters that show a script, words that show a language.
const (
	fewLetters = 30
	fewWords   = 4
)

// scripts that are distinguished, by the name of ISO 15924.
var scripts = map[string]*unicode.RangeTable{
	"Latn": unicode.Latin, "Cyrl": unicode.Cyrillic, "Grek": unicode.Greek, "Hani": unicode.Han, "Hira": unicode.Hiragana, "Kana": unicode.Katakana,
	"Hang": unicode.Hangul, "Arab": unicode.Arabic, "Hebr": unicode.Hebrew, "Thai": unicode.Thai, "Deva": unicode.Devanagari,
	"Beng": unicode.Bengali, "Taml": unicode.Tamil, "Telu": unicode.Telugu, "Geor": unicode.Georgian, "Armn": unicode.Armenian,
}

// parts are the scripts of which a language's own consists.
var parts = map[string][]string{"Jpan": {"Hani", "Hira", "Kana"}, "Kore": {"Hang", "Hani"}, "Hans": {"Hani"}, "Hant": {"Hani"}}

// Guess says in which language a text most likely is, when that is not the one of
// its locale, and what points to it: a script, or frequent words. "" is for no
// doubt, also where the text is short or the language is none of the table. It is
// a guess: names and quotes of another language count as well.
func Guess(text, locale string, frequent map[string][]string) (other string, signs []string) {
	tag, err := language.Parse(strings.ReplaceAll(locale, "_", "-"))
	if err != nil {
		return "", nil
	}
	text = clip(text)
	counts, letters := map[string]int{}, 0
	for _, r := range text {
		if !unicode.IsLetter(r) {
			continue
		}
		letters++
		for name, table := range scripts {
			if unicode.Is(table, r) {
				counts[name]++
				break
			}
		}
	}
	if letters < fewLetters {
		return "", nil
	}
	script, _ := tag.Script()
	own := parts[script.String()]
	if own == nil {
		own = []string{script.String()}
	}
	// What is written with Chinese characters is recognised by what else is there.
	base, _ := tag.Base()
	if cjk := map[string]bool{"zh": true, "ja": true, "ko": true}; cjk[base.String()] {
		is := ""
		switch {
		case counts["Hang"]*4 > letters:
			is = "ko"
		case (counts["Hira"]+counts["Kana"])*20 > letters:
			is = "ja"
		case counts["Hani"]*2 > letters:
			is = "zh"
		}
		if is != "" && is != base.String() {
			return is, []string{"its letters"}
		}
	}
	if scripts[own[0]] != nil {
		n := 0
		for _, s := range own {
			n += counts[s]
		}
		for s, c := range counts {
			if n*4 < letters && c*2 > letters && !slices.Contains(own, s) {
				return "the script " + s, []string{s}
			}
		}
	}
	here := base.String()
	if here == "nb" || here == "nn" || here == "no" {
		here = "da" // nearly the same words
	}
	hits, best, of := map[string][]string{}, "", languagesOf(frequent)
	for w := range strings.FieldsFuncSeq(strings.ToLower(text), func(r rune) bool { return !unicode.IsLetter(r) }) {
		for _, lang := range of[w] {
			if frequent[here] != nil || lang == "en" { // one that nobody knows here is taken for its neighbours
				hits[lang] = append(hits[lang], w)
			}
		}
	}
	for lang := range hits {
		if best == "" || len(hits[lang]) > len(hits[best]) || len(hits[lang]) == len(hits[best]) && lang < best {
			best = lang
		}
	}
	found := slices.Compact(slices.Sorted(slices.Values(hits[best])))
	if best == "" || best == here || len(found) < fewWords || len(hits[best]) < 2*len(hits[here])+fewWords {
		return "", nil
	}
	return best, found
}

// byWord is frequent words the other way round.
type byWord struct {
	frequent map[string][]string // from which it was made; held, so that its place is not another's
	of       map[string][]string
}

// inverted remembers those that were used last: nearly always the same.
var inverted atomic.Pointer[byWord]

// languagesOf gives the languages in which a word is frequent.
func languagesOf(frequent map[string][]string) map[string][]string {
	if x := inverted.Load(); x != nil && reflect.ValueOf(x.frequent).Pointer() == reflect.ValueOf(frequent).Pointer() {
		return x.of
	}
	out := map[string][]string{}
	for lang, list := range frequent {
		for _, w := range list {
			out[w] = append(out[w], lang)
		}
	}
	inverted.Store(&byWord{frequent, out})
	return out
}
