package android

import (
	"bytes"
	"fmt"
	"io"
	"path"
	"slices"
	"sort"
	"strings"

	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/format/pngmeta"
	"regola.example/regola/internal/core/format/resource"
	"regola.example/regola/internal/core/place"
)

// iconHead is how much of a picture is read to know its size and kind.
const iconHead = 1 << 20

// icon follows the launcher icon through the table to its files.
func (r *reader) icon(app *resource.Element, at place.Place) {
	r.mark(app, at, "icon", "application", attrIcon, "icon")
	icon := &facts.Icon{Round: app.Attr(attrRoundIcon, "roundIcon") != nil}
	a := app.Attr(attrIcon, "icon")
	if a == nil {
		icon.SetSelf(key(at, "application", "", app.Offset))
		r.out.Icon = icon
		return
	}
	icon.SetSelf(key(at, "application", "icon", a.Offset))
	icon.Name = a.Value.AsString()
	items := resource.Resolve(r.table, a.Value)
	for _, it := range items {
		if it.Value.Kind != resource.File && it.Value.Kind != resource.String {
			continue
		}
		r.iconFile(icon, it)
	}
	if len(icon.Files) == 0 && a.Value.Kind == resource.Reference && a.Value.Ref>>24 == 0x7f && r.noTab != "" {
		r.out.SetUnread("icon", r.noTab)
		return
	}
	sort.SliceStable(icon.Files, func(i, j int) bool { return icon.Files[i].Width < icon.Files[j].Width })
	r.out.Icon = icon
}

func (r *reader) iconFile(icon *facts.Icon, it resource.Item) {
	name := r.root + it.Value.Text
	f := &facts.IconFile{Density: resource.DensityName(it.Config.Density), Path: name}
	f.SetSelf(place.Place{File: r.file, Entry: name})
	icon.Files = append(icon.Files, f)
	e := r.tree.Get(name)
	if e == nil {
		f.SetUnread("format", "the file is not in the package")
		return
	}
	if path.Ext(name) == ".xml" {
		f.Format = "xml"
		data, err := e.Read(iconHead)
		if err != nil {
			f.SetUnread("format", err.Error())
			return
		}
		root, err := r.xml(data)
		if err != nil {
			f.SetUnread("format", err.Error())
			return
		}
		if root.Name == "adaptive-icon" {
			icon.Adaptive = true
			icon.Foreground = icon.Foreground || root.Child("foreground") != nil
			icon.Background = icon.Background || root.Child("background") != nil
			icon.Monochrome = icon.Monochrome || root.Child("monochrome") != nil
			r.background(icon, root.Child("background"))
		}
		return
	}
	src, err := e.Open()
	if err != nil {
		f.SetUnread("format", err.Error())
		return
	}
	defer src.Close()
	head := make([]byte, 32)
	n, _ := io.ReadFull(src, head)
	head = head[:n]
	switch {
	case pngmeta.Is(head):
		f.Format = "png"
		if full, err := e.Open(); err == nil {
			info, err := pngmeta.Read(full)
			full.Close()
			if err != nil {
				f.SetUnread("width", err.Error())
				f.SetUnread("height", err.Error())
				return
			}
			f.Width, f.Height, f.Alpha = int64(info.Width), int64(info.Height), info.Alpha
			if full, err = e.Open(); err == nil {
				var n int
				n, err = pngmeta.Colors(full)
				full.Close()
				f.Colors = int64(n)
			}
			if err != nil {
				f.SetUnread("colors", err.Error())
			}
		}
	case bytes.HasPrefix(head, []byte("RIFF")) && strings.HasPrefix(string(head[min(8, len(head)):]), "WEBP"):
		f.Format = "webp"
		f.SetUnread("colors", "the colours of a WebP picture are not counted")
		webp(f, head)
	case bytes.HasPrefix(head, []byte("\xff\xd8\xff")):
		f.Format = "jpeg"
		f.SetUnread("colors", "the colours of a JPEG picture are not counted")
	default:
		f.SetUnread("format", fmt.Sprintf("begins with % x, which is no picture known here", head[:min(4, len(head))]))
	}
}

// background reads what the lower layer of an adaptive icon shows: one colour,
// or a drawing.
func (r *reader) background(icon *facts.Icon, layer *resource.Element) {
	if layer == nil || icon.Fill != "" {
		return
	}
	a := byName(layer, "drawable")
	if a == nil {
		return
	}
	for _, it := range resource.Resolve(r.table, a.Value) {
		if it.Value.Kind == resource.Color {
			icon.Fill = it.Value.AsString()
			return
		}
		e := r.tree.Get(r.root + it.Value.Text)
		if it.Value.Kind != resource.File || path.Ext(it.Value.Text) != ".xml" || e == nil {
			continue
		}
		data, err := e.Read(iconHead)
		if err != nil {
			continue
		}
		root, err := r.xml(data)
		if err != nil || root.Name != "vector" {
			continue
		}
		for _, p := range root.All("path") {
			if c := byName(p, "fillColor"); c != nil && icon.Fill == "" && c.Value.Kind == resource.Color {
				icon.Fill = c.Value.AsString()
			}
			if c := byName(p, "strokeColor"); c != nil && c.Value.Kind == resource.Color && !slices.Contains(icon.Strokes, c.Value.AsString()) {
				icon.Strokes = append(icon.Strokes, c.Value.AsString())
			}
		}
		return
	}
}

// webp reads the picture size from the first chunk, which the container
// specification places at byte 12.
func webp(f *facts.IconFile, head []byte) {
	if len(head) < 30 {
		f.SetUnread("width", "the picture is cut off")
		return
	}
	u24 := func(b []byte) int64 { return int64(b[0]) | int64(b[1])<<8 | int64(b[2])<<16 }
	switch string(head[12:16]) {
	case "VP8X":
		f.Alpha = head[20]&0x10 != 0
		f.Width, f.Height = u24(head[24:])+1, u24(head[27:])+1
	case "VP8L":
		bits := u24(head[21:]) | int64(head[24])<<24
		f.Width, f.Height, f.Alpha = bits&0x3fff+1, bits>>14&0x3fff+1, bits>>28&1 != 0
	case "VP8 ":
		f.Width, f.Height = u24(head[26:])&0x3fff, u24(append(head[28:30:30], 0))&0x3fff
	}
}
