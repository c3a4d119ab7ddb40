package coderes_test

import (
	"crypto/sha256"
	"io"
	"maps"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/format/coderes"
	"regola.example/regola/internal/seed"
)

const app = "Payload/Terrafuoco.app/"

// TestVerify holds the demo's app against its seal: sound, and with a file
// changed, added and removed.
func TestVerify(t *testing.T) {
	s, err := coderes.Parse(seed.Entry(t, seed.IPA, app+"_CodeSignature/CodeResources"), nil)
	require.NoError(t, err)
	sound := map[string][]byte{}
	for _, n := range seed.Names(t, seed.IPA) {
		sound[strings.TrimPrefix(n, app)] = seed.Entry(t, seed.IPA, n)
	}
	for name, c := range map[string]struct {
		change func(map[string][]byte)
		want   []coderes.Fault
	}{
		"sound":   {func(map[string][]byte) {}, nil},
		"changed": {func(f map[string][]byte) { f["it.lproj/InfoPlist.strings"] = []byte("x") }, []coderes.Fault{{Path: "it.lproj/InfoPlist.strings", What: "was changed after signing"}}},
		"added":   {func(f map[string][]byte) { f["new.txt"] = nil }, []coderes.Fault{{Path: "new.txt", What: "was added after signing"}}},
		"removed": {func(f map[string][]byte) { delete(f, "AppIcon60x60@2x.png") }, []coderes.Fault{{Path: "AppIcon60x60@2x.png", What: "was removed after signing"}}},
	} {
		files := maps.Clone(sound)
		c.change(files)
		got := s.Verify(t.Context(), slices.Sorted(maps.Keys(files)), "Terrafuoco", func(n string, _ []byte) ([]byte, error) {
			sum := sha256.Sum256(files[n])
			return sum[:], nil
		})
		assert.Equal(t, c.want, got, name)
	}
	nested, err := coderes.Parse([]byte(`<plist><dict><key>files2</key><dict>
		<key>Frameworks/Kiln.framework</key><dict><key>cdhash</key><data>AAAA</data></dict>
		<key>PlugIns/W.appex</key><dict><key>cdhash</key><data>AAAA</data></dict></dict>
		<key>rules2</key><dict><key>^.*</key><true/></dict></dict></plist>`), nil)
	require.NoError(t, err)
	assert.True(t, nested.Whole())
	assert.Equal(t, []coderes.Fault{{Path: "Frameworks/notes.txt", What: "was added after signing"}, {Path: "PlugIns/W.appex", What: "was removed after signing"}},
		nested.Verify(t.Context(), []string{"A", "Frameworks/Kiln.framework/Kiln", "Frameworks/Kiln.framework/a/b", "Frameworks/notes.txt"}, "A", nil))
	_, err = coderes.Parse([]byte("<plist><dict/></plist>"), nil)
	assert.ErrorContains(t, err, "files2")
}

func FuzzParse(f *testing.F) {
	f.Add(seed.Entry(f, seed.IPA, app+"_CodeSignature/CodeResources"))
	f.Fuzz(func(t *testing.T, data []byte) {
		defer seed.Bounds(t, len(data))()
		if s, err := coderes.Parse(data, nil); err == nil {
			s.Verify(t.Context(), []string{"a", "Frameworks/b"}, "a", func(string, []byte) ([]byte, error) { return nil, io.EOF })
		}
	})
}
