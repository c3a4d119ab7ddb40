package check

import (
	"cmp"
	"reflect"
	"slices"
	"strings"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/submission"
)

// Raised is a rule that would apply if a field were raised.
type Raised struct {
	Rule *rulebook.Rule
	At   int64 // the least value with which it does
	Say  string
}

// mostRaised bounds the steps between a value and the one that is asked for.
const mostRaised = 20

// raise tells for each broken rule that says so what else its remedy brings:
// it judges the same submission as if the field were as it has to be. programs[i]
// gave verdicts[i]; meter bounds the work of the whole run.
func raise(programs []*Program, see *EvalContext, verdicts []*Verdict, meter *runMeter) {
	s := see.of
	for i, v := range verdicts {
		p := programs[i]
		if v.State != Broken || len(v.Faults) == 0 || p.raise == nil {
			continue
		}
		to, err := eval(p.raise, see.scope(p))
		if err != nil || !to.Known() {
			continue
		}
		goal, _ := to.Value().(int64)
		path := v.Rule.Raise.Field
		from, ok := numberAt(s, path)
		if !ok {
			continue
		}
		known := map[*rulebook.Rule]bool{v.Rule: true}
		for _, o := range verdicts {
			known[o.Rule] = known[o.Rule] || len(o.Faults) > 0
		}
		with := withNumber(s, path, goal)
		if with == nil || goal <= from {
			continue
		}
		at := NewEvalContext(with, see.on)
		for _, other := range programs {
			if known[other.Rule] {
				continue
			}
			w := other.Run(at, meter)
			if len(w.Faults) == 0 {
				continue
			}
			// It speaks at the goal: the least value at which it does.
			r := Raised{other.Rule, goal, w.Faults[0].Say}
			for n := max(from+1, goal-mostRaised); n < goal; n++ {
				if w := other.Run(NewEvalContext(withNumber(s, path, n), see.on), meter); len(w.Faults) > 0 {
					r.At, r.Say = n, w.Faults[0].Say
					break
				}
			}
			verdicts[i].Faults[0].Raises = append(verdicts[i].Faults[0].Raises, r)
		}
		slices.SortStableFunc(verdicts[i].Faults[0].Raises, func(a, b Raised) int { return cmp.Compare(a.At, b.At) })
	}
}

// field finds a field of a struct by its name in rules.
func field(v reflect.Value, name string) reflect.Value {
	for _, f := range reflect.VisibleFields(v.Type()) {
		if fact.RuleName(f) == name {
			return v.FieldByIndex(f.Index)
		}
	}
	return reflect.Value{}
}

// numberAt reads a number of the submission.
func numberAt(s *submission.Submission, path string) (int64, bool) {
	v := reflect.ValueOf(s).Elem()
	for name := range strings.SplitSeq(path, ".") {
		v = reflect.Indirect(v)
		if v.Kind() != reflect.Struct {
			return 0, false
		}
		if v = field(v, name); !v.IsValid() {
			return 0, false
		}
	}
	v = reflect.Indirect(v)
	if !v.IsValid() || !v.CanInt() {
		return 0, false
	}
	return v.Int(), true
}

// withNumber is a copy of the submission with another number. What lies on the
// path is copied; all the rest is shared.
func withNumber(s *submission.Submission, path string, n int64) *submission.Submission {
	out := *s
	v := reflect.ValueOf(&out).Elem()
	names := strings.Split(path, ".")
	for i, name := range names {
		v = field(v, name)
		if !v.IsValid() {
			return nil
		}
		if v.Kind() == reflect.Pointer {
			if v.IsNil() {
				return nil
			}
			fresh := reflect.New(v.Type().Elem())
			fresh.Elem().Set(v.Elem())
			v.Set(fresh)
			v = fresh.Elem()
		}
		if i == len(names)-1 {
			if !v.CanInt() {
				return nil
			}
			v.SetInt(n)
		}
	}
	return &out
}
