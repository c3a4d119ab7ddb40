// Command picturedata makes a folder of screenshots like those of a large app: PNG
// and JPEG of real sizes for both stores in ten languages, some of them misplaced.
// Run it as "go run ./scripts/picturedata FOLDER COUNT"; it prints the misplaced
// ones. scripts/bench-pictures measures with it.
package main

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"hash/crc32"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"log"
	"os"
	"path/filepath"
	"strconv"
)

var languages = []string{"en-GB", "de-DE", "fr-FR", "it", "es-ES", "pt-PT", "nl-NL", "sv", "pl", "ja"}

var kinds = []struct {
	store, class string
	w, h         int
	jpeg         bool
}{
	{"ios", "phone-6.9", 1290, 2796, false}, {"ios", "phone-6.5", 1242, 2688, true}, {"ios", "tablet-13", 2064, 2752, false}, {"ios", "phone-5.5", 1242, 2208, true},
	{"android", "phone", 1080, 1920, false}, {"android", "tablet-10", 2560, 1440, true},
}

// screen draws something like an app: bars, cards and noise as of photographs.
func screen(w, h, seed int) image.Image {
	m := image.NewRGBA(image.Rect(0, 0, w, h))
	n := uint32(seed)*2654435761 + 1
	for y := range h {
		for x := range w {
			c := color.RGBA{uint8(200 + y*50/h), uint8(220 - seed%7*20), uint8(180 + x*60/w), 255}
			if y/200%3 == 1 && x > w/12 && x < w-w/12 {
				n = n*1664525 + 1013904223
				c.R, c.G = c.R-uint8(n>>29)*uint8(1+seed%4), c.G-uint8(n>>30)
			}
			m.SetRGBA(x, y, c)
		}
	}
	return m
}

// withNote makes a file differ from its like: a text chunk in a PNG, a comment in
// a JPEG.
func withNote(data []byte, note string) []byte {
	if data[0] == 0xff {
		seg := binary.BigEndian.AppendUint16([]byte{0xff, 0xfe}, uint16(len(note)+2))
		return append(append(append([]byte{}, data[:2]...), append(seg, note...)...), data[2:]...)
	}
	body := append([]byte("tEXtComment\x00"), note...)
	chunk := binary.BigEndian.AppendUint32(nil, uint32(len(body)-4))
	chunk = binary.BigEndian.AppendUint32(append(chunk, body...), crc32.ChecksumIEEE(body))
	return append(append(append([]byte{}, data[:33]...), chunk...), data[33:]...)
}

func main() {
	log.SetFlags(0)
	if len(os.Args) != 3 {
		log.Fatal("usage: picturedata FOLDER COUNT")
	}
	count, err := strconv.Atoi(os.Args[2])
	check(err)
	base := make([][]byte, 2*len(kinds))
	for i := range base {
		k := kinds[i%len(kinds)]
		var b bytes.Buffer
		if k.jpeg {
			check(jpeg.Encode(&b, screen(k.w, k.h, i), nil))
		} else {
			check(png.Encode(&b, screen(k.w, k.h, i)))
		}
		base[i] = b.Bytes()
	}
	for i := range count {
		k := kinds[i%len(kinds)]
		l := languages[i/len(kinds)%len(languages)]
		class := k.class
		if i%25 == 7 && k.store == "ios" { // in the folder of another class
			class = map[string]string{"phone-6.9": "tablet-13", "tablet-13": "phone-6.9"}[k.class]
			if class == "" {
				class = "phone-6.9"
			}
		}
		ext := map[bool]string{false: ".png", true: ".jpg"}[k.jpeg]
		name := filepath.Join(os.Args[1], k.store, l, class, fmt.Sprintf("%04d%s", i, ext))
		if class != k.class {
			fmt.Println(name, k.class)
		}
		check(os.MkdirAll(filepath.Dir(name), 0o755))
		check(os.WriteFile(name, withNote(base[i%len(base)], fmt.Sprintf("picture %d%*s", i, i%97, "")), 0o644))
	}
}

func check(err error) {
	if err != nil {
		log.Fatal(err)
	}
}
