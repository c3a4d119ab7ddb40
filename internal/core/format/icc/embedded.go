package icc

import (
	"bytes"
	"compress/zlib"
	"encoding/binary"
	"io"
	"slices"
	"strings"

	"regola.example/regola/internal/core/format"
)

// maxProfile bounds a profile, in bytes.
const maxProfile = 4 << 20

// Embedded finds the profile in a picture of a kind: png (chunk iCCP), jpeg (segments APP2)
// or webp (chunk ICCP). It is nil when there is none.
func Embedded(kind string, picture []byte) ([]byte, error) {
	switch kind {
	case "png":
		for at := int64(8); at+12 <= int64(len(picture)); {
			n := int64(binary.BigEndian.Uint32(picture[at:]))
			body := picture[at+8:]
			if n > int64(len(body)) || string(picture[at+4:at+8]) == "IDAT" {
				return nil, nil
			}
			if string(picture[at+4:at+8]) == "iCCP" {
				_, rest, found := bytes.Cut(body[:n], []byte{0})
				if !found || len(rest) < 1 {
					return nil, format.Damagedf(at, "the colour profile has no name")
				}
				z, err := zlib.NewReader(bytes.NewReader(rest[1:]))
				if err != nil {
					return nil, format.Damagedf(at, "the colour profile cannot be unpacked")
				}
				return io.ReadAll(io.LimitReader(z, maxProfile))
			}
			at += 12 + n
		}
	case "jpeg":
		parts := map[byte][]byte{}
		for at := 2; at+4 <= len(picture) && picture[at] == 0xff && picture[at+1] != 0xda; {
			if picture[at+1] == 0xff || picture[at+1] == 0x01 || picture[at+1] >= 0xd0 && picture[at+1] <= 0xd8 {
				at++
				if picture[at] != 0xff {
					at++
				}
				continue
			}
			n := int(binary.BigEndian.Uint16(picture[at+2:]))
			if n < 2 || at+2+n > len(picture) {
				break
			}
			if body := picture[at+4 : at+2+n]; picture[at+1] == 0xe2 && strings.HasPrefix(string(body[:min(12, len(body))]), "ICC_PROFILE\x00") && len(body) > 14 {
				parts[body[12]] = body[14:]
			}
			at += 2 + n
		}
		var out []byte
		for i := range len(parts) {
			out = append(out, parts[byte(i+1)]...)
		}
		return out[:min(len(out), maxProfile)], nil
	case "webp":
		for at := int64(12); at+8 <= int64(len(picture)); {
			n := int64(binary.LittleEndian.Uint32(picture[at+4:]))
			if at+8+n > int64(len(picture)) {
				return nil, nil
			}
			if string(picture[at:at+4]) == "ICCP" {
				return slices.Clone(picture[at+8 : at+8+min(n, maxProfile)]), nil
			}
			at += 8 + n + n%2
		}
	}
	return nil, nil
}
