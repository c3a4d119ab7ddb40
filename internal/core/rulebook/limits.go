package rulebook

import (
	"fmt"
	"sort"
	"time"

	"cel.dev/cel-go/common/types"

	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/strictyaml"
)

// limitTypes are the CEL types of a rulebook's limits.
type limitTypes struct {
	names []string
	byKey map[string]*types.Type
}

func limitTypesOf(b *Book, ps place.Problems) (*limitTypes, place.Problems) {
	lt := &limitTypes{byKey: make(map[string]*types.Type)}
	for name, values := range b.Limits {
		if len(values) == 0 {
			ps = append(ps, &place.Problem{At: b.Field("limits"), What: "the limit " + name + " has no value", Mend: "add {from: DAY, value: …}"})
			continue
		}
		sort.SliceStable(values, func(i, j int) bool { return values[i].From.Before(values[j].From.Time) })
		for _, v := range values {
			t, err := celType(v.Value)
			if err != nil {
				ps = append(ps, &place.Problem{At: v.Field("value"), What: "the limit " + name + ": " + err.Error(), Mend: "write a number, a text, true or false, or a list of texts"})
				continue
			}
			if old := lt.byKey[name]; old != nil && !old.IsExactType(t) {
				ps = append(ps, &place.Problem{At: v.Field("value"), What: fmt.Sprintf("the limit %s changes its type from %s to %s", name, old, t), Mend: "keep one type over time"})
			}
			lt.byKey[name] = t
		}
		lt.names = append(lt.names, name)
	}
	sort.Strings(lt.names)
	return lt, ps
}

func celType(v any) (*types.Type, error) {
	switch v := v.(type) {
	case int:
		return types.IntType, nil
	case float64:
		return types.DoubleType, nil
	case bool:
		return types.BoolType, nil
	case string:
		return types.StringType, nil
	case []any:
		for _, it := range v {
			if _, ok := it.(string); !ok {
				return nil, fmt.Errorf("%v is not a text", it)
			}
		}
		return types.NewListType(types.StringType), nil
	}
	return nil, fmt.Errorf("%v has no type that a rule can use", v)
}

// On is the value of a limit on a day, or nil when none holds yet or any more.
func (b *Book) On(name string, day strictyaml.Day) *Value {
	var found *Value
	for _, v := range b.Limits[name] {
		if !v.From.After(day.Time) {
			found = v
		}
	}
	if found != nil && found.Until != nil && day.After(found.Until.Time) {
		return nil
	}
	return found
}

// limitView is the variable limit (or limit_since) of one evaluation.
type limitView struct {
	book  *Book
	day   strictyaml.Day
	since bool
}

func (l *limitView) get(name string) any {
	v := l.book.On(name, l.day)
	if v == nil {
		return notInForce(name)
	}
	if l.since {
		return v.From.Time
	}
	if n, ok := v.Value.(int); ok {
		return int64(n)
	}
	if list, ok := v.Value.([]any); ok {
		out := make([]string, len(list))
		for i, it := range list {
			out[i], _ = it.(string)
		}
		return out
	}
	return v.Value
}

// noLimit is the start of the reason when a limit has no value on the day.
// A rule that meets it does not bind yet; it is neither broken nor unchecked.
const noLimit = "\x01limit "

func notInForce(name string) any { return unknown("limit."+name, noLimit+name) }

// longDay writes a day for people.
func longDay(t time.Time) string { return t.Format("2 January 2006") }
