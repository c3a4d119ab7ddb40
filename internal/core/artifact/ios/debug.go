package ios

import (
	"path"
	"slices"
	"sort"
	"strings"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/format/macho"
	"regola.example/regola/internal/core/format/plist"
	"regola.example/regola/internal/core/place"
)

// archive reads what a build archive says of itself. The signatures in it are
// replaced when it is exported.
func (r *reader) archive() {
	at := strings.Index("/"+r.root, "/Products/Applications/")
	if at < 0 {
		r.out.SignatureFinal = true
		return
	}
	base := strings.TrimSuffix(r.root[:at], "/")
	fact.Lose(r.out, &r.out.SignatureFinal, fact.Missing("the signatures in a build archive are replaced at its export; check the exported package"))
	name := path.Join(base, "Info.plist")
	a := &facts.BuildArchive{}
	a.SetSelf(place.Place{File: r.file, Entry: name})
	r.out.Archive = a
	whole := r.whole.Sub(base)
	for _, n := range whole.Folders("Products") {
		if n != "Products/Applications" {
			a.Products = append(a.Products, n)
		}
	}
	for _, e := range whole.Below("Signatures") {
		a.Signed = append(a.Signed, path.Base(e.Name))
	}
	data, err := r.whole.Read(name, maxInfo)
	var info *plist.Value
	if err == nil {
		info, _, err = plist.Parse(data, r.tree.Budget)
	}
	if err != nil {
		fact.LoseAll(a, fact.Unread("the archive's property list cannot be read: "+err.Error()), &a.Products, &a.Signed)
		return
	}
	const props = "ApplicationProperties"
	d := &decoder{at: a.Self()}
	app := d.of(info, props, "", plist.Dict)
	a.App, a.ID = app != nil, d.text(app, "CFBundleIdentifier", props)
	a.Version, a.Build = d.text(app, "CFBundleShortVersionString", props), d.text(app, "CFBundleVersion", props)
	if gap := d.since(0); gap != nil {
		fact.LoseAll(a, *gap, &a.Products, &a.Signed)
	}
}

// debugInfo lists the builds for which debugging information comes along:
// as dSYM bundles in a build archive, as symbol files in an archive for the
// store.
func (r *reader) debugInfo() {
	r.out.Debug.SetSelf(r.at(""))
	for _, e := range r.whole.Entries {
		switch {
		case strings.Contains(e.Name, ".dSYM/Contents/Resources/DWARF/") && r.root != "" && !strings.HasPrefix(e.Name, r.root+"/"):
			r.out.Debug.Carried = true
			src, err := e.Open()
			var f *macho.File
			if err == nil {
				f, err = macho.ReadHeaders(src, r.tree.Budget.Part(int(min(e.Size, 1<<30))))
				src.Close()
			}
			if err != nil {
				fact.Lose(&r.out.Debug, &r.out.Debug.Builds, fact.Unread(e.Name+": "+err.Error()))
				continue
			}
			for _, s := range f.Slices {
				r.out.Debug.Builds = append(r.out.Debug.Builds, s.UUID)
			}
		case strings.HasPrefix(e.Name, "Symbols/") && path.Ext(e.Name) == ".symbols":
			r.out.Debug.Carried = true
			r.out.Debug.Builds = append(r.out.Debug.Builds, strings.ToUpper(strings.TrimSuffix(path.Base(e.Name), ".symbols")))
		}
	}
	if strings.Contains(r.root, "Products/Applications/") {
		r.out.Debug.Carried = true
	}
	sort.Strings(r.out.Debug.Builds)
	r.out.Debug.Builds = slices.Compact(r.out.Debug.Builds)
}
