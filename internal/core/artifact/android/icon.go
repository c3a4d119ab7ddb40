package android

import (
	"path"
	"slices"
	"sort"

	"regola.example/regola/internal/core/artifact/picture"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/format/resource"
	"regola.example/regola/internal/core/place"
)

// icon follows the launcher icon through the table to its files.
func (r *reader) icon(app *resource.Element, at place.Place) {
	icon := &facts.Icon{Round: app.Attr("roundIcon") != nil}
	a := app.Attr("icon")
	fact.Put(r.out, &r.out.Icon, attrPlace(at, app, "application", "icon"))
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
		fact.Lose(r.out, &r.out.Icon, r.noTable)
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
		r.layer(icon, f)
		if r.pictures == nil {
			r.pictures = map[string]*facts.IconFile{}
		}
		r.pictures[name] = f
	}
	f.Density = resource.DensityName(it.Config.Density)
	icon.Files = append(icon.Files, f)
}

// layer reads the file of a picture. One that cannot be read is lost whole.
func (r *reader) layer(icon *facts.Icon, f *facts.IconFile) {
	lose := func(what string) { fact.LoseAll(f, fact.Unread(what), &f.Path, &f.Density) }
	e := r.tree.Get(f.Path)
	if e == nil {
		lose("the file is not in the package")
		return
	}
	data, err := e.Read(picture.MaxBytes)
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
			r.foreground(icon, root.Child("foreground"))
		}
	default:
		if err := picture.Read(f, data); err != nil {
			lose(err.Error())
		}
	}
}

// foreground looks whether the upper layer of an adaptive icon hides the lower
// one: a picture of which every pixel is opaque.
func (r *reader) foreground(icon *facts.Icon, layer *resource.Element) {
	if layer == nil || icon.Solid {
		return
	}
	a := layer.Attr("drawable")
	if a == nil {
		return
	}
	for _, it := range r.resolve(a.Value) {
		e := r.tree.Get(r.root + it.Value.Text)
		if it.Value.Kind != resource.File || path.Ext(it.Value.Text) == ".xml" || e == nil {
			continue
		}
		data, err := e.Read(picture.MaxBytes)
		if err != nil {
			continue // whoever shows the icon will say so
		}
		icon.Solid = picture.Solid(data)
		return
	}
}

// background reads what the lower layer of an adaptive icon shows: one colour,
// or a drawing.
func (r *reader) background(icon *facts.Icon, layer *resource.Element) {
	if layer == nil || icon.Fill != "" {
		return
	}
	a := layer.Attr("drawable")
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
		data, err := e.Read(picture.MaxBytes)
		if err != nil {
			continue
		}
		root, err := r.xml(data)
		if err != nil || root.Name != "vector" {
			continue
		}
		for _, p := range root.All("path") {
			if c := p.Attr("fillColor"); c != nil && icon.Fill == "" && c.Value.Kind == resource.Color {
				icon.Fill = c.Value.AsString()
			}
			if c := p.Attr("strokeColor"); c != nil && c.Value.Kind == resource.Color && !slices.Contains(icon.Strokes, c.Value.AsString()) {
				icon.Strokes = append(icon.Strokes, c.Value.AsString())
			}
		}
		return
	}
}
