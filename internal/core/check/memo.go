package check

import (
	"slices"

	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/engine"
	"regola.example/regola/internal/core/memory"
	"regola.example/regola/internal/core/tables"
)

// Memo remembers, of one package, the verdicts that follow from it alone: submissions
// that share the package share them. It is safe for use by several goroutines; a nil one
// remembers nothing.
type Memo struct {
	seen memory.Cache[memoKey, *Verdict]
}

// memoKey is all that such a verdict depends on beside the package.
type memoKey struct {
	rule   *Program
	tables *tables.Set
	on     day.Day
}

// find gives a verdict that is known, for its own use by the caller, or nil.
func (m *Memo) find(p *Program, see *EvalContext) *Verdict {
	if m == nil {
		return nil
	}
	v, ok := m.seen.Get(memoKey{p, see.of.Tables, see.on})
	if !ok {
		return nil
	}
	mine := *v
	mine.Gaps, mine.Store = slices.Clone(v.Gaps), see.as
	return &mine
}

// keep remembers a verdict without faults, questions and duties, where nothing that was
// evaluated for it looked at more than the package.
func (m *Memo) keep(p *Program, see *EvalContext, v *Verdict) {
	if m == nil || len(v.Faults) > 0 || p.ask != nil || p.what != nil || !p.ofPackage() {
		return
	}
	mine := *v
	mine.Gaps = slices.Clone(v.Gaps)
	m.seen.Put(memoKey{p, see.of.Tables, see.on}, &mine)
}

// LooksAtPackage tells whether a condition of the rule looks at the package, or at what
// shows in it.
func (p *Program) LooksAtPackage() bool {
	return slices.ContainsFunc(p.Needs(), func(name string) bool { return name == "pkg" || name == "evidence" || name == codeVar })
}

// packageVars are the variables that a package, a store, a day and the tables decide.
var packageVars = []string{"pkg", "store", codeVar, limitVar, sinceVar, dayVar, tableVar}

// ofPackage tells whether what was ever evaluated of the rule's condition looks at the
// package alone.
func (p *Program) ofPackage() bool {
	for _, x := range []*part[*engine.Expr]{p.when, p.each, p.expect} {
		if x == nil || !x.loaded.Load() {
			continue
		}
		c, ps := x.load()
		if len(ps) > 0 || c == nil || slices.ContainsFunc(c.Uses, func(name string) bool { return !slices.Contains(packageVars, name) }) {
			return false
		}
	}
	return true
}
