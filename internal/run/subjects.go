package run

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"regola.example/regola/internal/core/artifact"
	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/fetched"
	"regola.example/regola/internal/core/ledger"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/store"
	"regola.example/regola/internal/core/submission"
	"regola.example/regola/internal/core/tables"
)

// subject is one thing that is judged: a store, a round in it, and a package of the round.
type subject struct {
	store   *store.Store
	round   dossier.Round
	pkg     *facts.Package // nil for none
	all     []*submission.Artefact
	nth     int // among the packages for the same kind of device, from 1
	further bool
	absent  string // why the package is not there
}

// subjects finds what is judged: for each store and round the packages that are meant, the
// one for phones first. A call gives one a kind of device; where a dossier lists several,
// they share the devices among them.
func (r *Runner) subjects(g *gathered, on *tables.Set) ([]*subject, error) {
	pkgs, d := artifact.Join(g.pkgs), g.dossier
	var out []*subject
	for _, s := range r.stores {
		for _, round := range r.rounds(d, s) {
			var mine []*subject
			for _, p := range pkgs {
				if !s.Takes(p.Platform(), p.Kind) || d != nil && !takesPackage(s, round, p, d) {
					continue
				}
				nth := 1
				for _, x := range mine {
					form := submission.FormOf(p, on)
					if submission.FormOf(x.pkg, on) != form {
						continue
					}
					if nth++; d == nil || !lists(d, round, s, p) || !lists(d, round, s, x.pkg) {
						return nil, place.Problems{{At: place.Place{File: p.File},
							What: fmt.Sprintf("a second package for the same store and the same kind of device (%s); %s is one already", form, x.pkg.File), Fix: "give one package a kind of device"}}
					}
				}
				mine = append(mine, &subject{store: s, round: round, pkg: p, nth: nth})
			}
			slices.SortStableFunc(mine, func(a, b *subject) int {
				first := func(x *subject) int {
					if submission.FormOf(x.pkg, on) == ledger.Phone {
						return 0
					}
					return 1
				}
				return first(a) - first(b)
			})
			var all []*submission.Artefact
			for i, x := range mine {
				all = append(all, submission.ArtefactOf(x.pkg, on))
				x.further = i > 0
			}
			for _, x := range mine {
				x.all = all
			}
			if d != nil {
				more, err := notThere(s, round, pkgs, d, len(mine))
				if err != nil {
					return nil, err
				}
				mine = append(mine, more...)
			}
			out = append(out, mine...)
		}
	}
	if len(out) == 0 && d != nil && len(r.opt.Channels) > 0 {
		var has []string
		for _, s := range r.stores {
			for _, x := range d.Rounds(s.Blocks) {
				if c := cmp.Or(x.Channel, ledger.Public); !slices.Contains(has, c) {
					has = append(has, c)
				}
			}
		}
		return nil, place.Problems{{What: "nothing of this dossier goes to " + strings.Join(r.opt.Channels, ", "), Fix: "it has " + strings.Join(has, ", ") + "; release: is for the public, tests: for the others"}}
	}
	if len(out) == 0 {
		return nil, place.Problems{{What: "there is nothing to judge", Fix: "give a package, or a dossier that names an id or a package for the store"}}
	}
	return out, nil
}

// notThere are the packages of a round that are named and not there, and the round itself
// where it has none.
func notThere(s *store.Store, round dossier.Round, pkgs []*facts.Package, d *dossier.Dossier, found int) (out []*subject, err error) {
	files, _ := d.PackagesOf(round, s.Blocks)
	for _, f := range files {
		for _, p := range pkgs {
			if f.Name != "" && d.Path(f.Name) == p.File && !s.Takes(p.Platform(), p.Kind) {
				return nil, place.Problems{{At: f.Self(), What: fmt.Sprintf("%s is a package of kind %s, which the %s does not take", f.Name, p.Kind, s.Name), Fix: "name the right package; are two of them swapped?"}}
			}
		}
		if f.Absent != "" && (found > 0 || len(files) > 1) {
			out = append(out, &subject{store: s, round: round, absent: f.Absent, further: found+len(out) > 0})
		}
	}
	if found == 0 && len(out) == 0 && namesPackageFor(d, round, s) {
		x := &subject{store: s, round: round}
		if len(files) > 0 {
			x.absent = files[0].Absent
		}
		out = append(out, x)
	}
	return out, nil
}

// pair puts each subject's package, dossier and rules together.
func (r *Runner) pair(ctx context.Context, g *gathered, on day.Day) ([]check.Pair, error) {
	d, set := g.dossier, g.set.On(on)
	subjects, err := r.subjects(g, set)
	if err != nil {
		return nil, err
	}
	chosen := map[string]*facts.Package{}
	for _, x := range subjects {
		if chosen[x.store.ID] == nil {
			chosen[x.store.ID] = x.pkg
		}
	}
	back, ps := backendOf(d, g.set)
	if len(ps) > 0 {
		return nil, ps
	}
	var found map[string]*fetched.Fetched
	if r.opt.Links != nil {
		if found, err = r.fetch(ctx, r.opt.Links, d, chosen); err != nil {
			return nil, err
		}
	}
	var pairs []check.Pair
	for _, x := range subjects {
		s := x.store
		list, ps := testersOf(d, x.round, s.Blocks)
		if len(ps) > 0 {
			return nil, ps
		}
		src := submission.Sources{Store: s, Package: x.pkg, Dossier: d, Round: x.round, Tables: set, Fetched: found[s.ID], Backend: back, Testers: list, Phrases: r.words, Absent: x.absent}
		if g.lib != nil {
			src.Pictures = g.lib.Gallery(s.ID, s.Blocks, d.App.DefaultLocale)
		}
		sub := submission.New(src)
		sub.Artefacts, sub.Further = x.all, x.further
		fact.Stamp(sub.Artefacts, "artefacts", fact.NotRead)
		p := check.Pair{Judge: g.judges[s.ID], Submission: sub, Memo: r.shared.memo(x.pkg), Absent: x.absent}
		if p.Subject = submission.Subject(s.ID, x.round, sub.Form, x.further, x.nth); p.Subject != s.ID {
			p.Name = nameOf(s, x, sub)
		}
		pairs = append(pairs, p)
	}
	return pairs, nil
}

// nameOf names a subject in words, such as Android store, team test, watch.
func nameOf(s *store.Store, x *subject, sub *submission.Submission) string {
	name := s.Name
	if x.round.Test != nil {
		how := strings.ReplaceAll(x.round.Channel, "-", " ")
		if t := s.Test(x.round.Channel); t != nil {
			how = t.Name
		}
		name += ", " + how
	}
	if x.further {
		form := sub.Form
		if sub.Pkg == nil {
			form = "a further package"
		}
		if x.nth > 1 {
			form += " " + strconv.Itoa(x.nth)
		}
		name += ", " + form
	}
	return name
}

// takesPackage tells whether a package of the right platform is one that a dossier means
// for a round in a store: of two stores of one platform, and of two rounds, each may have
// its own.
func takesPackage(s *store.Store, round dossier.Round, p *facts.Package, d *dossier.Dossier) bool {
	files, named := d.PackagesOf(round, s.Blocks)
	return !named || len(files) == 0 || lists(d, round, s, p) || !anyNames(d, p)
}

// lists tells whether a dossier names a package for a round in a store.
func lists(d *dossier.Dossier, round dossier.Round, s *store.Store, p *facts.Package) bool {
	files, _ := d.PackagesOf(round, s.Blocks)
	return slices.ContainsFunc(files, func(f *dossier.PackageFile) bool { return d.Path(f.Name) == p.File })
}

// anyNames tells whether the dossier names this package at all.
func anyNames(d *dossier.Dossier, p *facts.Package) bool {
	return slices.ContainsFunc(d.PackageNames(), func(named string) bool { return d.Path(named) == p.File })
}

// namesPackageFor tells whether a dossier means a store at all.
func namesPackageFor(d *dossier.Dossier, round dossier.Round, s *store.Store) bool {
	_, pkg := d.PackagesOf(round, s.Blocks)
	_, _, id := d.App.IDs.For(s.Blocks)
	return pkg || id || d.Packages.Empty() && d.App.IDs.Empty()
}
