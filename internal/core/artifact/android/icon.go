package android

import (
	"bytes"
	"fmt"
	"path"
	"slices"
	"sort"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/format/pngmeta"
	"regola.example/regola/internal/core/format/resource"
	"regola.example/regola/internal/core/place"
)

// maxIcon bounds a picture of an icon, in bytes.
const maxIcon = 8 << 20

// icon follows the launcher icon through the table to its files.
func (r *reader) icon(app *resource.Element, at place.Place) {
	markIn(&r.out.Mark, app, at, "icon", "application", attrIcon, "icon")
	icon := &facts.Icon{Round: app.Attr(attrRoundIcon, "roundIcon") != nil}
	a := app.Attr(attrIcon, "icon")
	if a == nil {
		icon.SetSelf(key(at, "application", "", app.Offset))
		r.out.Icon = icon
		return
	}
	icon.SetSelf(key(at, "application", "icon", a.Offset))
	icon.Name = a.Value.AsString()
	items := r.resolve(a.Value)
	for _, it := range items {
		if it.Value.Kind != resource.File && it.Value.Kind != resource.String {
			continue
		}
		r.iconFile(icon, it)
	}
	if len(icon.Files) == 0 && a.Value.Kind == resource.Reference && a.Value.Ref>>24 == 0x7f && r.noTable.What != "" {
		r.out.Lose("icon", r.noTable)
		return
	}
	sort.SliceStable(icon.Files, func(i, j int) bool { return icon.Files[i].Width < icon.Files[j].Width })
	r.out.Icon = icon
}

// iconFile reads one picture of the icon.
func (r *reader) iconFile(icon *facts.Icon, it resource.Item) {
	name := r.root + it.Value.Text
	f := &facts.IconFile{}
	if known := r.pictures[name]; known != nil {
		*f = *known
	} else {
		f.Path = name
		f.SetSelf(place.Place{File: r.file, Entry: name})
		r.picture(icon, f)
		if r.pictures == nil {
			r.pictures = map[string]*facts.IconFile{}
		}
		r.pictures[name] = f
	}
	f.Density = resource.DensityName(it.Config.Density)
	icon.Files = append(icon.Files, f)
}

// picture reads the file of a picture. One that cannot be read is lost whole.
func (r *reader) picture(icon *facts.Icon, f *facts.IconFile) {
	lose := func(what string) { f.LoseAll(fact.Unread(what), "path", "density") }
	e := r.tree.Get(f.Path)
	if e == nil {
		lose("the file is not in the package")
		return
	}
	data, err := e.Read(maxIcon)
	if err != nil {
		lose(err.Error())
		return
	}
	switch {
	case path.Ext(f.Path) == ".xml":
		root, err := r.xml(data)
		if err != nil {
			lose(err.Error())
			return
		}
		f.Format = "xml"
		if root.Name == "adaptive-icon" {
			icon.Adaptive = true
			icon.Foreground = icon.Foreground || root.Child("foreground") != nil
			icon.Background = icon.Background || root.Child("background") != nil
			icon.Monochrome = icon.Monochrome || root.Child("monochrome") != nil
			r.background(icon, root.Child("background"))
		}
	case pngmeta.Is(data):
		info, err := pngmeta.Read(bytes.NewReader(data))
		if err != nil {
			lose(err.Error())
			return
		}
		f.Format, f.Width, f.Height, f.Alpha = "png", int64(info.Width), int64(info.Height), info.Alpha
		n, err := pngmeta.Colors(bytes.NewReader(data))
		if f.Colors = int64(n); err != nil {
			f.Lose("colors", fact.Unread(err.Error()))
		}
	case bytes.HasPrefix(data, []byte("RIFF")) && len(data) >= 12 && string(data[8:12]) == "WEBP":
		f.Format = "webp"
		webp(f, data)
		f.Lose("colors", fact.Unread("the colours of a WebP picture are not counted"))
	case bytes.HasPrefix(data, []byte("\xff\xd8\xff")):
		f.Format = "jpeg"
		f.Lose("colors", fact.Unread("the colours of a JPEG picture are not counted"))
	default:
		lose(fmt.Sprintf("begins with % x, which is no picture known here", data[:min(4, len(data))]))
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
	for _, it := range r.resolve(a.Value) {
		if it.Value.Kind == resource.Color {
			icon.Fill = it.Value.AsString()
			return
		}
		e := r.tree.Get(r.root + it.Value.Text)
		if it.Value.Kind != resource.File || path.Ext(it.Value.Text) != ".xml" || e == nil {
			continue
		}
		data, err := e.Read(maxIcon)
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
		f.LoseAll(fact.Unread("the picture is cut off"), "path", "density", "format")
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
