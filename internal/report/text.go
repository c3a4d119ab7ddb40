package report

import (
	"fmt"
	"io"
	"slices"
	"strings"

	"github.com/rivo/uniseg"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/rulebook"
)

// labelWidth is the column of labels such as "refused" and "mend".
const labelWidth = 10

// maxListed is how many rules a reason lists.
const maxListed = 5

// Text writes a check's result for people: first what stands between the
// release and each store, then the findings by stage, then what was not
// checked and why, then what a person must confirm.
func Text(w io.Writer, r *check.Result, look Look, exit int) error {
	p := &printer{w: w, look: look}
	p.verdict(r)
	p.findings(r)
	p.gaps(r)
	p.questions(r)
	p.waivers(r)
	p.sum(r, exit)
	return p.err
}

func (p *printer) verdict(r *check.Result) {
	title := Visible(strings.TrimSpace(r.App + " " + r.Version))
	date := "judged as of " + r.Day.Format("2 January 2006")
	gap := p.look.width() - uniseg.StringWidth(title) - len(date)
	if gap < 2 {
		p.line("%s", p.strong(title))
		p.line("%s", p.dim(date))
	} else {
		p.line("%s%s%s", p.strong(title), strings.Repeat(" ", gap), p.dim(date))
	}
	p.line("")
	widest, verdicts, fits := 0, make([]string, len(r.Stores)), true
	plain := &printer{look: Look{Width: p.look.Width}}
	for _, s := range r.Stores {
		widest = max(widest, uniseg.StringWidth(packageName(s)))
	}
	for i, s := range r.Stores {
		verdicts[i] = p.counts(s)
		fits = fits && widest+19+uniseg.StringWidth(plain.counts(s)) <= p.look.width()
	}
	for i, s := range r.Stores {
		name, file := p.strong(pad(StoreName(s.Store), 15)), packageName(s)
		if fits {
			p.line("  %s%s  %s", name, p.path(pad(file, widest)), verdicts[i])
			continue
		}
		p.line("  %s%s", name, p.path(file))
		p.line("  %s%s", strings.Repeat(" ", 15), verdicts[i])
	}
}

func packageName(s check.Store) string {
	if s.Package == "" {
		return "(no package)"
	}
	return Visible(s.Package)
}

// counts sums up a store's findings by impact.
func (p *printer) counts(s check.Store) string {
	var parts []string
	for _, i := range rulebook.Impacts {
		if n := s.Counts[i]; n > 0 {
			parts = append(parts, p.look.paint(styleImpact[i], fmt.Sprintf("%d %s", n, i)))
		}
	}
	if len(parts) == 0 {
		switch {
		case s.Gaps > 0:
			parts = append(parts, p.look.paint(styleGood, "nothing found")+p.dim(", "+fmt.Sprintf("%d not checked", s.Gaps)))
		case s.Open > 0:
			parts = append(parts, p.look.paint(styleGood, "nothing found")+p.dim(fmt.Sprintf(", %d to confirm", s.Open)))
		default:
			parts = append(parts, p.look.paint(styleGood, "nothing in the way"))
		}
	}
	return strings.Join(parts, "  ")
}

func (p *printer) findings(r *check.Result) {
	stage := ""
	several := len(r.Stores) > 1
	for _, f := range r.Findings {
		if f.Waiver != nil {
			continue
		}
		if f.Rule.Stage != stage {
			stage = f.Rule.Stage
			p.line("")
			p.line("%s", p.strong(strings.ToUpper(stage)))
		} else {
			p.line("")
		}
		style := styleImpact[f.Impact]
		say := f.Say
		if f.Rule.Basis.Confidence == "low" {
			say += " (this rule is not certain)"
		}
		p.block(2, pad(string(f.Impact), labelWidth), style, say, nil)
		for _, l := range []struct{ label, text string }{{"seen", f.Seen}, {"mend", f.Mend}} {
			if l.text != "" {
				p.block(2+labelWidth, pad(l.label, 6), styleDim, l.text, nil)
			}
		}
		p.where(2+labelWidth, f.At)
		rule := f.Rule.ID
		if several && len(f.Stores) > 1 {
			rule += "  (both stores)"
		}
		p.block(2+labelWidth, pad("rule", 6), styleDim, rule, nil)
	}
}

// gaps tells what was not checked, grouped by reason.
func (p *printer) gaps(r *check.Result) {
	if len(r.Gaps) == 0 {
		return
	}
	p.line("")
	p.line("%s  %s", p.strong("NOT CHECKED"), count(len(r.Gaps), "rule", "rules"))
	var reasons []string
	byReason := map[string][]string{}
	for _, g := range r.Gaps {
		reason := GapText(g.Gaps)
		if byReason[reason] == nil {
			reasons = append(reasons, reason)
		}
		if !slices.Contains(byReason[reason], g.Rule.ID) {
			byReason[reason] = append(byReason[reason], g.Rule.ID)
		}
	}
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

// GapText is the reason why a rule was not checked.
func GapText(gaps []rulebook.Gap) string {
	var parts []string
	for _, g := range gaps {
		text := g.Reason
		switch g.Path {
		case "pkg", "dossier", "listing", "evidence", "app", "release", "answers", "review", "links", "contact":
		default:
			if g.Reason == "not answered" {
				text = "the dossier does not answer " + g.Path
				if strings.HasPrefix(g.Path, "pkg.") {
					text = "the package does not tell " + g.Path
				}
			} else {
				text = g.Path + ": " + g.Reason
			}
		}
		if !slices.Contains(parts, text) {
			parts = append(parts, text)
		}
	}
	return strings.Join(parts, "; ")
}

func (p *printer) questions(r *check.Result) {
	head := false
	for _, q := range r.Asked {
		if q.Confirmed {
			continue
		}
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
		p.block(4, pad("mend", 6), styleDim, q.Mend, nil)
		p.where(4, q.At)
		p.block(4, pad("rule", 6), styleDim, q.Rule.ID, nil)
	}
}

func (p *printer) waivers(r *check.Result) {
	if r.Waived+len(r.Expired)+len(r.Unused) == 0 {
		return
	}
	p.line("")
	p.line("%s", p.strong("WAIVED"))
	for _, f := range r.Findings {
		if w := f.Waiver; w != nil {
			p.block(2, "", nil, fmt.Sprintf("%s, until %s: %s (%s)", f.Rule.ID, w.Until, w.Because, w.By), nil)
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

func (p *printer) sum(r *check.Result, exit int) {
	open := 0
	for _, q := range r.Asked {
		if !q.Confirmed {
			open++
		}
	}
	parts := []string{count(r.Held, "rule held", "rules held"), fmt.Sprintf("%d broken", r.Broken)}
	if n := len(r.Gaps); n > 0 {
		parts = append(parts, fmt.Sprintf("%d not checked", n))
	}
	if open > 0 {
		parts = append(parts, fmt.Sprintf("%d to confirm", open))
	}
	if r.Waived > 0 {
		parts = append(parts, fmt.Sprintf("%d waived", r.Waived))
	}
	left, right := strings.Join(parts, " · "), fmt.Sprintf("exit %d", exit)
	gap := max(2, p.look.width()-uniseg.StringWidth(left)-len(right))
	p.line("")
	p.line("%s%s%s", left, strings.Repeat(" ", gap), p.dim(right))
}
