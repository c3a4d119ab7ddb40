package axml_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/format/axml"
	"regola.example/regola/internal/core/format/resource"
	"regola.example/regola/internal/seed"
)

func manifest(tb testing.TB) []byte { return seed.Entry(tb, seed.APK, "AndroidManifest.xml") }

func TestParse(t *testing.T) {
	root, err := axml.Parse(manifest(t), nil)
	require.NoError(t, err)
	assert.Equal(t, "manifest", root.Name)
	assert.Equal(t, "org.example.terrafuoco", root.Plain("package").Value.Text)
	target := root.Child("uses-sdk").Attr("targetSdkVersion")
	assert.Equal(t, resource.Value{Kind: resource.Int, Int: 36}, target.Value)
	assert.Equal(t, resource.AndroidNS, target.NS)
	label := root.Child("application").Attr("label")
	assert.Equal(t, resource.Reference, label.Value.Kind)
	assert.EqualValues(t, 0x7f, label.Value.Ref>>24)
	assert.Len(t, root.All("uses-permission"), 4)
}

// TestNamesDropped blanks the attribute names, as shrinkers do: the resource
// ids must carry the meaning.
func TestNamesDropped(t *testing.T) {
	root, err := axml.Parse(manifest(t), nil)
	require.NoError(t, err)
	uses := root.Child("uses-sdk")
	for i := range uses.Attrs {
		uses.Attrs[i].Name = ""
	}
	assert.NotNil(t, uses.Attr("targetSdkVersion"))
}

func TestCutOff(t *testing.T) {
	data := manifest(t)
	for _, n := range []int{0, 7, 8, 40, len(data) / 2, len(data) - 1} {
		_, err := axml.Parse(data[:n], nil)
		assert.Error(t, err, "%d bytes", n)
	}
}

func FuzzParse(f *testing.F) {
	f.Add(manifest(f))
	f.Add(seed.Entry(f, seed.ShortAPK, "AndroidManifest.xml"))
	f.Fuzz(func(t *testing.T, data []byte) {
		defer seed.Bounds(t, len(data))()
		if root, err := axml.Parse(data, nil); err == nil && root == nil {
			t.Fatal("neither a root nor an error")
		}
	})
}
