package run

import (
	"context"
	"fmt"
	"os"
	"strings"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/fact"
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
	if l == nil {
		for _, p := range pairs {
			p.Submission.Remember(nil, nil)
		}
		return nil
	}
	type line struct {
		store string
		ledger.Line
	}
	releases, digests := make([]*ledger.Release, len(pairs)), map[line][]string{}
	for i, p := range pairs {
		now := snapshot.Of(p.Submission, d.Root)
		if releases[i] = now; p.Submission.Pkg == nil || !l.Sent(p.Judge.Store.ID, now.Build) {
			continue
		}
		file := p.Submission.Pkg.File
		if info, err := os.Stat(file); err == nil && info.Mode().IsRegular() {
			if now.Digest, err = safeopen.SHA256(ctx, file); err != nil && ctx.Err() != nil {
				return ctx.Err()
			} else if err != nil {
				return safeopen.Problem(file, err, "check the path")
			}
		}
		at := line{p.Judge.Store.ID, now.Line()}
		digests[at] = append(digests[at], now.Digest)
	}
	for i, p := range pairs {
		id, now := p.Judge.Store.ID, releases[i]
		now.Beside = digests[line{id, now.Line()}]
		// The very packages that were sent are this release itself: what came before it counts.
		last := l.Previous(id, now.Line(), now.Is)
		p.Submission.Remember(last, l.Of(id, now, last))
	}
	return nil
}

// objections judges the rules that reviewers named as reasons: a release that changed is
// not one in which the fault is fixed.
func objections(ctx context.Context, pairs []check.Pair, on day.Day) error {
	for _, p := range pairs {
		for _, r := range p.Submission.History.Objections() {
			id, ok := strings.CutPrefix(r.About, "rule:")
			if !ok {
				continue
			}
			verdicts, err := p.Judge.Verdicts(ctx, p.Submission, check.Options{Day: on, Rules: []string{id}})
			if err != nil {
				return err
			}
			for _, v := range verdicts {
				if r.Is = "the rule " + id + " is still broken"; len(v.Gaps) > 0 {
					fact.Lose(r, &r.Unchanged, v.Gaps[0])
				}
				r.Unchanged = v.State == check.Broken || v.State == check.Waived
			}
		}
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
