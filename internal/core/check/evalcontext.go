package check

import (
	"maps"
	"sync"

	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/engine"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/submission"
)

// EvalContext is a submission as rules see it on a day. One serves all rules; it is safe for
// use by several goroutines.
type EvalContext struct {
	of   *submission.Submission
	as   string // what is judged: the store's id, or that with a channel and a kind of device
	on   day.Day
	memo *Memo          // of what follows from the package alone, or nil
	both map[string]any // what every rule sees
	mu   sync.Mutex
	vars map[contextKey]map[string]any
}

// contextKey is what variables depend on: a rule sees the limits of its own book first.
type contextKey struct {
	env  *Env
	book *rulebook.Book
}

// NewEvalContext prepares a submission for evaluation on a day.
func NewEvalContext(s *submission.Submission, on day.Day) *EvalContext {
	return &EvalContext{of: s, as: s.Store, on: on, vars: map[contextKey]map[string]any{},
		both: map[string]any{dayVar: on.Time, tableVar: tableView{s.Tables.On(on)}, codeVar: codeOf(s)}}
}

// scope is what one rule sees.
func (see *EvalContext) scope(p *Program) *engine.Scope {
	key := contextKey{p.env, p.Rule.Book}
	see.mu.Lock()
	defer see.mu.Unlock()
	vars := see.vars[key]
	if vars == nil {
		vars = map[string]any{limitVar: limitView{p.env, p.Rule.Book, see.on, false}, sinceVar: limitView{p.env, p.Rule.Book, see.on, true}}
		maps.Copy(vars, see.both)
		see.vars[key] = vars
	}
	return &engine.Scope{Root: see.of, Meter: &engine.Meter{Left: maxRuleCost}, Vars: vars}
}
