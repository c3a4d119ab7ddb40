package android

import (
	"path"
	"strings"

	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/place"
)

// archive gathers the oddities of the ZIP archive, and what an aligner would
// have put right.
func (r *reader) archive() {
	z := r.tree.Archive
	if z == nil {
		return
	}
	a := &facts.Archive{TableStored: true}
	a.SetSelf(place.Place{File: r.file})
	for _, f := range z.Faults {
		if f.Kind == "prefix" && r.bundle {
			continue
		}
		af := &facts.ArchiveFault{Kind: f.Kind, Entry: f.Entry, What: f.What}
		af.SetSelf(place.Place{File: r.file, Entry: f.Entry})
		a.Faults = append(a.Faults, af)
	}
	for _, e := range z.Entries {
		if name, err := e.LocalName(); err != nil || name != e.Name {
			af := &facts.ArchiveFault{Kind: "local-name", Entry: e.Name, What: "has another name in its local header than in the directory"}
			if err != nil {
				af.What = err.Error()
			}
			af.SetSelf(place.Place{File: r.file, Entry: e.Name, Offset: e.Header})
			a.Faults = append(a.Faults, af)
		}
	}
	if !r.bundle {
		for _, e := range r.tree.Entries {
			if !e.Stored || e.Size == 0 || strings.HasPrefix(e.Name, "META-INF/") {
				continue
			}
			at, err := e.DataOffset()
			if err == nil && at%4 != 0 {
				u := &facts.Unaligned{Entry: e.Name, Offset: at}
				u.SetSelf(place.Place{File: r.file, Entry: e.Name, Offset: at})
				a.Unaligned = append(a.Unaligned, u)
			}
		}
		if t := r.tree.Get("resources.arsc"); t != nil {
			a.TableStored = t.Stored
			a.Put("table_stored", place.Place{File: r.file, Entry: "resources.arsc"})
		}
	}
	r.out.Archive = a
	seen := map[string]bool{}
	for _, e := range r.tree.Entries {
		dir := path.Base(path.Dir(e.Name))
		if _, after, ok := strings.Cut(dir, "-"); ok && strings.Contains(e.Name, "res/") {
			for _, q := range strings.Split(after, "-") {
				if strings.HasSuffix(q, "dpi") && !seen[q] {
					seen[q] = true
					r.out.Densities = append(r.out.Densities, q)
				}
			}
		}
	}
}
