package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"slices"

	"regola.example/regola/internal/write"

	"golang.org/x/term"

	"regola.example/regola/internal/core/alike"
	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/letter"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/safeopen"
	"regola.example/regola/internal/report"
	"regola.example/regola/internal/run"
	"regola.example/regola/internal/sheet"
)

// reports are the forms in which a call writes its results.
type reports struct {
	format string            // of standard output
	files  []outFile         // further files
	all    bool              // nothing is left out
	part   *report.PartEntry // the part of a larger call that it is; nil for a whole one
	about  check.About
	beside string // a file with earlier results; empty for none
}

// earlier reads the results beside which releases are judged, by the names of their dossiers.
func (e *env) earlier(file string) (map[string]*check.Result, error) {
	rules, err := e.builtInRules()
	if err != nil {
		return nil, err
	}
	out := map[string]*check.Result{}
	err = eachResult([]string{file}, func(id string) *rulebook.Rule { return rules[id] }, func(i *report.Item) error {
		if i.Result != nil {
			out[i.Name] = i.Result
		}
		return nil
	}, nil)
	return out, err
}

// sink is one output of a call; file is nil for standard output.
type sink struct {
	form   *report.Form
	file   *write.File
	writer report.Writer
}

// sinks opens all outputs of a call before anything is judged, so that a name that
// cannot be written is reported at once.
type sinks struct {
	list []*sink
	kept []string // files and folders that no report may replace or lie in
}

func (e *env) open(o reports, names []string) (*sinks, error) {
	s, call := &sinks{}, report.Call{Names: names, Part: o.part, Cited: e.citedBy}
	for _, f := range o.files {
		p, err := write.Begin(f.name)
		if err == nil && slices.ContainsFunc(s.list, func(x *sink) bool { return x.file.Same(p) }) {
			p.Abort()
			err = &place.Problem{At: place.Place{File: f.name}, What: "--out names this file twice", Fix: "give each report a file of its own"}
		}
		if err != nil {
			s.abort()
			return nil, err
		}
		form := report.FormOf(f.format)
		s.list = append(s.list, &sink{form, p, form.Open(p, report.Style{All: o.all, Width: e.width}, call)})
	}
	look := e.look(e.out)
	look.All = o.all
	form := report.FormOf(o.format)
	s.list = append(s.list, &sink{form, nil, form.Open(e.out, look, call)})
	return s, nil
}

// citedBy are the numbers under which stores cite each rule.
func (e *env) citedBy() map[string][]string {
	rows, err := e.lib.Letters()
	if err != nil {
		return nil // a fault of built-in files, which their test reports
	}
	return letter.Cited(rows)
}

// extra tells whether an output shows more than the result.
func (s *sinks) extra() bool {
	return slices.ContainsFunc(s.list, func(x *sink) bool { return x.form.Extra })
}

// has tells whether an output has a form.
func (s *sinks) has(form string) bool {
	return slices.ContainsFunc(s.list, func(x *sink) bool { return x.form.Name == form })
}

func (s *sinks) add(i *report.Item) error {
	for _, x := range s.list {
		if err := x.writer.Add(i); err != nil {
			return x.problem(err)
		}
	}
	if i.Result != nil {
		s.kept = append(s.kept, i.Result.Read...)
	}
	return nil
}

// failed writes to standard output that a dossier was not judged, in a form that has a
// place for it; the files are left as they are.
func (s *sinks) failed(name string, err error) error {
	var all place.Problems
	var one *place.Problem
	if !errors.As(err, &all) && !errors.As(err, &one) {
		return nil
	}
	for _, x := range s.list {
		if x.file == nil {
			return errors.Join(x.writer.Add(&report.Item{Name: name, Exit: exitInput, Problems: problemsOf(err)}), x.writer.Close())
		}
	}
	return nil
}

// problem is an error of writing, with the file's name.
func (x *sink) problem(err error) error {
	if x.file == nil {
		return err
	}
	return write.Problem(x.file.Name(), err)
}

// close writes what stands at the end, and gives the files their names.
func (s *sinks) close() error {
	for _, x := range s.list {
		if err := x.writer.Close(); err != nil {
			s.abort()
			return x.problem(err)
		}
	}
	for _, x := range s.list {
		if x.file != nil {
			if err := x.file.Commit(s.kept); err != nil {
				s.abort()
				return err
			}
		}
	}
	return nil
}

func (s *sinks) abort() {
	for _, x := range s.list {
		if x.file != nil {
			x.file.Abort()
		}
	}
}

// checks judges some releases and writes every report that the call asks for.
func (e *env) checks(ctx context.Context, r *run.Runner, jobs []run.Job, o reports) error {
	names := make([]string, len(jobs))
	for i, j := range jobs {
		names[i] = j.Dossier
	}
	var before map[string]*check.Result
	if o.beside != "" {
		var err error
		if before, err = e.earlier(o.beside); err != nil {
			return err
		}
	}
	out, err := e.open(o, names)
	if err != nil {
		return err
	}
	defer out.abort()
	if o.beside != "" {
		out.kept = append(out.kept, o.beside)
	}
	item := func(name string, res *check.Result) (*report.Item, error) {
		res.About = o.about
		if o.beside != "" {
			old := before[name]
			if old == nil && len(before) == 1 && len(jobs) == 1 {
				for _, old = range before { // one release beside one, wherever they lie
				}
			}
			if old == nil {
				old = &check.Result{} // a dossier that the baseline does not have
			}
			res.Against(o.beside, old)
		}
		exit := exitStatus(res, o.about.FailOn, o.about.Strict)
		e.exit = max(e.exit, exit)
		if out.has("json") {
			if err := identify(ctx, r, res); err != nil {
				return nil, err
			}
		}
		return &report.Item{Name: name, Result: res, Exit: exit}, nil
	}
	if len(jobs) == 1 {
		res, judged, err := r.Judge(ctx, jobs[0])
		if err != nil {
			return errors.Join(err, out.failed(names[0], err))
		}
		i, err := item(names[0], res)
		if err != nil {
			return err
		}
		if out.extra() {
			if i.Extra, err = e.extra(ctx, r, judged, res); err != nil {
				return err
			}
		}
		if err := out.add(i); err != nil {
			return err
		}
		return out.close()
	}
	var first error
	failed := 0
	progress := e.progress(len(jobs))
	var found alike.Set
	err = r.CheckAll(ctx, jobs, &found, func(n int, res *check.Result, err error) {
		progress(n)
		if first != nil {
			return
		}
		i := &report.Item{Name: names[n], Exit: exitInput}
		if err == nil {
			i, err = item(names[n], res)
		}
		if err != nil {
			failed++
			out.kept = append(out.kept, run.KeptIn(names[n])...)
			if d, _ := r.Dossier(names[n]); d != nil {
				out.kept = append(out.kept, run.Kept(d)...)
			}
			e.complain(err)
			i = &report.Item{Name: names[n], Exit: exitInput, Problems: problemsOf(err)}
		}
		first = out.add(i)
	})
	progress(-1)
	if err != nil {
		return err
	}
	if first != nil {
		return first
	}
	groups := found.Groups()
	for _, x := range out.list {
		if c, ok := x.writer.(report.Comparer); ok {
			c.Alike(groups)
		}
	}
	if err := out.close(); err != nil {
		return err
	}
	if failed > 0 {
		e.documented = o.format == "json"
		return fmt.Errorf("%s could not be judged", report.Count(failed, "dossier", "dossiers"))
	}
	return nil
}

// progress shows how many of the dossiers are judged, on a terminal only. A negative
// number ends it.
func (e *env) progress(all int) func(n int) {
	f, ok := e.err.(*os.File)
	if !ok || !term.IsTerminal(int(f.Fd())) {
		return func(int) {}
	}
	if o, ok := e.out.Writer.(*os.File); ok && term.IsTerminal(int(o.Fd())) {
		return func(int) {} // the lines of the results show it
	}
	return func(n int) {
		if n < 0 {
			fmt.Fprint(f, "\r\x1b[K")
			return
		}
		fmt.Fprintf(f, "\r\x1b[K%d of %d", n+1, all)
	}
}

// identify adds what tells one input from another: editions of the rules, and
// the digests of the packages.
func identify(ctx context.Context, r *run.Runner, res *check.Result) error {
	var err error
	if res.About.Editions, err = r.Editions(); err != nil {
		return err
	}
	res.About.Digests = map[string]string{}
	for _, s := range res.Stores {
		info, err := os.Stat(s.Package)
		if err != nil || !info.Mode().IsRegular() {
			continue // a folder has no digest
		}
		sum, err := safeopen.SHA256(ctx, s.Package)
		if ctx.Err() != nil {
			return ctx.Err()
		}
		if err != nil {
			return safeopen.Problem(s.Package, err, "check the path")
		}
		res.About.Digests[s.Package] = sum
		if res.Basis == nil {
			continue
		}
		for i := range res.Basis.Packages {
			if p := &res.Basis.Packages[i]; p.Store == s.ID {
				p.Digest = sum
			}
		}
	}
	return nil
}

// needsParts tells whether a form shows the sizes of packages.
func needsParts(format string, files []outFile) bool {
	return report.FormOf(format).Extra || slices.ContainsFunc(files, func(f outFile) bool { return report.FormOf(f.format).Extra })
}

// extra gathers what only some forms show: the store pages, sizes, and a year ahead.
func (e *env) extra(ctx context.Context, r *run.Runner, j *run.Judged, res *check.Result) (*report.Extra, error) {
	x := &report.Extra{}
	until := res.Day
	until.Time = until.AddDate(1, 0, 0)
	var err error
	if x.Ahead, err = r.AheadOf(ctx, res, j, until); err != nil {
		return nil, err
	}
	for _, p := range j.Pairs {
		if p.Submission.Pkg == nil {
			continue
		}
		w, err := r.Weigh(p.Submission.Pkg, nil, nil)
		if err != nil {
			return nil, err
		}
		x.Sizes = append(x.Sizes, report.StoreSizes{Name: p.Judge.Store.Name, Weight: w})
	}
	set, err := e.lib.Tables()
	if err != nil {
		return nil, err
	}
	if old, now, all := r.Since(j); len(all) > 0 {
		x.Since = report.NewChangesDocument(old, now, all, set.On(res.Day))
	}
	if hung := j.Galleries(res); len(hung) > 0 {
		s, err := sheet.New(ctx, hung, j.Dossier, set.On(res.Day).PageTexts, "")
		var many sheet.TooMany
		switch {
		case errors.As(err, &many):
			x.NoSheet = err.Error() + "; regola sheet draws a part of them"
		case err != nil:
			return nil, err
		default:
			x.Sheet = s
		}
	}
	return x, nil
}
