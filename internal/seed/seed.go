// Package seed gives tests the entries of real packages, as seeds for fuzzing
// and as data for tables. It is for tests only.
package seed

import (
	"archive/zip"
	"bytes"
	"io"
	"maps"
	"path/filepath"
	"runtime"
	"slices"
	"testing"
	"time"
)

// Entry reads one entry of a package, whose path is relative to the
// repository's root.
func Entry(tb testing.TB, archive, name string) []byte {
	tb.Helper()
	_, here, _, _ := runtime.Caller(0)
	z, err := zip.OpenReader(filepath.Join(filepath.Dir(here), "../..", archive))
	if err != nil {
		tb.Fatal(err)
	}
	defer z.Close()
	f, err := z.Open(name)
	if err != nil {
		tb.Fatal(err)
	}
	data, err := io.ReadAll(f)
	if err != nil {
		tb.Fatal(err)
	}
	return data
}

// Names lists the entries of a package.
func Names(tb testing.TB, archive string) []string {
	tb.Helper()
	_, here, _, _ := runtime.Caller(0)
	z, err := zip.OpenReader(filepath.Join(filepath.Dir(here), "../..", archive))
	if err != nil {
		tb.Fatal(err)
	}
	defer z.Close()
	var out []string
	for _, f := range z.File {
		out = append(out, f.Name)
	}
	return out
}

// Zip packs files into an archive, sorted by name.
func Zip(tb testing.TB, files map[string][]byte) []byte {
	tb.Helper()
	var b bytes.Buffer
	w := zip.NewWriter(&b)
	for _, name := range slices.Sorted(maps.Keys(files)) {
		f, err := w.Create(name)
		if err == nil {
			_, err = f.Write(files[name])
		}
		if err != nil {
			tb.Fatal(err)
		}
	}
	if err := w.Close(); err != nil {
		tb.Fatal(err)
	}
	return b.Bytes()
}

// Paths of the packages that tests take entries from.
const (
	APK       = "internal/core/artifact/testdata/android/plain.apk"
	ShortAPK  = "internal/core/artifact/testdata/android/short.apk"
	Bundle    = "demo/sound/build/terrafuoco.aab"
	WholeIPA  = "internal/core/artifact/testdata/ios/whole.ipa"
	IPA       = "demo/sound/build/Terrafuoco.ipa"
	FaultyIPA = "demo/faulty/build/Terrafuoco.ipa"
)

// Bounds begins to measure what a reader takes for so many bytes; the function
// that it gives ends that, and fails the test when it took too long or too much
// memory. Bounds are far above what a sound file needs, and far below what a
// hostile one could ask for.
func Bounds(t testing.TB, bytes int) (end func()) {
	const (
		longest, longestPerByte = 2 * time.Second, 2 * time.Microsecond
		most, mostPerByte       = 64 << 20, 400
	)
	var before runtime.MemStats
	runtime.ReadMemStats(&before)
	start := time.Now()
	return func() {
		took := time.Since(start)
		var after runtime.MemStats
		runtime.ReadMemStats(&after)
		if limit := longest + time.Duration(bytes)*longestPerByte; took > limit {
			t.Errorf("%d bytes took %v, more than %v", bytes, took, limit)
		}
		if took, limit := after.TotalAlloc-before.TotalAlloc, uint64(most+bytes*mostPerByte); took > limit {
			t.Errorf("%d bytes took %d bytes of memory, more than %d", bytes, took, limit)
		}
	}
}
