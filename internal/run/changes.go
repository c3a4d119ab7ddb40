package run

import (
	"context"
	"errors"
	"io"
	"os"
	"path/filepath"
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
			s := &view.Side{Name: name, Releases: map[string]*ledger.Release{}, Page: true, Package: true}
			for _, e := range l.Events {
				if e.Event == ledger.Released && (e.Version == name || e.Build == name) {
					s.Releases[e.Store] = e.Release
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
	s := &view.Side{Name: name, Releases: map[string]*ledger.Release{}, Package: true}
	for _, p := range pkgs {
		for _, st := range r.stores {
			if st.Takes(p.Platform(), p.Kind) {
				s.Releases[st.ID] = snapshot.Of(submission.New(submission.Sources{Store: st, Package: p, Tables: set.On(r.opt.Day)}), "")
			}
		}
	}
	if len(s.Releases) == 0 {
		return nil, &place.Problem{At: place.Place{File: name}, What: "no store takes such a package", Fix: "name an .aab, .apk or .ipa file"}
	}
	return s, nil
}

// dossierSide reads a dossier without its packages: what the page and the answers say.
func (r *Runner) dossierSide(ctx context.Context, name, folder string) (*view.Side, error) {
	d, problems := r.Dossier(folder)
	if d == nil {
		return nil, problems
	}
	for _, p := range problems {
		if !d.NamesPackage(p.At) { // which package is meant does not matter here
			return nil, problems
		}
	}
	_, set, err := r.prepare(d)
	if err != nil {
		return nil, err
	}
	lib, err := r.scan(ctx, d)
	if err != nil {
		var one *place.Problem
		if errors.As(err, &one) {
			return nil, place.Problems{one}
		}
		return nil, err
	}
	s := &view.Side{Name: name, Releases: map[string]*ledger.Release{}, Page: true}
	for _, st := range r.stores {
		src := submission.Sources{Store: st, Dossier: d, Tables: set.On(r.opt.Day)}
		if lib != nil {
			src.Pictures = lib.Gallery(st.ID, st.Blocks, d.App.DefaultLocale)
		}
		x := snapshot.Of(submission.New(src), d.Root)
		x.ID, _, _ = d.App.IDs.For(st.Blocks)
		s.Releases[st.ID] = x
	}
	return s, nil
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
		a, b := old.Releases[st.ID], now.Releases[st.ID]
		if a == nil || b == nil {
			continue
		}
		x, y := *a, *b
		if !old.Page || !now.Page {
			for _, s := range []*ledger.Release{&x, &y} {
				s.Texts, s.Pictures, s.Answers, s.Data, s.Countries, s.Price, s.Products, s.Channel, s.Share = nil, nil, nil, nil, nil, "", nil, "", ""
			}
		}
		if !old.Package || !now.Package {
			for _, s := range []*ledger.Release{&x, &y} {
				*s = ledger.Release{ID: s.ID, Version: s.Version, Texts: s.Texts, Pictures: s.Pictures, Answers: s.Answers, Data: s.Data, Countries: s.Countries, Price: s.Price, Products: s.Products, Channel: s.Channel, Share: s.Share}
			}
		}
		out = append(out, &view.Compared{Store: st, Old: a, New: b, Change: ledger.Compare(&x, &y)})
	}
	return out
}
