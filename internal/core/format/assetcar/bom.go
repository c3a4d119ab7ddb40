package assetcar

import (
	"context"
	"encoding/binary"
	"io"
	"sort"

	"regola.example/regola/internal/core/budget"
	"regola.example/regola/internal/core/format"
)

// Bounds against hostile files. A real catalogue of 10,000 pictures has about
// 30,000 blocks.
const (
	maxBlocks = 1 << 21
	maxNames  = 64
	maxPages  = 1 << 13
	maxPage   = 1 << 16  // bytes
	maxKey    = 1 << 10  // bytes
	maxTree   = 32 << 20 // bytes of all keys and values together
	maxBlock  = 1 << 20  // bytes of a named block
)

// span is where a block lies in the file.
type span struct{ offset, size int64 }

// store is a block store: numbered blocks, some of them named. Its numbers are
// big-endian, whatever the blocks hold.
type store struct {
	r      io.ReaderAt
	size   int64
	blocks []span
	named  map[string]uint32
	budget *budget.Budget
}

func openStore(r io.ReaderAt, size int64, b *budget.Budget) (*store, error) {
	if b == nil {
		b = budget.New(context.Background(), size)
	}
	s := &store{r: r, size: size, budget: b, named: map[string]uint32{}}
	head, err := s.at(span{0, 32})
	if err != nil {
		return nil, err
	}
	if string(head[:8]) != Magic {
		return nil, format.Damagedf(0, "not a block store: it begins with % x", head[:8])
	}
	be := binary.BigEndian
	index := span{int64(be.Uint32(head[16:])), int64(be.Uint32(head[20:]))}
	names := span{int64(be.Uint32(head[24:])), int64(be.Uint32(head[28:]))}
	if index.size > 8*maxBlocks || names.size > 1<<16 {
		return nil, format.Damagedf(16, "the index claims %d bytes, its names %d", index.size, names.size)
	}
	if index.size < 4 || names.size < 4 {
		return nil, format.Damagedf(16, "the index is too short to be one")
	}
	parts, err := s.all([]span{index, names})
	if err != nil {
		return nil, err
	}
	table := parts[0]
	n := int64(be.Uint32(table))
	if n > (index.size-4)/8 {
		return nil, format.Damagedf(index.offset, "the index claims %d blocks and has room for %d", n, (index.size-4)/8)
	}
	if err := s.budget.Keep(16 * int(n)); err != nil {
		return nil, err
	}
	for i := range n {
		s.blocks = append(s.blocks, span{int64(be.Uint32(table[4+8*i:])), int64(be.Uint32(table[8+8*i:]))})
	}
	return s, s.names(parts[1], names.offset)
}

// names reads the table of named blocks.
func (s *store) names(b []byte, at int64) error {
	be := binary.BigEndian
	n := be.Uint32(b)
	if n > maxNames {
		return format.Damagedf(at, "%d named blocks, more than a catalogue has", n)
	}
	b = b[4:]
	for range n {
		if len(b) < 5 || len(b) < 5+int(b[4]) {
			return format.Damagedf(at, "the table of named blocks is cut off")
		}
		s.named[string(b[5:5+b[4]])] = be.Uint32(b)
		b = b[5+b[4]:]
	}
	return nil
}

// at reads one span whole.
func (s *store) at(sp span) ([]byte, error) {
	if sp.offset < 0 || sp.size < 0 || sp.offset+sp.size > s.size {
		return nil, format.Damagedf(sp.offset, "%d bytes are expected here, the file ends at %d", sp.size, s.size)
	}
	const slice = 64 // bytes that it takes beside its contents
	if err := s.budget.Keep(int(sp.size) + slice); err != nil {
		return nil, err
	}
	b := make([]byte, sp.size)
	if n, err := s.r.ReadAt(b, sp.offset); n < len(b) {
		if err == io.EOF {
			err = format.Damagedf(sp.offset, "cut off: %d bytes expected, %d there", sp.size, n)
		}
		return nil, err
	}
	return b, nil
}

// all reads spans in the file's order, so that a reader which can only go
// forward need not begin anew, and gives them in the order asked for.
func (s *store) all(spans []span) ([][]byte, error) {
	order := make([]int, len(spans))
	for i := range order {
		order[i] = i
	}
	sort.SliceStable(order, func(i, j int) bool { return spans[order[i]].offset < spans[order[j]].offset })
	out := make([][]byte, len(spans))
	for _, i := range order {
		b, err := s.at(spans[i])
		if err != nil {
			return nil, err
		}
		out[i] = b
	}
	return out, nil
}

// place is where a block lies, of which at most limit bytes are wanted.
func (s *store) place(id uint32, limit int64) (span, error) {
	if int64(id) >= int64(len(s.blocks)) {
		return span{}, format.Damagedf(0, "block %d is asked for, there are %d", id, len(s.blocks))
	}
	sp := s.blocks[id]
	sp.size = min(sp.size, limit)
	return sp, nil
}

// block reads a named block; nil when there is none of that name.
func (s *store) block(name string) ([]byte, error) {
	id, ok := s.named[name]
	if !ok {
		return nil, nil
	}
	sp, err := s.place(id, maxBlock)
	if err != nil {
		return nil, err
	}
	return s.at(sp)
}

// entry is a key and its value in a tree.
type entry struct {
	key, value []byte
	offset     int64 // of the value
}

// tree reads a named tree whole, at most limit bytes of each value: its pages
// hang together from the first leaf on. Without a tree of that name there are
// no entries.
func (s *store) tree(name string, limit int64) ([]entry, error) {
	head, err := s.block(name)
	if err != nil || head == nil {
		return nil, err
	}
	be := binary.BigEndian
	where := s.blocks[s.named[name]].offset
	if len(head) < 20 || string(head[:4]) != "tree" {
		return nil, format.Damagedf(where, "%s is not a tree", name)
	}
	var spans []span
	var places []int64
	seen := map[uint32]bool{}
	var total int64
	for id := be.Uint32(head[8:]); id != 0; {
		if seen[id] || len(seen) >= maxPages {
			return nil, format.Damagedf(where, "the pages of %s run in a circle", name)
		}
		seen[id] = true
		sp, err := s.place(id, maxPage)
		if err != nil {
			return nil, err
		}
		page, err := s.at(sp)
		if err != nil {
			return nil, err
		}
		if len(page) < 12 {
			return nil, format.Damagedf(sp.offset, "a page of %s is cut off", name)
		}
		leaf, n, next := be.Uint16(page) != 0, int(be.Uint16(page[2:])), be.Uint32(page[4:])
		if 12+8*n > len(page) {
			return nil, format.Damagedf(sp.offset, "a page of %s claims %d entries", name, n)
		}
		if !leaf {
			if n == 0 {
				return nil, format.Damagedf(sp.offset, "an inner page of %s is empty", name)
			}
			id = be.Uint32(page[12:])
			continue
		}
		for i := range n {
			value, err := s.place(be.Uint32(page[12+8*i:]), limit)
			if err != nil {
				return nil, err
			}
			key, err := s.place(be.Uint32(page[16+8*i:]), maxKey)
			if err != nil {
				return nil, err
			}
			const pair = 160 // bytes that an entry takes until it is read
			if err := s.budget.Keep(pair); err != nil {
				return nil, err
			}
			total += key.size + value.size
			spans = append(spans, key, value)
			places = append(places, value.offset)
		}
		if total > maxTree {
			return nil, format.Damagedf(sp.offset, "%s holds more than %d bytes", name, maxTree)
		}
		id = next
	}
	data, err := s.all(spans)
	if err != nil {
		return nil, err
	}
	out := make([]entry, len(places))
	for i := range out {
		out[i] = entry{data[2*i], data[2*i+1], places[i]}
	}
	return out, nil
}
