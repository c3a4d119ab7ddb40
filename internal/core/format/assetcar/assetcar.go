// Package assetcar reads which pictures a compiled asset catalogue holds: for
// each its set, size in pixels, scale, kind of device and appearance. Pixels
// are not decoded.
//
// The format has no published specification. What is read here is what files
// of several years have in common: a block store whose trees map a key, a list
// of 16-bit attributes, to a header that tells size and form. Attributes and
// forms that are not known stay numbers and never guessed.
package assetcar

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"io"
	"strings"

	"regola.example/regola/internal/core/budget"
	"regola.example/regola/internal/core/format"
)

// Magic is how a catalogue begins.
const Magic = "BOMStore"

// Attributes of a key, by the numbers that the key format lists.
const (
	attrAppearance = 7
	attrIdiom      = 15
	attrIdentifier = 17
)

// headerSize is the fixed part of a rendition, bytes.
const headerSize = 184

// flagOpaque marks a picture without transparency.
const flagOpaque = 1 << 3

// Catalog is a compiled asset catalogue.
type Catalog struct {
	Tool            string // the compiler that wrote it, as it calls itself
	Platform        string // such as ios
	PlatformVersion string // least system version it was compiled for
	Renditions      []Rendition
}

// Rendition is one picture, colour or piece of data, for one kind of device.
type Rendition struct {
	Offset        int64  // of its header, bytes
	Set           string // the name that code and property lists use; empty when no set claims it
	File          string // the name of the file it was made from
	Kind          string // picture, vector, colour, data, sizes, pack, other
	Layout        int    // the number behind Kind
	Width, Height int    // pixels; 0 where the kind has no size
	Scale         int    // 1, 2 or 3; 0 where the kind has none
	Idiom         string // universal, phone, tablet, tv, car, watch, marketing, or a number
	Appearance    string // any, dark, light, tinted, or the name that the catalogue gives
	Opaque        bool   // no pixel is transparent, and the compiler says so
	Pixels        string // how a pixel is stored: ARGB, GA8 …
}

// Is reports whether a file begins like a catalogue.
func Is(head []byte) bool { return bytes.HasPrefix(head, []byte(Magic)) }

// Read reads the index and the header of every rendition. r is asked in the
// file's order as far as the format allows. The error is a *format.Damaged, or
// what r returned.
func Read(r io.ReaderAt, size int64, b *budget.Budget) (*Catalog, error) {
	s, err := openStore(r, size, b)
	if err != nil {
		return nil, err
	}
	c := &Catalog{}
	meta, err := s.block("EXTENDED_METADATA")
	if err != nil {
		return nil, err
	}
	if len(meta) >= 4+4*256 && string(meta[:4]) == "META" {
		c.PlatformVersion, c.Platform, c.Tool = text(meta[260:516]), text(meta[516:772]), text(meta[772:1028])
	}
	form, err := keyFormat(s)
	if err != nil {
		return nil, err
	}
	sets, err := facets(s)
	if err != nil {
		return nil, err
	}
	looks, err := appearances(s)
	if err != nil {
		return nil, err
	}
	list, err := s.tree("RENDITIONS", headerSize)
	if err != nil {
		return nil, err
	}
	for _, e := range list {
		x, err := rendition(e)
		if err != nil {
			return nil, err
		}
		// Without an attribute in the key, it is the same for all: zero.
		attr := map[uint32]uint16{}
		for i, a := range form {
			if 2*i+2 <= len(e.key) {
				attr[a] = binary.LittleEndian.Uint16(e.key[2*i:])
			}
		}
		x.Set = sets[attr[attrIdentifier]]
		x.Idiom = idiom(attr[attrIdiom])
		x.Appearance = look(attr[attrAppearance], looks)
		c.Renditions = append(c.Renditions, x)
	}
	return c, nil
}

// keyFormat reads which attribute stands at which place of a key.
func keyFormat(s *store) ([]uint32, error) {
	b, err := s.block("KEYFORMAT")
	if err != nil {
		return nil, err
	}
	if b == nil {
		return nil, format.Damagedf(0, "a block store without KEYFORMAT is not an asset catalogue")
	}
	at := s.blocks[s.named["KEYFORMAT"]].offset
	le := binary.LittleEndian
	if len(b) < 12 || string(b[:4]) != "tmfk" {
		return nil, format.Damagedf(at, "the key format does not begin as one")
	}
	n := int64(le.Uint32(b[8:]))
	if n > int64(len(b)-12)/4 {
		return nil, format.Damagedf(at+8, "the key format claims %d attributes", n)
	}
	out := make([]uint32, n)
	for i := range out {
		out[i] = le.Uint32(b[12+4*i:])
	}
	return out, nil
}

// facets reads the sets' names, by their identifiers.
func facets(s *store) (map[uint16]string, error) {
	list, err := s.tree("FACETKEYS", 256)
	if err != nil {
		return nil, err
	}
	out := make(map[uint16]string, len(list))
	le := binary.LittleEndian
	for _, e := range list {
		if len(e.value) < 6 {
			return nil, format.Damagedf(e.offset, "a set's key is cut off")
		}
		pairs := e.value[6:]
		for range le.Uint16(e.value[4:]) {
			if len(pairs) < 4 {
				return nil, format.Damagedf(e.offset, "a set's key is cut off")
			}
			if le.Uint16(pairs) == attrIdentifier {
				out[le.Uint16(pairs[2:])] = string(e.key)
			}
			pairs = pairs[4:]
		}
	}
	return out, nil
}

// appearances reads the names of the appearances, by their numbers.
func appearances(s *store) (map[uint16]string, error) {
	list, err := s.tree("APPEARANCEKEYS", 8)
	if err != nil {
		return nil, err
	}
	out := make(map[uint16]string, len(list))
	for _, e := range list {
		if len(e.value) < 2 {
			return nil, format.Damagedf(e.offset, "an appearance has no number")
		}
		out[binary.LittleEndian.Uint16(e.value)] = string(e.key)
	}
	return out, nil
}

// rendition reads the header of a rendition.
func rendition(e entry) (Rendition, error) {
	b := e.value
	if len(b) < headerSize || string(b[:4]) != "ISTC" {
		return Rendition{}, format.Damagedf(e.offset, "a rendition does not begin with its header")
	}
	le := binary.LittleEndian
	x := Rendition{
		Offset: e.offset, File: text(b[40:168]), Layout: int(le.Uint16(b[36:])), Pixels: pixels(b[24:28]),
		Width: int(le.Uint32(b[12:])), Height: int(le.Uint32(b[16:])), Opaque: le.Uint32(b[8:])&flagOpaque != 0,
		Scale: int(le.Uint32(b[20:]) / 100),
	}
	if x.Width > 1<<20 || x.Height > 1<<20 {
		return x, format.Damagedf(e.offset, "a picture of %d by %d pixels", x.Width, x.Height)
	}
	x.Kind = kind(x.Layout, x.Pixels)
	return x, nil
}

// pixels spells a stored four-letter code the way it is read.
func pixels(b []byte) string {
	r := []byte{b[3], b[2], b[1], b[0]}
	for i, c := range r {
		if c < ' ' || c > '~' {
			r[i] = ' '
		}
	}
	return strings.TrimSpace(string(r))
}

func kind(layout int, pixels string) string {
	switch {
	case layout >= 6 && layout <= 50, layout == 1003, layout == 1007, layout == 1008:
		if pixels == "SVG" || pixels == "PDF" {
			return "vector"
		}
		return "picture"
	case layout == 1000:
		return "data"
	case layout == 1004:
		return "pack" // several small pictures on one sheet
	case layout == 1009:
		return "colour"
	case layout == 1010:
		return "sizes" // the list of an icon's sizes
	case pixels == "SVG", pixels == "PDF":
		return "vector"
	}
	return "other"
}

func idiom(n uint16) string {
	names := [...]string{"universal", "phone", "tablet", "tv", "car", "watch", "marketing"}
	if int(n) < len(names) {
		return names[n]
	}
	return fmt.Sprintf("idiom %d", n)
}

func look(n uint16, names map[uint16]string) string {
	name, ok := names[n]
	switch lower := strings.ToLower(name); {
	case !ok && n == 0:
		return "any"
	case !ok:
		return fmt.Sprintf("appearance %d", n)
	case strings.HasSuffix(lower, "any"), strings.HasSuffix(lower, "namesystem"):
		return "any"
	case strings.Contains(lower, "dark"):
		return "dark"
	case strings.Contains(lower, "tint"):
		return "tinted"
	case strings.HasSuffix(lower, "light"), strings.HasSuffix(lower, "aqua"):
		return "light"
	}
	return name
}

// text is a fixed field up to its first zero.
func text(b []byte) string {
	b, _, _ = bytes.Cut(b, []byte{0})
	return strings.TrimSpace(string(b))
}
