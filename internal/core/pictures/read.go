// Package pictures reads the pictures and films of a store page from folders,
// and finds which classes of each store they fit. Kinds are told by content,
// sizes are those that are shown; pixels are not decoded.
package pictures

import (
	"errors"
	"fmt"
	"io"
	"path/filepath"
	"strings"

	"regola.example/regola/internal/core/format"
	"regola.example/regola/internal/core/format/gifmeta"
	"regola.example/regola/internal/core/format/isobmff"
	"regola.example/regola/internal/core/format/jpegmeta"
	"regola.example/regola/internal/core/format/pngmeta"
	"regola.example/regola/internal/core/format/webmmeta"
	"regola.example/regola/internal/core/format/webpmeta"
	"regola.example/regola/internal/core/regular"
)

// Picture is one picture or film.
type Picture struct {
	File     string // the path as found
	Kind     string // by content: png, jpeg, webp, gif, heic, avif, mp4, mov, webm; empty when it is none of them
	Bytes    int64
	Width    int // pixels as shown, after orientation and rotation
	Height   int
	Depth    int    // bits a sample; 0 when it is not known
	Colors   string // gray, rgb, palette, ycbcr, cmyk; empty when it is not known
	Alpha    bool
	Animated bool
	Turned   bool // an orientation tag turns or mirrors it
	Profile  bool // a colour profile is embedded
	Crushed  bool // a PNG in the form into which the iOS packer rewrites pictures
	Film     *isobmff.Video
	Fault    string // why it cannot be used as it is, such as cut off
	Offset   int64  // of the fault
}

// extensions are the kinds that a name promises.
var extensions = map[string][]string{
	".png": {"png"}, ".jpg": {"jpeg"}, ".jpeg": {"jpeg"}, ".webp": {"webp"}, ".gif": {"gif"}, ".heic": {"heic"}, ".heif": {"heic"}, ".avif": {"avif"},
	".mp4": {"mp4"}, ".m4v": {"mp4"}, ".mov": {"mov", "mp4"}, ".webm": {"webm"},
}

// Promises reports whether a file's name says that it is a picture or a film.
func Promises(name string) bool { return extensions[strings.ToLower(filepath.Ext(name))] != nil }

// Read reads one file. It never fails: what is wrong stands in Fault.
func Read(name string) *Picture {
	f, info, err := regular.Open(name)
	if err != nil {
		return &Picture{File: name, Fault: regular.Problem(name, err, "").What}
	}
	defer f.Close()
	return Parse(name, f, info.Size())
}

// Parse reads a picture or a film of size bytes; the name says what it promises
// to be.
func Parse(name string, f io.ReaderAt, size int64) *Picture {
	p := &Picture{File: name, Bytes: size}
	if err := p.read(f); err != nil {
		p.Fault = err.Error()
		var at *format.Error
		if errors.As(err, &at) {
			p.Fault, p.Offset = at.What, at.Offset
		}
	}
	if kinds := extensions[strings.ToLower(filepath.Ext(name))]; p.Fault == "" && len(kinds) > 0 && kinds[0] != p.Kind && (len(kinds) == 1 || kinds[1] != p.Kind) {
		p.Fault = fmt.Sprintf("the name says %s, the content is %s", kinds[0], p.Kind)
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
		p.Width, p.Height, p.Depth, p.Alpha, p.Animated, p.Crushed, p.Profile = i.Width, i.Height, i.Depth, i.Alpha, i.Animated, i.Crushed, i.Profile != ""
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
		p.Width, p.Height, p.Depth, p.Profile, p.Turned = i.Width, i.Height, i.Depth, i.Profile, i.Orientation > 1
		p.Colors = map[int]string{1: "gray", 3: "ycbcr", 4: "cmyk"}[i.Components]
		if i.Orientation >= 5 {
			p.Width, p.Height = p.Height, p.Width
		}
		return err
	case webpmeta.Is(head):
		p.Kind = "webp"
		i, err := webpmeta.Read(f, p.Bytes)
		p.Width, p.Height, p.Alpha, p.Animated, p.Profile = i.Width, i.Height, i.Alpha, i.Animated, i.Profile
		return err
	case gifmeta.Is(head):
		p.Kind = "gif"
		i, err := gifmeta.Read(whole)
		p.Width, p.Height, p.Alpha, p.Animated, p.Colors = i.Width, i.Height, i.Transparent, i.Animated, "palette"
		return err
	case webmmeta.Is(head):
		p.Kind = "webm"
		i, err := webmmeta.Read(f, p.Bytes)
		p.Width, p.Height, p.Film = i.Width, i.Height, &isobmff.Video{Duration: i.Duration, Width: i.Width, Height: i.Height}
		return err
	case boxes && stills[brand] != "":
		p.Kind = stills[brand]
		s, err := isobmff.ReadStill(f, p.Bytes)
		p.Width, p.Height = s.Width, s.Height
		return err
	case boxes:
		p.Kind = "mp4"
		if brand == "qt  " {
			p.Kind = "mov"
		}
		v, err := isobmff.ReadVideo(f, p.Bytes)
		p.Film, p.Width, p.Height = v, v.Width, v.Height
		return err
	}
	return errors.New("this is no picture and no film that is known here")
}

// stills are the brands of pictures in boxes.
var stills = map[string]string{"heic": "heic", "heix": "heic", "mif1": "heic", "heim": "heic", "heis": "heic", "msf1": "heic", "avif": "avif", "avis": "avif"}
