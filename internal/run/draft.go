package run

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"regola.example/regola/internal/core/artifact"
	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/draft"
	"regola.example/regola/internal/core/evidence"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/signs"
	"regola.example/regola/internal/core/store"
	"regola.example/regola/internal/view"
)

// ErrNoName is the error of a draft without packages and without a name.
var ErrNoName = errors.New("neither a package nor a name is given")

// Draft makes a dossier for a folder from packages, or from a name and a language
// alone. Nothing is written. Where the folder has a dossier already, the result
// tells what that lacks.
func (r *Runner) Draft(ctx context.Context, packages []string, folder, name, language string, full bool) (*view.Draft, error) {
	pkgs, err := Open(ctx, packages, artifact.Options{})
	if err != nil {
		return nil, err
	}
	set, err := r.tables()
	if err != nil {
		return nil, err
	}
	keys, paths, outside := map[string]string{}, map[string]string{}, map[string]string{}
	for _, s := range r.stores {
		for _, p := range pkgs {
			if s.Takes(p.Platform(), p.Kind) && keys[p.Platform()] == "" {
				keys[p.Platform()] = s.Blocks[0]
			}
		}
	}
	var whole []*facts.Package
	var apart []string
	for _, p := range artifact.Join(pkgs) {
		rel := p.File
		if from, err := filepath.Abs(folder); err == nil {
			if to, err := filepath.Abs(p.File); err == nil {
				if r, err := filepath.Rel(from, to); err == nil {
					rel = r
				}
			}
		}
		if filepath.IsLocal(rel) {
			paths[p.File] = filepath.ToSlash(rel)
		} else { // a dossier names what lies in its folder
			outside[keys[p.Platform()]], apart = filepath.ToSlash(rel), append(apart, p.File)
		}
		if keys[p.Platform()] == "" {
			return nil, &place.Problem{At: place.Place{File: p.File}, What: "no store takes a package of the kind " + p.Kind, Fix: "give the package that is uploaded"}
		}
		if slices.ContainsFunc(whole, func(o *facts.Package) bool { return o.Platform() == p.Platform() }) {
			return nil, &place.Problem{At: place.Place{File: p.File}, What: "a second package for the same store", Fix: "give one package a store"}
		}
		whole = append(whole, p)
	}
	d := &view.Draft{Known: draft.Of(whole, keys, paths, set), Old: dossier.Exists(folder), Apart: apart}
	d.Known.Outside, d.Known.Full = outside, full
	d.Known.Settle(name, language)
	d.Known.Texts = set.On(r.opt.Day).PageTexts
	if d.Known.Name == "" {
		return nil, ErrNoName
	}
	for _, p := range whole {
		var index *signs.Index
		if p.IOS != nil {
			index = signs.Of(p.IOS)
		}
		d.Known.Evidence = append(d.Known.Evidence, evidence.Of(p, index, set.On(r.opt.Day)))
	}
	all := store.Keys(r.stores)
	words := draft.Words(set.Vocabularies())
	if d.Old {
		if d.Result, err = r.Check(ctx, Job{Packages: packages, Dossier: folder}); err != nil {
			return nil, err
		}
		for _, f := range first(d.Known.Files(nil, all, words)) {
			if _, err := os.Lstat(filepath.Join(folder, filepath.FromSlash(f.Path))); errors.Is(err, os.ErrNotExist) {
				d.Files = append(d.Files, f)
			}
		}
		return d, nil
	}
	// What the stores ask is what a check of the draft leaves open.
	tmp, err := os.MkdirTemp("", "regola-init-")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(tmp)
	for _, f := range first(d.Known.Files(nil, all, words)) {
		target := filepath.Join(tmp, filepath.FromSlash(f.Path))
		text := f.Text
		if f.Path == dossier.FileName { // the packages are given in the call
			text = withoutPackages(text)
		}
		if err := os.MkdirAll(filepath.Dir(target), 0o755); err != nil {
			return nil, err
		}
		if err := os.WriteFile(target, []byte(text), 0o644); err != nil {
			return nil, err
		}
	}
	if d.Result, err = r.Check(ctx, Job{Packages: packages, Dossier: tmp}); err != nil {
		return nil, err
	}
	d.Known.Questions = questions(d.Result)
	d.Files, d.Marked = d.Known.Files(append(d.Result.Duties(), missing(d.Result)...), all, words)
	return d, nil
}

// missing are answers of a dossier that are empty and may not be: the rule that
// reads them is broken.
func missing(r *check.Result) (out []*check.Duty) {
	for _, s := range r.Stores {
		for _, v := range s.Verdicts {
			for _, f := range v.Faults {
				path := dossier.Own(f.Path)
				root, _, _ := strings.Cut(path, ".")
				if dossier.Question(path) == "" || root == "listing" || root == "pictures" {
					continue
				}
				if i := slices.IndexFunc(out, func(d *check.Duty) bool { return d.Write == path }); i >= 0 {
					if !slices.Contains(out[i].Stores, s.ID) {
						out[i].Stores = append(out[i].Stores, s.ID)
					}
					continue
				}
				out = append(out, &check.Duty{Rule: v.Rule, State: check.Contradicted, What: f.Say, Write: path, Stores: []string{s.ID}, Impact: f.Impact})
			}
		}
	}
	return out
}

// questions are what a person must confirm, each once.
func questions(r *check.Result) (out []*check.Question) {
	for _, s := range r.Stores {
		for _, v := range s.Verdicts {
			if q := v.Question; q != nil && !q.Confirmed && !slices.ContainsFunc(out, func(o *check.Question) bool { return o.What == q.What }) {
				out = append(out, q)
			}
		}
	}
	return out
}

func first(files []draft.File, _ []string) []draft.File { return files }

// withoutPackages leaves the block of packages out of a draft.
func withoutPackages(text string) string {
	var out []string
	in := false
	for line := range strings.Lines(text) {
		switch {
		case strings.HasPrefix(line, "packages:"):
			in = true
			continue
		case in && strings.HasPrefix(line, "  "):
			continue
		}
		in = false
		out = append(out, line)
	}
	return strings.Join(out, "")
}
