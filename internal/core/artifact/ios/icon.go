package ios

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"io"
	"path"
	"slices"
	"strings"

	"regola.example/regola/internal/core/artifact/picture"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/files"
	"regola.example/regola/internal/core/format"
	"regola.example/regola/internal/core/format/assetcar"
	"regola.example/regola/internal/core/format/plist"
	"regola.example/regola/internal/core/place"
)

// catalogs reads the compiled asset catalogues of the app and of the apps and
// extensions inside it.
func (r *reader) catalogs() {
	for _, e := range r.tree.Entries {
		dir := path.Dir(e.Name)
		if path.Base(e.Name) != "Assets.car" || dir != "." && path.Ext(dir) != ".app" && path.Ext(dir) != ".appex" {
			continue
		}
		c := &facts.Catalog{Path: e.Name}
		c.SetSelf(r.at(e.Name))
		r.out.Catalogues = append(r.out.Catalogues, c)
		src, err := random(e)
		var car *assetcar.Catalog
		if err == nil {
			car, err = assetcar.Read(src, e.Size, r.tree.Budget.Part(int(min(e.Size, 1<<30))))
			src.Close()
		}
		var malformed *format.Damaged
		switch {
		case errors.As(err, &malformed):
			c.Fault = err.Error()
		case err != nil: // the archive, or a bound of this reader
		default:
			c.Readable = true
		}
		if err != nil {
			kept := []any{&c.Path}
			if malformed != nil {
				kept = append(kept, &c.Readable, &c.Fault)
			}
			fact.LoseAll(c, fact.Unread("the asset catalogue cannot be read: "+err.Error()), kept...)
			continue
		}
		c.Tool, c.Platform, c.MinOS = car.Tool, car.Platform, car.PlatformVersion
		for _, x := range car.Renditions {
			if x.Kind == "picture" || x.Kind == "vector" {
				c.Pictures++
				if c.Areas == nil {
					c.Areas = map[string]int64{}
				}
				c.Areas[fmt.Sprintf("%dx", x.Scale)] += int64(x.Width) * int64(x.Height)
			}
			if x.Set != "" {
				c.Sets = append(c.Sets, x.Set)
			}
		}
		slices.Sort(c.Sets)
		c.Sets = slices.Compact(c.Sets)
		if r.cars == nil {
			r.cars = map[string]*assetcar.Catalog{}
		}
		r.cars[dir] = car
	}
}

// catalog finds the catalogue beside a bundle's property list.
func (r *reader) catalog(dir string) *facts.Catalog {
	for _, c := range r.out.Catalogues {
		if path.Dir(c.Path) == dir {
			return c
		}
	}
	return nil
}

// icon gathers what the property list of a bundle names and what files and the catalogue
// bear out.
func (r *reader) icon(b *facts.Bundle, info *plist.Value, at place.Place) *facts.IOSIcon {
	d := r.decoders[b]
	before := len(d.wrong)
	icon := &facts.IOSIcon{}
	var names []string
	for _, key := range []string{"CFBundleIcons", "CFBundleIcons~ipad"} {
		prefix := key + ".CFBundlePrimaryIcon"
		primary := d.of(d.of(info, key, "", plist.Dict), "CFBundlePrimaryIcon", key, plist.Dict)
		if icon.Self().IsZero() && primary != nil {
			icon.SetSelf(valueAt(at, primary, "CFBundleIcons.CFBundlePrimaryIcon"))
			icon.Name = d.text(primary, "CFBundleIconName", prefix)
		}
		names = append(names, d.texts(primary, "CFBundleIconFiles", prefix)...)
	}
	if icon.Self().IsZero() {
		icon.SetSelf(valueAt(at, nil, "CFBundleIcons.CFBundlePrimaryIcon"))
	}
	icon.Name = cmp.Or(icon.Name, d.text(info, "CFBundleIconName", ""))
	names = append(names, d.texts(info, "CFBundleIconFiles", "")...)
	r.pictures(icon, names, b.Path)
	if gap := d.since(before); gap != nil {
		fact.LoseAll(icon, *gap)
	}
	return icon
}

// pictures finds the files and the catalogue's pictures of an icon.
func (r *reader) pictures(icon *facts.IOSIcon, names []string, dir string) {
	slices.Sort(names)
	byName := map[string][]*files.Entry{}
	for _, e := range r.names[dir] {
		for _, name := range iconNames(path.Base(e.Name)) {
			byName[name] = append(byName[name], e)
		}
	}
	for _, name := range slices.Compact(names) {
		found := byName[strings.TrimSuffix(name, ".png")]
		slices.SortFunc(found, func(a, b *files.Entry) int { return strings.Compare(a.Name, b.Name) })
		for _, e := range found {
			icon.Files = append(icon.Files, r.iconFile(e))
		}
		if len(found) == 0 {
			icon.MissingFiles = append(icon.MissingFiles, name)
		}
	}
	c := r.catalog(dir)
	icon.Catalog = c != nil
	if c == nil {
		return
	}
	car := r.cars[dir]
	if car == nil {
		fact.Lose(icon, &icon.Set, *c.Gone())
		return
	}
	for _, x := range car.Renditions {
		if x.Set != icon.Name || icon.Name == "" || x.Kind == "sizes" {
			continue
		}
		p := &facts.IconPicture{File: x.File, Width: int64(x.Width), Height: int64(x.Height), Idiom: x.Idiom, Appearance: x.Appearance, Kind: x.Kind, Opaque: x.Opaque}
		p.SetSelf(r.at(c.Path).In(x.Set + " " + x.File).At(x.Offset))
		icon.Set = append(icon.Set, p)
	}
	fact.Put(icon, &icon.Set, r.at(c.Path))
}

// alternates reads the icons that people can choose instead.
func (r *reader) alternates(b *facts.Bundle, info *plist.Value, at place.Place) {
	d := r.decoders[b]
	seen := map[string]*facts.IOSIcon{}
	files := map[string][]string{}
	var names []string
	for _, key := range []string{"CFBundleIcons", "CFBundleIcons~ipad"} {
		all := d.of(d.of(info, key, "", plist.Dict), "CFBundleAlternateIcons", key, plist.Dict)
		for _, name := range all.SortedKeys() {
			before, prefix := len(d.wrong), key+".CFBundleAlternateIcons."+name
			v := d.of(all, name, key+".CFBundleAlternateIcons", plist.Dict)
			a := seen[name]
			if a == nil {
				a = &facts.IOSIcon{Name: cmp.Or(d.text(v, "CFBundleIconName", prefix), name)}
				a.SetSelf(valueAt(at, v, prefix))
				seen[name], names = a, append(names, name)
			}
			files[name] = append(files[name], d.texts(v, "CFBundleIconFiles", prefix)...)
			if gap := d.since(before); gap != nil {
				fact.LoseAll(a, *gap, &a.Name)
			}
		}
	}
	for _, name := range names {
		r.pictures(seen[name], files[name], b.Path)
		b.AlternateIcons = append(b.AlternateIcons, seen[name])
	}
}

// iconFile reads the size of an icon's picture, and counts its colours. One
// that cannot be read is lost whole.
func (r *reader) iconFile(e *files.Entry) *facts.IconFile {
	if f := r.read[e.Name]; f != nil {
		return f
	}
	f := &facts.IconFile{Path: e.Name}
	f.SetSelf(r.at(e.Name))
	if r.read == nil {
		r.read = map[string]*facts.IconFile{}
	}
	r.read[e.Name] = f
	data, err := e.Read(picture.MaxBytes)
	if err == nil {
		err = picture.Read(f, data)
	}
	if err != nil {
		fact.LoseAll(f, fact.Unread(err.Error()), &f.Path)
	}
	return f
}

// maxResident bounds what is held of a compressed file that is read at random.
const maxResident = 32 << 20

// maxRewinds bounds how often a large compressed file is unpacked anew.
const maxRewinds = 16

// random gives random access to a file: held whole while it is small, else
// unpacked again whenever a reader goes back.
func random(e *files.Entry) (readerAt, error) {
	if e.Size <= maxResident {
		data, err := e.Read(maxResident)
		if err != nil {
			return nil, err
		}
		return held{bytes.NewReader(data)}, nil
	}
	src, err := e.Open()
	if err != nil {
		return nil, err
	}
	if ra, ok := src.(readerAt); ok {
		return ra, nil
	}
	return &rewinder{entry: e, src: src}, nil
}

type readerAt interface {
	io.ReaderAt
	io.Closer
}

type held struct{ *bytes.Reader }

// Close implements io.Closer.
func (held) Close() error { return nil }

// rewinder reads a stream at random: forward by skipping, backward by opening
// it again. It is not safe for use by several goroutines.
type rewinder struct {
	entry   *files.Entry
	src     io.ReadCloser
	pos     int64
	rewinds int
}

// ReadAt implements io.ReaderAt.
func (r *rewinder) ReadAt(b []byte, at int64) (int, error) {
	if at < r.pos {
		if r.rewinds++; r.rewinds > maxRewinds {
			return 0, fmt.Errorf("it is compressed, larger than %d MiB, and its parts lie too far from each other", maxResident>>20)
		}
		r.src.Close()
		src, err := r.entry.Open()
		if err != nil {
			return 0, err
		}
		r.src, r.pos = src, 0
	}
	n, err := io.CopyN(io.Discard, r.src, at-r.pos)
	r.pos += n
	if err != nil {
		return 0, err
	}
	k, err := io.ReadFull(r.src, b)
	r.pos += int64(k)
	if errors.Is(err, io.ErrUnexpectedEOF) {
		err = io.EOF
	}
	return k, err
}

// Close implements io.Closer.
func (r *rewinder) Close() error { return r.src.Close() }

// setNames are the names of all sets of the catalogue in a folder, and why they are not
// known.
func (r *reader) setNames(dir string) (map[string]bool, *fact.Gap) {
	c := r.catalog(dir)
	if c == nil {
		return nil, nil
	}
	names := map[string]bool{}
	for _, n := range c.Sets {
		names[n] = true
	}
	return names, c.Gone()
}

// icons gathers the icons of the app and of the apps inside it.
func (r *reader) icons() {
	for _, b := range r.out.Bundles {
		info := r.lists[b]
		if info == nil {
			fact.Lose(b, &b.Icon, *b.Info.Gone())
			continue
		}
		at := r.at(path.Join(b.Path, "Info.plist"))
		if b.Kind != "framework" && b.Kind != "resources" || info.Get("CFBundleIcons") != nil {
			b.Icon = r.icon(b, info, at)
			fact.Put(b, &b.Icon, b.Icon.Self())
		}
		if b.Kind == "app" || b.Kind == "app-clip" {
			r.alternates(b, info, at)
		}
	}
}

// iconNames lists the icon names that a file can be a variant of: the name, an
// optional scale and device suffix, and the extension.
func iconNames(file string) []string {
	out := []string{file, strings.TrimSuffix(file, ".png")}
	bare := strings.TrimSuffix(strings.TrimSuffix(out[1], "~ipad"), "~iphone")
	out = append(out, bare, strings.TrimSuffix(strings.TrimSuffix(bare, "@2x"), "@3x"))
	slices.Sort(out)
	return slices.Compact(out)
}
