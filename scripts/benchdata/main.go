// Command benchdata makes large packages for scripts/bench: it copies a small
// one and adds native libraries, assets and pictures of the sizes that large
// apps have. The contents are made from a fixed seed and compress about as
// well as real ones.
package main

import (
	"archive/zip"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
)

func main() {
	if len(os.Args) != 5 {
		fmt.Fprintln(os.Stderr, "usage: benchdata FOLDER BUNDLE APK IPA")
		os.Exit(2)
	}
	if err := rewrite(os.Args[4], filepath.Join(os.Args[1], "large.ipa"), archive); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	for _, p := range []struct{ from, to, root string }{{os.Args[2], "unsigned.aab", "base/"}, {os.Args[3], "unsigned.apk", ""}} {
		err := rewrite(p.from, filepath.Join(os.Args[1], p.to), func(src *zip.ReadCloser, w *zip.Writer) error { return enlarge(src, w, p.root) })
		if err != nil {
			fmt.Fprintln(os.Stderr, err)
			os.Exit(1)
		}
	}
}

// rewrite makes one archive from another, once: fill writes its entries.
func rewrite(from, to string, fill func(src *zip.ReadCloser, w *zip.Writer) error) error {
	if _, err := os.Stat(to); err == nil {
		return nil
	}
	src, err := zip.OpenReader(from)
	if err != nil {
		return err
	}
	defer src.Close()
	out, err := os.Create(to)
	if err != nil {
		return err
	}
	defer out.Close()
	w := zip.NewWriter(out)
	if err := fill(src, w); err != nil {
		return err
	}
	return w.Close()
}

// enlarge adds a library, assets and pictures to an Android package, below
// root.
func enlarge(src *zip.ReadCloser, w *zip.Writer, root string) (err error) {
	var lib []byte
	for _, f := range src.File {
		if strings.HasPrefix(f.Name, "META-INF/") {
			continue
		}
		if strings.HasSuffix(f.Name, "arm64-v8a/libkilnmath.so") {
			if lib, err = contents(f); err != nil {
				return err
			}
		}
		if err := w.Copy(f); err != nil {
			return err
		}
	}
	r := rand.New(rand.NewPCG(1, 2))
	add := func(name string, size int, stored bool, head []byte) error {
		h := &zip.FileHeader{Name: root + name, Method: zip.Deflate}
		if stored {
			h.Method = zip.Store
		}
		f, err := w.CreateHeader(h)
		if err != nil {
			return err
		}
		if _, err := f.Write(head); err != nil {
			return err
		}
		return fill(f, r, size-len(head))
	}
	// A library whose headers are sound and whose body is long.
	if err := add("lib/arm64-v8a/libengine.so", 24<<20, root == "", lib); err != nil {
		return err
	}
	for i := range 36 {
		if err := add(fmt.Sprintf("assets/scene%02d.bin", i), 3<<20, false, nil); err != nil {
			return err
		}
	}
	for i := range 3000 {
		if err := add(fmt.Sprintf("res/raw/picture%04d.png", i), 24<<10, true, nil); err != nil {
			return err
		}
	}
	return nil
}

func contents(f *zip.File) ([]byte, error) {
	r, err := f.Open()
	if err != nil {
		return nil, err
	}
	defer r.Close()
	return io.ReadAll(r)
}

// fill writes bytes of which about half repeat, as compiled data does.
func fill(w io.Writer, r *rand.Rand, n int) error {
	words := make([][]byte, 4096)
	for i := range words {
		words[i] = make([]byte, 4+r.IntN(24))
		for j := range words[i] {
			words[i][j] = byte(r.UintN(256))
		}
	}
	for n > 0 {
		b := words[r.IntN(len(words))]
		if r.IntN(3) > 0 {
			b = make([]byte, 8+r.IntN(16))
			for j := range b {
				b[j] = byte(r.UintN(256))
			}
		}
		b = b[:min(len(b), n)]
		if _, err := w.Write(b); err != nil {
			return err
		}
		n -= len(b)
	}
	return nil
}
