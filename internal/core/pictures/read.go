// Package pictures reads the pictures and films of a store page from folders,
// and finds which classes of each store they fit. Kinds are recognised by content,
// sizes are those that are shown; pixels are not decoded.
package pictures

import (
	"errors"
	"io"
	"path/filepath"
	"slices"
	"strings"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/format"
	"regola.example/regola/internal/core/format/gifmeta"
	"regola.example/regola/internal/core/format/isobmff"
	"regola.example/regola/internal/core/format/jpegmeta"
	"regola.example/regola/internal/core/format/pngmeta"
	"regola.example/regola/internal/core/format/webmmeta"
	"regola.example/regola/internal/core/format/webpmeta"
	"regola.example/regola/internal/core/safeopen"
)

// Picture is one picture or film.
type Picture struct {
	Path         string   `json:"-"`        // of the file
	File         string   `json:"file"`     // its path as shown
	Promised     string   `json:"promised"` // the kind that the name promises
	Kind         string   `json:"kind"`     // by content: png, jpeg, webp, gif, heic, avif, mp4, mov, webm; empty when it is none of them
	Bytes        int64    `json:"bytes"`
	Width        int64    `json:"width"` // pixels as shown, after orientation and rotation
	Height       int64    `json:"height"`
	Depth        int64    `json:"depth"`  // bits a sample; 0 when it is not known
	Colors       string   `json:"colors"` // gray, rgb, palette, ycbcr, cmyk; empty when it is not known
	Alpha        bool     `json:"alpha"`  // it has an alpha channel, or a transparent colour
	Animated     bool     `json:"animated"`
	Turned       bool     `json:"turned"`  // an orientation tag turns or mirrors it
	Profile      bool     `json:"profile"` // a colour profile is embedded
	Crushed      bool     `json:"crushed"` // a PNG in the form into which the iOS packer rewrites pictures
	Film         bool     `json:"film"`
	Seconds      float64  `json:"seconds"`       // of a film
	FrameRate    float64  `json:"frame_rate"`    // frames a second on average; 0 when it is not known
	Codec        string   `json:"codec"`         // of a film's pictures, by its sample entry
	CodecProfile int64    `json:"codec_profile"` // of H.264, by its number; 0 when it is not known
	CodecLevel   float64  `json:"codec_level"`   // of H.264, such as 4.0; 0 when it is not known
	Sound        []*Sound `json:"sound"`
	Fault        string   `json:"fault"`  // why nobody can use it, such as cut off
	Offset       int64    `json:"offset"` // of the fault, in bytes

	sum uint64 // of the content, where other pictures have the same size
}

// Sound is one sound track of a film.
type Sound struct {
	fact.Mark `json:"-"`
	Codec     string `json:"codec"`
	Channels  int64  `json:"channels"`
	Rate      int64  `json:"rate"` // samples a second
}

// extensions are the kinds that a name promises.
var extensions = map[string][]string{
	".png": {"png"}, ".jpg": {"jpeg"}, ".jpeg": {"jpeg"}, ".webp": {"webp"}, ".gif": {"gif"}, ".heic": {"heic"}, ".heif": {"heic"}, ".avif": {"avif"},
	".mp4": {"mp4"}, ".m4v": {"mp4"}, ".mov": {"mov", "mp4"}, ".webm": {"webm"},
}

// Promises reports whether a file's name says that it is a picture or a film.
func Promises(name string) bool { return Kinds(name) != nil }

// Kinds are the kinds that a file's name allows; nil when it says nothing.
func Kinds(name string) []string { return extensions[strings.ToLower(filepath.Ext(name))] }

// Read reads one file. It never fails: what is wrong stands in Fault.
func Read(name string) *Picture {
	f, info, err := safeopen.Open(name)
	if err != nil {
		return &Picture{Path: name, File: name, Promised: promised(name), Fault: safeopen.Problem(name, err, "").What}
	}
	defer f.Close()
	return Parse(name, f, info.Size())
}

// promised is the kind that a name promises.
func promised(name string) string {
	if kinds := Kinds(name); len(kinds) > 0 {
		return kinds[0]
	}
	return ""
}

// Parse reads a picture or a film of size bytes; the name says what it promises
// to be.
func Parse(name string, f io.ReaderAt, size int64) *Picture {
	p := &Picture{Path: name, File: name, Bytes: size, Promised: promised(name)}
	if err := p.read(f); err != nil {
		p.Fault = err.Error()
		var at *format.Damaged
		if errors.As(err, &at) {
			p.Fault, p.Offset = at.What, at.Offset
		}
	}
	if slices.Contains(Kinds(name), p.Kind) {
		p.Promised = p.Kind
	}
	return p
}

func (p *Picture) read(f io.ReaderAt) error {
	head := make([]byte, 32)
	n, err := f.ReadAt(head, 0)
	if err != nil && err != io.EOF {
		return err
	}
	if head = head[:n]; n == 0 {
		return errors.New("the file is empty")
	}
	brand, boxes := isobmff.Brand(head)
	whole := io.NewSectionReader(f, 0, p.Bytes)
	switch {
	case pngmeta.Is(head):
		p.Kind = "png"
		i, err := pngmeta.Read(whole)
		p.size(i.Width, i.Height)
		p.Depth, p.Alpha, p.Animated, p.Crushed, p.Profile = int64(i.Depth), i.Alpha, i.Animated, i.Crushed, i.Profile != ""
		p.Colors = "rgb"
		if i.Palette {
			p.Colors = "palette"
		} else if i.Gray {
			p.Colors = "gray"
		}
		if err != nil {
			return err
		}
		return pngmeta.Whole(f, p.Bytes)
	case jpegmeta.Is(head):
		p.Kind = "jpeg"
		i, err := jpegmeta.Read(f, p.Bytes)
		p.size(i.Width, i.Height)
		p.Depth, p.Profile, p.Turned = int64(i.Depth), i.Profile, i.Orientation > 1
		p.Colors = map[int]string{1: "gray", 3: "ycbcr", 4: "cmyk"}[i.Components]
		if i.Orientation >= 5 {
			p.Width, p.Height = p.Height, p.Width
		}
		return err
	case webpmeta.Is(head):
		p.Kind = "webp"
		i, err := webpmeta.Read(f, p.Bytes)
		p.size(i.Width, i.Height)
		p.Alpha, p.Animated, p.Profile = i.Alpha, i.Animated, i.Profile
		return err
	case gifmeta.Is(head):
		p.Kind = "gif"
		i, err := gifmeta.Read(whole)
		p.size(i.Width, i.Height)
		p.Alpha, p.Animated, p.Colors = i.Transparent, i.Animated, "palette"
		return err
	case webmmeta.Is(head):
		p.Kind = "webm"
		i, err := webmmeta.Read(f, p.Bytes)
		p.size(i.Width, i.Height)
		p.Film, p.Seconds = true, i.Duration.Seconds()
		return err
	case boxes && stills[brand] != "":
		p.Kind = stills[brand]
		s, err := isobmff.ReadStill(f, p.Bytes)
		p.size(s.Width, s.Height)
		return err
	case boxes:
		p.Kind = "mp4"
		if brand == "qt  " {
			p.Kind = "mov"
		}
		v, err := isobmff.ReadVideo(f, p.Bytes)
		p.Film = true
		if v == nil {
			return err
		}
		p.size(v.Width, v.Height)
		p.Seconds, p.FrameRate, p.Codec = v.Duration.Seconds(), v.FrameRate, v.Codec
		p.CodecProfile, p.CodecLevel = int64(v.Profile), v.Level
		for _, a := range v.Audio {
			p.Sound = append(p.Sound, &Sound{Codec: a.Codec, Channels: int64(a.Channels), Rate: int64(a.Rate)})
		}
		return err
	}
	return errors.New("this is no picture and no film that is known here")
}

func (p *Picture) size(w, h int) { p.Width, p.Height = int64(w), int64(h) }

// stills are the brands of pictures in boxes.
var stills = map[string]string{"heic": "heic", "heix": "heic", "mif1": "heic", "heim": "heic", "heis": "heic", "msf1": "heic", "avif": "avif", "avis": "avif"}
