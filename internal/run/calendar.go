package run

import (
	"context"
	"slices"

	"regola.example/regola/internal/core/calendar"
	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/store"
	"regola.example/regola/internal/ledgerfile"
	"regola.example/regola/internal/view"
)

// Dates are the built-in days ahead.
func (r *Runner) Dates(until day.Day) ([]*view.Milestone, error) {
	dates, err := r.dates(until)
	if err != nil {
		return nil, err
	}
	return turns(dates, r.opt.Day), nil
}

func (r *Runner) dates(until day.Day) ([]calendar.Date, error) {
	set, err := r.tables()
	if err != nil {
		return nil, err
	}
	var books []*rulebook.Book
	for _, s := range r.stores {
		all, err := r.books(s)
		if err != nil {
			return nil, err
		}
		for _, b := range append(slices.Clone(all), r.own...) {
			if !slices.Contains(books, b) {
				books = append(books, b)
			}
		}
	}
	dates := calendar.BuiltIn(books, set, r.opt.Day, until)
	return slices.DeleteFunc(dates, func(d calendar.Date) bool {
		return d.Store != "" && d.Store != rulebook.All && !slices.ContainsFunc(r.Stores(), func(s *store.Store) bool { return s.ID == d.Store })
	}), nil
}

func turns(dates []calendar.Date, from day.Day) (out []*view.Milestone) {
	for _, d := range dates {
		if n := len(out); n == 0 || !out[n-1].Day.Equal(d.Day.Time) {
			out = append(out, &view.Milestone{Day: d.Day, Left: int(d.Day.Sub(from.Time).Hours() / 24)})
		}
		out[len(out)-1].Dates = append(out[len(out)-1].Dates, d)
	}
	return out
}

// Ahead reads a release once and judges it as of every day ahead on which something
// changes.
func (r *Runner) Ahead(ctx context.Context, job Job, until day.Day) ([]*view.Milestone, *check.Result, error) {
	res, j, err := r.Judge(ctx, job)
	if err != nil {
		return nil, nil, err
	}
	turns, err := r.AheadOf(ctx, res, j, until)
	return turns, res, err
}

// AheadOf judges what was judged today as of the days ahead.
func (r *Runner) AheadOf(ctx context.Context, now *check.Result, j *Judged, until day.Day) ([]*view.Milestone, error) {
	dates, err := r.dates(until)
	if err != nil {
		return nil, err
	}
	pkgs := map[string]*facts.Package{}
	for _, p := range j.Pairs {
		if pkgs[p.Judge.Store.ID] == nil {
			pkgs[p.Judge.Store.ID] = p.Submission.Pkg
		}
	}
	dates = append(dates, calendar.Own(pkgs, j.Dossier, r.opt.Day, until)...)
	more, err := r.further(j, until)
	if err != nil {
		return nil, err
	}
	dates = append(dates, more...)
	slices.SortStableFunc(dates, func(a, b calendar.Date) int { return a.Day.Compare(b.Day.Time) })
	all := turns(dates, r.opt.Day)
	before := broken(now)
	for _, t := range all {
		res, _, err := r.judgeOn(ctx, j.read, t.Day)
		if err != nil {
			return nil, err
		}
		after := broken(res)
		for _, f := range res.Findings(false) {
			if !before[f.Rule.ID] {
				t.New = append(t.New, f)
			}
		}
		for id := range before {
			if !after[id] {
				t.Gone = append(t.Gone, id)
			}
		}
		slices.Sort(t.Gone)
		before = after
	}
	return all, nil
}

// broken are the rules that are broken and not waived.
func broken(res *check.Result) map[string]bool {
	out := map[string]bool{}
	for _, s := range res.Stores {
		for _, v := range s.Verdicts {
			if v.State == check.Broken {
				out[v.Rule.ID] = true
			}
		}
	}
	return out
}

// further are the days that follow from the countries of a release and from its history.
func (r *Runner) further(j *Judged, until day.Day) ([]calendar.Date, error) {
	if j.Dossier == nil {
		return nil, nil
	}
	set, err := r.tables()
	if err != nil {
		return nil, err
	}
	var countries []string
	for _, p := range j.Pairs {
		countries = append(countries, p.Submission.Countries...)
	}
	dates := calendar.Regional(set.Regional, countries, r.opt.Day, until)
	l, err := ledgerfile.Read(j.Dossier.Root)
	if err != nil || l == nil {
		return dates, err
	}
	lives := map[string]int{}
	for _, s := range r.stores {
		books, err := r.books(s)
		if err != nil {
			return nil, err
		}
		for _, b := range books {
			if v := b.On("test_build_days", r.opt.Day); v != nil {
				lives[s.ID], _ = v.Value.(int)
			}
		}
	}
	return append(dates, calendar.History(l, lives, r.opt.Day, until)...), nil
}
