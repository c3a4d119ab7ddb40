package phrases

import (
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/rivo/uniseg"
	"golang.org/x/text/unicode/norm"

	"regola.example/regola/internal/core/memory"
	"regola.example/regola/internal/core/tables"
)

// word is one word of a text (UAX #29), folded, with its place in bytes.
type word struct {
	text     string
	from, to int
	tied     bool // a hyphen ties it to the word before, as in sugar-free
}

// words are the words of a text; what stands around an apostrophe is a word of its own,
// as in l'app.
func words(text, lang string) (out []word) {
	at, state := 0, -1
	var w string
	for rest := text; rest != ""; {
		w, rest, state = uniseg.FirstWordInString(rest, state)
		for from := 0; from < len(w); {
			n := strings.IndexAny(w[from:], "'’")
			if n < 0 {
				n = len(w) - from
			}
			if part := w[from : from+n]; strings.ContainsFunc(part, func(r rune) bool { return unicode.IsLetter(r) || unicode.IsDigit(r) }) {
				out = append(out, word{fold(part, lang), at + from, at + from + n, tied(text[:at+from])})
			}
			from += n
			if from < len(w) {
				_, size := utf8.DecodeRuneInString(w[from:])
				from += size
			}
		}
		at += len(w)
	}
	return out
}

// tied tells whether a text ends with a letter and a hyphen.
func tied(before string) bool {
	r, n := utf8.DecodeLastRuneInString(before)
	if r != '-' && r != '\u2010' && r != '\u2011' {
		return false
	}
	r, _ = utf8.DecodeLastRuneInString(before[:len(before)-n])
	return unicode.IsLetter(r)
}

// fold makes words comparable: compatible forms of letters are one (NFKC), capitals are
// small by the rules of the language, and Greek, which loses its accents in capitals, has
// none.
func fold(s, lang string) string {
	s = norm.NFKC.String(s)
	if lang == "tr" || lang == "az" {
		s = strings.ToLowerSpecial(unicode.TurkishCase, s)
	} else {
		s = strings.ToLower(s)
	}
	if lang == "el" {
		s = norm.NFC.String(strings.Map(func(r rune) rune {
			if unicode.Is(unicode.Mn, r) {
				return -1
			}
			return r
		}, norm.NFD.String(s)))
	}
	return s
}

// unspaced are the languages that write no blanks between words, or tie endings to them:
// their rows are looked for as parts of the text.
var unspaced = []string{"zh", "ja", "th", "km", "lo", "my", "ko"}

// part is one word of what a row looks for.
type part struct {
	text   string
	prefix bool // the word may go on
}

func (p part) is(w string) bool {
	return w == p.text || p.prefix && strings.HasPrefix(w, p.text)
}

// stem is what a row looks for: words that follow each other.
type stem []part

func stemOf(s, lang string) (out stem) {
	if slices.Contains(unspaced, lang) {
		return stem{{text: fold(s, lang)}}
	}
	for _, w := range strings.Fields(s) {
		w, prefix := strings.CutSuffix(w, "*")
		for _, x := range words(w, lang) {
			out = append(out, part{text: x.text})
		}
		if len(out) > 0 {
			out[len(out)-1].prefix = prefix
		}
	}
	return out
}

func stemsOf(list []string, lang string) (out []stem) {
	for _, s := range list {
		out = append(out, stemOf(s, lang))
	}
	return out
}

// at tells whether the stem begins at a word, and how many it takes.
func (s stem) at(ws []word) (n int, ok bool) {
	if len(ws) < len(s) {
		return 0, false
	}
	for i, p := range s {
		if !p.is(ws[i].text) {
			return 0, false
		}
	}
	return len(s), true
}

// row is a row of stems, made ready for one language.
type row struct {
	first       map[string][]stem // by the first word
	open        []stem            // whose first word may go on
	near, apart []stem
	parts       []string // of an unspaced language
}

// rows remembers rows that were made ready, as many as the built-in tables have and more.
var rows = memory.New(4000, func(rowKey, *row) int64 { return 1 })

type rowKey struct {
	row  *tables.Phrase
	lang string
}

func ready(r *tables.Phrase, lang string) *row {
	return rows.Of(rowKey{r, lang}, func() *row { return prepare(r, lang) })
}

func prepare(r *tables.Phrase, lang string) *row {
	x := &row{first: map[string][]stem{}, near: stemsOf(r.Near, lang), apart: stemsOf(r.Apart, lang)}
	if slices.Contains(unspaced, lang) {
		for _, s := range r.Stems {
			x.parts = append(x.parts, fold(s, lang))
		}
	}
	for _, s := range stemsOf(r.Stems, lang) {
		if len(s) == 0 {
			continue
		}
		if s[0].prefix {
			x.open = append(x.open, s)
			continue
		}
		x.first[s[0].text] = append(x.first[s[0].text], s)
	}
	return x
}

// reach is how many words on each side are near a match; within an unspaced text it is
// that many letters, four times.
const reach = 4

// find lists where a row of stems matches.
func (x *row) find(text string, ws []word) (out [][]int) {
	if x.parts != nil {
		return x.within(text)
	}
	end := 0 // of the match before
	for i := range ws {
		if i < end || ws[i].tied {
			continue // gluten-free says nothing of a price
		}
		n := 0
		for _, s := range x.first[ws[i].text] {
			if m, ok := s.at(ws[i:]); ok {
				n = max(n, m)
			}
		}
		for _, s := range x.open {
			if m, ok := s.at(ws[i:]); ok {
				n = max(n, m)
			}
		}
		if n == 0 {
			continue
		}
		around := ws[max(0, i-reach):min(len(ws), i+n+reach)]
		if len(x.near) > 0 && !anywhere(x.near, around) || anywhere(x.apart, around) {
			continue
		}
		end = i + n
		if out = append(out, []int{ws[i].from, ws[i+n-1].to}); len(out) == maxHits {
			break
		}
	}
	return out
}

func anywhere(stems []stem, ws []word) bool {
	for i := range ws {
		for _, s := range stems {
			if _, ok := s.at(ws[i:]); ok {
				return true
			}
		}
	}
	return false
}

// within looks for parts of an unspaced text.
func (x *row) within(text string) (out [][]int) {
	lower := strings.ToLower(text)
	if len(lower) != len(text) {
		lower = text // places would be others
	}
	for _, p := range x.parts {
		for from := 0; ; {
			i := strings.Index(lower[from:], p)
			if i < 0 {
				break
			}
			at, to := from+i, from+i+len(p)
			from = to
			beside := runes(lower[:at], -4*reach) + lower[at:to] + runes(lower[to:], 4*reach)
			if len(x.near) > 0 && !holds(beside, x.near) || holds(beside, x.apart) {
				continue
			}
			if out = append(out, []int{at, to}); len(out) == maxHits {
				return out
			}
		}
	}
	slices.SortFunc(out, func(a, b []int) int { return a[0] - b[0] })
	return out
}

// holds tells whether a text has one of the stems somewhere in it.
func holds(text string, stems []stem) bool {
	return slices.ContainsFunc(stems, func(s stem) bool {
		return len(s) > 0 && strings.Contains(text, s[0].text)
	})
}

// runes are the first n letters of a text, or the last where n is negative.
func runes(s string, n int) string {
	if r := []rune(s); n >= 0 && len(r) > n {
		return string(r[:n])
	} else if n < 0 && len(r) > -n {
		return string(r[len(r)+n:])
	}
	return s
}

// wholeWord tells whether a match of an expression neither begins nor ends within a word:
// \b of RE2 knows ASCII only.
func wholeWord(text string, at []int) bool {
	first, _ := utf8.DecodeRuneInString(text[at[0]:])
	before, _ := utf8.DecodeLastRuneInString(text[:at[0]])
	last, _ := utf8.DecodeLastRuneInString(text[:at[1]])
	after, _ := utf8.DecodeRuneInString(text[at[1]:])
	return !(unicode.IsLetter(first) && unicode.IsLetter(before)) && !(unicode.IsLetter(last) && unicode.IsLetter(after))
}
