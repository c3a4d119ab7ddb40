package android

import (
	"strings"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/place"
)

// archive gathers the oddities of the ZIP archive, and what an aligner would
// have put right.
func (r *reader) archive() {
	z := r.tree.Archive
	if z == nil {
		fact.Lose(r.out, &r.out.Archive, fact.Missing("a folder is no archive"))
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
			fact.Put(a, &a.TableStored, place.Place{File: r.file, Entry: "resources.arsc"})
		}
	}
	r.out.Archive = a
}
