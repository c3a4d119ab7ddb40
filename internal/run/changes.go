package run

import (
	"cmp"
	"context"
	"errors"
	"io"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"regola.example/regola/internal/core/artifact"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/ledger"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/snapshot"
	"regola.example/regola/internal/core/submission"
	"regola.example/regola/internal/git"
	"regola.example/regola/internal/ledgerfile"
	"regola.example/regola/internal/view"
)

// Side reads what a call compares: a package, a dossier's folder, REVISION:FOLDER of
// git, or a version or build of the ledger in a folder.
func (r *Runner) Side(ctx context.Context, name, ledgerFolder string) (*view.Side, error) {
	if info, err := os.Stat(name); err == nil {
		if info.IsDir() && dossier.Exists(name) {
			return r.dossierSide(ctx, name, name)
		}
		return r.packageSide(ctx, name, ledgerFolder)
	}
	if rev, folder, ok := strings.Cut(name, ":"); ok && rev != "" && !filepath.IsAbs(name) {
		return r.revisionSide(ctx, name, rev, folder)
	}
	if ledgerFolder != "" {
		l, err := ledgerfile.Read(ledgerFolder)
		if err != nil {
			return nil, err
		}
		if l != nil {
			s := &view.Side{Name: name, Releases: map[string]*ledger.Release{}, Page: true}
			for _, e := range l.Events {
				if e.Event == ledger.Released && (e.Version == name || e.Build == name) {
					s.Releases[sideKey(e.Store, e.Release)] = e.Release
				}
			}
			if len(s.Releases) > 0 {
				return s, nil
			}
		}
	}
	return nil, &place.Problem{At: place.Place{File: name}, What: "there is no such package or dossier, and the ledger has no such version or build", Fix: "name a file, a folder, REVISION:FOLDER, or what regola ledger show lists"}
}

func (r *Runner) packageSide(ctx context.Context, name, folder string) (*view.Side, error) {
	pkgs, err := Open(ctx, []string{name}, artifact.Options{Digests: true})
	if err != nil {
		return nil, err
	}
	set, err := r.tables()
	if err != nil {
		return nil, err
	}
	if folder != "" { // its tables may know code of the team's own
		if d, _ := r.Dossier(folder); d != nil {
			if _, more, err := r.prepare(d); err == nil {
				set = more
			}
		}
	}
	s := &view.Side{Name: name, Releases: map[string]*ledger.Release{}}
	for _, p := range pkgs {
		for _, st := range r.stores {
			if st.Takes(p.Platform(), p.Kind) {
				x := snapshot.Of(submission.New(submission.Sources{Store: st, Package: p, Tables: set.On(r.opt.Day)}), "")
				s.Releases[sideKey(st.ID, x)] = x
			}
		}
	}
	if len(s.Releases) == 0 {
		return nil, &place.Problem{At: place.Place{File: name}, What: "no store takes such a package", Fix: "name an .aab, .apk or .ipa file"}
	}
	return s, nil
}

// dossierSide reads a dossier with the packages that it names, as far as they are there.
func (r *Runner) dossierSide(ctx context.Context, name, folder string) (*view.Side, error) {
	g, err := r.gather(ctx, Job{Dossier: folder})
	var problems place.Problems
	if errors.As(err, &problems) {
		d, _ := r.Dossier(folder)
		if d != nil && !slices.ContainsFunc(problems, func(p *place.Problem) bool { return !d.NamesPackage(p.At) }) {
			g, err = r.gather(ctx, Job{Dossier: folder, Bare: true}) // which package is meant does not matter to the page
		}
	}
	if err != nil {
		return nil, err
	}
	pairs, err := r.pair(ctx, g, r.opt.Day)
	if err != nil {
		return nil, err
	}
	s := &view.Side{Name: name, Releases: map[string]*ledger.Release{}, Page: true}
	for _, p := range pairs {
		x, st := snapshot.Of(p.Submission, g.dossier.Root), p.Judge.Store
		if p.Submission.Pkg == nil {
			x.ID, _, _ = g.dossier.App.IDs.For(st.Blocks)
		}
		if key := sideKey(st.ID, x); s.Releases[key] == nil { // what is public comes first
			s.Releases[key] = x
		}
	}
	return s, nil
}

// Since holds a release that was judged against the one before it in its ledger, store by
// store; nothing where there is none.
func (r *Runner) Since(j *Judged) (old, now *view.Side, out []*view.Compared) {
	if j.Dossier == nil {
		return nil, nil, nil
	}
	old, now = &view.Side{Releases: map[string]*ledger.Release{}, Page: true}, &view.Side{Name: "now", Releases: map[string]*ledger.Release{}, Page: true}
	for _, p := range j.Pairs {
		was := p.Submission.Previous
		if was == nil {
			continue
		}
		is := snapshot.Of(p.Submission, j.Dossier.Root)
		if key := sideKey(p.Judge.Store.ID, is); now.Releases[key] == nil {
			old.Releases[key], now.Releases[key] = was, is
			old.Name = cmp.Or(old.Name, was.Version)
		}
	}
	return old, now, r.Compare(old, now)
}

// sideKey tells one package of a release from another: by the store and the kind of device.
func sideKey(store string, r *ledger.Release) string {
	if form := r.Line().Form; form != ledger.Phone {
		return store + "/" + form
	}
	return store
}

// revisionSide reads a dossier as git has it in a revision. The files are written to a
// temporary folder: git made their names, and links are left out.
func (r *Runner) revisionSide(ctx context.Context, name, rev, folder string) (*view.Side, error) {
	fail := func(what string) error {
		return &place.Problem{At: place.Place{File: name}, What: what, Fix: "name a revision and a folder below the current one, as in HEAD~1:store"}
	}
	if folder == "" {
		folder = "."
	}
	if strings.HasPrefix(rev, "-") || !filepath.IsLocal(folder) {
		return nil, fail("this is no revision with a folder")
	}
	temp, err := os.MkdirTemp("", "regola-revision-")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(temp)
	err = git.Folder(ctx, rev, filepath.ToSlash(folder), func(name string, _ int64, from io.Reader) error {
		file := filepath.Join(temp, filepath.FromSlash(name))
		if err := os.MkdirAll(filepath.Dir(file), 0o700); err != nil {
			return err
		}
		f, err := os.OpenFile(file, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
		if err != nil {
			return err
		}
		_, err = io.Copy(f, from)
		return errors.Join(err, f.Close())
	})
	var why *git.Error
	if errors.As(err, &why) {
		return nil, fail(why.What)
	}
	if err != nil {
		return nil, err
	}
	at := filepath.Join(temp, folder)
	if !dossier.Exists(at) {
		return nil, fail("there is no dossier in that folder of the revision")
	}
	return r.dossierSide(ctx, name, at)
}

// Compare holds two sides against each other, store by store. What only one side can
// know is left out.
func (r *Runner) Compare(old, now *view.Side) (out []*view.Compared) {
	for _, st := range r.stores {
		if !has(old, st.ID) || !has(now, st.ID) {
			continue
		}
		keys := map[string]bool{}
		for _, side := range []*view.Side{old, now} {
			for key := range side.Releases {
				keys[key] = keys[key] || key == st.ID || strings.HasPrefix(key, st.ID+"/")
			}
		}
		for _, key := range slices.Sorted(maps.Keys(keys)) {
			if !keys[key] {
				continue
			}
			c := &view.Compared{Store: st, Name: st.Name, Old: old.Releases[key], New: now.Releases[key]}
			_, form, further := strings.Cut(key, "/")
			if further {
				c.Name += ", " + form
			}
			switch {
			case c.Old != nil && c.New != nil:
				c.Change = compare(old, now, c.Old, c.New)
			case c.New != nil:
				c.Change = &ledger.Change{Added: []*ledger.Difference{{Kind: "package", What: "for " + cmp.Or(form, ledger.Phone), To: c.New.Version}}}
			default:
				c.Change = &ledger.Change{Removed: []*ledger.Difference{{Kind: "package", What: "for " + cmp.Or(form, ledger.Phone), From: c.Old.Version}}}
			}
			out = append(out, c)
		}
	}
	return out
}

// has tells whether a side has anything for a store.
func has(s *view.Side, store string) bool {
	for key := range s.Releases {
		if key == store || strings.HasPrefix(key, store+"/") {
			return true
		}
	}
	return false
}

// compare holds two releases against each other. What only one side can know is left out.
func compare(old, now *view.Side, a, b *ledger.Release) *ledger.Change {
	x, y := *a, *b
	if !old.Page || !now.Page {
		for _, s := range []*ledger.Release{&x, &y} {
			s.Texts, s.Pictures, s.Answers, s.Data, s.Countries, s.Price, s.Products, s.Channel, s.Share = nil, nil, nil, nil, nil, "", nil, "", ""
		}
	}
	if len(a.Sizes) == 0 || len(b.Sizes) == 0 { // one has no package
		for _, s := range []*ledger.Release{&x, &y} {
			*s = ledger.Release{ID: s.ID, Version: s.Version, Texts: s.Texts, Pictures: s.Pictures, Answers: s.Answers, Data: s.Data, Countries: s.Countries, Price: s.Price, Products: s.Products, Channel: s.Channel, Share: s.Share}
		}
	}
	return ledger.Compare(&x, &y)
}
