package phrases

import (
	"slices"
	"strings"
	"sync"
	"unicode"
	"unicode/utf8"

	"github.com/abadojack/whatlanggo"
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

// Languages is what tells languages apart, from the tables.
type Languages struct {
	Frequent map[string][]string // words, by language
	Near     map[string][]string // languages that trigrams do not tell apart, by group
	Letters  map[string]string   // that only one of two scripts of a language has, by script
}

// Guess says in which language a text most likely is, when that is not the one of
// its locale, and what points to it: a script, or frequent words. "" is for no
// doubt, also where the text is short or the language is none of the table. It is
// a guess: names and quotes of another language count as well.
func Guess(text, locale string, by Languages) (other string, signs []string) {
	frequent, groups := by.Frequent, by.Near
	tag, err := language.Parse(strings.ReplaceAll(locale, "_", "-"))
	if err != nil {
		return "", nil
	}
	text = clip(text)
	counts, letters := map[string]int{}, 0
	last := "Latn" // a letter most often is of the script of the one before
	for _, r := range text {
		if !unicode.IsLetter(r) {
			continue
		}
		letters++
		if unicode.Is(scripts[last], r) {
			counts[last]++
			continue
		}
		for name, table := range scripts {
			if unicode.Is(table, r) {
				counts[name]++
				last = name
				break
			}
		}
	}
	if letters < fewLetters {
		return "", nil
	}
	script, sure := tag.Script() // of Crimean Turkish, Serbian and others both are written
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
		if is == "zh" {
			return otherHan(text, script.String(), by.Letters)
		}
	}
	if scripts[own[0]] != nil && sure >= language.High {
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
	mine := 0 // letters of the language's own script
	for _, s := range own {
		mine += counts[s]
	}
	if letters >= profileLetters && known(here) && len(own) == 1 && mine*5 > letters*4 && !speaks(text, frequent[here]) {
		switch other := identify(text); {
		case other == "" || other == here:
		case !near(other, here, groups):
			return other, sample(text)
		default: // words tell near languages apart, where both have a list
			if found := outweighs(text, frequent[other], frequent[here]); found != nil {
				return other, found
			}
		}
	}
	// English that was left in is recognised by its words, also in a language that has no
	// profile, and in one paragraph of many.
	for part := range strings.SplitSeq(text, "\n") {
		if here == "en" {
			break
		}
		var found []string
		n, english := 0, 0
		for w := range strings.FieldsFuncSeq(strings.ToLower(part), func(r rune) bool { return !unicode.IsLetter(r) }) {
			n++
			if slices.Contains(frequent["en"], w) && !slices.Contains(frequent[here], w) {
				english++
				found = append(found, w)
			}
		}
		found = slices.Compact(slices.Sorted(slices.Values(found)))
		if len(found) >= fewWords && english*5 >= n {
			return "en", found
		}
	}
	return "", nil
}

// fewHan is how many letters of the other script a Chinese text needs before it is taken
// for that: names and quotes have some.
const fewHan = 5

// otherHan is the other script of Chinese, where most of a text's letters that only one of
// the two has are of that.
func otherHan(text, script string, letters map[string]string) (other string, signs []string) {
	counts := map[string]int{}
	for s, own := range letters {
		for _, r := range text {
			if strings.ContainsRune(own, r) {
				if counts[s]++; s != script && len(signs) < 8 && !slices.Contains(signs, string(r)) {
					signs = append(signs, string(r))
				}
			}
		}
	}
	for s := range letters {
		if s != script && counts[s] >= fewHan && counts[s] > 4*counts[script] {
			return "zh-" + s, signs
		}
	}
	return "", nil
}

// speaks tells whether a text has several words of a list: it is in that language, whatever
// else is in it.
func speaks(text string, list []string) bool {
	found := map[string]bool{}
	for w := range strings.FieldsFuncSeq(strings.ToLower(text), func(r rune) bool { return !unicode.IsLetter(r) }) {
		if slices.Contains(list, w) {
			if found[w] = true; len(found) > fewWords {
				return true
			}
		}
	}
	return false
}

// outweighs lists the words of a text that are frequent in one language, where they are
// many more than those of another; nil where they are not, or one has no list.
func outweighs(text string, other, here []string) (found []string) {
	if other == nil || here == nil {
		return nil
	}
	is, own := 0, 0
	for w := range strings.FieldsFuncSeq(strings.ToLower(text), func(r rune) bool { return !unicode.IsLetter(r) }) {
		if slices.Contains(other, w) {
			is++
			found = append(found, w)
		}
		if slices.Contains(here, w) {
			own++
		}
	}
	if found = slices.Compact(slices.Sorted(slices.Values(found))); len(found) < fewWords || is < 2*own+fewWords {
		return nil
	}
	return found
}

// profileLetters is how many letters a text needs before its trigrams tell its language.
const profileLetters = 80

// mostIdentified bounds how much of a text is held against profiles, in bytes: more does
// not make it surer.
const mostIdentified = 800

// identify gives the language of a text by its trigrams; empty where that is not sure.
func identify(text string) string {
	if len(text) > mostIdentified {
		n := mostIdentified
		for n > 0 && !utf8.RuneStart(text[n]) {
			n--
		}
		text = text[:n]
	}
	is := whatlanggo.Detect(text)
	if !is.IsReliable() {
		return ""
	}
	return is.Lang.Iso6391()
}

// profiles are the languages that have a profile.
var profiles = sync.OnceValue(func() map[string]bool {
	out := map[string]bool{}
	for l := range whatlanggo.Langs {
		if code := l.Iso6391(); code != "" {
			out[code] = true
		}
	}
	return out
})

func known(lang string) bool { return profiles()[lang] }

// near tells whether two languages are the same or too alike to be told apart by trigrams.
func near(a, b string, groups map[string][]string) bool {
	for _, g := range groups {
		if slices.Contains(g, a) && slices.Contains(g, b) {
			return true
		}
	}
	return a == b
}

// sample is the first words of a text.
func sample(text string) []string {
	words := strings.Fields(text)
	return words[:min(len(words), 8)]
}
