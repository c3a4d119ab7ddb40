package pictures_test

import (
	"context"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/pictures"
	"regola.example/regola/internal/seed"
)

// TestMemo looks at a picture once: another file with the same contents shows the
// same, one with other contents does not.
func TestMemo(t *testing.T) {
	memo := pictures.NewMemo()
	scan := func(memo *pictures.Memo, data []byte) *pictures.Pixels {
		dir := t.TempDir()
		require.NoError(t, os.WriteFile(filepath.Join(dir, "icon.png"), data, 0o644))
		lib, err := pictures.Scan(context.Background(), []pictures.Root{{Folder: dir}}, builtIn(t), []string{"android", "ios"}, memo)
		require.NoError(t, err)
		require.Len(t, lib.Pictures, 1)
		return lib.Pictures[0].Pixels
	}
	clear, opaque := seed.PNG(t, 512, 512, true), seed.PNG(t, 512, 512, false)
	first, again, other := scan(memo, clear), scan(memo, clear), scan(memo, opaque)
	assert.Equal(t, scan(nil, clear), first)
	assert.Equal(t, first, again)
	assert.NotSame(t, first, again)
	assert.NotEqual(t, first.Transparent, other.Transparent)
	torn := append([]byte{}, clear[:len(clear)/2]...)
	assert.Nil(t, scan(memo, torn))
	assert.Nil(t, scan(memo, torn), "that it cannot be read is remembered, too")
}

// TestUnder lays one folder over another: a folder of screenshots takes the place of
// the same one, icon and graphics one by one.
func TestUnder(t *testing.T) {
	over, under := t.TempDir(), t.TempDir()
	write := func(dir, name string) {
		file := filepath.Join(dir, name)
		require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
		require.NoError(t, os.WriteFile(file, seed.PNG(t, 64, 64, false), 0o644))
	}
	for _, n := range []string{"android/icon.png", "ios/it/phone/1.png"} {
		write(over, n)
	}
	for _, n := range []string{"android/icon.png", "android/feature.png", "ios/it/phone/1.png", "ios/it/phone/2.png", "ios/de/phone/1.png", "ios/it/icon.png"} {
		write(under, n)
	}
	lib, err := pictures.Scan(context.Background(), []pictures.Root{{Folder: over, Shown: "over"}, {Folder: under, Shown: "under", Under: true}}, builtIn(t), []string{"android", "ios"}, nil)
	require.NoError(t, err)
	var got []string
	for _, p := range lib.Pictures {
		got = append(got, p.File)
	}
	assert.Equal(t, []string{"over/android/icon.png", "over/ios/it/phone/1.png", "under/android/feature.png", "under/ios/de/phone/1.png", "under/ios/it/icon.png"}, got)
}
