package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/report"
	"regola.example/regola/internal/run"
	"regola.example/regola/internal/watch"
)

// watchOne judges one release, and again whenever its files change, until a signal ends it:
// the whole result first, then what each change brought. The exit status is that of the last
// judgement.
func (e *env) watchOne(ctx context.Context, r *run.Runner, job run.Job, o reports) error {
	var last *check.Result
	judge := func() (*check.Result, place.Problems, error) {
		res, err := r.Check(ctx, job)
		var ps place.Problems
		if errors.As(err, &ps) {
			e.exit = exitInput
			return nil, ps, nil
		}
		if err == nil {
			res.About = o.about
			e.exit = exitStatus(res, o.about.FailOn, o.about.Strict)
		}
		return res, nil, err
	}
	w, err := e.watcher(r, job, o)
	if err != nil {
		return err
	}
	defer w.Close()
	res, ps, err := judge()
	switch {
	case ctx.Err() != nil:
		return nil
	case err != nil:
		return err
	case res == nil:
		err = report.Unjudged(e.out, ps, []string{"nothing yet"}, e.look(e.out))
	default:
		last = res
		look := e.look(e.out)
		look.All = o.all
		err = report.Text(e.out, res, look, e.exit)
	}
	fmt.Fprintln(e.out, "\nWatching; each change of a file is judged at once. Ctrl-C ends.")
	for err == nil {
		var changed []string
		if changed, err = w.Next(ctx); err != nil {
			break
		}
		for i, name := range changed {
			changed[i] = nearPath(name)
		}
		if res, ps, err = judge(); err != nil {
			break
		}
		if res == nil {
			err = report.Unjudged(e.out, ps, changed, e.look(e.out))
			continue
		}
		if last == nil {
			last = &check.Result{}
		}
		res.Against("", last)
		last = res
		err = report.Again(e.out, res, changed, e.look(e.out))
	}
	if ctx.Err() != nil {
		return nil // it is how a watch ends
	}
	if errors.Is(err, watch.ErrTooMany) {
		return usageError(err.Error(), "keep the dossier in a folder of its own")
	}
	return err
}

// watcher watches the folders of a release. What the call itself writes does not count.
func (e *env) watcher(r *run.Runner, job run.Job, o reports) (*watch.Watcher, error) {
	var folders, files []string
	if job.Dossier != "" {
		folders = append(folders, job.Dossier)
		if d, _ := r.Dossier(job.Dossier); d != nil {
			folders = append(folders, d.Bases()...)
		}
	}
	for _, p := range job.Packages {
		if info, err := os.Stat(p); err == nil && info.IsDir() {
			folders = append(folders, p)
		} else {
			files = append(files, p)
		}
	}
	var own []string
	for _, x := range o.files {
		own = append(own, filepath.Clean(x.name))
	}
	w, err := watch.New(folders, files, func(file string) bool { return slices.Contains(own, filepath.Clean(file)) })
	if errors.Is(err, watch.ErrTooMany) {
		return nil, usageError(err.Error(), "keep the dossier in a folder of its own")
	}
	return w, err
}

// nearPath is a path from the current folder on, where that is shorter.
func nearPath(name string) string {
	here, err := os.Getwd()
	if err != nil {
		return name
	}
	full, err := filepath.Abs(name)
	if err != nil {
		return name
	}
	if rel, err := filepath.Rel(here, full); err == nil && len(rel) < len(name) {
		return rel
	}
	return name
}
