package protores_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/format/axml"
	"regola.example/regola/internal/core/format/protores"
	"regola.example/regola/internal/core/format/resource"
	"regola.example/regola/internal/seed"
)

// TestManifestsAgree holds the protobuf manifest against the binary one of the
// same app, element by element.
func TestManifestsAgree(t *testing.T) {
	pb, err := protores.ParseXML(seed.Entry(t, seed.Bundle, "base/manifest/AndroidManifest.xml"), nil)
	require.NoError(t, err)
	bin, err := axml.Parse(seed.Entry(t, seed.APK, "AndroidManifest.xml"), nil)
	require.NoError(t, err)
	same(t, bin, pb)
}

func same(t *testing.T, want, got *resource.Element) {
	assert.Equal(t, want.Name, got.Name)
	for _, a := range want.Attrs {
		found := false
		for _, b := range got.Attrs {
			if a.Name == b.Name && a.ID == b.ID {
				found = true
				if a.Value.Kind != resource.Reference {
					assert.Equal(t, a.Value.AsString(), b.Value.AsString(), "%s@%s", want.Name, a.Name)
				}
			}
		}
		assert.True(t, found, "%s@%s", want.Name, a.Name)
	}
	require.Len(t, got.Children, len(want.Children), want.Name)
	for i := range want.Children {
		same(t, want.Children[i], got.Children[i])
	}
}

func TestDeepNesting(t *testing.T) {
	// An element within an element within …: field 1 (element) holding field 5 (child).
	doc := []byte{}
	wrap := func(tag byte, b []byte) []byte {
		n := len(b)
		return append([]byte{tag, byte(n&0x7f | 0x80), byte(n >> 7 & 0x7f & 0xff)}, b...)
	}
	for range 400 {
		doc = wrap(0x0a, wrap(0x2a, doc))
	}
	_, err := protores.ParseXML(doc, nil)
	assert.Error(t, err)
}

func FuzzParseXML(f *testing.F) {
	f.Add(seed.Entry(f, seed.Bundle, "base/manifest/AndroidManifest.xml"))
	f.Fuzz(func(t *testing.T, data []byte) {
		defer seed.Bounds(t, len(data))()
		if root, err := protores.ParseXML(data, nil); err == nil && root == nil {
			t.Fatal("neither a root nor an error")
		}
	})
}

func FuzzParseTable(f *testing.F) {
	f.Add(seed.Entry(f, seed.Bundle, "base/resources.pb"))
	f.Fuzz(func(t *testing.T, data []byte) {
		defer seed.Bounds(t, len(data))()
		if table, err := protores.ParseTable(data, nil); err == nil {
			resource.Resolve(table, resource.Value{Kind: resource.Reference, Ref: 0x7f020000}, nil)
			resource.Inherited(table, 0x7f060001, nil)
		}
	})
}
