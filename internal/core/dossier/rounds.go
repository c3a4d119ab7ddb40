package dossier

import (
	"slices"

	"regola.example/regola/internal/core/fact"
)

// Round is what goes to one circle of people: the release itself, or a test.
type Round struct {
	Channel string // as release: channel says it; empty for everybody
	Test    *Test  // nil for the release
}

// All lists the tests that are there, the widest first.
func (t *Tests) All() (out []Round) {
	for _, r := range []Round{{"open-test", t.Open}, {"invited-test", t.Invited}, {"team-test", t.Team}} {
		if r.Test != nil {
			out = append(out, r)
		}
	}
	return out
}

// Rounds lists what goes out by a store's keys: the release, then the tests that run
// beside it. A dossier that has tests and says nothing of a release is of the tests alone.
func (d *Dossier) Rounds(keys []string) (out []Round) {
	tests := d.Tests.All()
	if len(tests) == 0 || fact.HasPlace(d, &d.Release) {
		out = append(out, Round{Channel: d.ReleaseFor(keys).Channel})
	}
	for _, t := range tests {
		if t.Test.Store == "" || slices.Contains(keys, t.Test.Store) {
			out = append(out, t)
		}
	}
	return out
}

// ReleaseFor is the release in a store, by the store's keys.
func (d *Dossier) ReleaseFor(keys []string) *Release {
	for _, k := range keys {
		if r := d.releases[k]; r != nil {
			return r
		}
	}
	return &d.Release
}

// PackagesOf lists the packages of a round in a store, and whether the dossier names any.
func (d *Dossier) PackagesOf(r Round, keys []string) (files PackageFiles, named bool) {
	if r.Test != nil {
		if files, _, named = r.Test.Packages.For(keys); named {
			return files, true
		}
	}
	files, _, named = d.Packages.For(keys)
	return files, named
}

// Of is what goes out in a round in a store: the release, with what a test says of its own.
func (r Round) Of(d *Dossier, keys []string) *Release {
	base := d.ReleaseFor(keys)
	if r.Test == nil {
		return base
	}
	t, out := r.Test, *base
	out.Mark = base.Mark.Copy()
	out.Testing.Mark = base.Testing.Mark.Copy()
	out.Channel, out.Share, out.Planned, out.Phased = r.Channel, "", "", false
	fact.Put(&out, &out.Channel, t.Self())
	if t.Version != "" {
		out.Version = t.Version
		fact.Put(&out, &out.Version, fact.PlaceOf(t, &t.Version))
	}
	x := &out.Testing
	x.SetSelf(t.Self())
	x.From, x.Until, x.List, x.Notes, x.About, x.Feedback, x.Cap, x.Testers = t.From, t.Until, t.Testers, t.LookAt, t.About, t.Feedback, t.Cap, nil
	fact.Put(x, &x.From, fact.PlaceOf(t, &t.From))
	fact.Put(x, &x.Until, fact.PlaceOf(t, &t.Until))
	fact.Put(x, &x.List, fact.PlaceOf(t, &t.Testers))
	fact.Put(x, &x.Notes, fact.PlaceOf(t, &t.LookAt))
	fact.Put(x, &x.About, fact.PlaceOf(t, &t.About))
	fact.Put(x, &x.Feedback, fact.PlaceOf(t, &t.Feedback))
	fact.Put(x, &x.Cap, fact.PlaceOf(t, &t.Cap))
	return &out
}
