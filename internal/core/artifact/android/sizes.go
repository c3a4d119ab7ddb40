package android

import (
	"path"
	"strings"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/place"
)

// sizes adds up the compressed bytes by part.
func (r *reader) sizes() {
	by := map[string]int64{}
	for _, e := range r.tree.Entries {
		name := strings.TrimPrefix(e.Name, r.root)
		part := "other"
		switch {
		case path.Ext(name) == ".dex":
			part = "code"
		case strings.HasPrefix(name, "lib/"):
			part = "native"
		case strings.HasPrefix(name, "res/"), strings.HasPrefix(name, "resources."):
			part = "resources"
		case strings.HasPrefix(name, "assets/"):
			part = "assets"
		}
		by[part] += e.Compressed
	}
	r.out.Sizes.Parts = by
	r.download()
}

// download estimates what one device downloads first: of a bundle, the base and
// what comes at installation, with one architecture's libraries and one
// density's pictures, the largest of each; of an APK, the file.
func (r *reader) download() {
	fact.Put(&r.out.Sizes, &r.out.Sizes.Download, place.Place{File: r.file})
	atOnce := map[string]bool{"": true}
	for _, m := range r.out.Bundle.Modules {
		atOnce[m.Name] = m.Delivery == "install-time" && m.Kind != "assets" && m.Kind != "model"
	}
	var common int64
	byABI, byDensity := map[string]int64{}, map[string]int64{}
	for _, e := range r.tree.Entries {
		module, _, inModule := strings.Cut(e.Name, "/")
		if r.bundle && (!inModule || !atOnce[module]) {
			continue
		}
		if _, abi, _, ok := r.libraryPath(e.Name); ok {
			byABI[abi] += e.Compressed
			continue
		}
		if d := densityOf(e.Name); r.bundle && d != "" {
			byDensity[d] += e.Compressed
			continue
		}
		common += e.Compressed
	}
	most := func(m map[string]int64) (n int64) {
		for _, v := range m {
			n = max(n, v)
		}
		return n
	}
	if r.bundle {
		r.out.Sizes.Download = common + most(byABI) + most(byDensity)
		return
	}
	for _, v := range byABI {
		common += v
	}
	r.out.Sizes.Download = common
}

// densityOf is the density qualifier of a resource's folder, or "".
func densityOf(name string) string {
	for _, q := range strings.Split(path.Base(path.Dir(name)), "-") {
		if strings.HasSuffix(q, "dpi") && q != "nodpi" && q != "anydpi" {
			return q
		}
	}
	return ""
}
