// Package weigh tells what takes the space in a package: by kind, module,
// architecture, language, density and third-party code, what one device downloads
// and installs, and what could be saved. What a file is, the devices and the bounds
// of hints are tables.
package weigh

import (
	"cmp"
	"maps"
	"path"
	"slices"
	"strings"

	"regola.example/regola/internal/core/evidence"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/origin"
	"regola.example/regola/internal/core/tables"
)

// Weight is what a package weighs.
type Weight struct {
	Kind       string     `json:"kind"`       // of the package
	Package    int64      `json:"package"`    // bytes of the file
	Files      int64      `json:"files"`      // how many are inside
	Unpacked   int64      `json:"unpacked"`   // bytes of them
	Packed     int64      `json:"packed"`     // the same, compressed
	Kinds      []*Part    `json:"kinds"`      // what the files are
	Modules    []*Part    `json:"modules"`    // of a bundle; bundles inside an iOS app
	ABIs       []*Part    `json:"abis"`       // architectures
	Languages  []*Part    `json:"languages"`  // of texts; the share of a resource table is an estimate
	Densities  []*Part    `json:"densities"`  // of pictures
	ThirdParty []*Part    `json:"thirdparty"` // code of others; the share of compiled code is an estimate
	Origins    []*Part    `json:"origins"`    // whose the compiled code is: the app's, of third parties, or unknown; an estimate
	Largest    []*File    `json:"largest"`
	Twins      []*Twin    `json:"twins"` // the same file more than once
	Hints      []*Hint    `json:"hints"`
	Devices    []*Deliver `json:"devices"`
	How        []string   `json:"how"` // how the estimates were made
	Tree       []*Branch  `json:"-"`   // for a treemap
}

// Part is one part of a package.
type Part struct {
	Name     string `json:"name"`
	What     string `json:"what"` // in words; may be empty
	Files    int64  `json:"files"`
	Unpacked int64  `json:"unpacked"`
	Packed   int64  `json:"packed"`
	Estimate bool   `json:"estimate"`
}

// File is one file.
type File struct {
	Path     string `json:"path"`
	Kind     string `json:"kind"`
	Unpacked int64  `json:"unpacked"`
	Packed   int64  `json:"packed"`
}

// Twin is a file that is there more than once.
type Twin struct {
	Paths  []string `json:"paths"`
	Size   int64    `json:"size"`   // of one, unpacked
	Wasted int64    `json:"wasted"` // compressed bytes of all but the first
}

// Hint is something that could be saved.
type Hint struct {
	What  string   `json:"what"`
	Saves int64    `json:"saves"` // bytes, at most
	Fix   string   `json:"fix"`
	Paths []string `json:"paths"` // some of the files
}

// Deliver is what one device gets.
type Deliver struct {
	Device    string `json:"device"`
	What      string `json:"what"`
	Download  int64  `json:"download"`  // compressed bytes
	Installed int64  `json:"installed"` // bytes on the device before the system adds its own
	Later     int64  `json:"later"`     // compressed bytes of what it can fetch later
	Fits      bool   `json:"fits"`      // the package has code for it and serves its system
	Why       string `json:"why"`       // it does not fit
}

// Branch is one kind with its files, for a treemap.
type Branch struct {
	Name   string
	What   string
	Packed int64
	Leaves []Leaf
}

// Leaf is a file, or all small ones together.
type Leaf struct {
	Name   string
	Packed int64
}

// item is a file with what it is.
type item struct {
	*facts.File
	name      string // within the app
	kind      *tables.FileKind
	module    string
	abi       string
	language  string
	density   string
	scale     string
	delivered bool
	later     bool
}

// Of weighs a package. ev may be nil; devices are those that are asked about.
func Of(p *facts.Package, ev *evidence.Evidence, t *tables.Set, devices []*tables.Device) *Weight {
	w := &Weight{Kind: p.Kind, Package: p.Size, Files: p.Entries}
	items := itemsOf(p, t)
	kinds, modules, abis, densities := parts{}, parts{}, parts{}, parts{}
	for _, it := range items {
		w.Unpacked += it.Size
		w.Packed += it.Compressed
		kinds.add(it.kind.Kind, it.kind.What, it)
		if it.module != "" {
			modules.add(it.module, "", it)
		}
		if it.abi != "" {
			abis.add(it.abi, "", it)
		}
		if d := cmp.Or(it.density, it.scale); d != "" {
			densities.add(d, "", it)
		}
	}
	if m := modules; p.Android != nil {
		for _, x := range p.Android.Bundle.Modules {
			if part := m[x.Name]; part != nil {
				part.What = strings.TrimSpace(x.Kind + " " + x.Delivery)
			}
		}
	}
	w.Kinds, w.Modules, w.ABIs, w.Densities = kinds.list(), modules.list(), abis.list(), densities.list()
	w.Languages = languages(p, items)
	whose := origin.Of(p, t)
	w.thirdParty(p, items, ev, t, whose)
	w.largest(items, int(t.WeighBounds["largest"]))
	w.twins(items, t.WeighBounds["twin"])
	w.tree(items)
	for _, d := range devices {
		if d.Platform == p.Platform() {
			w.Devices = append(w.Devices, deliver(p, items, d))
		}
	}
	w.hints(p, items, t.WeighBounds, whose)
	w.How = how(p)
	return w
}

type parts map[string]*Part

func (m parts) add(name, what string, it *item) { m.put(name, what, 1, it.Size, it.Compressed, false) }

func (m parts) put(name, what string, files, unpacked, packed int64, estimate bool) {
	x := m[name]
	if x == nil {
		x = &Part{Name: name, What: what}
		m[name] = x
	}
	x.Files += files
	x.Unpacked += unpacked
	x.Packed += packed
	x.Estimate = x.Estimate || estimate
}

func (m parts) list() []*Part {
	return slices.SortedFunc(maps.Values(m), func(a, b *Part) int {
		return cmp.Or(cmp.Compare(b.Packed, a.Packed), cmp.Compare(a.Name, b.Name))
	})
}

var otherKind = &tables.FileKind{Kind: "other", What: "other files", Delivered: true}

// itemsOf tells of every file what it is.
func itemsOf(p *facts.Package, t *tables.Set) []*item {
	var kinds []*tables.FileKind
	for _, k := range t.FileKinds {
		if k.Platform == "" || k.Platform == p.Platform() {
			kinds = append(kinds, k)
		}
	}
	later := map[string]bool{}
	if a := p.Android; a != nil {
		for _, m := range a.Bundle.Modules {
			later[m.Name] = m.Delivery != "install-time"
		}
	}
	var nested []string
	code := executables(p)
	if p.IOS != nil {
		for _, b := range p.IOS.Nested {
			nested = append(nested, b.Path)
		}
		slices.SortFunc(nested, func(a, b string) int { return len(b) - len(a) })
	}
	out := make([]*item, 0, len(p.Files))
	for _, f := range p.Files {
		it := &item{File: f, name: f.Path, kind: otherKind}
		if p.IOS != nil {
			it.name = strings.TrimPrefix(f.Path, p.IOS.Root+"/")
		}
		for _, k := range kinds {
			if k.Pattern.Match(it.name) {
				it.kind = k
				break
			}
		}
		if code[it.name] || code[it.Path] {
			it.kind = iosCode
		}
		it.delivered = it.kind.Delivered
		if p.IOS != nil {
			it.ios(nested, p.IOS.Root)
		} else {
			it.android(p.Kind == "aab", later)
		}
		out = append(out, it)
	}
	return out
}

// executables are the paths of the code of an iOS app's bundles other than frameworks.
func executables(p *facts.Package) map[string]bool {
	out := map[string]bool{}
	if p.IOS != nil {
		for _, b := range p.IOS.Bundles {
			if b.Kind != "framework" && b.Code.Path != "" {
				out[b.Code.Path] = true
			}
		}
	}
	return out
}

func (it *item) android(bundle bool, later map[string]bool) {
	within := it.name
	if bundle {
		module, rest, ok := strings.Cut(it.name, "/")
		if ok && it.delivered {
			it.module, it.later, within = module, later[module], rest
		}
	} else if it.kind.Kind == "signature" {
		it.delivered = true // an APK is delivered as it is
	}
	if rest, ok := strings.CutPrefix(within, "lib/"); ok {
		it.abi, _, _ = strings.Cut(rest, "/")
	}
	if rest, ok := strings.CutPrefix(within, "res/"); ok {
		dir, _, _ := strings.Cut(rest, "/")
		for _, q := range strings.Split(dir, "-")[1:] {
			switch {
			case strings.HasSuffix(q, "dpi") && q != "nodpi" && q != "anydpi":
				it.density = q
			case it.language == "" && len(q) == 2 && isLetter(q[0]) && isLetter(q[1]):
				it.language = q
			case strings.HasPrefix(q, "b+"):
				it.language = strings.Split(q[2:], "+")[0]
			}
		}
	}
}

func isLetter(c byte) bool { return c >= 'a' && c <= 'z' }

// iosCode is the kind of the executables of bundles, which the property lists name.
var iosCode = &tables.FileKind{Kind: "code", What: "compiled code", Delivered: true}

func (it *item) ios(nested []string, root string) {
	if root != "" && it.name == it.Path && it.Path != root {
		it.delivered = false // it lies beside the app
	}
	it.module = "app"
	for _, b := range nested {
		if b != "." && strings.HasPrefix(it.name, b+"/") {
			it.module = b
			break
		}
	}
	for dir := path.Dir(it.name); dir != "." && dir != "/"; dir = path.Dir(dir) {
		if l, ok := strings.CutSuffix(path.Base(dir), ".lproj"); ok {
			it.language = l
		}
	}
	base := strings.TrimSuffix(path.Base(it.name), path.Ext(it.name))
	for _, s := range []string{"@2x", "@3x"} {
		if strings.HasSuffix(strings.TrimSuffix(strings.TrimSuffix(base, "~ipad"), "~iphone"), s) {
			it.scale = s[1:]
		}
	}
}

// languages are the texts of each language: files of their own, and the share of the
// resource table by the number of texts.
func languages(p *facts.Package, items []*item) []*Part {
	m := parts{}
	for _, it := range items {
		if it.language != "" {
			m.add(it.language, "", it)
		}
	}
	for _, it := range items {
		if it.kind.Kind != "table" || p.Android == nil {
			continue
		}
		shares := tableShares(p.Android)
		for _, l := range slices.Sorted(maps.Keys(shares)) {
			if l != "" {
				m.put(l, "", 0, portion(it.Size, shares[l]), portion(it.Compressed, shares[l]), true)
			}
		}
	}
	return m.list()
}

// tableShares is how the resource table's texts spread over languages; "" is the
// default one.
func tableShares(a *facts.Android) map[string]float64 {
	out := map[string]float64{}
	var total int64
	for _, s := range a.Resources.Strings {
		total += s.Count
	}
	for _, s := range a.Resources.Strings {
		if total > 0 {
			out[s.Locale] = float64(s.Count) / float64(total)
		}
	}
	return out
}

// thirdParty weighs the code of others: its libraries and frameworks, and its share of the
// compiled code by the number of classes. What no name shows is of unknown origin.
func (w *Weight) thirdParty(p *facts.Package, items []*item, ev *evidence.Evidence, t *tables.Set, whose *origin.Index) {
	if ev == nil {
		return
	}
	rows := map[string]*tables.SDK{}
	for _, s := range t.SDKs {
		rows[s.ID] = s
	}
	others := parts{}
	taken := map[string]bool{} // a file counts once
	for _, x := range ev.SDKs {
		row := rows[x.ID]
		if row == nil {
			continue
		}
		for _, it := range items {
			if !taken[it.Path] && fileOf(it.name, row, p.IOS != nil) {
				taken[it.Path] = true
				others.put(x.ID, x.Kind, 1, it.Size, it.Compressed, false)
			}
		}
	}
	if p.Android != nil && p.Android.Code != nil {
		w.compiled(p.Android.Code, items, rows, whose, others)
	}
	w.ThirdParty = others.list()
}

// compiled shares the compiled code out, by the number of classes.
func (w *Weight) compiled(code *facts.Code, items []*item, rows map[string]*tables.SDK, whose *origin.Index, others parts) {
	classes, known := map[string]int64{}, int64(0)
	for pkg, n := range code.Packages {
		by := whose.Class(pkg).By
		if by != "" {
			known += n
		}
		classes[by] += n
	}
	classes[""] = max(0, code.Classes-known) // with those of packages that are not listed
	sums := parts{}
	for _, it := range items {
		if it.kind.Kind != "code" || code.Classes == 0 {
			continue
		}
		for by, n := range classes {
			size, packed := it.Size*n/code.Classes, it.Compressed*n/code.Classes
			switch row := rows[by]; {
			case n == 0:
			case by == "":
				sums.put("unknown", "code of which no name shows whose it is", 0, size, packed, true)
			case row == nil:
				sums.put(origin.App, "code of the app's own class families", 0, size, packed, true)
			default:
				sums.put("third parties", "code of known third parties", 0, size, packed, true)
				others.put(by, row.Kind, 0, size, packed, true)
			}
		}
	}
	w.Origins = sums.list()
}

// fileOf tells whether a file is of third-party code, by its name.
func fileOf(name string, row *tables.SDK, ios bool) bool {
	if !ios {
		return slices.Contains(row.Files, path.Base(name))
	}
	for _, f := range row.Frameworks {
		if strings.Contains("/"+name, "/"+f+".framework/") {
			return true
		}
	}
	for _, f := range row.IOSFiles {
		f = strings.TrimSuffix(f, "/")
		if ok, _ := path.Match(f, path.Base(name)); ok || strings.HasPrefix(name, f+"/") || strings.Contains(name, "/"+f+"/") {
			return true
		}
	}
	return false
}

func (w *Weight) largest(items []*item, most int) {
	sorted := slices.Clone(items)
	slices.SortStableFunc(sorted, func(a, b *item) int {
		return cmp.Or(cmp.Compare(b.Compressed, a.Compressed), cmp.Compare(a.Path, b.Path))
	})
	for _, it := range sorted[:min(most, len(sorted))] {
		w.Largest = append(w.Largest, &File{it.name, it.kind.Kind, it.Size, it.Compressed})
	}
}

func (w *Weight) twins(items []*item, least int64) {
	by := map[string][]*item{}
	for _, it := range items {
		// The same library for two modules or architectures is no copy by mistake.
		if it.Digest != "" && it.delivered {
			by[it.Digest] = append(by[it.Digest], it)
		}
	}
	for _, list := range by {
		if len(list) < 2 {
			continue
		}
		t := &Twin{Size: list[0].Size}
		for i, it := range list {
			t.Paths = append(t.Paths, it.name)
			if i > 0 {
				t.Wasted += it.Compressed
			}
		}
		if t.Wasted >= least {
			w.Twins = append(w.Twins, t)
		}
	}
	slices.SortFunc(w.Twins, func(a, b *Twin) int {
		return cmp.Or(cmp.Compare(b.Wasted, a.Wasted), cmp.Compare(a.Paths[0], b.Paths[0]))
	})
}

// maxLeaves is how many files of one kind a treemap shows by themselves.
const maxLeaves = 40

func (w *Weight) tree(items []*item) {
	sorted := slices.Clone(items)
	slices.SortStableFunc(sorted, func(a, b *item) int { return cmp.Compare(b.Compressed, a.Compressed) })
	branches := map[string]*Branch{}
	for _, it := range sorted {
		b := branches[it.kind.Kind]
		if b == nil {
			b = &Branch{Name: it.kind.Kind, What: it.kind.What}
			branches[it.kind.Kind] = b
			w.Tree = append(w.Tree, b)
		}
		b.Packed += it.Compressed
		switch {
		case len(b.Leaves) < maxLeaves:
			b.Leaves = append(b.Leaves, Leaf{it.name, it.Compressed})
		case len(b.Leaves) == maxLeaves:
			b.Leaves = append(b.Leaves, Leaf{"smaller files", it.Compressed})
		default:
			b.Leaves[maxLeaves].Packed += it.Compressed
		}
	}
	for _, b := range w.Tree {
		slices.SortStableFunc(b.Leaves, func(a, b Leaf) int { return cmp.Compare(b.Packed, a.Packed) })
	}
	slices.SortStableFunc(w.Tree, func(a, b *Branch) int { return cmp.Compare(b.Packed, a.Packed) })
}

// how says how the estimates were made.
func how(p *facts.Package) []string {
	switch {
	case p.Kind == "aab":
		return []string{
			"a download is the compressed bytes of what one device gets: modules at installation, one architecture, the nearest density, the default language and those of the device",
			"a language's share of the resource table goes by its number of texts; third-party code's share of compiled code by its number of classes",
			"the store compresses anew: the real download is some percent smaller",
		}
	case p.IOS != nil:
		return []string{
			"a download is the compressed bytes of the app; code counts unpacked, since the store encrypts it",
			"pictures of an asset catalogue go by the pixels of the scales that the device takes",
		}
	}
	return []string{"every device downloads the whole APK", "third-party code's share of compiled code goes by its number of classes"}
}
