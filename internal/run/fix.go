package run

import (
	"bytes"
	"context"
	"errors"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/edit"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/safeopen"
	"regola.example/regola/internal/view"
)

// maxRounds bounds how often a dossier is judged anew while it is corrected: a correction may
// bring the next mistake to light.
const maxRounds = 8

// Fix finds the corrections of a dossier that need no decision, and what its files would be
// with them; it writes nothing. Of rules only those that chosen names are looked at; nil
// means all.
func (r *Runner) Fix(ctx context.Context, job Job, chosen func(rule string) bool) (*view.Fixes, error) {
	f := &fixing{root: job.Dossier, files: map[string]*view.FixedFile{}, now: map[string][]byte{}}
	job.Changed = f.now
	for range maxRounds {
		res, err := r.Check(ctx, job)
		var ps place.Problems
		if err != nil && !errors.As(err, &ps) {
			return nil, err
		}
		f.out.Broken, f.out.Left = ps, nil
		todo := wrongForm(ps)
		if res != nil {
			todo = brokenRules(res, chosen)
		}
		if len(todo) == 0 || !f.round(todo) {
			break
		}
	}
	if len(f.out.Made)+len(f.out.Left) == 0 && len(f.out.Broken) > 0 {
		return nil, f.out.Broken
	}
	for _, x := range f.files {
		if x.Rename != "" || !bytes.Equal(x.Before, x.After) {
			f.out.Files = append(f.out.Files, x)
		}
	}
	slices.SortFunc(f.out.Files, func(a, b *view.FixedFile) int { return strings.Compare(a.Name, b.Name) })
	return &f.out, nil
}

// fixing is a dossier that is being corrected.
type fixing struct {
	root  string
	out   view.Fixes
	files map[string]*view.FixedFile // by their paths
	now   map[string][]byte          // what they hold by now
}

func wrongForm(ps place.Problems) (out []*view.Fix) {
	for _, p := range ps {
		if p.Edit != nil {
			out = append(out, &view.Fix{Edit: *p.Edit, Why: p.What})
		}
	}
	return out
}

// brokenRules are the corrections of findings, each once, whichever stores ask for it. What
// the team accepts stays.
func brokenRules(res *check.Result, chosen func(string) bool) (out []*view.Fix) {
	for _, f := range res.Findings(false) {
		if chosen != nil && !chosen(f.Rule.ID) {
			continue
		}
		for _, fault := range f.Faults {
			for _, e := range fault.Edits {
				if !slices.ContainsFunc(out, func(x *view.Fix) bool { return x.At == e.At && x.Becomes == e.Becomes }) {
					out = append(out, &view.Fix{Edit: *e, Rule: f.Rule.ID, Why: fault.Say})
				}
			}
		}
	}
	return out
}

// round makes what can be made; false when nothing could.
func (f *fixing) round(todo []*view.Fix) (made bool) {
	ranges := map[string][]edit.Range{}
	for _, x := range todo {
		name := filepath.Clean(x.At.File)
		if rel, err := filepath.Rel(f.root, name); err != nil || !filepath.IsLocal(rel) {
			x.Left = "it stands in the dossier that this one is based on"
		} else if file := f.file(name); file == nil {
			x.Left = "the file cannot be read"
		} else if x.Rename {
			f.rename(file, x)
		} else if now, err := edit.Text(f.now[name], x.At.Line, x.At.Column, x.Was, x.Becomes); err != nil {
			x.Left = "the text is written in a form that only a person changes"
		} else if !overlap(ranges[name], now) { // one that does is found again in the next round
			ranges[name] = append(ranges[name], now...)
			x.Pieces = nil // of the file as it was before the round
			f.out.Made = append(f.out.Made, x)
		}
		if x.Left != "" {
			f.out.Left = append(f.out.Left, x)
		}
	}
	for name, list := range ranges {
		if after := edit.Apply(f.now[name], list); !bytes.Equal(after, f.now[name]) {
			f.now[name], f.files[name].After, made = after, after, true
		}
	}
	return made
}

// overlap tells whether two corrections are about the same piece of a file.
func overlap(a, b []edit.Range) bool {
	return slices.ContainsFunc(a, func(x edit.Range) bool {
		return slices.ContainsFunc(b, func(y edit.Range) bool { return x.From <= y.To && y.From <= x.To })
	})
}

// file is a file of the dossier; nil when it cannot be read.
func (f *fixing) file(name string) *view.FixedFile {
	if x := f.files[name]; x != nil {
		return x
	}
	data, err := safeopen.Read(name, maxYAML)
	if err != nil {
		return nil
	}
	x := &view.FixedFile{Name: name, Before: data, After: data}
	f.files[name], f.now[name] = x, data
	return x
}

// rename gives a file another name, unless one has it.
func (f *fixing) rename(file *view.FixedFile, x *view.Fix) {
	to := filepath.Join(filepath.Dir(file.Name), x.Becomes)
	if file.Rename == to {
		return // found in an earlier round
	}
	if info, err := os.Lstat(to); err == nil {
		if own, err := os.Lstat(file.Name); err != nil || !os.SameFile(info, own) { // a file system may not tell small letters from capital ones
			x.Left = "there is a file " + filepath.ToSlash(to) + " already"
			return
		}
	}
	if filepath.Base(x.Becomes) != x.Becomes || slices.ContainsFunc(f.out.Made, func(m *view.Fix) bool { return m.Rename && filepath.Join(filepath.Dir(m.At.File), m.Becomes) == to }) {
		x.Left = "another file takes this name"
		return
	}
	file.Rename = to
	f.out.Made = append(f.out.Made, x)
}

// locate tells which pieces of the files the corrections of a result change. One that
// cannot be made is dropped.
func locate(res *check.Result, changed map[string][]byte) {
	files := map[string][]byte{}
	read := func(name string) []byte {
		name = filepath.Clean(name)
		if data, ok := changed[name]; ok {
			return data
		}
		if _, ok := files[name]; !ok {
			files[name], _ = safeopen.Read(name, maxYAML) // what is gone meanwhile has no pieces
		}
		return files[name]
	}
	for _, s := range res.Stores {
		for _, v := range s.Verdicts {
			for _, f := range v.Faults {
				var edits []*place.Edit // what was judged before is shared, and may be of another state of the file
				for _, x := range f.Edits {
					x := *x
					if x.Pieces = nil; !x.Rename {
						doc := read(x.At.File)
						ranges, err := edit.Text(doc, x.At.Line, x.At.Column, x.Was, x.Becomes)
						if err != nil {
							continue
						}
						for _, r := range ranges {
							x.Pieces = append(x.Pieces, edit.Piece(doc, r))
						}
					}
					edits = append(edits, &x)
				}
				f.Edits = edits
			}
		}
	}
}
