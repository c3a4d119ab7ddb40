package pictures

import (
	"hash/maphash"
	"io"

	"regola.example/regola/internal/core/memory"
	"regola.example/regola/internal/core/safeopen"
)

// Memo remembers what pixels show, by the contents of the files: apps of one maker
// share pictures. It is safe for use by several goroutines; a nil one remembers
// nothing.
type Memo struct {
	seed [2]maphash.Seed
	seen *memory.Cache[memoKey, memoValue]
}

// maxMemo bounds how many pictures are remembered.
const maxMemo = 20_000

// memoKey is the contents of a file, by its size and two sums with seeds that nobody
// knows, and what is asked about them.
type memoKey struct {
	size, sum, other uint64
	suspect          bool
}

type memoValue struct {
	pixels *Pixels
	undone string
}

// NewMemo makes an empty memo.
func NewMemo() *Memo {
	return &Memo{seed: [2]maphash.Seed{maphash.MakeSeed(), maphash.MakeSeed()}, seen: memory.New[memoKey, memoValue](maxMemo, nil)}
}

// look fills a picture's pixels from what is remembered, or by decode.
func (m *Memo) look(f *Found, decode func()) {
	key, ok := m.key(f)
	if !ok {
		decode()
		return
	}
	v, known := m.seen.Get(key)
	if !known {
		decode()
		v.undone = f.Undone
		if f.Pixels != nil {
			kept := *f.Pixels
			v.pixels = &kept
		}
		m.seen.Put(key, v)
		return
	}
	if f.Undone = v.undone; v.pixels != nil {
		mine := *v.pixels
		f.Pixels = &mine
	}
}

func (m *Memo) key(f *Found) (key memoKey, ok bool) {
	if m == nil {
		return key, false
	}
	src, info, err := safeopen.Open(f.Path)
	if err != nil {
		return key, false
	}
	defer src.Close()
	var a, b maphash.Hash
	a.SetSeed(m.seed[0])
	b.SetSeed(m.seed[1])
	if _, err := io.Copy(io.MultiWriter(&a, &b), src); err != nil {
		return key, false
	}
	return memoKey{uint64(info.Size()), a.Sum64(), b.Sum64(), f.Suspect}, true
}
