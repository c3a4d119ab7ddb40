// Package check holds submissions against rules. It compiles the rules of a
// store, judges them, and gives one verdict a rule: held, broken, to answer,
// to confirm, not read, not in force, not applicable or waived. It prints
// nothing.
package check

import (
	"fmt"
	"maps"
	"reflect"
	"slices"

	"cel.dev/cel-go/common/types"

	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/engine"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/signs"
	"regola.example/regola/internal/core/submission"
	"regola.example/regola/internal/core/tables"
)

// Env types the rules of one store: one environment for all its rulebooks.
type Env struct {
	*engine.Env
	books  []*rulebook.Book
	tables *tables.Set // whose names and types rules may use
}

// The variables beside the submission's own parts.
const (
	limitVar = "limit"
	sinceVar = "limit_since"
	dayVar   = "on"
	tableVar = "table"
	codeVar  = "code"
)

const limitHint = "limits are written under limits: in the rulebook"

// NewEnv makes the environment of some rulebooks and tables, with what was
// typed of them before, which may be nil. Limits of one name in several books
// must be of one type.
func NewEnv(books []*rulebook.Book, t *tables.Set, typed *engine.Typed) (*Env, place.Problems) {
	limits, since := map[string]*types.Type{}, map[string]*types.Type{}
	from := map[string]*rulebook.Value{}
	var ps place.Problems
	for _, b := range books {
		for _, name := range slices.Sorted(maps.Keys(b.Limits)) {
			for _, v := range b.Limits[name][:min(1, len(b.Limits[name]))] {
				if first := from[name]; first != nil && first.Kind() != v.Kind() {
					ps = append(ps, &place.Problem{At: fact.PlaceOf(v, &v.Value),
						What: fmt.Sprintf("the limit %s is %s here and %s in another rulebook (%s)", name, v.Kind(), first.Kind(), first.Self()),
						Fix:  "give it another name"})
					continue
				}
				from[name] = v
				limits[name], since[name] = limitType(v), types.TimestampType
			}
		}
	}
	if len(ps) > 0 {
		return nil, ps
	}
	env, err := engine.NewEnv(reflect.TypeFor[submission.Submission](), engine.Options{
		Records: []engine.Record{{Name: limitVar, Fields: limits, Hint: limitHint}, {Name: sinceVar, Fields: since, Hint: limitHint},
			{Name: tableVar, Fields: tableTypes(t), Hint: `tables of your own are named under tables: in the dossier; "regola rulebook test" takes them with --tables FILE`}},
		Variables: map[string]*types.Type{dayVar: types.TimestampType, codeVar: engine.TypeFor[signs.Index]()},
		Functions: Functions(),
		Typed:     typed,
	})
	if err != nil {
		return nil, place.Problems{{What: err.Error()}}
	}
	return &Env{Env: env, books: books, tables: t}, nil
}

func limitType(v *rulebook.Value) *types.Type {
	switch v.Value.(type) {
	case int:
		return types.IntType
	case float64:
		return types.DoubleType
	case bool:
		return types.BoolType
	case []any:
		return types.NewListType(types.StringType)
	}
	return types.StringType
}

// limitView is the variable limit, or limit_since, for the rules of one book:
// its own limits first.
type limitView struct {
	env   *Env
	book  *rulebook.Book
	on    day.Day
	since bool
}

// Get implements engine.View. A limit without a value on the day is a gap of
// its own kind: a rule that meets it does not bind yet.
func (l limitView) Get(name string) any {
	book := l.book
	if _, own := book.Limits[name]; !own {
		for _, b := range l.env.books {
			if _, ok := b.Limits[name]; ok {
				book = b
				break
			}
		}
	}
	v := book.On(name, l.on)
	if v == nil {
		return fact.Gap{Kind: fact.NotInForce, Path: limitVar + "." + name, What: "it has no value on the day"}
	}
	if l.since {
		return v.From
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

// tableTypes are the types of the tables.
func tableTypes(t *tables.Set) map[string]*types.Type {
	out := map[string]*types.Type{}
	for _, name := range t.Names() {
		out[name] = engine.TypeOf(reflect.TypeOf(t.Get(name)))
	}
	return out
}

// tableView is the variable table: the rows of the day.
type tableView struct{ set *tables.Set }

// Get implements engine.View.
func (t tableView) Get(name string) any {
	v := reflect.ValueOf(t.set.Get(name))
	if !v.IsValid() || v.Kind() == reflect.Pointer && v.IsNil() {
		return fact.Gap{Kind: fact.NotGiven, Path: tableVar + "." + name, What: "there is no such table"}
	}
	return v.Interface()
}
