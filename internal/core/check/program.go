package check

import (
	"cmp"
	"errors"
	"fmt"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"unicode"

	"cel.dev/cel-go/common/types"

	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/engine"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/sanitize"
	"regola.example/regola/internal/core/submission"
	"regola.example/regola/internal/core/textual"
)

// Bounds on what one rule may cost and say: rules and packages may come from
// strangers.
const (
	maxRuleCost = 5_000_000  // over all items, in CEL's units, of which a second has about four million
	maxRunCost  = 10_000_000 // over all rules of one submission
	maxFaults   = 500        // places that are kept of one rule
	maxGaps     = 50         // gaps that are kept of one rule
)

// Program is a rule that is ready to run. Each part is compiled when it is
// needed first: a rule whose condition does not apply, or whose list is empty,
// costs no more than that.
type Program struct {
	Rule *rulebook.Rule
	env  *Env

	item                func() (*types.Type, place.Problems) // of each
	when, each, expect  *part[*engine.Expr]
	impact, raise       *part[*engine.Expr]
	at                  *part[*engine.Target]
	ask, say, seen, fix *part[*engine.Template]
	what, because, into *part[*engine.Template] // of the duty
	edits               []*edit
}

// part is one compiled part of a rule.
type part[T any] struct {
	load   func() (T, place.Problems)
	loaded atomic.Bool
}

func newPart[T any](load func() (T, place.Problems)) *part[T] {
	p := &part[T]{}
	p.load = sync.OnceValues(func() (T, place.Problems) {
		p.loaded.Store(true)
		return load()
	})
	return p
}

// Prepare makes a program whose parts are compiled when they are needed.
func (e *Env) Prepare(r *rulebook.Rule) *Program {
	p := &Program{Rule: r, env: e}
	source := func(x rulebook.Expr, what string) engine.Source {
		return engine.Source{Text: x.Src, At: x.At, For: r.ID + ": " + what}
	}
	list := r.Each
	if r.Faults.Src != "" {
		list = r.Faults
	}
	p.when = expr(e, r.When, source(r.When, "when"), types.BoolType, nil)
	if list.Src != "" {
		p.each = newPart(func() (*engine.Expr, place.Problems) {
			x, ps := e.Compile(source(list, "each"), nil, nil)
			if len(ps) == 0 && x.ItemType() == nil {
				ps = place.Problems{{At: list.At, What: r.ID + ": each must be a list, this is " + engine.TypeName(x.Type), Fix: "write a list, such as pkg.android.native.libraries"}}
			}
			return x, ps
		})
	}
	duty := r.Duty
	if duty == nil {
		duty = &rulebook.Duty{}
	}
	// The parts behind each know its item.
	p.item = func() (*types.Type, place.Problems) {
		if p.each == nil {
			return nil, nil
		}
		x, ps := p.each.load()
		if len(ps) > 0 {
			return nil, ps
		}
		return x.ItemType(), nil
	}
	for _, x := range r.Edits {
		p.edits = append(p.edits, p.edit(x, source))
	}
	p.expect = expr(e, r.Expect, source(r.Expect, "expect"), types.BoolType, p.item)
	p.impact = expr(e, r.Impact.By, source(r.Impact.By, "impact"), types.StringType, p.item)
	if r.Raise != nil {
		p.raise = expr(e, r.Raise.To, source(r.Raise.To, "raise"), types.IntType, nil)
	}
	if r.At.Src != "" {
		p.at = newPart(func() (*engine.Target, place.Problems) {
			item, ps := p.item()
			if len(ps) > 0 {
				return nil, nil // reported at each
			}
			return e.CompileTarget(source(r.At, "at"), item)
		})
	}
	for _, x := range []struct {
		name string
		from rulebook.Template
		into **part[*engine.Template]
	}{{"ask", r.Ask, &p.ask}, {"say", r.Say, &p.say}, {"seen", r.Seen, &p.seen}, {"fix", r.Fix, &p.fix}, {"what", duty.What, &p.what}, {"because", duty.Because, &p.because}, {"write", duty.Write, &p.into}} {
		if x.from.Src != "" {
			*x.into = newPart(func() (*engine.Template, place.Problems) {
				item, ps := p.item()
				if len(ps) > 0 {
					return nil, nil
				}
				return e.CompileText(source(rulebook.Expr(x.from), x.name), item)
			})
		}
	}
	return p
}

// edit prepares a correction: where its text stands, what it is, and what it becomes.
func (p *Program) edit(x *rulebook.Edit, source func(rulebook.Expr, string) engine.Source) *edit {
	out := &edit{to: expr(p.env, x.To, source(x.To, "edits: to"), types.StringType, p.item), rename: x.Rename}
	if !x.Rename {
		out.was = expr(p.env, x.Of, source(x.Of, "edits: of"), types.StringType, p.item)
	}
	out.at = newPart(func() (*engine.Target, place.Problems) {
		item, ps := p.item()
		if len(ps) > 0 {
			return nil, nil // reported at each
		}
		return p.env.CompileTarget(source(x.Of, "edits: of"), item)
	})
	return out
}

// edit is a correction of a rule.
type edit struct {
	at      *part[*engine.Target]
	was, to *part[*engine.Expr]
	rename  bool
}

// make is the correction of what the rule found; nil when there is nothing to correct, or
// when what it needs is not known.
func (x *edit) make(scope *engine.Scope) (*place.Edit, error) {
	target, ps := x.at.load()
	if len(ps) > 0 || target == nil {
		return nil, nil
	}
	_, at := target.Locate(scope)
	to, err := eval(x.to, scope)
	if err != nil || !to.Known() || at.File == "" {
		return nil, err
	}
	out := &place.Edit{At: at, Becomes: fmt.Sprint(to.Val.Value()), Rename: x.rename}
	if x.rename {
		out.At, out.Was = place.Place{File: at.File}, path.Base(filepath.ToSlash(at.File))
	} else {
		was, err := eval(x.was, scope)
		if err != nil || !was.Known() || at.Line == 0 {
			return nil, err
		}
		out.Was = fmt.Sprint(was.Val.Value())
	}
	if out.Was == out.Becomes {
		return nil, nil
	}
	return out, nil
}

func expr(e *Env, x rulebook.Expr, s engine.Source, want *types.Type, item func() (*types.Type, place.Problems)) *part[*engine.Expr] {
	if x.Src == "" {
		return nil
	}
	return newPart(func() (*engine.Expr, place.Problems) {
		var it *types.Type
		if item != nil {
			var ps place.Problems
			if it, ps = item(); len(ps) > 0 {
				return nil, nil
			}
		}
		return e.Compile(s, want, it)
	})
}

// Check compiles all parts of a rule at once, also the conditions in its
// texts. The problems name the file, line and column of each mistake.
func (p *Program) Check() (ps place.Problems) {
	for _, x := range []*part[*engine.Expr]{p.when, p.each, p.expect, p.impact, p.raise} {
		if x != nil {
			_, more := x.load()
			ps = append(ps, more...)
		}
	}
	if p.at != nil {
		_, more := p.at.load()
		ps = append(ps, more...)
	}
	for _, x := range p.edits {
		_, more := x.at.load()
		ps = append(ps, more...)
		for _, part := range []*part[*engine.Expr]{x.was, x.to} {
			if part != nil {
				_, more := part.load()
				ps = append(ps, more...)
			}
		}
	}
	for _, t := range []*part[*engine.Template]{p.ask, p.say, p.seen, p.fix, p.what, p.because, p.into} {
		if t != nil {
			_, more := t.load()
			ps = append(ps, more...)
		}
	}
	return ps
}

// Needs lists the parts of the submission that a rule looks at.
func (p *Program) Needs() []string {
	var out []string
	for _, x := range []*part[*engine.Expr]{p.when, p.each, p.expect} {
		if x == nil {
			continue
		}
		if c, ps := x.load(); len(ps) == 0 && c != nil {
			out = append(out, c.Uses...)
		}
	}
	slices.Sort(out)
	return slices.DeleteFunc(slices.Compact(out), func(s string) bool {
		return s == limitVar || s == sinceVar || s == dayVar || s == tableVar || s == "store"
	})
}

// Selects lists the fields of structs that the conditions of a rule read.
func (p *Program) Selects() []engine.Select {
	var out []engine.Select
	for _, x := range []*part[*engine.Expr]{p.when, p.each, p.expect, p.impact, p.raise} {
		if x == nil {
			continue
		}
		if c, ps := x.load(); len(ps) == 0 && c != nil {
			out = append(out, c.Selects()...)
		}
	}
	return out
}

// runMeter bounds the work of all rules on one submission: a rulebook from a
// stranger must not hang a build, nor must a package.
type runMeter struct{ left atomic.Int64 }

// Spend takes from the meter and tells whether something is left.
func (m *runMeter) Spend(n int64) bool { return m.left.Add(-n) > 0 }

func newRunMeter() *runMeter {
	m := &runMeter{}
	m.left.Store(maxRunCost)
	return m
}

// Run judges a submission. It never fails: a rule that cannot be
// evaluated is not read, with the reason.
func (p *Program) Run(see *EvalContext, all *runMeter) *Verdict {
	s := see.of
	v := &Verdict{Rule: p.Rule, Store: see.as, State: NotApplicable}
	if !p.Rule.InForce(see.on) {
		v.State = NotInForce
		return v
	}
	if c := p.Rule.Channels; len(c) > 0 && !slices.Contains(c, s.Channel) {
		return v
	}
	if k := see.memo.find(p, see); k != nil {
		return k
	}
	scope := see.scope(p)
	if all != nil {
		scope.Meter.Up = all
	}
	err := p.run(v, see, scope)
	if err != nil {
		v.Gaps = append(v.Gaps, fact.Gap{Kind: fact.NotRead, Path: p.Rule.ID, What: "the rule could not be evaluated: " + err.Error(), At: s.PackagePlace()})
	}
	for _, f := range v.Faults {
		if f.At == (place.Place{}) { // a rule without at: is about the package
			f.At = s.PackagePlace()
		}
	}
	v.decide()
	if err == nil {
		see.memo.keep(p, see, v)
	}
	return v
}

// run evaluates the parts in their order.
func (p *Program) run(v *Verdict, see *EvalContext, scope *engine.Scope) error {
	if p.when != nil {
		w, err := eval(p.when, scope)
		switch {
		case err != nil:
			return err
		case !w.Known():
			v.addGaps(w.Gaps)
			return nil
		case !w.True():
			return nil
		}
	}
	if p.ask != nil {
		return p.question(v, see, scope)
	}
	items := []any{nil}
	if p.each != nil {
		l, err := eval(p.each, scope)
		switch {
		case err != nil:
			return err
		case !l.Known():
			v.addGaps(l.Gaps)
			return nil
		}
		items = l.Items()
	}
	for _, it := range items {
		scope.It = it
		if err := p.judge(v, scope); err != nil {
			return err
		}
	}
	return nil
}

func eval(x *part[*engine.Expr], scope *engine.Scope) (engine.Value, error) {
	c, ps := x.load()
	if len(ps) > 0 {
		return engine.Value{}, ps
	}
	return c.Eval(scope)
}

// judge evaluates the condition once, and notes the duty that comes of it.
func (p *Program) judge(v *Verdict, scope *engine.Scope) error {
	faults, gaps := len(v.Faults)+v.More, len(v.Gaps)
	if err := p.evaluate(v, scope); err != nil || p.what == nil {
		return err
	}
	return p.addDuty(v, scope, len(v.Faults)+v.More > faults, slices.Clone(v.Gaps[min(gaps, len(v.Gaps)):]))
}

// addDuty notes a duty: done, contradicted by a fault, or open for what the dossier
// does not answer.
func (p *Program) addDuty(v *Verdict, scope *engine.Scope, broken bool, gaps []fact.Gap) (err error) {
	if len(v.Duties) >= maxFaults {
		return nil
	}
	d := &Duty{Rule: p.Rule, State: Done, Stores: []string{v.Store}}
	switch {
	case broken:
		d.State = Contradicted
		if i := v.Faults[len(v.Faults)-1]; i.Waiver != nil {
			d.State = Done
		}
	case len(gaps) > 0:
		d.State = Due
	}
	if d.What, err = write(p.what, scope); err != nil {
		return err
	}
	if d.Because, err = write(p.because, scope); err != nil {
		return err
	}
	if d.Write, err = write(p.into, scope); err != nil {
		return err
	}
	d.Act = actOf(d.Write, p.Rule.Duty.Act)
	if mark := fact.Of(scope.It); mark != nil {
		d.At = mark.Self()
	}
	if d.Impact = p.Rule.Fixed(); d.Impact == "" && p.impact != nil {
		if w, err := eval(p.impact, scope); err == nil && w.Known() {
			d.Impact = rulebook.Impact(fmt.Sprint(w.Val.Value()))
		}
	}
	v.Duties = append(v.Duties, d)
	return nil
}

// evaluate evaluates the condition.
func (p *Program) evaluate(v *Verdict, scope *engine.Scope) error {
	if p.expect != nil {
		w, err := eval(p.expect, scope)
		switch {
		case err != nil:
			return err
		case !w.Known():
			v.addGaps(w.Gaps)
			return nil
		}
		v.Judged++
		if w.True() {
			return nil
		}
	} else {
		v.Judged++
	}
	if len(v.Faults) >= maxFaults {
		v.More++
		return nil
	}
	f := &Fault{Impact: p.Rule.Fixed(), Stores: []string{v.Store}}
	if p.impact != nil && f.Impact == "" {
		w, err := eval(p.impact, scope)
		if err != nil {
			return err
		}
		f.Impact = rulebook.Craft // the least, when it is not known
		if w.Known() {
			f.Impact = rulebook.Impact(fmt.Sprint(w.Val.Value()))
		}
		if !slices.Contains(rulebook.Impacts, f.Impact) {
			return fmt.Errorf("%q is not an impact", f.Impact)
		}
	}
	f.Path, f.At = p.place(scope)
	for _, t := range []struct {
		from *part[*engine.Template]
		into *string
	}{{p.say, &f.Say}, {p.seen, &f.Seen}, {p.fix, &f.Fix}} {
		var err error
		if *t.into, err = write(t.from, scope); err != nil {
			return err
		}
		*t.into = sanitize.Cut(*t.into, mostSaid)
	}
	for _, x := range p.edits {
		change, err := x.make(scope)
		if err != nil {
			return err
		}
		if change != nil {
			f.Edits = append(f.Edits, change)
		}
	}
	v.Faults = append(v.Faults, f)
	return nil
}

// mostSaid is the longest text of a finding, in characters: a rule may quote
// what a package holds, and that has any length.
const mostSaid = 5_000

func (p *Program) question(v *Verdict, see *EvalContext, scope *engine.Scope) (err error) {
	q := &Question{What: p.Rule.Confirm}
	if q.Ask, err = write(p.ask, scope); err != nil {
		return err
	}
	if q.Fix, err = write(p.fix, scope); err != nil {
		return err
	}
	_, q.At = p.place(scope)
	for _, c := range see.of.Confirmed {
		if c.What != q.What {
			continue
		}
		if c.Version != see.of.Version {
			q.Stale = c.Version
			continue
		}
		if q.Doubt = doubtOf(c, see.of, see.on); q.Doubt == "" {
			q.Confirmed, q.By, q.On, q.Stale = true, c.By, c.On, ""
			break
		}
		q.At = c.Self()
	}
	v.Question = q
	return nil
}

// doubtOf is why a confirmation does not count on a day; empty when it does.
func doubtOf(c *dossier.Confirmation, s *submission.Submission, on day.Day) string {
	switch {
	case !strings.ContainsFunc(c.By, unicode.IsLetter), textual.IsPlaceholder(c.By):
		return "nobody is named who vouches for it"
	case s.Previous != nil && s.Previous.On != nil && s.Previous.Version != s.Version && c.On.Before(s.Previous.On.Time):
		return "its day, " + c.On.Long() + ", lies before " + s.Previous.Version + " was sent"
	case c.On.After(on.Time):
		return "its day, " + c.On.Long() + ", lies ahead"
	}
	return ""
}

// place finds where the field at fault stands.
func (p *Program) place(scope *engine.Scope) (string, place.Place) {
	if p.at == nil {
		if mark := fact.Of(scope.It); mark != nil {
			return mark.Path(), mark.Self()
		}
		return "", place.Place{}
	}
	t, ps := p.at.load()
	if len(ps) > 0 || t == nil {
		return p.Rule.At.Src, place.Place{}
	}
	return t.Locate(scope)
}

func write(t *part[*engine.Template], scope *engine.Scope) (string, error) {
	if t == nil {
		return "", nil
	}
	c, ps := t.load()
	if len(ps) > 0 {
		return "", ps
	}
	return c.Write(scope)
}

// TestExamples runs a rule's examples and reports each that does not come out
// as it says. Problems are those of the rule itself.
func (p *Program) TestExamples() error {
	var errs []error
	for _, ex := range p.Rule.Examples {
		if err := p.testExample(ex); err != nil {
			errs = append(errs, fmt.Errorf("%s: rule %s: %w", ex.Self(), p.Rule.ID, err))
		}
	}
	return errors.Join(errs...)
}

// Note evaluates a note of a book; empty where it does not apply or something
// that it needs is not known.
func (e *Env) Note(b *rulebook.Book, n *rulebook.Annotation, s *submission.Submission, on day.Day) string {
	if v := e.note(b, n).Run(NewEvalContext(s, on), nil); v.Question != nil && len(v.Gaps) == 0 {
		return v.Question.Ask
	}
	return ""
}

func (e *Env) note(b *rulebook.Book, n *rulebook.Annotation) *Program {
	return e.Prepare(&rulebook.Rule{ID: n.Of, Book: b, When: n.When, Ask: n.Say})
}

// CheckNotes compiles the notes of a book, and finds those that look at more than a
// package, limits and tables: where facts are shown there is nothing else.
func (e *Env) CheckNotes(b *rulebook.Book) (ps place.Problems) {
	for _, n := range b.Notes {
		p := e.note(b, n)
		if wrong := p.Check(); len(wrong) > 0 {
			ps = append(ps, wrong...)
			continue
		}
		say, _ := p.ask.load()
		uses := say.Uses()
		if p.when != nil {
			when, _ := p.when.load()
			uses = append(uses, when.Uses...)
		}
		for _, name := range uses {
			if !slices.Contains(packageVars, name) {
				ps = append(ps, &place.Problem{At: n.Self(), What: "the note on " + n.Of + " looks at more than facts, limits and tables: " + name, Fix: "name fields of pkg, limits of this rulebook and tables only"})
			}
		}
	}
	return ps
}

// Example judges what an example gives.
func (p *Program) Example(ex *rulebook.Example) *Verdict {
	sub := &ex.Given
	on := p.Rule.Basis.Checked
	if ex.On != nil {
		on = *ex.On
	}
	if sub.Tables == nil {
		sub.Tables = p.env.tables
	}
	sub.Derive(sub.Tables.On(on))
	sub.Prepare()
	return p.Run(NewEvalContext(sub, on), nil)
}

func (p *Program) testExample(ex *rulebook.Example) error {
	v := p.Example(ex)
	got := "false"
	switch {
	case len(v.Faults) > 0:
		got = "true"
	case len(v.Gaps) > 0:
		got = "unknown"
	case v.State == ToConfirm:
		got = "asks"
	}
	if got != ex.Breaks {
		detail := ""
		for _, g := range v.Gaps {
			detail += fmt.Sprintf("; %s: %s", g.Path, g.What)
		}
		return fmt.Errorf("the example says breaks: %s, the rule says %s%s", ex.Breaks, got, detail)
	}
	if ex.Says != "" {
		var said []string
		for _, f := range v.Faults {
			if f.Say == ex.Says {
				return nil
			}
			said = append(said, f.Say)
		}
		slices.Sort(said)
		return fmt.Errorf("the example expects %q, the rule says %q", ex.Says, said)
	}
	return nil
}

// uniqueGaps puts gaps into an order of their own, each once.
func uniqueGaps(gaps []fact.Gap) []fact.Gap {
	slices.SortFunc(gaps, func(a, b fact.Gap) int {
		return cmp.Or(cmp.Compare(a.Path, b.Path), cmp.Compare(a.What, b.What), cmp.Compare(a.Kind, b.Kind))
	})
	gaps = slices.CompactFunc(gaps, func(a, b fact.Gap) bool { return a.Path == b.Path && a.What == b.What && a.Kind == b.Kind })
	return gaps[:min(len(gaps), maxGaps)]
}
