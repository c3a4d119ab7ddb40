package restable

import (
	"encoding/binary"
	"testing"

	"github.com/stretchr/testify/assert"

	"regola.example/regola/internal/core/format/resource"
)

// TestOffsets looks up entries in each way in which tables list them.
func TestOffsets(t *testing.T) {
	le := binary.LittleEndian
	var sparse, short, plain []byte
	for _, p := range [][2]uint16{{2, 4}, {9, 6}, {40, 8}} { // index, offset/4
		sparse = le.AppendUint16(le.AppendUint16(sparse, p[0]), p[1])
	}
	for _, o := range []uint16{3, 0xffff, 5} {
		short = le.AppendUint16(short, o)
	}
	for _, o := range []uint32{16, 0xffffffff, 32} {
		plain = le.AppendUint32(plain, o)
	}
	for name, c := range map[string]struct {
		chunk typeChunk
		want  map[uint16]int64
		last  int
	}{
		"sparse": {typeChunk{entries: sparse, count: 3, sparse: true}, map[uint16]int64{2: 16, 9: 24, 40: 32, 0: -1, 3: -1, 41: -1}, 40},
		"short":  {typeChunk{entries: short, count: 3, short: true}, map[uint16]int64{0: 12, 1: -1, 2: 20, 3: -1}, 2},
		"plain":  {typeChunk{entries: plain, count: 3}, map[uint16]int64{0: 16, 1: -1, 2: 32, 3: -1}, 2},
		"empty":  {typeChunk{sparse: true}, map[uint16]int64{0: -1}, -1},
	} {
		for i, want := range c.want {
			assert.Equal(t, want, c.chunk.offset(i), "%s, entry %d", name, i)
		}
		assert.Equal(t, c.last, c.chunk.last(), name)
	}
}

// TestEntries reads a value, a compact value and a style, whole and cut off.
func TestEntries(t *testing.T) {
	le := binary.LittleEndian
	value := []byte{8, 0, 0, 0, 0, 0, 0, 0, 8, 0, 0, 0x12, 1, 0, 0, 0} // true
	compact := []byte{5, 0, 8, 0x10, 36, 0, 0, 0}                      // 36
	style := []byte{16, 0, 1, 0, 0, 0, 0, 0, 1, 0, 1, 0x7f, 1, 0, 0, 0, 2, 0, 1, 1, 8, 0, 0, 0x12, 1, 0, 0, 0}
	chunk := func(b []byte) *typeChunk {
		return &typeChunk{entries: make([]byte, 4), count: 1, data: b}
	}
	v, ok := chunk(value).value(0, nil)
	assert.True(t, ok)
	assert.Equal(t, resource.Value{Kind: resource.Bool, Int: 1}, v)
	v, ok = chunk(compact).value(0, nil)
	assert.True(t, ok)
	assert.EqualValues(t, 36, v.Int)
	_, ok = chunk(style).value(0, nil)
	assert.False(t, ok, "a style is no value")
	s, ok := chunk(style).style(0, nil)
	assert.True(t, ok)
	assert.EqualValues(t, 0x7f010001, s.Parent)
	assert.Equal(t, []resource.StyleItem{{Attr: 0x01010002, Value: resource.Value{Kind: resource.Bool, Int: 1}}}, s.Items)
	_, ok = chunk(value).style(0, nil)
	assert.False(t, ok, "a value is no style")
	le.PutUint32(style[12:], 9)
	_, ok = chunk(style).style(0, nil)
	assert.False(t, ok, "more items than fit")
	for n := range len(value) {
		_, ok := chunk(value[:n]).value(0, nil)
		assert.False(t, ok, "cut off after %d bytes", n)
	}
}

func TestLocale(t *testing.T) {
	for want, c := range map[string][4]string{
		"":            {"\x00\x00", "\x00\x00", "\x00\x00\x00\x00", "\x00"},
		"it":          {"it", "\x00\x00", "\x00\x00\x00\x00", "\x00"},
		"zh-Hant-TW":  {"zh", "TW", "Hant", "\x00"},
		"fil":         {"\xad\x05", "\x00\x00", "\x00\x00\x00\x00", "\x00"},
		"es-419":      {"es", "\xa4\x24", "\x00\x00\x00\x00", "\x00"},
		"ca-valencia": {"ca", "\x00\x00", "\x00\x00\x00\x00", "valencia"},
	} {
		assert.Equal(t, want, locale([]byte(c[0]), []byte(c[1]), []byte(c[2]), []byte(c[3])))
	}
}
