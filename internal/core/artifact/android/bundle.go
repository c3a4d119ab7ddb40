package android

import (
	"path"
	"strings"

	"google.golang.org/protobuf/encoding/protowire"

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
		if name == "base" {
			m.Kind = "base"
		} else {
			r.reach(manifest, at, name)
			m.Delivery = delivery(manifest)
			if mod := manifest.Child("module"); mod != nil && strings.HasSuffix(distribution(mod, "type"), "-pack") {
				m.Kind = "assets"
			}
		}
		for _, e := range r.tree.Below(name) {
			m.Size += e.Compressed
		}
		r.out.Modules = append(r.out.Modules, m)
	}
	return nil
}

// distribution reads an attribute of the distribution namespace, whose names
// clash with none of the platform's.
func distribution(e *resource.Element, name string) string {
	for i := range e.Attrs {
		if e.Attrs[i].Name == name {
			return e.Attrs[i].Value.AsString()
		}
	}
	return ""
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
		r.out.SetUnread("bundle", name+" cannot be read: "+err.Error())
		return
	}
	c := &facts.BundleConfig{}
	c.SetSelf(at)
	err = protores.Fields(data, 0, func(num protowire.Number, b []byte, _ uint64, at int) error {
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
				if num != 2 { // uncompressed native libraries
					return nil
				}
				return protores.Fields(b, at, func(num protowire.Number, _ []byte, n uint64, _ int) error {
					if num == 2 && n > 0 && n < 4 {
						c.PageAlignment = []string{"", "4K", "16K", "64K"}[n]
					}
					return nil
				})
			})
		}
		return nil
	})
	if err != nil {
		r.out.SetUnread("bundle", name+" is damaged: "+err.Error())
		return
	}
	r.out.Bundle = c
}
