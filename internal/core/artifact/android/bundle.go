package android

import (
	"fmt"
	"path"
	"slices"
	"strings"

	"google.golang.org/protobuf/encoding/protowire"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/format/protores"
	"regola.example/regola/internal/core/format/resource"
	"regola.example/regola/internal/core/place"
)

// modules lists the modules of a bundle and adds what their manifests ask for.
func (r *reader) modules() error {
	for _, dir := range r.tree.Folders("") {
		name := path.Base(dir)
		if r.tree.Get(r.manifestPath(name+"/")) == nil {
			continue
		}
		manifest, at, err := r.manifest(r.manifestPath(name + "/"))
		if err != nil {
			return err
		}
		m := &facts.Module{Name: name, Kind: "feature", Delivery: "install-time"}
		m.SetSelf(at)
		r.module(m, manifest, at)
		r.out.Bundle.Modules = append(r.out.Bundle.Modules, m)
	}
	r.duplicates()
	return nil
}

// module fills one module's facts from its manifest and its files.
func (r *reader) module(m *facts.Module, manifest *resource.Element, doc place.Place) {
	r.decode(m, node{manifest, "manifest"}, doc, false)
	mod := manifest.Child("module")
	if mod != nil {
		m.Instant = distribution(mod, "instant") == "true"
		if t := mod.Named("title"); t != nil {
			if v, ok := r.literal(t); ok {
				m.Title = v.AsString()
			} else if title := r.ownTitle(m.Name, t); title != "" {
				m.Title, m.TitleInModule = title, true
			} else {
				fact.Lose(m, &m.Title, fact.Unread(r.noTitle(t)))
			}
		}
	}
	if m.Name == "base" {
		m.Kind, m.DeliveryDeclared = "base", true
	} else {
		r.feature(manifest, doc, m.Name)
		m.Delivery = delivery(manifest)
		if mod != nil {
			m.Conditions = conditions(mod)
		}
		m.DeliveryDeclared = mod != nil && (mod.Child("delivery") != nil || distribution(mod, "onDemand") != "")
		if mod != nil {
			switch typ := distribution(mod, "type"); {
			case typ == "asset-pack":
				m.Kind = "assets"
			case strings.HasSuffix(typ, "-pack"):
				m.Kind = "model"
			}
		}
	}
	for _, e := range r.tree.Below(m.Name) {
		m.Size += e.Compressed
		rest := strings.TrimPrefix(e.Name, m.Name+"/")
		m.HasCode = m.HasCode || strings.HasPrefix(rest, "dex/")
		m.HasResources = m.HasResources || strings.HasPrefix(rest, "res/")
		if _, abi, _, ok := r.libraryPath(e.Name); ok && !slices.Contains(m.ABIs, abi) {
			m.ABIs = append(m.ABIs, abi)
		}
	}
	slices.Sort(m.ABIs)
}

// ownTitle finds a title in the module's own table, where it does not belong:
// the store shows it before the module is on the device.
func (r *reader) ownTitle(module string, a *resource.Attr) string {
	data, err := r.tree.Read(module+"/resources.pb", 0)
	if err != nil {
		return ""
	}
	table, err := protores.ParseTable(data, r.tree.Budget)
	if err != nil {
		return ""
	}
	for _, it := range resource.Resolve(table, a.Value, r.tree.Budget) {
		if it.Value.Kind == resource.String {
			return it.Value.Text
		}
	}
	return ""
}

func (r *reader) noTitle(a *resource.Attr) string {
	if r.noTable.What != "" {
		return r.noTable.What
	}
	return "its title " + a.Value.AsString() + " is not in the base's table"
}

// distribution reads an attribute of the distribution namespace, whose names
// clash with none of the platform's.
func distribution(e *resource.Element, name string) string {
	if a := e.Named(name); a != nil {
		return a.Value.AsString()
	}
	return ""
}

// conditions lists under what a module is installed by itself.
func conditions(mod *resource.Element) []string {
	d := mod.Child("delivery")
	if d == nil || d.Child("install-time") == nil || d.Child("install-time").Child("conditions") == nil {
		return nil
	}
	var out []string
	for _, c := range d.Child("install-time").Child("conditions").Children {
		text := c.Name
		for i := range c.Attrs {
			text += " " + c.Attrs[i].Value.AsString()
		}
		out = append(out, text)
	}
	return out
}

// versions reads the version files that libraries leave behind: in an APK under
// META-INF, in a bundle under root/META-INF of a module.
func (r *reader) versions() {
	const most = 64 // bytes that a version takes
	r.out.Code.LibraryVersions = map[string]string{}
	for _, e := range r.tree.Entries {
		dir := path.Dir(e.Name)
		if path.Ext(e.Name) != ".version" || dir != "META-INF" && !strings.HasSuffix(dir, "/root/META-INF") {
			continue
		}
		if data, err := e.Read(most); err == nil {
			r.out.Code.LibraryVersions[strings.TrimSuffix(path.Base(e.Name), ".version")] = strings.TrimSpace(string(data))
		}
	}
}

// duplicates finds paths that two modules fill with different contents; on the
// device they would fall together.
func (r *reader) duplicates() {
	if r.tree.Archive == nil {
		return
	}
	type content struct {
		module string
		crc    uint32
		size   int64
	}
	first := map[string]content{}
	for _, e := range r.tree.Archive.Entries {
		module, rest, ok := strings.Cut(e.Name, "/")
		top, _, deep := strings.Cut(rest, "/")
		if !ok || !deep || top != "res" && top != "assets" && top != "lib" && top != "root" {
			continue
		}
		c := content{module, e.CRC, e.Size}
		switch old, seen := first[rest]; {
		case !seen:
			first[rest] = c
		case old.module != module && (old.crc != c.crc || old.size != c.size):
			d := &facts.Duplicate{Path: rest, Modules: []string{old.module, module}}
			d.SetSelf(place.Place{File: r.file, Entry: e.Name})
			r.out.Bundle.Duplicates = append(r.out.Bundle.Duplicates, d)
		}
	}
}

// delivery reads when a module comes to the device.
func delivery(manifest *resource.Element) string {
	mod := manifest.Child("module")
	if mod == nil {
		return "install-time"
	}
	d := mod.Child("delivery")
	if d == nil {
		if distribution(mod, "onDemand") == "true" {
			return "on-demand"
		}
		return "install-time"
	}
	switch install := d.Child("install-time"); {
	case install != nil && install.Child("conditions") != nil:
		return "conditional"
	case install != nil:
		return "install-time"
	case d.Child("fast-follow") != nil:
		return "fast-follow"
	case d.Child("on-demand") != nil:
		return "on-demand"
	}
	return "install-time"
}

// bundleConfig reads BundleConfig.pb; field numbers are those of the bundle
// format's config.proto.
func (r *reader) bundleConfig() {
	const name = "BundleConfig.pb"
	at := place.Place{File: r.file, Entry: name}
	data, err := r.tree.Read(name, 1<<20)
	if err != nil {
		fact.Lose(&r.out.Bundle, &r.out.Bundle.Config, fact.Unread(name+" cannot be read: "+err.Error()))
		return
	}
	c := &bundleReader{}
	c.SetSelf(at)
	err = protores.Fields(data, 0, func(num protowire.Number, b []byte, n uint64, at int) error {
		switch num {
		case 1: // the building tool
			return protores.Fields(b, at, func(num protowire.Number, b []byte, _ uint64, _ int) error {
				if num == 2 {
					c.Version = string(b)
				}
				return nil
			})
		case 2: // optimisations
			return protores.Fields(b, at, func(num protowire.Number, b []byte, _ uint64, at int) error {
				switch num {
				case 1: // how it is split
					return protores.Fields(b, at, func(num protowire.Number, b []byte, _ uint64, at int) error {
						if num != 1 {
							return nil
						}
						return c.dimension(b, at)
					})
				case 2: // uncompressed native libraries
					return protores.Fields(b, at, func(num protowire.Number, _ []byte, n uint64, _ int) error {
						switch {
						case num == 1:
							c.StoredNative = n != 0
						case num == 2 && n > 0 && n < 4:
							c.PageAlignment = []string{"", "4K", "16K", "64K"}[n]
						}
						return nil
					})
				}
				return nil
			})
		case 8:
			c.Type = int64(n)
		}
		return nil
	})
	if err != nil {
		fact.Lose(&r.out.Bundle, &r.out.Bundle.Config, fact.Unread(name+" is damaged: "+err.Error()))
		return
	}
	r.out.Bundle.Config = &c.BundleConfig
}

// bundleReader fills a bundle's configuration.
type bundleReader struct{ facts.BundleConfig }

// dimensions are the ways to split a bundle, by their number.
var dimensions = [...]string{1: "abi", 2: "density", 3: "language", 4: "texture", 6: "device-tier", 7: "country"}

// dimension reads one way in which a bundle is split, or is not.
func (c *bundleReader) dimension(b []byte, at int) error {
	name, off := "", false
	err := protores.Fields(b, at, func(num protowire.Number, _ []byte, n uint64, _ int) error {
		switch num {
		case 1:
			if n > 0 {
				name = fmt.Sprintf("dimension %d", n)
			}
			if n < uint64(len(dimensions)) && dimensions[n] != "" {
				name = dimensions[n]
			}
		case 2:
			off = n != 0
		}
		return nil
	})
	switch {
	case name == "":
	case off:
		c.NotSplitBy = append(c.NotSplitBy, name)
	default:
		c.SplitBy = append(c.SplitBy, name)
	}
	return err
}

// metadata lists what accompanies a release without going to devices. The
// names below are where the platform's build tools put it.
func (r *reader) metadata() {
	const (
		root    = "BUNDLE-METADATA/"
		mapping = root + "com.android.tools.build.obfuscation/proguard.map"
		symbols = root + "com.android.tools.build.debugsymbols/"
		list    = root + "com.android.tools.build.libraries/dependencies.pb"
	)
	m := &facts.Metadata{}
	m.SetSelf(place.Place{File: r.file, Entry: strings.TrimSuffix(root, "/")})
	if !r.bundle {
		fact.LoseAll(m, fact.Missing("an APK does not carry it; it is sent beside the package"), &m.Files)
	}
	for _, e := range r.tree.Entries {
		name, ok := strings.CutPrefix(e.Name, symbols)
		switch {
		case ok:
			for _, ext := range []string{".sym", ".dbg"} {
				name = strings.TrimSuffix(name, ext)
			}
			m.NativeSymbols = append(m.NativeSymbols, name)
		case e.Name == mapping:
			m.Mapping = true
		case e.Name == list:
			m.Dependencies = true
		}
		if strings.HasPrefix(e.Name, root) {
			m.Files = append(m.Files, e.Name)
		}
	}
	r.out.Bundle.Metadata = m
}
