package run

import (
	"context"
	"fmt"
	"os"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/ledger"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/safeopen"
	"regola.example/regola/internal/core/snapshot"
	"regola.example/regola/internal/ledgerfile"
)

// remember adds the history to what is judged.
func remember(ctx context.Context, pairs []check.Pair, d *dossier.Dossier) error {
	if d == nil {
		for _, p := range pairs {
			p.Submission.Remember(nil, nil)
		}
		return nil
	}
	l, err := ledgerfile.Read(d.Root)
	if err != nil {
		return err
	}
	for _, p := range pairs {
		if l == nil {
			p.Submission.Remember(nil, nil)
			continue
		}
		id := p.Judge.Store.ID
		now := snapshot.Of(p.Submission, d.Root)
		if pkg := p.Submission.Pkg; pkg != nil && l.Sent(id, now.Build) {
			if info, err := os.Stat(pkg.File); err == nil && info.Mode().IsRegular() {
				if now.Digest, err = safeopen.SHA256(ctx, pkg.File); err != nil && ctx.Err() != nil {
					return ctx.Err()
				} else if err != nil {
					return safeopen.Problem(pkg.File, err, "check the path")
				}
			}
		}
		// The very package that was sent is this release itself: what came before it counts.
		last := l.Previous(id, now.Line(), func(r *ledger.Release) bool { return now.Digest != "" && r.Digest == now.Digest })
		p.Submission.Remember(last, l.Of(id, now, last))
	}
	return nil
}

// Record records the release of a dossier, one event a store. digest gives the
// SHA-256 of a file.
func Record(pairs []check.Pair, res *check.Result, d *dossier.Dossier, digest func(file string) (string, error)) ([]*ledger.Event, error) {
	var out []*ledger.Event
	for i, p := range pairs {
		r := snapshot.Of(p.Submission, d.Root)
		for _, v := range res.Stores[i].Verdicts {
			if v.State == check.Broken {
				r.Broken = append(r.Broken, v.Rule.ID)
			}
		}
		if file := res.Stores[i].Package; file != "" {
			sum, err := digest(file)
			if err != nil {
				return nil, err
			}
			r.Digest = sum
		}
		if r.Version == "" || r.Build == "" {
			return nil, &place.Problem{At: place.Place{File: d.Root}, What: fmt.Sprintf("the release for %s has no version and build number that could be recorded", p.Judge.Store.Name), Fix: "give its package, and release: version in the dossier"}
		}
		out = append(out, &ledger.Event{Event: ledger.Released, On: res.Day, Store: p.Judge.Store.ID, Version: r.Version, Build: r.Build, Release: r})
	}
	return out, nil
}
