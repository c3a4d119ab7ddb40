package run

import (
	"context"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/pictures"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/store"
	"regola.example/regola/internal/core/submission"
	"regola.example/regola/internal/core/tables"
	"regola.example/regola/internal/view"
)

// PictureFolder is where the pictures of a dossier lie.
const PictureFolder = "pictures"

// Roots are the folders of a dossier's pictures.
func Roots(d *dossier.Dossier) (roots []pictures.Root) {
	for i, root := range append([]string{d.Root}, d.Bases()...) {
		folder := filepath.Join(root, PictureFolder)
		if info, err := os.Lstat(folder); err == nil && info.IsDir() {
			roots = append(roots, pictures.Root{Folder: folder, Shown: folder, Under: i > 0})
		}
	}
	for _, p := range d.Pictures {
		if folder, problem := d.Inside(p.Folder); p.Folder != "" && problem == nil {
			roots = append(roots, pictures.Root{Folder: folder, Shown: folder, Store: p.Store, Language: p.Language})
		}
	}
	return roots
}

// scan reads the pictures of a dossier; nil when it has none.
func (r *Runner) scan(ctx context.Context, d *dossier.Dossier) (*pictures.Library, error) {
	if d == nil {
		return nil, nil
	}
	folder := filepath.Join(d.Root, PictureFolder)
	if info, err := os.Lstat(folder); err == nil && info.Mode()&fs.ModeSymlink != 0 {
		return nil, &place.Problem{At: place.Place{File: folder}, What: "this is a link, which is not followed", Fix: "move the folder here, or name it under pictures: in the dossier"}
	} else if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return nil, &place.Problem{At: place.Place{File: folder}, What: "the folder cannot be read: " + err.Error(), Fix: "check its permissions"}
	}
	roots := Roots(d)
	if len(roots) == 0 {
		return nil, nil
	}
	return r.Scan(ctx, roots)
}

// Scan reads the pictures in some folders.
func (r *Runner) Scan(ctx context.Context, roots []pictures.Root) (*pictures.Library, error) {
	set, err := r.tables()
	if err != nil {
		return nil, err
	}
	all, err := r.lib.Stores()
	if err != nil {
		return nil, err
	}
	return pictures.Scan(ctx, roots, set.On(r.opt.Day), store.Keys(all), r.pixels)
}

// Pictures judges pictures alone: by the rules that need nothing else. language
// is the default one; empty for the first that is there.
func (r *Runner) Pictures(ctx context.Context, lib *pictures.Library, language string) ([]*view.Gallery, error) {
	judges, set, err := r.prepare(nil)
	if err != nil {
		return nil, err
	}
	on := set.On(r.opt.Day)
	var out []*view.Gallery
	for _, s := range r.stores {
		h := &view.Gallery{Store: s, Gallery: lib.Gallery(s.ID, s.Blocks, language)}
		rowsOf(h, on)
		sub := submission.New(submission.Sources{Store: s, Tables: on, Pictures: h.Gallery})
		all, err := judges[s.ID].Verdicts(ctx, sub, check.Options{Day: r.opt.Day, Stages: []string{"graphics"}})
		if err != nil {
			return nil, err
		}
		keepFaults(h, all)
		out = append(out, h)
	}
	return out, nil
}

// Galleries are the pictures of a release that was judged, store by store.
func (j *Judged) Galleries(res *check.Result) (out []*view.Gallery) {
	for i, p := range j.Pairs {
		if p.Submission.Pictures == nil {
			continue
		}
		h := &view.Gallery{Store: p.Judge.Store, Gallery: p.Submission.Pictures}
		keepFaults(h, res.Stores[i].Verdicts)
		out = append(out, h)
	}
	return out
}

// rowsOf keeps the rows that speak of the store.
func rowsOf(h *view.Gallery, on *tables.Set) {
	for _, c := range on.PictureClasses {
		if c.Store == h.Store.ID {
			h.Classes = append(h.Classes, c)
		}
	}
	for _, n := range on.PictureNeeds {
		if n.Store == h.Store.ID {
			h.Needs = append(h.Needs, n)
		}
	}
}

// keepFaults keeps the verdicts with faults of pictures.
func keepFaults(h *view.Gallery, all []*check.Verdict) {
	for _, v := range all {
		if slices.ContainsFunc(v.Faults, func(f *check.Fault) bool { return strings.HasPrefix(f.Path, "pictures") }) {
			h.Verdicts = append(h.Verdicts, v)
		}
	}
}
