// Package carfile writes compiled asset catalogues for tests and for the
// demo: the index and the headers of the pictures, without their pixels. It
// follows what the reader, package assetcar, knows of the format.
package carfile

import (
	"bytes"
	"encoding/binary"
)

// Picture is one rendition.
type Picture struct {
	Set           string
	File          string
	Layout        int // 12 for a picture
	Width, Height int
	Scale         int
	Idiom         int // 0 universal, 1 phone, 2 tablet, 6 marketing
	Appearance    int // an index into Looks
	Opaque        bool
	Pixels        string // four letters, as read; ARGB when empty
}

// Looks are the appearances that every catalogue names, by number.
var Looks = []string{"UIAppearanceAny", "UIAppearanceDark", "ISAppearanceTintable"}

// attributes of a key, in the order of the key format: appearance, scale,
// idiom, dimension, identifier, element, part.
var attributes = []uint32{7, 12, 15, 8, 17, 1, 2}

type store struct {
	body   bytes.Buffer
	blocks [][2]uint32
	named  []string
	ids    []uint32
}

func (s *store) add(b []byte) uint32 {
	for s.body.Len()%16 != 0 {
		s.body.WriteByte(0)
	}
	s.blocks = append(s.blocks, [2]uint32{uint32(512 + s.body.Len()), uint32(len(b))})
	s.body.Write(b)
	return uint32(len(s.blocks) - 1)
}

func (s *store) name(name string, b []byte) {
	s.named = append(s.named, name)
	s.ids = append(s.ids, s.add(b))
}

// tree adds a named tree with at most perPage entries a page, so that several
// pages follow each other.
func (s *store) tree(name string, keys, values [][]byte, perPage int) {
	be := binary.BigEndian
	first := uint32(len(s.blocks)) + uint32(2*len(keys))
	var items [][2]uint32
	for i := range keys {
		items = append(items, [2]uint32{s.add(values[i]), s.add(keys[i])})
	}
	pages := max(1, (len(items)+perPage-1)/perPage)
	for p := range pages {
		part := items[min(p*perPage, len(items)):min((p+1)*perPage, len(items))]
		b := be.AppendUint16(nil, 1)
		b = be.AppendUint16(b, uint16(len(part)))
		next, before := uint32(0), uint32(0)
		if p+1 < pages {
			next = first + uint32(p) + 1
		}
		if p > 0 {
			before = first + uint32(p) - 1
		}
		b = be.AppendUint32(be.AppendUint32(b, next), before)
		for _, it := range part {
			b = be.AppendUint32(be.AppendUint32(b, it[0]), it[1])
		}
		s.add(b)
	}
	root := first
	if pages > 1 { // an inner page above the leaves
		b := be.AppendUint16(nil, 0)
		b = be.AppendUint16(b, uint16(pages))
		b = append(b, make([]byte, 8)...)
		for p := range pages {
			b = be.AppendUint32(be.AppendUint32(b, first+uint32(p)), items[p*perPage][1])
		}
		root = s.add(b)
	}
	head := []byte("tree")
	for _, v := range []uint32{1, root, 4096, uint32(len(items))} {
		head = be.AppendUint32(head, v)
	}
	s.name(name, append(head, make([]byte, 9)...))
}

func (s *store) bytes() []byte {
	be := binary.BigEndian
	index := be.AppendUint32(nil, uint32(len(s.blocks)))
	for _, b := range s.blocks {
		index = be.AppendUint32(be.AppendUint32(index, b[0]), b[1])
	}
	index = be.AppendUint32(index, 0) // no free blocks
	names := be.AppendUint32(nil, uint32(len(s.named)))
	for i, n := range s.named {
		names = be.AppendUint32(names, s.ids[i])
		names = append(append(names, byte(len(n))), n...)
	}
	at := uint32(512 + s.body.Len())
	out := []byte("BOMStore")
	for _, v := range []uint32{1, uint32(len(s.blocks)), at, uint32(len(index)), at + uint32(len(index)), uint32(len(names))} {
		out = be.AppendUint32(out, v)
	}
	out = append(out, make([]byte, 512-len(out))...)
	out = append(out, s.body.Bytes()...)
	return append(append(out, index...), names...)
}

func field(s string, size int) []byte { return append([]byte(s), make([]byte, size-len(s))...) }

// Write makes a catalogue for iOS 15 of some pictures.
func Write(pictures []Picture) []byte {
	le := binary.LittleEndian
	s := &store{}
	s.add(nil) // block 0 stays empty, as 0 means "no page"
	meta := append([]byte("META"), field("", 256)...)
	meta = append(append(append(meta, field("15.0", 256)...), field("ios", 256)...), field("Terrafuoco asset maker", 256)...)
	s.name("EXTENDED_METADATA", meta)
	form := le.AppendUint32([]byte("tmfk"), 0)
	form = le.AppendUint32(form, uint32(len(attributes)))
	for _, a := range attributes {
		form = le.AppendUint32(form, a)
	}
	s.name("KEYFORMAT", form)
	ids := map[string]uint16{}
	var facetKeys, facets, keys, values [][]byte
	for i, p := range pictures {
		id, ok := ids[p.Set]
		if !ok {
			id = uint16(1000 + 7*len(ids))
			ids[p.Set] = id
			facetKeys = append(facetKeys, []byte(p.Set))
			f := []byte{0, 0, 0, 0}
			for _, v := range []uint16{3, 1, 85, 2, 181, 17, id} {
				f = le.AppendUint16(f, v)
			}
			facets = append(facets, f)
		}
		var key []byte
		for _, v := range []int{p.Appearance, p.Scale, p.Idiom, i + 1, int(id), 85, 181} {
			key = le.AppendUint16(key, uint16(v))
		}
		keys = append(keys, key)
		values = append(values, header(p))
	}
	s.tree("FACETKEYS", facetKeys, facets, 100)
	var lookKeys, looks [][]byte
	for i, l := range Looks {
		lookKeys = append(lookKeys, []byte(l))
		looks = append(looks, le.AppendUint16(nil, uint16(i)))
	}
	s.tree("APPEARANCEKEYS", lookKeys, looks, 100)
	s.tree("RENDITIONS", keys, values, 4)
	return s.bytes()
}

// header is a rendition's header, with no pixels after it.
func header(p Picture) []byte {
	le := binary.LittleEndian
	flags, pixels := uint32(0), p.Pixels
	if p.Opaque {
		flags = 1 << 3
	}
	if pixels == "" {
		pixels = "ARGB"
	}
	b := []byte("ISTC")
	for _, v := range []uint32{1, flags, uint32(p.Width), uint32(p.Height), uint32(100 * p.Scale)} {
		b = le.AppendUint32(b, v)
	}
	b = append(b, pixels[3], pixels[2], pixels[1], pixels[0])
	b = le.AppendUint32(le.AppendUint32(b, 1), 0)
	b = le.AppendUint16(le.AppendUint16(b, uint16(p.Layout)), 0)
	b = append(b, field(p.File, 128)...)
	for range 4 {
		b = le.AppendUint32(b, 0)
	}
	return b
}
