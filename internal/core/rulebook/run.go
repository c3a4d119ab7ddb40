package rulebook

import (
	"errors"
	"fmt"
	"reflect"
	"sort"
	"strconv"
	"strings"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
	"cel.dev/cel-go/interpreter"

	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/strictyaml"
	"regola.example/regola/internal/core/submission"
)

// Outcome is what became of one rule on one submission.
type Outcome struct {
	Rule     *Rule
	Applies  bool      // false when it does not bind on the day, or not to this release
	Judged   int       // how many times it was judged: once, or once an item
	Findings []Finding // the places where it is broken
	Gaps     []Gap     // why it, or a part of it, could not be judged
	Question *Question // what a person must confirm
}

// Finding is one rule broken in one place.
type Finding struct {
	Rule   *Rule
	Impact Impact
	At     place.Place
	Path   string // the field at fault, as rules name it
	Say    string
	Seen   string
	Mend   string
}

// Question is an open or answered confirmation.
type Question struct {
	Ask       string
	Mend      string
	At        place.Place
	What      string // the word that confirms it
	Confirmed bool
	By        string
	On        strictyaml.Day
	Stale     string // confirmed, but for this other version
}

// InForce reports whether a rule binds on a day at all.
func (r *Rule) InForce(day strictyaml.Day) bool {
	return !(r.From != nil && day.Before(r.From.Time)) && !(r.Until != nil && day.After(r.Until.Time))
}

// EffectiveImpact is the impact that a finding may have: a rule that is not
// certain warns at most as craft.
func (r *Rule) EffectiveImpact() Impact {
	if r.Basis.Confidence == "low" {
		return Craft
	}
	return r.Impact
}

// missing tells which part that the rule needs is not there, and why.
func (r *Rule) missing(s *submission.Submission) *Gap {
	for _, need := range r.Needs {
		switch {
		case need == "package" && s.Pkg == nil:
			return &Gap{"pkg", reason(s, "pkg")}
		case need == "evidence" && s.Evidence == nil:
			return &Gap{"evidence", reason(s, "evidence")}
		case need == "dossier" && !s.HasDossier:
			return &Gap{"dossier", reason(s, "app")}
		case need == "listing" && len(s.Listing) == 0:
			if why := s.Unread("listing"); why != "" {
				return &Gap{"listing", why}
			}
			return &Gap{"listing", "the dossier has no listing yet"}
		}
	}
	return nil
}

func reason(s *submission.Submission, part string) string {
	if why := s.Unread(part); why != "" {
		return why
	}
	return "not given"
}

// Run judges a submission as of a day. The error is for a fault of the rule
// itself, such as an expression that fails or costs too much.
func (p *Program) Run(s *submission.Submission, day strictyaml.Day) (*Outcome, error) {
	out := &Outcome{Rule: p.Rule}
	if !p.Rule.InForce(day) {
		return out, nil
	}
	if gap := p.Rule.missing(s); gap != nil {
		out.Applies, out.Gaps = true, []Gap{*gap}
		return out, nil
	}
	act := &activation{sub: s, day: day, book: p.Rule.Book}
	if p.when != nil {
		v, gaps, err := p.judgeBy(p.when, act)
		switch {
		case err != nil:
			return nil, err
		case bindsNotYet(gaps):
			return out, nil
		case gaps != nil:
			out.Applies, out.Gaps = true, gaps
			return out, nil
		case v != types.True:
			return out, nil
		}
	}
	if p.ask != nil {
		out.Applies = true
		return out, p.question(out, act)
	}
	items := []any{nil}
	if p.each != nil {
		v, gaps, err := p.judgeBy(p.each, act)
		switch {
		case err != nil:
			return nil, err
		case bindsNotYet(gaps):
			return out, nil
		case gaps != nil:
			out.Applies, out.Gaps = true, gaps
			return out, nil
		}
		items = listItems(v)
	}
	for _, it := range items {
		act.it = it
		if err := p.judge(out, act); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// judge evaluates the condition once.
func (p *Program) judge(out *Outcome, act *activation) error {
	v, gaps, err := p.judgeBy(p.expect, act)
	switch {
	case err != nil:
		return err
	case bindsNotYet(gaps):
		return nil
	case gaps != nil:
		out.Applies = true
		out.Gaps = append(out.Gaps, gaps...)
		return nil
	}
	out.Applies = true
	out.Judged++
	if v == types.True {
		return nil
	}
	f := Finding{Rule: p.Rule, Impact: p.Rule.EffectiveImpact()}
	f.Path, f.At = p.place(act)
	for _, t := range []struct {
		from *text
		into *string
	}{{p.say, &f.Say}, {p.seen, &f.Seen}, {p.mend, &f.Mend}} {
		if *t.into, err = p.write(t.from, act); err != nil {
			return err
		}
	}
	out.Findings = append(out.Findings, f)
	return nil
}

func (p *Program) question(out *Outcome, act *activation) (err error) {
	q := &Question{What: p.Rule.Confirm}
	if q.Ask, err = p.write(p.ask, act); err != nil {
		return err
	}
	if q.Mend, err = p.write(p.mend, act); err != nil {
		return err
	}
	_, q.At = p.place(act)
	for _, c := range act.sub.Confirmed {
		if c.What != q.What {
			continue
		}
		if c.Version == act.sub.Version {
			q.Confirmed, q.By, q.On, q.Stale = true, c.By, c.On, ""
			break
		}
		q.Stale = c.Version
	}
	out.Question = q
	return nil
}

// judgeBy evaluates a condition, which is compiled now if it was not before.
func (p *Program) judgeBy(n *condition, act *activation) (ref.Val, []Gap, error) {
	if problems := n.load(); len(problems) > 0 {
		return nil, nil, problems
	}
	return p.eval(n.prog, act)
}

func (p *Program) eval(prog cel.Program, act *activation) (ref.Val, []Gap, error) {
	v, _, err := prog.Eval(act)
	if err != nil {
		return nil, nil, fmt.Errorf("%s: rule %s: %w", p.Rule.Self(), p.Rule.ID, err)
	}
	if u, ok := v.(*types.Unknown); ok {
		return nil, gapsOf(u), nil
	}
	return v, nil, nil
}

// bindsNotYet tells that a limit which the rule needs has no value on the day.
func bindsNotYet(gaps []Gap) bool {
	for _, g := range gaps {
		if strings.HasPrefix(g.Reason, noLimit) {
			return true
		}
	}
	return false
}

// place finds where the field at fault stands.
func (p *Program) place(act *activation) (string, place.Place) {
	if p.at == nil {
		if mark := place.Of(act.it); mark != nil {
			return mark.Path(), mark.Self()
		}
		return "", place.Place{}
	}
	if problems := p.at.load(); len(problems) > 0 {
		return p.at.src.Src, place.Place{}
	}
	return p.locate(p.at, act)
}

// locate finds the place of one target.
func (p *Program) locate(t *target, act *activation) (string, place.Place) {
	if t.cond != nil {
		v, gaps, err := p.eval(t.cond, act)
		if err != nil || gaps != nil {
			return t.src.Src, place.Place{}
		}
		if v == types.True {
			return p.locate(t.then, act)
		}
		return p.locate(t.els, act)
	}
	v, gaps, err := p.eval(t.parent, act)
	if err != nil || gaps != nil {
		return t.src.Src, place.Place{}
	}
	o, ok := v.(*object)
	if !ok {
		return t.src.Src, place.Place{}
	}
	mark := place.Of(o.ptr)
	if mark == nil {
		return t.src.Src, place.Place{}
	}
	if t.field == "" {
		return mark.Path(), mark.Self()
	}
	path := t.field
	if mark.Path() != "" {
		path = mark.Path() + "." + t.field
	}
	if inner := innerMark(o.ptr, t.field); inner != nil && !mark.HasField(t.field) && !inner.Self().IsZero() {
		return path, inner.Self()
	}
	return path, mark.Field(t.field)
}

// innerMark is the mark of a struct that a field holds.
func innerMark(ptr any, field string) *place.Mark {
	ti, ok := typeByGo.Load(reflect.TypeOf(ptr).Elem())
	if !ok {
		return nil
	}
	ft := ti.(*typeInfo).fields[field]
	if ft == nil {
		return nil
	}
	v, err := ft.GetFrom(ptr)
	if err != nil {
		return nil
	}
	return place.Of(v)
}

func (p *Program) write(t *text, act *activation) (string, error) {
	if t == nil {
		return "", nil
	}
	if problems := t.load(); len(problems) > 0 {
		return "", problems
	}
	var b strings.Builder
	for _, pt := range t.parts {
		if pt.expr == nil {
			b.WriteString(pt.literal)
			continue
		}
		v, gaps, err := p.eval(pt.expr, act)
		if err != nil {
			return "", err
		}
		if gaps != nil {
			b.WriteString("(unknown)")
			continue
		}
		b.WriteString(show(v))
	}
	return b.String(), nil
}

// show writes a value for people.
func show(v ref.Val) string {
	switch v := v.(type) {
	case types.String:
		return string(v)
	case types.Bool:
		if v {
			return "yes"
		}
		return "no"
	case types.Timestamp:
		return longDay(v.Time)
	case types.Double:
		return strconv.FormatFloat(float64(v), 'g', -1, 64)
	}
	if items := listItems(v); items != nil {
		parts := make([]string, len(items))
		for i, it := range items {
			parts[i] = fmt.Sprint(it)
		}
		return strings.Join(parts, ", ")
	}
	return fmt.Sprint(v.Value())
}

// listItems gives the Go values of a list.
func listItems(v ref.Val) []any {
	l, ok := v.(interface {
		Size() ref.Val
		Get(ref.Val) ref.Val
	})
	if !ok {
		return nil
	}
	n, ok := l.Size().(types.Int)
	if !ok {
		return nil
	}
	out := make([]any, n)
	for i := range out {
		out[i] = l.Get(types.Int(i)).Value()
	}
	return out
}

// activation gives CEL the variables of one evaluation.
type activation struct {
	sub  *submission.Submission
	day  strictyaml.Day
	book *Book
	it   any
}

var subInfo = infoOf(reflect.TypeFor[submission.Submission]())

// ResolveName implements interpreter.Activation.
func (a *activation) ResolveName(name string) (any, bool) {
	switch name {
	case "limit":
		return &limitView{book: a.book, day: a.day}, true
	case "limit_since":
		return &limitView{book: a.book, day: a.day, since: true}, true
	case "on":
		return a.day.Time, true
	case "it":
		return a.it, a.it != nil
	}
	ft := subInfo.fields[name]
	if ft == nil {
		return nil, false
	}
	v, err := ft.GetFrom(a.sub)
	return v, err == nil
}

// Parent implements interpreter.Activation.
func (a *activation) Parent() interpreter.Activation { return nil }

// TestExamples runs a rule's examples and reports each that does not come out
// as it says.
func (p *Program) TestExamples() error {
	var errs []error
	for _, ex := range p.Rule.Examples {
		if err := p.testExample(ex); err != nil {
			errs = append(errs, fmt.Errorf("%s: rule %s: %w", ex.Self(), p.Rule.ID, err))
		}
	}
	return errors.Join(errs...)
}

func (p *Program) testExample(ex *Example) error {
	sub := &ex.Given
	sub.Prepare()
	day := p.Rule.Basis.Checked
	if ex.On != nil {
		day = *ex.On
	}
	out, err := p.Run(sub, day)
	if err != nil {
		return err
	}
	got := "false"
	switch {
	case len(out.Findings) > 0:
		got = "true"
	case len(out.Gaps) > 0:
		got = "unknown"
	}
	if got != ex.Breaks {
		detail := ""
		for _, g := range out.Gaps {
			detail += fmt.Sprintf("; %s: %s", g.Path, g.Reason)
		}
		return fmt.Errorf("the example says breaks: %s, the rule says %s%s", ex.Breaks, got, detail)
	}
	if ex.Says != "" {
		var said []string
		for _, f := range out.Findings {
			if f.Say == ex.Says {
				return nil
			}
			said = append(said, f.Say)
		}
		sort.Strings(said)
		return fmt.Errorf("the example expects %q, the rule says %q", ex.Says, said)
	}
	return nil
}
