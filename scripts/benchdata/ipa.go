package main

import (
	"archive/zip"
	"bytes"
	"crypto/sha256"
	"encoding/base64"
	"encoding/binary"
	"errors"
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"
)

// archive makes a large IPA: an executable of 64 MB, scenes and pictures, and
// a resource seal over all of them.
func archive(src *zip.ReadCloser, w *zip.Writer) error {
	const app = "Payload/Terrafuoco.app/"
	r := rand.New(rand.NewPCG(3, 4))
	sealed := map[string][32]byte{}
	add := func(name string, data []byte, stored bool) error {
		h := &zip.FileHeader{Name: app + name, Method: zip.Deflate}
		if stored {
			h.Method = zip.Store
		}
		h.SetMode(0o755)
		f, err := w.CreateHeader(h)
		if err == nil {
			_, err = f.Write(data)
		}
		return err
	}
	for _, f := range src.File {
		name := strings.TrimPrefix(f.Name, app)
		data, err := contents(f)
		if err != nil {
			return err
		}
		switch name {
		case "_CodeSignature/CodeResources":
			continue
		case "Terrafuoco":
			var more bytes.Buffer
			if err := fill(&more, r, 64<<20); err != nil {
				return err
			}
			if data, err = longer(data, more.Bytes()); err != nil {
				return err
			}
		default:
			sealed[name] = sha256.Sum256(data)
		}
		if err := add(name, data, false); err != nil {
			return err
		}
	}
	var b bytes.Buffer
	for i := range 2036 {
		name, size := fmt.Sprintf("picture%04d@2x.png", i), 24<<10
		if i < 36 {
			name, size = fmt.Sprintf("scene%02d.bin", i), 3<<20
		}
		b.Reset()
		if err := fill(&b, r, size); err != nil {
			return err
		}
		sealed[name] = sha256.Sum256(b.Bytes())
		if err := add(name, b.Bytes(), i >= 36); err != nil {
			return err
		}
	}
	b.Reset()
	b.WriteString(`<plist version="1.0"><dict><key>files2</key><dict>`)
	for _, name := range slices.Sorted(maps.Keys(sealed)) {
		sum := sealed[name]
		fmt.Fprintf(&b, "<key>%s</key><dict><key>hash2</key><data>%s</data></dict>", name, base64.StdEncoding.EncodeToString(sum[:]))
	}
	b.WriteString("</dict></dict></plist>")
	return add("_CodeSignature/CodeResources", b.Bytes(), false)
}

// longer puts bytes before an executable's last segment, which holds symbols
// and signature, and moves what points there.
func longer(exe, more []byte) ([]byte, error) {
	le := binary.LittleEndian
	out := bytes.Clone(exe)
	var at uint64
	move := func(field []byte) { le.PutUint32(field, le.Uint32(field)+uint32(len(more))) }
	for c, n := 32, le.Uint32(out[16:]); n > 0; n-- {
		cmd := out[c:]
		switch le.Uint32(cmd) {
		case 0x19: // segment
			if string(cmd[8:18]) == "__LINKEDIT" {
				at = le.Uint64(cmd[40:])
				le.PutUint64(cmd[40:], at+uint64(len(more)))
			}
		case 0x02: // symbol table
			move(cmd[8:])
			move(cmd[16:])
		case 0x1d: // code signature
			move(cmd[8:])
		}
		c += int(le.Uint32(cmd[4:]))
	}
	if at == 0 {
		return nil, errors.New("the executable has no segment of symbols")
	}
	return slices.Concat(out[:at], more, out[at:]), nil
}
