package report

import (
	"fmt"
	"io"
	"slices"
	"strings"

	"github.com/rivo/uniseg"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/visible"
)

// labelWidth is the column of labels such as "refused" and "fix".
const labelWidth = 10

// How many rules a reason lists, and how many places a finding.
const maxListed, maxPlaces = 5, 5

// Text writes a check's result for people: first what stands between the
// release and each store, then the findings by stage, then what is to answer,
// what could not be read and why, and what a person must confirm.
func Text(w io.Writer, r *check.Result, look Look, exit int) error {
	p := &printer{w: w, look: look}
	p.verdict(r)
	p.findings(r)
	p.open(r, check.ToAnswer, "TO ANSWER")
	p.open(r, check.NotRead, "NOT READ")
	p.questions(r)
	p.waivers(r)
	p.sum(r, exit)
	return p.err
}

func (p *printer) verdict(r *check.Result) {
	title := visible.Text(strings.TrimSpace(r.App + " " + r.Version))
	date := "judged as of " + r.Day.Long()
	gap := p.look.width() - uniseg.StringWidth(title) - len(date)
	if gap < 2 {
		p.line("%s", p.strong(title))
		p.line("%s", p.dim(date))
	} else {
		p.line("%s%s%s", p.strong(title), strings.Repeat(" ", gap), p.dim(date))
	}
	p.line("")
	widest, fits := 0, true
	names := 0
	plain := &printer{look: Look{Width: p.look.Width}}
	for _, s := range r.Stores {
		widest = max(widest, uniseg.StringWidth(packageName(s)))
		names = max(names, uniseg.StringWidth(s.Name)+2)
	}
	for _, s := range r.Stores {
		fits = fits && widest+names+4+uniseg.StringWidth(string(plain.counts(s))) <= p.look.width()
	}
	for _, s := range r.Stores {
		name, file := p.strong(pad(s.Name, names)), packageName(s)
		if fits {
			p.line("  %s%s  %s", name, p.path(pad(file, widest)), p.counts(s))
			continue
		}
		p.line("  %s%s", name, p.path(file))
		p.line("  %s%s", strings.Repeat(" ", names), p.counts(s))
	}
}

func packageName(s *check.Store) string {
	if s.Package == "" {
		return "(no package)"
	}
	return visible.Text(s.Package)
}

// counts sums up a store's broken rules by impact.
func (p *printer) counts(s *check.Store) shown {
	var parts []string
	broken := s.Broken()
	for _, i := range rulebook.Impacts {
		if n := broken[i]; n > 0 {
			parts = append(parts, string(p.look.paint(styleImpact[i], fmt.Sprintf("%d %s", n, i))))
		}
	}
	if len(parts) == 0 {
		left := ""
		for _, o := range []struct {
			state check.State
			what  string
		}{{check.NotRead, "not read"}, {check.ToAnswer, "to answer"}, {check.ToConfirm, "to confirm"}} {
			if n := s.Count(o.state); n > 0 {
				left += fmt.Sprintf(", %d %s", n, o.what)
			}
		}
		if left != "" {
			return p.look.paint(styleGood, "nothing found") + p.dim(left)
		}
		return p.look.paint(styleGood, "nothing in the way")
	}
	return shown(strings.Join(parts, "  "))
}

func (p *printer) findings(r *check.Result) {
	stage := ""
	for _, f := range r.Findings(false) {
		p.line("")
		if f.Rule.Stage != stage {
			stage = f.Rule.Stage
			p.line("%s", p.strong(strings.ToUpper(stage)))
		}
		p.finding(r, f)
	}
}

// finding writes one broken rule, with its first places.
func (p *printer) finding(r *check.Result, f *check.Finding) {
	first := f.Faults[0]
	say := first.Say
	if f.Rule.Basis.Confidence == "low" {
		say += " (this rule is not certain)"
	}
	p.block(2, pad(string(f.Impact), labelWidth), styleImpact[f.Impact], say, nil)
	for _, l := range []struct{ label, text string }{{"seen", first.Seen}, {"fix", first.Fix}} {
		if l.text != "" {
			p.block(2+labelWidth, pad(l.label, 6), styleDim, l.text, nil)
		}
	}
	p.where(2+labelWidth, first.At)
	for i, o := range f.Faults[1:] {
		if i+1 == maxPlaces {
			p.block(2+labelWidth, pad("and", 6), styleDim, Count(len(f.Faults)-maxPlaces+f.More, "more place", "more places")+" (--format json lists them)", nil)
			break
		}
		if o.Say != first.Say {
			p.block(2+labelWidth, pad("also", 6), styleDim, o.Say, nil)
		}
		p.where(2+labelWidth, o.At)
	}
	rule := f.Rule.ID
	if len(r.Stores) > 1 && len(f.Stores) == len(r.Stores) {
		rule += "  (" + p.allStores(len(r.Stores)) + ")"
	}
	p.block(2+labelWidth, pad("rule", 6), styleDim, rule, nil)
}

func (p *printer) allStores(n int) string {
	if n == 2 {
		return "both stores"
	}
	return "all stores"
}

// open lists the rules in a state, grouped by reason.
func (p *printer) open(r *check.Result, state check.State, title string) {
	var reasons []string
	byReason := map[string][]string{}
	total := 0
	for _, o := range r.Open() {
		if o.State != state {
			continue
		}
		total += len(o.Stores)
		reason := GapText(o.Gaps)
		if byReason[reason] == nil {
			reasons = append(reasons, reason)
		}
		if !slices.Contains(byReason[reason], o.Rule.ID) {
			byReason[reason] = append(byReason[reason], o.Rule.ID)
		}
	}
	if total == 0 {
		return
	}
	p.line("")
	p.line("%s  %s", p.strong(title), Count(total, "rule", "rules"))
	for _, reason := range reasons {
		ids := byReason[reason]
		p.block(2, "", nil, fmt.Sprintf("%s (%d)", reason, len(ids)), nil)
		list := strings.Join(ids[:min(len(ids), maxListed)], ", ")
		if more := len(ids) - maxListed; more > 0 {
			list += fmt.Sprintf(" and %d more (--format json lists all)", more)
		}
		p.block(4, "", nil, list, styleDim)
	}
}

// GapText is the reason why a rule was not judged.
func GapText(gaps []fact.Gap) string {
	var parts []string
	for _, g := range gaps {
		text := g.What
		if g.Kind == fact.NotRead && g.Path != "" {
			text = g.Path + ": " + g.What
		}
		if !slices.Contains(parts, text) {
			parts = append(parts, text)
		}
	}
	return strings.Join(parts, "; ")
}

func (p *printer) questions(r *check.Result) {
	head := false
	seen := map[string]bool{}
	for _, o := range r.Open() {
		q := o.Question
		if q == nil || o.State != check.ToConfirm || seen[o.Rule.ID] {
			continue
		}
		seen[o.Rule.ID] = true
		if !head {
			p.line("")
			p.line("%s", p.strong("TO CONFIRM"))
			head = true
		}
		ask := q.Ask
		if q.Stale != "" {
			ask += " (it was confirmed for " + q.Stale + ")"
		}
		p.block(2, "", nil, ask, nil)
		p.block(4, pad("fix", 6), styleDim, q.Fix, nil)
		p.where(4, q.At)
		p.block(4, pad("rule", 6), styleDim, o.Rule.ID, nil)
	}
}

func (p *printer) waivers(r *check.Result) {
	waived := r.Findings(true)
	if len(waived)+len(r.Expired)+len(r.Unused) == 0 {
		return
	}
	p.line("")
	p.line("%s", p.strong("WAIVED"))
	for _, x := range waived {
		for _, f := range x.Faults {
			w := f.Waiver
			p.block(2, "", nil, fmt.Sprintf("%s, until %s: %s (%s)", x.Rule.ID, w.Until, w.Because, w.By), nil)
			p.block(4, "", nil, f.Say, styleDim)
		}
	}
	for _, w := range r.Expired {
		p.block(2, "", nil, fmt.Sprintf("%s: the waiver ended on %s and no longer counts (%s)", w.Rule, w.Until, w.Self()), nil)
	}
	for _, w := range r.Unused {
		p.block(2, "", nil, fmt.Sprintf("%s: nothing to waive; remove the waiver (%s)", w.Rule, w.Self()), nil)
	}
}

// sum counts the verdicts, one a rule and store.
func (p *printer) sum(r *check.Result, exit int) {
	parts := []string{fmt.Sprintf("%d held", r.Count(check.Held))}
	for _, s := range []struct {
		state check.State
		what  string
	}{{check.Broken, "broken"}, {check.ToAnswer, "to answer"}, {check.NotRead, "not read"}, {check.ToConfirm, "to confirm"}, {check.Waived, "waived"}} {
		if n := r.Count(s.state); n > 0 || s.state == check.Broken {
			parts = append(parts, fmt.Sprintf("%d %s", n, s.what))
		}
	}
	left, right := strings.Join(parts, " · "), fmt.Sprintf("exit %d", exit)
	gap := max(2, p.look.width()-uniseg.StringWidth(left)-len(right))
	p.line("")
	p.line("%s%s%s", left, strings.Repeat(" ", gap), p.dim(right))
	if len(r.Stores) > 1 {
		p.line("%s", p.dim("each rule is counted once for each store"))
	}
}
