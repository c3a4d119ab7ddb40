package phrases

import (
	"sync"

	"regola.example/regola/internal/core/memory"
	"regola.example/regola/internal/core/tables"
)

// Memo remembers where rows match in texts: stores share texts, and so do the apps of
// one maker. It is safe for use by several goroutines; a nil one remembers nothing.
type Memo struct {
	texts *memory.Cache[string, *matches]
}

type matches struct {
	mu   sync.Mutex
	rows map[*tables.Phrase][][]int
}

// maxMemo bounds the texts that are remembered, in bytes.
const maxMemo = 8 << 20

// NewMemo makes an empty memo.
func NewMemo() *Memo {
	return &Memo{memory.New(maxMemo, func(text string, _ *matches) int64 { return int64(len(text)) })}
}

// of is what is remembered of a text.
func (m *Memo) of(text string) *matches {
	if m == nil {
		return nil
	}
	return m.texts.Of(text, func() *matches { return &matches{rows: map[*tables.Phrase][][]int{}} })
}

// all is where a row matches in the text.
func (x *matches) all(r *tables.Phrase, text string) [][]int {
	if x == nil || r.Kind == "brand" { // made for one dossier
		return r.Pattern.All("(?i)", text, maxHits)
	}
	x.mu.Lock()
	defer x.mu.Unlock()
	at, ok := x.rows[r]
	if !ok {
		at = r.Pattern.All("(?i)", text, maxHits)
		x.rows[r] = at
	}
	return at
}
