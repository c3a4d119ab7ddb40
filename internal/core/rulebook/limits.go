package rulebook

import (
	"fmt"
	"maps"
	"regexp"
	"slices"

	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/place"
)

var limitName = regexp.MustCompile(`^[a-z][a-z0-9_]*$`)

// limitProblems checks the limits' names and types, and puts their values in
// the order of their days.
func (b *Book) limitProblems() (ps place.Problems) {
	fail := func(at place.Place, what, fix string) {
		ps = append(ps, &place.Problem{At: at, What: what, Fix: fix})
	}
	for _, name := range slices.Sorted(maps.Keys(b.Limits)) {
		values := b.Limits[name]
		if !limitName.MatchString(name) {
			fail(fact.PlaceOf(b, &b.Limits), fmt.Sprintf("%q is not a name that a condition can use", name), "write small letters, digits and underscores, a letter first")
			continue
		}
		if len(values) == 0 {
			fail(fact.PlaceOf(b, &b.Limits), "the limit "+name+" has no value", "add {from: DAY, value: …}")
		}
		slices.SortStableFunc(values, func(x, y *Value) int { return x.From.Compare(y.From.Time) })
		kind := ""
		for _, v := range values {
			k := v.Kind()
			switch {
			case k == "":
				fail(fact.PlaceOf(v, &v.Value), fmt.Sprintf("the limit %s: %v has no type that a rule can use", name, v.Value), "write a number, a text, true or false, or a list of texts")
			case kind != "" && k != kind:
				fail(fact.PlaceOf(v, &v.Value), fmt.Sprintf("the limit %s changes its type from %s to %s", name, kind, k), "keep one type over time")
			}
			kind = k
		}
	}
	return ps
}

// Kind is the type of the value in words: a number, a fraction, a text, true
// or false, a list of texts; "" for any other.
func (v *Value) Kind() string {
	switch x := v.Value.(type) {
	case int:
		return "a number"
	case float64:
		return "a fraction"
	case bool:
		return "true or false"
	case string:
		return "a text"
	case []any:
		for _, it := range x {
			if _, ok := it.(string); !ok {
				return ""
			}
		}
		return "a list of texts"
	}
	return ""
}

// On is the value of a limit on a day, or nil when none holds yet or any more.
func (b *Book) On(name string, on day.Day) *Value {
	var found *Value
	for _, v := range b.Limits[name] {
		if !v.From.After(on.Time) {
			found = v
		}
	}
	if found != nil && !on.Between(nil, found.Until) {
		return nil
	}
	return found
}
