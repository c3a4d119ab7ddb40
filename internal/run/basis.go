package run

import (
	"context"
	"os"
	"slices"
	"strings"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/ledger"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/tables"
	"regola.example/regola/internal/core/textual"
	"regola.example/regola/internal/ledgerfile"
)

// basis tells what a result rests on.
func (r *Runner) basis(res *check.Result, pairs []check.Pair, d *dossier.Dossier, set *tables.Set) (*check.Basis, error) {
	b := &check.Basis{Dossier: d != nil, Links: r.opt.Links != nil, Languages: []string{}, Unjudged: []string{}}
	editions, err := r.Editions()
	if err != nil {
		return nil, err
	}
	b.Age(editions, res.Day)
	b.Confirms(res.Stores)
	b.Packages, b.First = []check.PackageBasis{}, []string{}
	for i, p := range pairs {
		pkg := p.Submission.Pkg
		if pkg == nil {
			continue
		}
		x := check.PackageBasis{Store: res.Stores[i].ID, File: res.Stores[i].Package, Version: pkg.Version(), Build: pkg.Build()}
		if r := p.Submission.Release; r != nil && r.Version != "" && x.Version != "" && textual.CompareVersions(r.Version, x.Version) != 0 {
			x.Other = r.Version
		}
		if info, err := os.Stat(pkg.File); err == nil {
			if days := int64(res.Day.Sub(info.ModTime()).Hours() / 24); days > check.MaxPackageAge {
				x.Age = days
			}
		}
		if h := p.Submission.History; h != nil && h.Sent != nil {
			x.Sent = h.Sent.String()
		}
		b.Packages = append(b.Packages, x)
	}
	if d == nil {
		return b, nil
	}
	b.Base = d.Base
	l, err := ledgerfile.Read(d.Root)
	if err != nil {
		return nil, err
	}
	if l != nil {
		b.Ledger = check.LedgerBasis{Events: int64(len(l.Events)), Unread: int64(len(l.Faults))}
		for _, e := range l.Events {
			b.Ledger.Last = max(b.Ledger.Last, e.On.String())
		}
	}
	known := map[string]bool{}
	for _, p := range set.Phrases {
		for _, lang := range p.Languages {
			known[lang] = true
		}
	}
	for _, t := range d.Listing {
		lang, _, _ := strings.Cut(t.Locale, "-")
		switch {
		case known[lang]:
			b.Languages = append(b.Languages, t.Locale)
		default:
			b.Unjudged = append(b.Unjudged, t.Locale)
		}
	}
	for _, p := range pairs {
		if s := p.Submission; s.Channel == ledger.Public && !s.Further && s.Release != nil && s.Release.First != nil && *s.Release.First {
			b.First = append(b.First, p.Judge.Store.Name)
		}
		b.Pictures = b.Pictures || p.Submission.Pictures != nil
		b.Backend = b.Backend || p.Submission.Backend != nil && p.Submission.Backend.Given
	}
	slices.Sort(b.Languages)
	slices.Sort(b.Unjudged)
	return b, nil
}

// promoted tells of releases to testers what the channel to which they are promoted asks
// beyond theirs.
func (r *Runner) promoted(ctx context.Context, res *check.Result, pairs []check.Pair) error {
	for i, p := range pairs {
		t := p.Judge.Store.Test(p.Submission.Channel)
		if t == nil || p.Submission.Further || p.Submission.Release == nil {
			continue
		}
		next, release := *p.Submission, *p.Submission.Release
		release.Channel, next.Channel, next.Release = t.Next, t.Next, &release
		all, err := p.Judge.Verdicts(ctx, &next, check.Options{Day: res.Day, Stages: res.Stages})
		if err != nil {
			return err
		}
		x := &check.Next{Channel: t.Next, Name: "public release"}
		if n := p.Judge.Store.Test(t.Next); n != nil {
			x.Name = n.Name
		}
		for _, v := range all {
			switch impact := v.Impact(); {
			case v.State == check.ToAnswer || v.State == check.ToConfirm:
				x.Open++
			case v.State == check.Broken && check.Grave(impact, string(rulebook.Rejected)):
				x.Grave++
			}
		}
		res.Stores[i].Next = x
	}
	return nil
}
