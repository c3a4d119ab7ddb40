// Package restable reads Android's binary resource table (resources.arsc).
// The table is indexed, not unfolded: a resource is decoded when it is looked
// up, so a table with hundreds of thousands of entries costs little.
//
// Source of the format: the platform's description of table chunks (struct
// ResTable_header, ResTable_type, ResTable_config and their kin in
// ResourceTypes.h of the Android Open Source Project).
package restable

import (
	"bytes"
	"encoding/binary"
	"maps"
	"slices"

	"regola.example/regola/internal/core/budget"
	"regola.example/regola/internal/core/format"
	"regola.example/regola/internal/core/format/resource"
)

// Table is a binary resource table. It implements resource.Table.
type Table struct {
	values   *resource.Pool
	packages []*Package
	budget   *budget.Budget
	err      error
	found    map[uint32][]resource.Item // by id: some are asked for again and again
	strings  []resource.StringEntry
}

// Package is one package of the table: the app's (id 0x7f), a feature's, or
// the platform's (0x01).
type Package struct {
	ID    uint8
	Name  string
	types *resource.Pool
	keys  *resource.Pool
	byID  map[uint8][]typeChunk
}

type typeChunk struct {
	config  resource.Config
	entries []byte // the offsets
	data    []byte // from the first entry on
	count   int
	sparse  bool
	short   bool // offsets of 16 bits
}

// Parse indexes a table. Errors are *format.Damaged.
func Parse(data []byte, b *budget.Budget) (*Table, error) {
	root, err := resource.NextChunk(data, 0)
	if err != nil {
		return nil, err
	}
	if root.Type != resource.ChunkTable {
		return nil, format.Damagedf(0, "not a resource table: chunk type %#04x", root.Type)
	}
	t := &Table{budget: b.Part(len(data)), found: map[uint32][]resource.Item{}}
	for at := len(root.Header); at < len(root.Data); {
		c, err := resource.NextChunk(root.Data, at)
		if err != nil {
			return nil, err
		}
		switch c.Type {
		case resource.ChunkStringPool:
			if t.values == nil {
				if t.values, err = resource.ParsePool(c, t.budget); err != nil {
					return nil, err
				}
			}
		case resource.ChunkPackage:
			p, err := parsePackage(c, t.budget)
			if err != nil {
				return nil, err
			}
			t.packages = append(t.packages, p)
		}
		at += len(c.Data)
	}
	return t, t.stringEntries()
}

// Err implements resource.Table.
func (t *Table) Err() error {
	if t.err != nil {
		return t.err
	}
	for _, p := range t.packages {
		if err := p.keys.Err(); err != nil {
			return err
		}
	}
	return t.values.Err()
}

// step takes n units of work. False means that there are none left.
func (t *Table) step(n int) bool {
	if t.err == nil {
		t.err = t.budget.Step(n)
	}
	return t.err == nil
}

func parsePackage(c resource.Chunk, b *budget.Budget) (*Package, error) {
	le := binary.LittleEndian
	if len(c.Header) < 284 {
		return nil, format.Damagedf(c.Offset, "package header of %d bytes, 284 expected", len(c.Header))
	}
	p := &Package{ID: uint8(le.Uint32(c.Header[8:])), Name: name16(c.Header[12:268]), byID: make(map[uint8][]typeChunk)}
	typeStrings, keyStrings := int(le.Uint32(c.Header[268:])), int(le.Uint32(c.Header[276:]))
	for at := len(c.Header); at < len(c.Data); {
		k, err := resource.NextChunk(c.Data, at)
		if err != nil {
			return nil, err
		}
		switch k.Type {
		case resource.ChunkStringPool:
			pool, err := resource.ParsePool(k, b)
			if err != nil {
				return nil, err
			}
			switch at {
			case typeStrings:
				p.types = pool
			case keyStrings:
				p.keys = pool
			}
		case resource.ChunkType:
			id, tc, err := parseType(k)
			if err != nil {
				return nil, err
			}
			const chunk = 128 // bytes that it takes
			if err := b.Keep(chunk); err != nil {
				return nil, err
			}
			p.byID[id] = append(p.byID[id], tc)
		}
		at += len(k.Data)
	}
	return p, nil
}

func parseType(c resource.Chunk) (uint8, typeChunk, error) {
	le := binary.LittleEndian
	if len(c.Header) < 20+28 {
		return 0, typeChunk{}, format.Damagedf(c.Offset, "type header of %d bytes, 48 expected", len(c.Header))
	}
	id, flags := c.Header[8], c.Header[9]
	count, start := le.Uint32(c.Header[12:]), le.Uint32(c.Header[16:])
	if int64(start) > int64(len(c.Data)) || int64(start) < int64(len(c.Header)) {
		return 0, typeChunk{}, format.Damagedf(c.Offset, "the entries of a type start outside it")
	}
	tc := typeChunk{
		config: parseConfig(c.Header[20:]),
		data:   c.Data[start:],
		count:  int(count),
		sparse: flags&1 != 0,
		short:  flags&2 != 0,
	}
	width := int64(4)
	if tc.short && !tc.sparse {
		width = 2
	}
	tc.entries = c.Data[len(c.Header):start]
	if int64(count)*width > int64(len(tc.entries)) {
		return 0, typeChunk{}, format.Damagedf(c.Offset, "a type claims %d entries, more than fit", count)
	}
	return id, tc, nil
}

// offset finds where entry i begins in data, or -1.
func (tc *typeChunk) offset(i uint16) int64 {
	le := binary.LittleEndian
	switch {
	case tc.sparse: // pairs of index and offset/4, sorted by index
		lo, hi := 0, tc.count
		for lo < hi {
			mid := (lo + hi) / 2
			switch idx := le.Uint16(tc.entries[mid*4:]); {
			case idx == i:
				return int64(le.Uint16(tc.entries[mid*4+2:])) * 4
			case idx < i:
				lo = mid + 1
			default:
				hi = mid
			}
		}
		return -1
	case int(i) >= tc.count:
		return -1
	case tc.short:
		if o := le.Uint16(tc.entries[int(i)*2:]); o != 0xffff {
			return int64(o) * 4
		}
		return -1
	}
	if o := le.Uint32(tc.entries[int(i)*4:]); o != 0xffffffff {
		return int64(o)
	}
	return -1
}

const (
	entryComplex = 0x0001
	entryCompact = 0x0008
)

// value reads a simple entry; ok is false for complex or damaged ones.
func (tc *typeChunk) value(i uint16, pool *resource.Pool) (v resource.Value, ok bool) {
	at := tc.offset(i)
	if at < 0 || at+8 > int64(len(tc.data)) {
		return v, false
	}
	le := binary.LittleEndian
	b := tc.data[at:]
	size, flags := le.Uint16(b), le.Uint16(b[2:])
	if flags&entryCompact != 0 {
		return resource.BinaryValue(byte(flags>>8), le.Uint32(b[4:]), pool), true
	}
	if flags&entryComplex != 0 || int(size)+8 > len(b) {
		return v, false
	}
	b = b[size:]
	return resource.BinaryValue(b[3], le.Uint32(b[4:]), pool), true
}

// Lookup implements resource.Table.
func (t *Table) Lookup(id uint32) []resource.Item {
	if out, known := t.found[id]; known {
		return out
	}
	var out []resource.Item
	for _, p := range t.packages {
		if uint32(p.ID) != id>>24 {
			continue
		}
		chunks := p.byID[uint8(id>>16)]
		if !t.step(len(chunks)) {
			return nil
		}
		for i := range chunks {
			v, ok := chunks[i].value(uint16(id), t.values)
			if !ok {
				continue
			}
			if v.Kind == resource.String && p.isFileType(uint8(id>>16)) && isPath(v.Text) {
				v.Kind = resource.File
			}
			out = append(out, resource.Item{Config: chunks[i].config, Value: v})
		}
	}
	const item = 128 // bytes that it takes
	if t.err == nil {
		t.err = t.budget.Keep(item * (1 + len(out)))
	}
	t.found[id] = out
	return out
}

// Style implements resource.Table.
func (t *Table) Style(id uint32) []resource.Style {
	var out []resource.Style
	for _, p := range t.packages {
		if uint32(p.ID) != id>>24 || p.TypeName(uint8(id>>16)) != "style" {
			continue
		}
		chunks := p.byID[uint8(id>>16)]
		for i := range chunks {
			if !t.step(1) {
				return nil
			}
			if s, ok := chunks[i].style(uint16(id), t.values); ok && t.step(len(s.Items)) {
				for j := range s.Items {
					s.Items[j].Name = t.attrName(s.Items[j].Attr)
				}
				out = append(out, s)
			}
		}
	}
	return out
}

// style reads a complex entry (struct ResTable_map_entry).
func (tc *typeChunk) style(i uint16, pool *resource.Pool) (s resource.Style, ok bool) {
	at := tc.offset(i)
	if at < 0 || at+16 > int64(len(tc.data)) {
		return s, false
	}
	le := binary.LittleEndian
	b := tc.data[at:]
	size, flags := le.Uint16(b), le.Uint16(b[2:])
	if flags&entryComplex == 0 || flags&entryCompact != 0 || size < 16 || int(size) > len(b) {
		return s, false
	}
	s.Config, s.Parent = tc.config, le.Uint32(b[8:])
	count := le.Uint32(b[12:])
	const item = 12 // the attribute and a struct Res_value
	b = b[size:]
	if int64(count)*item > int64(len(b)) {
		return s, false
	}
	for range count {
		s.Items = append(s.Items, resource.StyleItem{
			Attr:  le.Uint32(b),
			Value: resource.BinaryValue(b[7], le.Uint32(b[8:]), pool),
		})
		b = b[item:]
	}
	return s, true
}

// attrName is the name of an attribute that the table itself defines.
func (t *Table) attrName(id uint32) string {
	for _, p := range t.packages {
		if uint32(p.ID) != id>>24 {
			continue
		}
		// Attributes have no variants: packers write them as one chunk. A
		// hostile table with many must not be gone through for every item.
		chunks := p.byID[uint8(id>>16)]
		for i := range min(len(chunks), 4) {
			if at := chunks[i].offset(uint16(id)); at >= 0 && at+8 <= int64(len(chunks[i].data)) {
				return p.entryName(&chunks[i], at)
			}
		}
	}
	return ""
}

// isPath tells a file from a text: the packer puts files below res/.
func isPath(s string) bool { return len(s) > 4 && s[:4] == "res/" }

func (p *Package) isFileType(id uint8) bool { return p.TypeName(id) != "string" }

// TypeName is the name of a type: string, mipmap, drawable …
func (p *Package) TypeName(id uint8) string {
	s, _ := p.types.String(uint32(id) - 1)
	return s
}

// Locales implements resource.Table.
func (t *Table) Locales() []string {
	var out []string
	seen := map[string]bool{}
	for _, p := range t.packages {
		for id, chunks := range p.byID {
			if p.TypeName(id) != "string" {
				continue
			}
			for i := range chunks {
				if l := chunks[i].config.Locale; !seen[l] {
					seen[l] = true
					out = append(out, l)
				}
			}
		}
	}
	slices.Sort(out)
	return out
}

// Densities implements resource.Table.
func (t *Table) Densities() []int {
	found := map[int]bool{}
	for _, p := range t.packages {
		for id, chunks := range p.byID {
			if name := p.TypeName(id); name != "drawable" && name != "mipmap" {
				continue
			}
			for i := range chunks {
				if d := chunks[i].config.Density; d != 0 {
					found[d] = true
				}
			}
		}
	}
	return slices.Sorted(maps.Keys(found))
}

// Strings implements resource.Table.
func (t *Table) Strings() []resource.Coverage {
	out, err := resource.Cover(t.strings, t.budget)
	if t.err == nil {
		t.err = err
	}
	return out
}

// Orphans implements resource.Table.
func (t *Table) Orphans() []string { return resource.Orphaned(t.strings) }

// stringEntries lists the string resources with their languages.
func (t *Table) stringEntries() error {
	for _, p := range t.packages {
		for _, id := range slices.Sorted(maps.Keys(p.byID)) {
			if p.TypeName(id) != "string" {
				continue
			}
			chunks := p.byID[id]
			most := -1
			for i := range chunks {
				most = max(most, chunks[i].last())
			}
			const entry, locale = 48, 16 // bytes that each takes
			if err := t.budget.Keep(entry * (most + 1)); err != nil {
				return err
			}
			entries := make([]resource.StringEntry, most+1)
			for i := range chunks {
				if err := t.budget.Step(chunks[i].count); err != nil {
					return err
				}
				err := chunks[i].each(func(e uint16, at int64) error {
					if err := t.budget.Keep(locale); err != nil {
						return err
					}
					entries[e].Locales = append(entries[e].Locales, chunks[i].config.Locale)
					if entries[e].Name == "" {
						entries[e].Name = p.entryName(&chunks[i], at)
					}
					return nil
				})
				if err != nil {
					return err
				}
			}
			t.strings = append(t.strings, entries...)
		}
		if err := p.keys.Err(); err != nil {
			return err
		}
	}
	return nil
}

// each visits the entries that a type chunk has, with where each begins.
func (tc *typeChunk) each(visit func(e uint16, at int64) error) error {
	le := binary.LittleEndian
	for i := range min(tc.count, 1<<16) {
		e, at := uint16(i), int64(0)
		if tc.sparse {
			e, at = le.Uint16(tc.entries[i*4:]), int64(le.Uint16(tc.entries[i*4+2:]))*4
		} else {
			at = tc.offset(e)
		}
		if at < 0 || at+8 > int64(len(tc.data)) {
			continue
		}
		if err := visit(e, at); err != nil {
			return err
		}
	}
	return nil
}

// Texts implements resource.Table.
func (t *Table) Texts(visit func(id uint32, locale, text string)) {
	for _, p := range t.packages {
		for id, chunks := range p.byID {
			if p.TypeName(id) != "string" {
				continue
			}
			for i := range chunks {
				_ = chunks[i].each(func(e uint16, _ int64) error {
					if !t.step(1) {
						return t.err
					}
					if v, ok := chunks[i].value(e, t.values); ok && v.Kind == resource.String {
						visit(uint32(p.ID)<<24|uint32(id)<<16|uint32(e), chunks[i].config.Locale, v.Text)
					}
					return nil
				})
			}
		}
	}
}

// entryName is the key of an entry. Optimised tables give all the same one.
func (p *Package) entryName(tc *typeChunk, at int64) string {
	le := binary.LittleEndian
	b := tc.data[at:]
	k := le.Uint32(b[4:])
	if le.Uint16(b[2:])&entryCompact != 0 {
		k = uint32(le.Uint16(b))
	}
	name, _ := p.keys.String(k)
	return name
}

// last is the highest entry index that a type chunk has.
func (tc *typeChunk) last() int {
	if !tc.sparse {
		return min(tc.count, 1<<16) - 1
	}
	most := -1
	for i := range min(tc.count, 1<<16) { // a hostile list is not sorted
		most = max(most, int(binary.LittleEndian.Uint16(tc.entries[i*4:])))
	}
	return most
}

// parseConfig reads as much of struct ResTable_config as is there: older
// packers wrote fewer fields.
func parseConfig(b []byte) resource.Config {
	le := binary.LittleEndian
	if size := int(le.Uint32(b)); size >= 4 && size < len(b) {
		b = b[:size]
	}
	field := func(at, n int) []byte {
		if at+n > len(b) {
			return make([]byte, n)
		}
		return b[at : at+n]
	}
	var c resource.Config
	c.Locale = resource.Language(locale(field(8, 2), field(10, 2), field(36, 4), field(40, 8)))
	c.Density = int(le.Uint16(field(14, 2)))
	c.SDK = int(le.Uint16(field(24, 2)))
	ui := field(29, 1)[0]
	c.Night = ui&0x30 == 0x20
	switch ui & 0x0f {
	case 3:
		c.Car = true
	case 4:
		c.Television = true
	case 6:
		c.Watch = true
	}
	rest := bytes.Join([][]byte{field(4, 4), field(12, 2), field(16, 8), field(28, 1), field(30, 6)}, nil)
	c.Other = len(bytes.Trim(rest, "\x00")) > 0
	return c
}

// locale assembles a BCP 47 tag. Languages and regions of three letters are
// packed into two bytes, 5 bits a letter, with the top bit set.
func locale(lang, region, script, variant []byte) string {
	l := unpack(lang, 'a')
	if l == "" {
		return ""
	}
	if s := cstring(script); s != "" {
		l += "-" + s
	}
	if r := unpack(region, '0'); r != "" {
		l += "-" + r
	}
	if v := cstring(variant); v != "" {
		l += "-" + v
	}
	return l
}

func unpack(b []byte, base byte) string {
	if b[0] == 0 {
		return ""
	}
	if b[0]&0x80 == 0 {
		return cstring(b)
	}
	return string([]byte{
		base + b[1]&0x1f,
		base + (b[1]&0xe0)>>5 + (b[0]&0x03)<<3,
		base + (b[0]&0x7c)>>2,
	})
}

func cstring(b []byte) string {
	if i := bytes.IndexByte(b, 0); i >= 0 {
		b = b[:i]
	}
	return string(b)
}

func name16(b []byte) string {
	var out []rune
	for i := 0; i+1 < len(b); i += 2 {
		u := binary.LittleEndian.Uint16(b[i:])
		if u == 0 {
			break
		}
		out = append(out, rune(u))
	}
	return string(out)
}
