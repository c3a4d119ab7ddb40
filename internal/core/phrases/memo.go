package phrases

import (
	"sync"

	"regola.example/regola/internal/core/tables"
)

// Memo remembers where rows match in texts: stores share texts, and so do the apps of
// one maker. It is safe for use by several goroutines; a nil one remembers nothing.
type Memo struct {
	mu    sync.Mutex
	bytes int
	texts map[string]*matches
}

type matches struct {
	mu   sync.Mutex
	rows map[*tables.Phrase][][]int
}

// maxMemo bounds the texts that are remembered, in bytes.
const maxMemo = 8 << 20

// NewMemo makes an empty memo.
func NewMemo() *Memo { return &Memo{texts: map[string]*matches{}} }

// of is what is remembered of a text; nil when there is no room.
func (m *Memo) of(text string) *matches {
	if m == nil {
		return nil
	}
	m.mu.Lock()
	defer m.mu.Unlock()
	x := m.texts[text]
	if x == nil && m.bytes < maxMemo {
		x = &matches{rows: map[*tables.Phrase][][]int{}}
		m.texts[text] = x
		m.bytes += len(text)
	}
	return x
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
