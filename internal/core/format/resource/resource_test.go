package resource_test

import (
	"encoding/binary"
	"strings"
	"testing"
	"unicode/utf16"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/format/resource"
)

// pool builds a string pool chunk whose strings start at the given offsets.
func pool(t *testing.T, flags uint32, data []byte, offsets ...uint32) *resource.Pool {
	t.Helper()
	le := binary.LittleEndian
	start := 28 + 4*len(offsets)
	c := make([]byte, start)
	le.PutUint16(c, 1)
	le.PutUint16(c[2:], 28)
	le.PutUint32(c[4:], uint32(start+len(data)))
	le.PutUint32(c[8:], uint32(len(offsets)))
	le.PutUint32(c[16:], flags)
	le.PutUint32(c[20:], uint32(start))
	for i, o := range offsets {
		le.PutUint32(c[28+4*i:], o)
	}
	chunk, err := resource.NextChunk(append(c, data...), 0)
	require.NoError(t, err)
	p, err := resource.ParsePool(chunk, nil)
	require.NoError(t, err)
	return p
}

func TestPoolUTF8(t *testing.T) {
	long := strings.Repeat("ü", 200) // 400 bytes: both lengths take two bytes
	data := append([]byte{2, 2, 'o', 'k', 0}, 0x80, 200, 0x80|400>>8, 400&0xff)
	data = append(append(data, long...), 0)
	surrogates := len(data)
	data = append(data, 2, 6, 0xed, 0xa0, 0xbd, 0xed, 0xb8, 0x80, 0) // U+1F600 as two encoded surrogates
	cut := len(data)
	data = append(data, 9, 9, 'x')
	p := pool(t, 0x100, data, 0, 5, uint32(surrogates), uint32(cut), 1<<20)
	for i, want := range []string{"ok", long, "\U0001F600"} {
		s, ok := p.String(uint32(i))
		assert.True(t, ok)
		assert.Equal(t, want, s)
	}
	for _, i := range []uint32{3, 4, 5, 0xffffffff} {
		_, ok := p.String(i)
		assert.False(t, ok, "string %d lies outside", i)
	}
}

func TestPoolUTF16(t *testing.T) {
	units := func(s string) []byte {
		var b []byte
		for _, u := range utf16.Encode([]rune(s)) {
			b = binary.LittleEndian.AppendUint16(b, u)
		}
		return b
	}
	long := strings.Repeat("k", 0x8001)
	data := append([]byte{3, 0}, units("ki\u00f6")...)
	second := len(data)
	data = append(append(data, 0x00, 0x80, 0x01, 0x80), units(long)...) // a length of two units
	p := pool(t, 0, data, 0, uint32(second), uint32(len(data)-2))
	s, ok := p.String(0)
	assert.True(t, ok)
	assert.Equal(t, "ki\u00f6", s)
	s, ok = p.String(1)
	assert.True(t, ok)
	assert.Equal(t, long, s)
	_, ok = p.String(2)
	assert.False(t, ok, "claims more than is left")
}

// TestPoolBudget holds that strings which overlap cannot be unfolded without
// end: every offset of these is a string of 12,288 units.
func TestPoolBudget(t *testing.T) {
	data := []byte(strings.Repeat("\x00\x30", 0x3000+1000))
	offsets := make([]uint32, 900)
	for i := range offsets {
		offsets[i] = uint32(2 * i)
	}
	p := pool(t, 0, data, offsets...)
	total := 0
	for i := range offsets {
		s, ok := p.String(uint32(i))
		if i == 0 {
			require.True(t, ok)
		}
		total += len(s)
	}
	assert.Less(t, total, 4<<20)
	assert.Error(t, p.Err(), "and it says so")
}

func TestCover(t *testing.T) {
	entries := []resource.StringEntry{
		{Name: "app", Locales: []string{"", "it", "de"}},
		{Name: "cone", Locales: []string{"", "it"}},
		{Name: "brand", Locales: []string{""}}, // not meant for translation
		{Name: "lost", Locales: []string{"de"}},
	}
	got, err := resource.Cover(entries, nil)
	require.NoError(t, err)
	assert.Equal(t, []resource.Coverage{
		{Locale: "de", Count: 2, Missing: 1, Names: []string{"cone"}, Has: []string{"app", "lost"}},
		{Locale: "it", Count: 2, Has: []string{"app", "cone"}},
	}, got)
	assert.Equal(t, []string{"lost"}, resource.Orphaned(entries))
}

// TestName restores the names that belong to ids, whatever stands in their place, and
// tells of an element with attributes that nothing is known of.
func TestName(t *testing.T) {
	root := &resource.Element{Name: "manifest", Attrs: []resource.Attr{{ID: 0x01010591}, {Name: "package"}}, Children: []*resource.Element{
		{Name: "application", Attrs: []resource.Attr{{ID: 0x0101063e, NS: resource.AndroidNS}, {ID: 0x01010001, Name: "a"}}},
		{Name: "activity", Attrs: []resource.Attr{{ID: 0x0101ffff}}},
	}}
	resource.Name(root)
	assert.Equal(t, "isSplitRequired", root.Attrs[0].Name)
	assert.Equal(t, "package", root.Attrs[1].Name)
	app := root.Children[0]
	assert.Equal(t, []string{"dataExtractionRules", "label"}, []string{app.Attrs[0].Name, app.Attrs[1].Name})
	assert.False(t, app.Nameless())
	assert.True(t, root.Children[1].Nameless())
	assert.Equal(t, "windowOptOutEdgeToEdgeEnforcement", resource.Public(0x0101069a))
	assert.Empty(t, resource.Public(0x7f010000))
}
