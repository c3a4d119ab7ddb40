package seed

import (
	"bytes"
	"encoding/binary"
	"image"
	"image/color"
	"image/gif"
	"image/jpeg"
	"image/png"
	"testing"

	"github.com/stretchr/testify/require"
)

// Box makes a box of the ISO base media file format.
func Box(kind string, parts ...[]byte) []byte {
	body := bytes.Join(parts, nil)
	return append(append(binary.BigEndian.AppendUint32(nil, uint32(8+len(body))), kind...), body...)
}

// U32 makes numbers of 32 bits, the highest byte first.
func U32(ns ...uint32) (out []byte) {
	for _, n := range ns {
		out = binary.BigEndian.AppendUint32(out, n)
	}
	return out
}

// PNG makes a picture of a size, opaque or not.
func PNG(tb testing.TB, w, h int, alpha bool) []byte {
	var b bytes.Buffer
	m := image.NewNRGBA(image.Rect(0, 0, w, h))
	if !alpha {
		for i := range m.Pix {
			m.Pix[i] = 0xff
		}
	}
	require.NoError(tb, png.Encode(&b, m))
	return b.Bytes()
}

// Packed rewrites a PNG the way the iOS packer does: a chunk before the header,
// and pixels deflated without a header.
func Packed(data []byte) []byte {
	at := bytes.Index(data, []byte("IDAT"))
	n := binary.BigEndian.Uint32(data[at-4:])
	idat := data[at+4+2 : at+4+int(n)-4] // without the zlib header and sum
	out := append([]byte{}, data[:8]...)
	out = append(out, "\x00\x00\x00\x04CgBI\x50\x00\x20\x02\x2b\xd5\xb3\x7f"...)
	out = append(out, data[8:at-4]...)
	out = binary.BigEndian.AppendUint32(out, uint32(len(idat)))
	out = append(append(out, "IDAT"...), idat...)
	return append(append(out, 0, 0, 0, 0), data[at+4+int(n)+4:]...)
}

// JPEG makes a picture with an orientation of Exif; 0 for none.
func JPEG(tb testing.TB, w, h int, orientation byte) []byte {
	var b bytes.Buffer
	require.NoError(tb, jpeg.Encode(&b, image.NewRGBA(image.Rect(0, 0, w, h)), nil))
	if orientation == 0 {
		return b.Bytes()
	}
	exif := append([]byte("Exif\x00\x00MM\x00*\x00\x00\x00\x08\x00\x01\x01\x12\x00\x03\x00\x00\x00\x01\x00"), orientation, 0, 0, 0, 0, 0, 0)
	head := append([]byte{0xff, 0xd8, 0xff, 0xe1, 0, byte(len(exif) + 2)}, exif...)
	return append(head, b.Bytes()[2:]...)
}

// GIF makes one with so many pictures.
func GIF(tb testing.TB, w, h, pictures int) []byte {
	var b bytes.Buffer
	g := &gif.GIF{}
	for range pictures {
		g.Image = append(g.Image, image.NewPaletted(image.Rect(0, 0, w, h), color.Palette{color.Black, color.White}))
		g.Delay = append(g.Delay, 10)
	}
	require.NoError(tb, gif.EncodeAll(&b, g))
	return b.Bytes()
}

// WebP makes the extended header of a picture with alpha and animation, and the
// size that the file claims.
func WebP(w, h int) []byte {
	x := []byte{0x12, 0, 0, 0, byte(w - 1), byte((w - 1) >> 8), 0, byte(h - 1), byte((h - 1) >> 8), 0}
	body := append([]byte("WEBPVP8X\x0a\x00\x00\x00"), x...)
	return append(append([]byte("RIFF"), byte(len(body)), 0, 0, 0), body...)
}

// HEIC makes the boxes of a picture that is turned by a quarter.
func HEIC(w, h int) []byte {
	ispe := Box("ispe", U32(0, uint32(w), uint32(h)))
	return append(Box("ftyp", []byte("heic"), U32(0)), Box("meta", U32(0), Box("iprp", Box("ipco", ispe, Box("irot", []byte{1}))))...)
}

// Film makes the index of a film: so many frames at 30 a second, turned by a
// quarter, with sound. fragments says that they come in fragments.
func Film(w, h, frames int, fragments bool) []byte {
	count, length := uint32(frames), uint32(frames*20)
	if fragments {
		count, length = 0, 0
	}
	matrix := U32(0, 0x10000, 0, 0xffff0000, 0, 0, 0, 0, 0x40000000)
	entry := make([]byte, 78)
	binary.BigEndian.PutUint16(entry[24:], uint16(w))
	binary.BigEndian.PutUint16(entry[26:], uint16(h))
	avc := Box("avc1", entry, Box("avcC", []byte{1, 100, 0, 40}))
	video := Box("trak", Box("tkhd", U32(0, 0, 0, 1, 0, 0), make([]byte, 16), matrix, U32(uint32(w)<<16, uint32(h)<<16)),
		Box("mdia", Box("mdhd", U32(0, 0, 0, 600, length, 0)), Box("hdlr", U32(0, 0), []byte("vide"), make([]byte, 13)),
			Box("minf", Box("stbl", Box("stsd", U32(0, 1), avc), Box("stts", U32(0, 1, count, 20))))))
	sound := make([]byte, 28)
	sound[17], sound[24], sound[25] = 2, 0xac, 0x44
	audio := Box("trak", Box("tkhd", U32(0, 0, 0, 2, 0, 0), make([]byte, 16), matrix, U32(0, 0)),
		Box("mdia", Box("hdlr", U32(0, 0), []byte("soun"), make([]byte, 13)), Box("minf", Box("stbl", Box("stsd", U32(0, 1), Box("mp4a", sound))))))
	moov := [][]byte{Box("mvhd", U32(0, 0, 0, 600, length), make([]byte, 80)), video, audio}
	out := Box("ftyp", []byte("isom"), U32(0))
	if !fragments {
		return append(append(out, Box("mdat", make([]byte, 64))...), Box("moov", moov...)...)
	}
	moov = append(moov, Box("mvex", Box("mehd", U32(0, uint32(frames*20))), Box("trex", U32(0, 1, 1, 20, 0, 0))))
	out = append(out, Box("moov", moov...)...)
	return append(out, Box("moof", Box("traf", Box("tfhd", U32(0, 1)), Box("trun", U32(0, uint32(frames)))))...)
}

// WebM makes the head of a film of 2.5 seconds.
func WebM(w, h byte) []byte {
	el := func(id string, body []byte) []byte { return append(append([]byte(id), 0x80|byte(len(body))), body...) }
	info := el("\x15\x49\xa9\x66", append(el("\x2a\xd7\xb1", []byte{0x0f, 0x42, 0x40}), el("\x44\x89", []byte{0x45, 0x1c, 0x40, 0})...))
	video := el("\xe0", append(el("\xb0", []byte{w}), el("\xba", []byte{h})...))
	return append(el("\x1a\x45\xdf\xa3", nil), el("\x18\x53\x80\x67", append(info, el("\x16\x54\xae\x6b", el("\xae", video))...))...)
}
