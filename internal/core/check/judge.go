package check

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/store"
	"regola.example/regola/internal/core/submission"
	"regola.example/regola/internal/core/work"
)

// Judge is the rules of one store, ready to run on many submissions.
type Judge struct {
	Store    *store.Store
	programs []*Program
}

// NewJudge makes a judge without rules.
func NewJudge(s *store.Store) *Judge { return &Judge{Store: s} }

// Add gives the judge a rule.
func (j *Judge) Add(p *Program) { j.programs = append(j.programs, p) }

// Options narrow what is judged.
type Options struct {
	Day    day.Day
	Stages []string // empty for all
	Rules  []string // ids; empty for all
}

// Verdicts judges one submission: a verdict for every rule of the stages that
// are asked for.
func (j *Judge) Verdicts(ctx context.Context, s *submission.Submission, o Options) ([]*Verdict, error) {
	return j.verdicts(ctx, Pair{Submission: s}, o)
}

func (j *Judge) verdicts(ctx context.Context, pair Pair, o Options) ([]*Verdict, error) {
	var programs []*Program
	for _, p := range j.programs {
		if len(o.Stages) > 0 && !slices.Contains(o.Stages, p.Rule.Stage) || len(o.Rules) > 0 && !slices.Contains(o.Rules, p.Rule.ID) || pair.Submission.Further && !p.LooksAtPackage() {
			continue
		}
		programs = append(programs, p)
	}
	out, meter, see := make([]*Verdict, len(programs)), newRunMeter(), NewEvalContext(pair.Submission, o.Day)
	see.memo, see.as = pair.Memo, cmp.Or(pair.Subject, pair.Submission.Store)
	err := work.Each(ctx, len(programs), func(i int) {
		if r := programs[i].Rule; !j.Store.Concerns(r.Channels, r.Stage, pair.Submission.Channel) {
			out[i] = &Verdict{Rule: r, Store: see.as, State: NotApplicable}
			return
		}
		out[i] = programs[i].Run(see, meter)
	})
	if err == nil {
		raise(programs, see, out, meter)
	}
	return out, err
}

// Pair is a submission with the judge of its store.
type Pair struct {
	Submission *submission.Submission
	Judge      *Judge
	Memo       *Memo  // of the package, where several submissions share it; may be nil
	Subject    string // what it is called among all that are judged; empty for the store's id
	Name       string // the same in words; empty for the store's name
	Absent     string // why its package is not there; empty when it is, or none is named
}

// Run judges the submissions of one release and puts the verdicts together.
func Run(ctx context.Context, pairs []Pair, d *dossier.Dossier, o Options) (*Result, error) {
	r := &Result{Day: o.Day, Stages: o.Stages}
	for _, p := range pairs {
		verdicts, err := p.Judge.verdicts(ctx, p, o)
		if err != nil {
			return nil, err
		}
		st := &Store{ID: cmp.Or(p.Subject, p.Judge.Store.ID), Name: cmp.Or(p.Name, p.Judge.Store.Name), Of: p.Judge.Store.ID, Channel: p.Submission.Channel, Form: p.Submission.Form, Verdicts: verdicts, Fetched: p.Submission.Fetched, Rating: p.Submission.Rating, Disclosure: p.Submission.Disclosure}
		if p.Submission.Pkg == nil {
			st.Absent = p.Absent
		}
		if pkg := p.Submission.Pkg; pkg != nil {
			st.Package, st.AppID, st.Version = pkg.File, pkg.ID(), pkg.Version()
			if pkg.IOS != nil {
				st.Root = pkg.IOS.Root
			}
		}
		r.Stores = append(r.Stores, st)
	}
	if d != nil {
		r.App, r.Version = d.App.Name, d.Release.Version
		r.waive(d)
	}
	for _, s := range r.Stores {
		s.end()
	}
	for _, s := range r.Stores {
		r.App, r.Version = cmp.Or(r.App, s.AppID), cmp.Or(r.Version, s.Version)
	}
	return r, nil
}

// end draws the consequences of a package that is no release of the app: what else is found
// in it follows from that, and nothing is asked of it.
func (s *Store) end() {
	i := slices.IndexFunc(s.Verdicts, func(v *Verdict) bool { return v.Rule.Ends != "" && v.State == Broken })
	if i < 0 {
		return
	}
	cause := s.Verdicts[i].Rule
	for _, v := range s.Verdicts {
		switch {
		case v.Rule == cause || v.Rule.Stage != "package" && cause.Ends != "all":
		case v.State == Broken && v.Rule.Stage == "package":
			v.Follows = cause.ID
		case v.State == Held || v.State == Waived || v.State == NotInForce:
		default:
			*v = Verdict{Rule: v.Rule, Store: v.Store, State: NotApplicable}
		}
	}
}

// waives tells whether a waiver's at is the place of a fault: a file, an entry
// or a key of it, whole or by its last part, or the field at fault.
func waives(at string, f *Fault) bool {
	if at == "" || at == f.At.String() || at == f.Path || at == position().ReplaceAllString(f.Path, "") {
		return true
	}
	for _, part := range []string{f.At.File, f.At.Entry, f.At.Key} {
		part = strings.ReplaceAll(part, "\\", "/")
		if part != "" && (at == part || strings.HasSuffix(part, "/"+at) || slices.Contains(strings.FieldsFunc(part, func(r rune) bool { return r == ' ' || r == '@' }), at)) {
			return true
		}
	}
	return false
}

// waive lays the team's waivers over the faults, and keeps what is postponed.
func (r *Result) waive(d *dossier.Dossier) {
	verdicts := map[string][]*Verdict{}
	for _, s := range r.Stores {
		for _, v := range s.Verdicts {
			verdicts[v.Rule.ID] = append(verdicts[v.Rule.ID], v)
		}
	}
	for _, p := range d.Postponed {
		if !p.Until.Before(r.Day.Time) {
			r.Postponed = append(r.Postponed, p)
		}
	}
	work := maxWaiving
	for _, w := range d.Waivers {
		if w.Until.Before(r.Day.Time) {
			r.Expired = append(r.Expired, w)
			continue
		}
		used, judged := false, false
		for _, v := range verdicts[w.Rule] {
			judged = judged || v.State != NotRead && v.State != ToAnswer
			for _, f := range v.Faults {
				if work--; work < 0 {
					break // what is not waived stays open
				}
				if f.Waiver == nil && waives(w.At, f) {
					f.Waiver, used = w, true
				}
			}
		}
		if !used && judged {
			r.Unused = append(r.Unused, w)
		}
	}
	for _, w := range d.Waivers {
		for _, v := range verdicts[w.Rule] {
			v.decide()
		}
		delete(verdicts, w.Rule) // once is enough
	}
}

// maxWaiving bounds how many places all waivers are held against.
const maxWaiving = 500_000
