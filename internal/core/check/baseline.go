package check

import (
	"slices"

	"regola.example/regola/internal/core/rulebook"
)

// Baseline is an earlier result beside which a release is judged: what was there already does
// not make it fail. The verdict stays what it is, since stores know of no baseline.
type Baseline struct {
	File  string
	Known int     // faults that were there
	New   int     // faults that were not
	Gone  []*Gone // faults that are there no more
}

// Gone is a fault of the baseline that is there no more.
type Gone struct {
	Rule  *rulebook.Rule
	Fault *Fault
}

// Against holds the result against an earlier one of the same release. Faults are the same by
// their keys; what was open is the same by rule and store.
func (r *Result) Against(file string, old *Result) {
	b := &Baseline{File: file}
	type open struct {
		rule  *rulebook.Rule
		fault *Fault
	}
	was, asked := map[string]open{}, map[string]bool{}
	var order []string
	for _, s := range old.Stores {
		for _, v := range s.Verdicts {
			for _, f := range v.Faults {
				if f.Waiver == nil {
					if _, twice := was[f.Key]; !twice {
						order = append(order, f.Key)
					}
					was[f.Key] = open{v.Rule, f}
				}
			}
			if v.Open() {
				asked[v.Key()] = true
			}
		}
	}
	// A fault that two stores share is one, with the key that it has in the first.
	is, known := map[string]bool{}, map[string]bool{}
	var count func(list []*Finding)
	count = func(list []*Finding) {
		for _, x := range list {
			for _, f := range x.Faults {
				is[f.Key] = true
				if _, there := was[f.Key]; there {
					known[same(x.Rule, f)] = true
					b.Known++
				} else {
					b.New++
				}
			}
			count(x.With)
		}
	}
	count(r.Findings(false))
	for _, s := range r.Stores {
		for _, v := range s.Verdicts {
			v.Known = v.Open() && asked[v.Key()]
			for _, f := range v.Faults { // what is waived is there still, and what two stores share is there for both
				is[f.Key] = true
				f.Known = known[same(v.Rule, f)]
			}
		}
	}
	for _, key := range order {
		if !is[key] {
			b.Gone = append(b.Gone, &Gone{was[key].rule, was[key].fault})
		}
	}
	r.Baseline = b
}

// same tells faults of several stores that are one from others.
func same(r *rulebook.Rule, f *Fault) string {
	return r.ID + "\x00" + f.Path + "\x00" + f.Say + "\x00" + f.At.String()
}

// Open tells whether the rule waits for an answer, a confirmation, or a part that can be read.
func (v *Verdict) Open() bool { return slices.Contains([]State{ToAnswer, ToConfirm, NotRead}, v.State) }

// unknown is the gravest impact among faults that no baseline had, or "".
func (r *Result) unknown() rulebook.Impact {
	var worst rulebook.Impact
	for _, s := range r.Stores {
		for _, v := range s.Verdicts {
			for _, f := range v.Faults {
				if f.Waiver == nil && !f.Known {
					worst = graver(worst, f.Impact)
				}
			}
		}
	}
	return worst
}
