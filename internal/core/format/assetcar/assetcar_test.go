package assetcar_test

import (
	"bytes"
	"encoding/binary"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/format"
	"regola.example/regola/internal/core/format/assetcar"
	"regola.example/regola/internal/seed"
	"regola.example/regola/internal/seed/carfile"
)

func catalogue() []byte {
	return carfile.Write([]carfile.Picture{
		{Set: "AppIcon", File: "kiln-1024.png", Layout: 12, Width: 1024, Height: 1024, Scale: 1, Idiom: 6, Opaque: true},
		{Set: "AppIcon", File: "kiln-dark.png", Layout: 12, Width: 1024, Height: 1024, Scale: 1, Appearance: 1},
		{Set: "AppIcon", File: "kiln-grey.png", Layout: 12, Width: 1024, Height: 1024, Scale: 1, Appearance: 2},
		{Set: "AppIcon", File: "kiln-60@2x.png", Layout: 1003, Width: 120, Height: 120, Scale: 2, Idiom: 1, Opaque: true},
		{Set: "AppIcon", File: "AppIcon", Layout: 1010, Scale: 1, Idiom: 2},
		{Set: "Glaze", File: "Glaze", Layout: 1009, Scale: 1},
		{Set: "Flame", File: "flame.svg", Layout: 9, Scale: 1, Pixels: "SVG "},
		{Set: "Tones", File: "tones.json", Layout: 1000, Scale: 1, Pixels: "DATA"},
		{Set: "Later", File: "later", Layout: 1019, Scale: 1, Idiom: 9, Appearance: 7},
	})
}

func read(data []byte) (*assetcar.Catalog, error) {
	return assetcar.Read(bytes.NewReader(data), int64(len(data)), nil)
}

func TestRead(t *testing.T) {
	c, err := read(catalogue())
	require.NoError(t, err)
	assert.Equal(t, "ios", c.Platform)
	assert.Equal(t, "15.0", c.PlatformVersion)
	require.Len(t, c.Renditions, 9, "three pages of entries")
	for i := range c.Renditions {
		assert.NotZero(t, c.Renditions[i].Offset)
		c.Renditions[i].Offset = 0
	}
	assert.Equal(t, []assetcar.Rendition{
		{Set: "AppIcon", File: "kiln-1024.png", Kind: "picture", Layout: 12, Width: 1024, Height: 1024, Scale: 1, Idiom: "marketing", Appearance: "any", Opaque: true, Pixels: "ARGB"},
		{Set: "AppIcon", File: "kiln-dark.png", Kind: "picture", Layout: 12, Width: 1024, Height: 1024, Scale: 1, Idiom: "universal", Appearance: "dark", Pixels: "ARGB"},
		{Set: "AppIcon", File: "kiln-grey.png", Kind: "picture", Layout: 12, Width: 1024, Height: 1024, Scale: 1, Idiom: "universal", Appearance: "tinted", Pixels: "ARGB"},
		{Set: "AppIcon", File: "kiln-60@2x.png", Kind: "picture", Layout: 1003, Width: 120, Height: 120, Scale: 2, Idiom: "phone", Appearance: "any", Opaque: true, Pixels: "ARGB"},
		{Set: "AppIcon", File: "AppIcon", Kind: "sizes", Layout: 1010, Scale: 1, Idiom: "tablet", Appearance: "any", Pixels: "ARGB"},
		{Set: "Glaze", File: "Glaze", Kind: "colour", Layout: 1009, Scale: 1, Idiom: "universal", Appearance: "any", Pixels: "ARGB"},
		{Set: "Flame", File: "flame.svg", Kind: "vector", Layout: 9, Scale: 1, Idiom: "universal", Appearance: "any", Pixels: "SVG"},
		{Set: "Tones", File: "tones.json", Kind: "data", Layout: 1000, Scale: 1, Idiom: "universal", Appearance: "any", Pixels: "DATA"},
		{Set: "Later", File: "later", Kind: "other", Layout: 1019, Scale: 1, Idiom: "idiom 9", Appearance: "appearance 7", Pixels: "ARGB"},
	}, c.Renditions)
}

// TestBroken damages one thing at a time.
func TestBroken(t *testing.T) {
	put := func(at int, v uint32) func([]byte) []byte {
		return func(b []byte) []byte { binary.BigEndian.PutUint32(b[at:], v); return b }
	}
	at := func(b []byte, what string) int {
		i := bytes.Index(b, []byte(what))
		require.GreaterOrEqual(t, i, 0, what)
		return i
	}
	for name, c := range map[string]struct {
		harm func([]byte) []byte
		want string
	}{
		"no store":         {func(b []byte) []byte { b[0] = 'b'; return b }, "not a block store"},
		"empty":            {func([]byte) []byte { return nil }, "32 bytes are expected here"},
		"cut off":          {func(b []byte) []byte { return b[:len(b)/2] }, "the file ends at"},
		"huge index":       {put(20, 1<<31), "the index claims"},
		"too many blocks":  {func(b []byte) []byte { return put(int(binary.BigEndian.Uint32(b[16:])), 1<<30)(b) }, "has room for"},
		"foreign header":   {func(b []byte) []byte { copy(b[at(b, "ISTC"):], "ZZZZ"); return b }, "does not begin with its header"},
		"no key format":    {func(b []byte) []byte { copy(b[at(b, "KEYFORMAT"):], "XEYFORMAT"); return b }, "not an asset catalogue"},
		"no tree":          {func(b []byte) []byte { copy(b[bytes.LastIndex(b, []byte("tree")):], "trie"); return b }, "RENDITIONS is not a tree"},
		"monstrous size":   {func(b []byte) []byte { b[at(b, "ISTC")+15] = 0x7f; return b }, "a picture of"},
		"key format claim": {func(b []byte) []byte { b[at(b, "tmfk")+8] = 200; return b }, "claims 200 attributes"},
		"page in a circle": {func(b []byte) []byte {
			// The first page of renditions names itself as the next one.
			tree := bytes.LastIndex(b, []byte("tree"))
			inner := binary.BigEndian.Uint32(b[tree+8:])
			table := binary.BigEndian.Uint32(b[16:]) + 4
			page := binary.BigEndian.Uint32(b[table+8*inner:])
			leaf := binary.BigEndian.Uint32(b[page+12:])
			return put(int(binary.BigEndian.Uint32(b[table+8*leaf:]))+4, leaf)(b)
		}, "run in a circle"},
	} {
		t.Run(name, func(t *testing.T) {
			_, err := read(c.harm(catalogue()))
			var f *format.Damaged
			require.ErrorAs(t, err, &f)
			assert.ErrorContains(t, err, c.want)
		})
	}
}

func FuzzRead(f *testing.F) {
	f.Add(catalogue())
	f.Add(carfile.Write(nil))
	f.Fuzz(func(t *testing.T, data []byte) {
		defer seed.Bounds(t, len(data))()
		c, err := read(data)
		if err == nil && c == nil {
			t.Fatal("neither a catalogue nor an error")
		}
	})
}
