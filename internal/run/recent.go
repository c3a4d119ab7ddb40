package run

import (
	"os"
	"path/filepath"
	"strings"
	"sync"
)

// recent keeps what was made last, by what it was made of, for the dossiers that share
// it. It is safe for use by several goroutines.
type recent[K comparable, V any] struct {
	mu   sync.Mutex
	kept []held[K, V] // the last used last
}

type held[K comparable, V any] struct {
	key K
	val V
}

// maxRecent is how many stay when nobody uses them: the two packages of one base.
const maxRecent = 2

// find gives what is kept, else what fresh makes, which is kept from now on.
func (r *recent[K, V]) find(key K, fresh func() V) V {
	r.mu.Lock()
	defer r.mu.Unlock()
	for i, h := range r.kept {
		if h.key == key {
			r.kept = append(append(r.kept[:i:i], r.kept[i+1:]...), h)
			return h.val
		}
	}
	h := held[K, V]{key, fresh()}
	r.kept = append(r.kept, h)
	if len(r.kept) > maxRecent {
		r.kept = append([]held[K, V](nil), r.kept[1:]...)
	}
	return h.val
}

// state is a file as it is now: the same while nobody writes to it.
type state struct {
	name        string
	size, since int64
}

// stateOf is the state of a regular file; ok is false for anything else.
func stateOf(file string) (s state, ok bool) {
	info, err := os.Stat(file)
	if err != nil || !info.Mode().IsRegular() {
		return s, false
	}
	return state{file, info.Size(), info.ModTime().UnixNano()}, true
}

// inside tells whether a file lies below a folder.
func inside(folder, file string) bool {
	rel, err := filepath.Rel(folder, file)
	return err == nil && rel != ".." && !strings.HasPrefix(rel, ".."+string(filepath.Separator))
}
