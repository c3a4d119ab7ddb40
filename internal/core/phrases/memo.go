package phrases

import (
	"fmt"
	"slices"
	"strings"
	"sync"

	"regola.example/regola/internal/core/memory"
	"regola.example/regola/internal/core/tables"
)

// Memo remembers where rows match in texts: stores share texts, and so do the apps of
// one maker. It is safe for use by several goroutines; a nil one remembers nothing.
type Memo struct {
	texts   *memory.Cache[string, *matches]
	guesses *memory.Cache[string, *guess] // by language and text
}

type guess struct {
	other    string
	signs    []string
	frequent map[string][]string // by which it was made; held, so that its address is not another's
}

type matches struct {
	mu    sync.Mutex
	rows  map[*tables.Phrase][][]int
	words []word
	lang  string // of the words
	lower string // the text in small letters
}

// maxMemo bounds the texts that are remembered, in bytes.
const maxMemo = 8 << 20

// NewMemo makes an empty memo.
func NewMemo() *Memo {
	return &Memo{memory.New(maxMemo, func(text string, _ *matches) int64 { return int64(len(text)) }),
		memory.New(maxMemo, func(key string, _ *guess) int64 { return int64(len(key)) })}
}

// Guess is the function Guess, which remembers.
func (m *Memo) Guess(text, locale string, by Languages) (other string, signs []string) {
	if m == nil {
		return Guess(text, locale, by)
	}
	g := m.guesses.Of(fmt.Sprintf("%p %s\x00%s", by.Frequent, locale, text), func() *guess {
		other, signs := Guess(text, locale, by)
		return &guess{other, signs, by.Frequent}
	})
	return g.other, g.signs
}

// of is what is remembered of a text.
func (m *Memo) of(text string) *matches {
	if m == nil {
		return nil
	}
	return m.texts.Of(text, func() *matches { return &matches{rows: map[*tables.Phrase][][]int{}} })
}

// all is where a row matches in the text, which is in a language.
func (x *matches) all(r *tables.Phrase, text, lang string) [][]int {
	if x == nil || r.Kind == "brand" { // made for one dossier
		return look(r, text, strings.ToLower(text), lang, func() []word { return words(text, lang) })
	}
	x.mu.Lock()
	defer x.mu.Unlock()
	if x.lang != lang { // the same text in another language is rare
		x.rows, x.words, x.lang = map[*tables.Phrase][][]int{}, nil, lang
	}
	if x.lower == "" {
		x.lower = strings.ToLower(text)
	}
	at, ok := x.rows[r]
	if !ok {
		at = look(r, text, x.lower, lang, func() []word {
			if x.words == nil {
				x.words = words(text, lang)
			}
			return x.words
		})
		x.rows[r] = at
	}
	return at
}

// look holds a text against a row.
func look(r *tables.Phrase, text, lower, lang string, ws func() []word) [][]int {
	if len(r.Stems) > 0 {
		if slices.Contains(unspaced, lang) {
			return ready(r, lang).find(text, nil)
		}
		return ready(r, lang).find(text, ws())
	}
	at := r.Pattern.AllFold(text, lower, maxHits)
	if strings.Contains(string(r.Pattern), `\b`) {
		at = slices.DeleteFunc(at, func(at []int) bool { return !wholeWord(text, at) })
	}
	return at
}
