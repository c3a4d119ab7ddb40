// Package check holds submissions against rulebooks. Its result says what is
// broken, what held, what could not be judged and why, and what a person must
// confirm. It prints nothing.
package check

import (
	"cmp"
	"errors"
	"fmt"
	"runtime"
	"slices"
	"strings"
	"sync/atomic"

	"golang.org/x/sync/errgroup"

	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/strictyaml"
	"regola.example/regola/internal/core/submission"
)

// Finding is one rule broken in one place, for one store or several.
type Finding struct {
	rulebook.Finding
	Stores []string
	Waiver *dossier.Waiver // set when the team accepts it
}

// Unchecked is one rule that could not be judged.
type Unchecked struct {
	Rule   *rulebook.Rule
	Stores []string
	Gaps   []rulebook.Gap
}

// Question is one confirmation.
type Question struct {
	rulebook.Question
	Rule   *rulebook.Rule
	Stores []string
}

// Store is what stands between the release and one store.
type Store struct {
	Store   string
	Package string // its file, empty when none was given
	ID      string
	Version string
	Counts  map[rulebook.Impact]int // open findings
	Open    int                     // confirmations still open
	Gaps    int                     // rules not checked
}

// Result is the outcome of a check.
type Result struct {
	App      string
	Version  string
	Day      strictyaml.Day
	Stores   []Store
	Findings []*Finding // by stage, then gravity
	Gaps     []*Unchecked
	Asked    []*Question
	Held     int // rules that were judged and hold
	Broken   int // rules with an open finding
	Waived   int // findings accepted by the team
	Expired  []*dossier.Waiver
	Unused   []*dossier.Waiver
}

// Judge is a set of rules for one store, ready to run.
type Judge struct {
	Store    string
	programs []*rulebook.Program
}

// Options narrow what is judged.
type Options struct {
	Day    strictyaml.Day
	Stages []string // empty for all
}

// NewJudge compiles the rules of the books that can apply. Problems are those
// of the rules themselves.
func NewJudge(store string, books []*rulebook.Book, opt Options) (*Judge, error) {
	j := &Judge{Store: store}
	var g errgroup.Group
	g.SetLimit(runtime.GOMAXPROCS(0))
	type job struct {
		book *rulebook.Book
		rule *rulebook.Rule
	}
	var jobs []job
	for _, b := range books {
		if b.Store != store && b.Store != "both" {
			continue
		}
		for _, r := range b.Rules {
			if r.InForce(opt.Day) && (len(opt.Stages) == 0 || slices.Contains(opt.Stages, r.Stage)) {
				jobs = append(jobs, job{b, r})
			}
		}
	}
	envs := map[*rulebook.Book]*rulebook.Env{}
	for _, jb := range jobs {
		if envs[jb.book] == nil {
			e, err := rulebook.NewEnv(jb.book)
			if err != nil {
				return nil, err
			}
			envs[jb.book] = e
		}
	}
	j.programs = make([]*rulebook.Program, len(jobs))
	problems := make([]place.Problems, len(jobs))
	for i, jb := range jobs {
		g.Go(func() error {
			if jb.book.BuiltIn {
				j.programs[i] = envs[jb.book].Prepare(jb.rule)
			} else {
				j.programs[i], problems[i] = envs[jb.book].Compile(jb.rule)
			}
			return nil
		})
	}
	_ = g.Wait()
	if all := slices.Concat(problems...); len(all) > 0 {
		return nil, all
	}
	return j, nil
}

// Outcomes judges one submission.
func (j *Judge) Outcomes(s *submission.Submission, day strictyaml.Day) ([]*rulebook.Outcome, error) {
	outs := make([]*rulebook.Outcome, len(j.programs))
	errs := make([]error, len(j.programs))
	var next atomic.Int64
	var g errgroup.Group
	for range runtime.GOMAXPROCS(0) {
		g.Go(func() error {
			for i := int(next.Add(1)) - 1; i < len(j.programs); i = int(next.Add(1)) - 1 {
				outs[i], errs[i] = j.programs[i].Run(s, day)
			}
			return nil
		})
	}
	_ = g.Wait()
	return outs, errors.Join(errs...)
}

// Pair is a submission with the judge of its store.
type Pair struct {
	Submission *submission.Submission
	Judge      *Judge
}

// Run judges all submissions and puts the outcomes together. A finding that
// several stores share, at the same place, is told once.
func Run(pairs []Pair, d *dossier.Dossier, opt Options) (*Result, error) {
	res := &Result{Day: opt.Day}
	c := collector{res: res, findings: map[string]*Finding{}, gaps: map[string]*Unchecked{}, asked: map[string]*Question{}}
	for _, p := range pairs {
		outs, err := p.Judge.Outcomes(p.Submission, opt.Day)
		if err != nil {
			return nil, err
		}
		c.store(p.Submission, outs)
	}
	c.waive(d)
	res.sort()
	res.name(d)
	return res, nil
}

type collector struct {
	res      *Result
	findings map[string]*Finding
	gaps     map[string]*Unchecked
	asked    map[string]*Question
}

func (c *collector) store(s *submission.Submission, outs []*rulebook.Outcome) {
	st := Store{Store: s.Store, Counts: map[rulebook.Impact]int{}}
	if s.Pkg != nil {
		st.Package, st.ID, st.Version = s.Pkg.File, s.Pkg.ID(), s.Pkg.Version()
	}
	for _, o := range outs {
		if !o.Applies {
			continue
		}
		if len(o.Findings) == 0 && len(o.Gaps) == 0 && o.Question == nil {
			c.res.Held++
		}
		for _, f := range o.Findings {
			key := f.Rule.ID + "\x00" + f.At.String() + "\x00" + f.Say
			if c.findings[key] == nil {
				c.findings[key] = &Finding{Finding: f}
				c.res.Findings = append(c.res.Findings, c.findings[key])
			}
			c.findings[key].Stores = append(c.findings[key].Stores, s.Store)
		}
		if len(o.Gaps) > 0 {
			st.Gaps++
			gaps := uniqueGaps(o.Gaps)
			key := fmt.Sprint(o.Rule.ID, gaps)
			if c.gaps[key] == nil {
				c.gaps[key] = &Unchecked{Rule: o.Rule, Gaps: gaps}
				c.res.Gaps = append(c.res.Gaps, c.gaps[key])
			}
			c.gaps[key].Stores = append(c.gaps[key].Stores, s.Store)
		}
		if o.Question != nil {
			if !o.Question.Confirmed {
				st.Open++
			}
			if c.asked[o.Rule.ID] == nil {
				c.asked[o.Rule.ID] = &Question{Question: *o.Question, Rule: o.Rule}
				c.res.Asked = append(c.res.Asked, c.asked[o.Rule.ID])
			}
			c.asked[o.Rule.ID].Stores = append(c.asked[o.Rule.ID].Stores, s.Store)
		}
	}
	c.res.Stores = append(c.res.Stores, st)
}

func uniqueGaps(gaps []rulebook.Gap) []rulebook.Gap {
	slices.SortFunc(gaps, func(a, b rulebook.Gap) int {
		return cmp.Or(cmp.Compare(a.Path, b.Path), cmp.Compare(a.Reason, b.Reason))
	})
	return slices.Compact(gaps)
}

// waive lays the team's waivers over the findings and counts what is left.
func (c *collector) waive(d *dossier.Dossier) {
	used := map[*dossier.Waiver]bool{}
	if d != nil {
		for _, w := range d.Waivers {
			if w.Until.Before(c.res.Day.Time) {
				c.res.Expired = append(c.res.Expired, w)
				continue
			}
			for _, f := range c.res.Findings {
				if f.Waiver == nil && f.Rule.ID == w.Rule && (w.At == "" || strings.Contains(f.At.String(), w.At) || strings.Contains(f.Path, w.At)) {
					f.Waiver, used[w] = w, true
				}
			}
			if !used[w] {
				c.res.Unused = append(c.res.Unused, w)
			}
		}
	}
	broken := map[string]bool{}
	for _, f := range c.res.Findings {
		if f.Waiver != nil {
			c.res.Waived++
			continue
		}
		broken[f.Rule.ID] = true
		for i := range c.res.Stores {
			if slices.Contains(f.Stores, c.res.Stores[i].Store) {
				c.res.Stores[i].Counts[f.Impact]++
			}
		}
	}
	c.res.Broken = len(broken)
}

func (r *Result) sort() {
	slices.SortStableFunc(r.Findings, func(a, b *Finding) int {
		return cmp.Or(
			cmp.Compare(slices.Index(rulebook.Stages, a.Rule.Stage), slices.Index(rulebook.Stages, b.Rule.Stage)),
			cmp.Compare(slices.Index(rulebook.Impacts, a.Impact), slices.Index(rulebook.Impacts, b.Impact)),
			cmp.Compare(a.Stores[0], b.Stores[0]),
			cmp.Compare(a.Rule.ID, b.Rule.ID),
			cmp.Compare(a.At.File, b.At.File),
			cmp.Compare(a.At.Line, b.At.Line),
			cmp.Compare(a.Path, b.Path),
			cmp.Compare(a.Say, b.Say))
	})
	slices.SortStableFunc(r.Gaps, func(a, b *Unchecked) int { return cmp.Compare(a.Rule.ID, b.Rule.ID) })
	slices.SortStableFunc(r.Asked, func(a, b *Question) int { return cmp.Compare(a.Rule.ID, b.Rule.ID) })
}

func (r *Result) name(d *dossier.Dossier) {
	if d != nil {
		r.App, r.Version = d.App.Name, d.Release.Version
	}
	for _, s := range r.Stores {
		r.App, r.Version = cmp.Or(r.App, s.ID), cmp.Or(r.Version, s.Version)
	}
}

// Worst is the gravest level among the open findings, or "" when there is none.
func (r *Result) Worst() rulebook.Level {
	worst := rulebook.Level("")
	for _, f := range r.Findings {
		if f.Waiver != nil {
			continue
		}
		switch l := f.Impact.Level(); {
		case l == rulebook.Error:
			return l
		case l == rulebook.Warning, worst == "":
			worst = l
		}
	}
	return worst
}
