package isobmff

import (
	"encoding/binary"
	"io"
	"time"

	"regola.example/regola/internal/core/format"
)

// Video is what a film says of itself.
type Video struct {
	Brand         string
	Duration      time.Duration
	Width, Height int     // of the first picture track, as shown
	FrameRate     float64 // frames a second on average; 0 when it is not known
	Codec         string  // of the pictures, by its sample entry, such as avc1
	Profile       int     // of H.264, by its number such as 100; 0 when it is not known
	Level         float64 // of H.264, such as 4.0
	Audio         []Audio
	Fragmented    bool
}

// Audio is one sound track.
type Audio struct {
	Codec    string
	Channels int
	Rate     int // samples a second
}

// track is what is gathered of one track.
type track struct {
	id                   uint32
	handler              string
	width, height        int // of the header, in pixels
	turned               bool
	scale, length        uint64
	samples, ticks       uint64 // of the sample table, and of fragments
	coded                [2]int
	codec                string
	profile, level       int
	channels, sampleRate int
	defaultTicks         uint32
}

// ReadVideo reads the boxes that describe a film.
func ReadVideo(r io.ReaderAt, size int64) (*Video, error) {
	var h [12]byte
	if _, err := r.ReadAt(h[:], 0); err != nil {
		return nil, format.Damagedf(0, "the file is cut off in its first box")
	}
	brand, ok := Brand(h[:])
	if !ok {
		return nil, format.Damagedf(0, "this is no file of boxes")
	}
	v := &Video{Brand: brand}
	m := &movie{walker: walker{r: r, size: size}, video: v}
	err := m.each(0, size, m.top)
	if err == nil && !m.found {
		err = format.Damagedf(size, "the film has no index (moov): it is cut off, or is still being written")
	}
	m.finish()
	return v, err
}

type movie struct {
	walker
	video         *Video
	found         bool
	tracks        []*track
	scale, length uint64 // of the whole film
	extended      uint64 // length that a fragmented film declares
}

// containers hold the boxes that are looked for.
var containers = map[string]bool{"moov": true, "trak": true, "mdia": true, "minf": true, "stbl": true, "mvex": true, "moof": true, "traf": true}

func (m *movie) top(b box) error { return m.visit(b, nil, 0) }

func (m *movie) visit(b box, t *track, depth int) error {
	if containers[b.kind] {
		if depth >= maxDepth {
			return format.Damagedf(b.start, "boxes lie too deep in one another")
		}
		switch b.kind {
		case "moov":
			m.found = true
		case "moof":
			m.video.Fragmented = true
		case "trak":
			t = &track{}
			m.tracks = append(m.tracks, t)
		case "traf":
			t = nil
		}
		inner := t
		return m.each(b.start, b.end, func(c box) error {
			if c.kind == "tfhd" {
				var err error
				inner, err = m.fragment(c)
				return err
			}
			return m.visit(c, inner, depth+1)
		})
	}
	read := map[string]func(t *track, d []byte){"mvhd": m.movieHeader, "mehd": m.extends, "trex": m.defaults}[b.kind]
	if read == nil && t != nil {
		read = map[string]func(t *track, d []byte){"tkhd": trackHeader, "mdhd": mediaHeader, "hdlr": handler, "stsd": sampleEntry, "stts": times, "trun": run}[b.kind]
	}
	if read == nil {
		return nil
	}
	d, err := m.body(b)
	if err == nil && len(d) >= 8 {
		read(t, d)
	}
	return err
}

// timing reads time scale and length of a header box: they have 32 bits in version 0 and
// 64 in version 1, behind the two times of the box.
func timing(d []byte) (scale, length uint64) {
	switch {
	case d[0] == 1 && len(d) >= 32:
		return uint64(binary.BigEndian.Uint32(d[20:])), binary.BigEndian.Uint64(d[24:])
	case d[0] == 0 && len(d) >= 20:
		return uint64(binary.BigEndian.Uint32(d[12:])), uint64(binary.BigEndian.Uint32(d[16:]))
	}
	return 0, 0
}

func (m *movie) movieHeader(_ *track, d []byte) { m.scale, m.length = timing(d) }

func (m *movie) extends(_ *track, d []byte) {
	if d[0] == 1 && len(d) >= 12 {
		m.extended = binary.BigEndian.Uint64(d[4:])
	} else {
		m.extended = uint64(binary.BigEndian.Uint32(d[4:]))
	}
}

func (m *movie) defaults(_ *track, d []byte) {
	if len(d) < 16 {
		return
	}
	for _, t := range m.tracks {
		if t.id == binary.BigEndian.Uint32(d[4:]) {
			t.defaultTicks = binary.BigEndian.Uint32(d[12:])
		}
	}
}

// fragment finds the track of a fragment.
func (m *movie) fragment(b box) (*track, error) {
	d, err := m.body(b)
	if err != nil || len(d) < 8 {
		return nil, err
	}
	id, flags := binary.BigEndian.Uint32(d[4:]), binary.BigEndian.Uint32(d)&0xffffff
	for _, t := range m.tracks {
		if t.id != id {
			continue
		}
		at := 8
		if flags&1 != 0 {
			at += 8
		}
		if flags&2 != 0 {
			at += 4
		}
		if flags&8 != 0 && len(d) >= at+4 {
			t.defaultTicks = binary.BigEndian.Uint32(d[at:])
		}
		return t, nil
	}
	return nil, nil
}

func trackHeader(t *track, d []byte) {
	at := 76 // of the width, behind times, layer and matrix
	if d[0] == 1 {
		at += 12
		if len(d) >= 24 {
			t.id = binary.BigEndian.Uint32(d[20:])
		}
	} else if len(d) >= 16 {
		t.id = binary.BigEndian.Uint32(d[12:])
	}
	if len(d) < at+8 {
		return
	}
	// A quarter turn has zeros on the matrix's diagonal.
	a, e := binary.BigEndian.Uint32(d[at-36:]), binary.BigEndian.Uint32(d[at-20:])
	t.turned = a == 0 && e == 0
	t.width, t.height = int(binary.BigEndian.Uint32(d[at:])>>16), int(binary.BigEndian.Uint32(d[at+4:])>>16)
}

func mediaHeader(t *track, d []byte) { t.scale, t.length = timing(d) }

func handler(t *track, d []byte) {
	if len(d) >= 12 {
		t.handler = string(d[8:12])
	}
}

func times(t *track, d []byte) {
	n := int(binary.BigEndian.Uint32(d[4:]))
	for i := 0; i < n && 8+8*i+8 <= len(d); i++ {
		count, delta := uint64(binary.BigEndian.Uint32(d[8+8*i:])), uint64(binary.BigEndian.Uint32(d[12+8*i:]))
		t.samples += count
		t.ticks += count * delta
	}
}

// run adds the samples of a fragment.
func run(t *track, d []byte) {
	flags, n := binary.BigEndian.Uint32(d)&0xffffff, binary.BigEndian.Uint32(d[4:])
	at, each := 8, 0
	for bit, size := range map[uint32]int{1: 4, 4: 4} {
		if flags&bit != 0 {
			at += size
		}
	}
	for bit := uint32(0x100); bit <= 0x800; bit <<= 1 {
		if flags&bit != 0 {
			each += 4
		}
	}
	if flags&0x100 == 0 {
		t.samples += uint64(n)
		t.ticks += uint64(n) * uint64(t.defaultTicks)
		return
	}
	for i := 0; i < int(n) && at+each <= len(d); i++ {
		t.samples++
		t.ticks += uint64(binary.BigEndian.Uint32(d[at:]))
		at += each
	}
}

// sampleEntry reads the first description of a track's samples.
func sampleEntry(t *track, d []byte) {
	if len(d) < 16 {
		return
	}
	e := d[8:]
	t.codec = string(e[4:8])
	switch {
	case t.handler == "vide" && len(e) >= 86:
		t.coded = [2]int{int(binary.BigEndian.Uint16(e[32:])), int(binary.BigEndian.Uint16(e[34:]))}
		for at := 86; at+8 <= len(e); {
			n := int(binary.BigEndian.Uint32(e[at:]))
			if n < 8 || n > len(e)-at {
				return
			}
			if c := e[at : at+n]; string(c[4:8]) == "avcC" && n >= 12 {
				t.profile, t.level = int(c[9]), int(c[11])
			}
			at += n
		}
	case t.handler == "soun" && len(e) >= 36:
		t.channels, t.sampleRate = int(binary.BigEndian.Uint16(e[24:])), int(binary.BigEndian.Uint32(e[32:])>>16)
	}
}

// finish puts the tracks together.
func (m *movie) finish() {
	v := m.video
	seconds := func(n, scale uint64) time.Duration {
		if scale == 0 {
			return 0
		}
		return time.Duration(min(float64(n)/float64(scale), 1e9) * float64(time.Second))
	}
	v.Duration = max(seconds(m.length, m.scale), seconds(m.extended, m.scale))
	for _, t := range m.tracks {
		switch t.handler {
		case "soun":
			v.Audio = append(v.Audio, Audio{t.codec, t.channels, t.sampleRate})
		case "vide":
			if v.Codec != "" {
				continue
			}
			v.Codec, v.Profile, v.Level = t.codec, t.profile, float64(t.level)/10
			v.Width, v.Height = t.width, t.height
			if v.Width == 0 || v.Height == 0 {
				v.Width, v.Height = t.coded[0], t.coded[1]
			}
			if t.turned {
				v.Width, v.Height = v.Height, v.Width
			}
			if t.ticks > 0 && t.scale > 0 {
				v.FrameRate = float64(t.samples) * float64(t.scale) / float64(t.ticks)
				if v.Duration == 0 {
					v.Duration = seconds(t.ticks, t.scale)
				}
			}
		}
	}
}
