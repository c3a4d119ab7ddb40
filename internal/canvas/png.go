package canvas

import (
	"bufio"
	"encoding/binary"
	"hash/crc32"
	"image"
	"image/color"
	"io"

	"github.com/klauspost/compress/zlib"
)

// bandHeight is how many rows of a picture are held at one time, in pixels.
const bandHeight = 512

// PNG writes an opaque picture of any height as PNG, a band at a time: draw is called
// for each, from top to bottom, and draws what it wants of the whole picture. Source:
// PNG specification.
func PNG(w io.Writer, width, height int, ground color.Color, draw func(c Canvas)) error {
	out := bufio.NewWriterSize(w, 64<<10)
	if _, err := io.WriteString(out, "\x89PNG\r\n\x1a\n"); err != nil {
		return err
	}
	head := binary.BigEndian.AppendUint32(binary.BigEndian.AppendUint32(nil, uint32(width)), uint32(height))
	if err := chunk(out, "IHDR", append(head, 8, 2, 0, 0, 0)); err != nil { // 8 bits, red, green, blue
		return err
	}
	data := bufio.NewWriterSize(chunks{out}, 32<<10)
	z := zlib.NewWriter(data)
	bands := make(chan Canvas) // the next one is drawn while one is packed
	stop := make(chan struct{})
	defer close(stop)
	go func() {
		defer close(bands)
		for y := 0; y < height; y += bandHeight {
			c := Band(image.Rect(0, y, width, min(y+bandHeight, height)), ground)
			draw(c)
			select {
			case bands <- c:
			case <-stop:
				return
			}
		}
	}()
	rows := newFilter(width)
	for c := range bands {
		for y := c.Rect.Min.Y; y < c.Rect.Max.Y; y++ {
			if _, err := z.Write(rows.next(c.Pix[c.PixOffset(0, y):])); err != nil {
				return err
			}
		}
	}
	if err := z.Close(); err != nil {
		return err
	}
	if err := data.Flush(); err != nil {
		return err
	}
	if err := chunk(out, "IEND", nil); err != nil {
		return err
	}
	return out.Flush()
}

// chunks writes what it is given as IDAT chunks.
type chunks struct{ w io.Writer }

// Write implements io.Writer.
func (c chunks) Write(b []byte) (int, error) { return len(b), chunk(c.w, "IDAT", b) }

func chunk(w io.Writer, kind string, data []byte) error {
	sum := crc32.NewIEEE()
	sum.Write([]byte(kind))
	sum.Write(data)
	for _, part := range [][]byte{binary.BigEndian.AppendUint32(nil, uint32(len(data))), []byte(kind), data, binary.BigEndian.AppendUint32(nil, sum.Sum32())} {
		if _, err := w.Write(part); err != nil {
			return err
		}
	}
	return nil
}

// filter turns rows of pixels into rows of a PNG: as differences from the pixel on the
// left or above, whichever is less.
type filter struct{ now, last, left, up []byte }

func newFilter(width int) *filter {
	f := &filter{now: make([]byte, 3*width), last: make([]byte, 3*width), left: make([]byte, 1+3*width), up: make([]byte, 1+3*width)}
	f.left[0], f.up[0] = 1, 2
	return f
}

// next is the form of the next row, which holds until the next call.
func (f *filter) next(rgba []byte) []byte {
	for i := 0; i < len(f.now); i += 3 {
		copy(f.now[i:i+3], rgba[i/3*4:])
	}
	a, b := 0, 0
	for i, v := range f.now {
		var before byte
		if i >= 3 {
			before = f.now[i-3]
		}
		l, u := v-before, v-f.last[i]
		f.left[1+i], f.up[1+i] = l, u
		a, b = a+size(l), b+size(u)
	}
	f.now, f.last = f.last, f.now
	if a < b {
		return f.left
	}
	return f.up
}

// size is how far a difference is from none.
func size(d byte) int { return min(int(d), 256-int(d)) }
