package report

import (
	"cmp"
	"fmt"
	"io"
	"path/filepath"
	"slices"
	"strings"

	"github.com/rivo/uniseg"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/sanitize"
)

// How much is shown where not everything is asked for: places of a finding,
// rules of a reason, duties, confirmations.
const maxPlaces, maxListed, maxDuties, maxAsked = 5, 3, 8, 4

// Text writes a check's result for people: a word for each store, then the
// findings, the gravest first, then what is to answer and to confirm, and what
// could not be read.
func Text(w io.Writer, r *check.Result, look Style, exit int) error {
	p := &printer{w: w, look: look}
	p.verdict(r)
	p.baseline(r)
	p.findings(r)
	p.duties(r)
	p.questions(r)
	p.unread(r)
	p.waivers(r)
	p.sum(r, exit)
	return p.err
}

// baseline says what differs from an earlier result.
func (p *printer) baseline(r *check.Result) {
	b := r.Baseline
	if b == nil {
		return
	}
	p.line("")
	p.block(2, "", nil, fmt.Sprintf("beside %s: %d new, %d known, %d gone; what is known does not make the check fail", b.File, b.New, b.Known, len(b.Gone)), nil)
	for i, g := range b.Gone {
		if i == maxPlaces && !p.look.All {
			p.block(2, "gone  ", styleDim, Count(len(b.Gone)-i, "more", "more")+" (--all lists them)", nil)
			break
		}
		p.block(2, "gone  ", styleDim, g.Fault.Say+" ["+g.Rule.ID+"]", nil)
	}
}

// newness says of a finding how much of it the baseline did not have.
func newness(r *check.Result, f *check.Finding) string {
	if r.Baseline == nil {
		return ""
	}
	n := 0
	for _, x := range f.Faults {
		if !x.Known {
			n++
		}
	}
	switch n {
	case 0:
		return " · known"
	case len(f.Faults):
		return " · new"
	}
	return fmt.Sprintf(" · %d of %d new", n, len(f.Faults))
}

// outcomeText says an outcome in a word, for the head.
var outcomeText = map[check.Outcome]string{
	check.IsRefused: "REFUSED", check.IsBlocked: "BLOCKED", check.IsRejected: "REJECTED", check.IsOpen: "OPEN", check.Passes: "PASSES", check.Partly: "NOTHING FOUND",
}

func (p *printer) verdict(r *check.Result) {
	title := sanitize.Text(strings.TrimSpace(r.App + " " + r.Version))
	date := "judged as of " + r.Day.Long()
	gap := p.look.Columns() - uniseg.StringWidth(title) - len(date)
	if gap < 2 {
		p.line("%s", p.strong(title))
		p.line("%s", p.dim(date))
	} else {
		p.line("%s%s%s", p.strong(title), strings.Repeat(" ", gap), p.dim(date))
	}
	p.line("")
	p.outcomes(r)
	p.basis(r)
	var left []string
	if len(r.Stages) > 0 {
		n := len(rulebook.Stages) - len(r.Stages)
		left = append(left, fmt.Sprintf("judged in %s only; %s not judged", stageList(r.Stages), Count(n, "stage was", "stages were")))
	}
	for _, name := range r.Others {
		left = append(left, "the "+name+" was not asked")
	}
	if len(left) > 0 {
		p.block(2, "", nil, strings.Join(left, "; "), styleDim)
	}
}

// outcomes writes a line for each store.
func (p *printer) outcomes(r *check.Result) {
	widest, names, words, fits := 0, 0, 0, true
	plain := &printer{look: Style{Width: p.look.Width}}
	for _, s := range r.Stores {
		widest = max(widest, uniseg.StringWidth(packageName(s)))
		names = max(names, uniseg.StringWidth(s.Name)+2)
		words = max(words, len(outcomeText[s.Outcome(r.Partly())]))
	}
	for _, s := range r.Stores {
		fits = fits && widest+names+words+6+uniseg.StringWidth(string(plain.counts(s))) <= p.look.Columns()
	}
	for _, s := range r.Stores {
		o := s.Outcome(r.Partly())
		name, file, word := p.strong(pad(s.Name, names)), packageName(s), p.look.paint(styleOutcome[o], pad(outcomeText[o], words))
		if fits {
			p.line("  %s%s  %s  %s", name, p.path(pad(file, widest)), word, p.counts(s))
			continue
		}
		p.line("  %s%s", name, p.path(file))
		p.line("  %s%s  %s", strings.Repeat(" ", names), word, p.counts(s))
	}
}

// basis writes what the verdicts rest on: a line when all is well.
func (p *printer) basis(r *check.Result) {
	well, doubts := basisOf(r)
	if len(well) > 0 {
		p.line("")
		p.block(2, "rests on ", styleDim, strings.Join(well, " · "), styleDim)
	}
	for _, d := range doubts {
		p.block(2, "but      ", styleImpact[rulebook.Rejected], d, nil)
	}
	for _, what := range nextOf(r) {
		p.block(2, "then     ", styleDim, what, styleDim)
	}
}

// storeOnly is the name of a store without what sets the subject apart.
func storeOnly(s *check.Store) string {
	name, _, _ := strings.Cut(s.Name, ",")
	return name
}

func nextCounts(n *check.Next) string {
	var parts []string
	if n.Grave > 0 {
		parts = append(parts, Count(int(n.Grave), "fault", "faults"))
	}
	if n.Open > 0 {
		parts = append(parts, fmt.Sprintf("%d to answer or confirm", n.Open))
	}
	return strings.Join(parts, ", ")
}

func stageList(stages []string) string {
	if len(stages) == 1 {
		return "the " + stages[0] + " stage"
	}
	return "the stages " + strings.Join(stages, ", ")
}

func packageName(s *check.Store) string {
	switch {
	case s.Absent != "":
		return "(package not there)"
	case s.Package == "":
		return "(no package)"
	}
	return sanitize.Text(s.Package)
}

// counts sums up a store: its broken rules by impact, then what is open. The
// unit is the rule.
func (p *printer) counts(s *check.Store) shown {
	var parts []string
	broken := s.Broken()
	for _, i := range rulebook.Impacts {
		if n := broken[i]; n > 0 {
			parts = append(parts, string(p.look.paint(styleImpact[i], fmt.Sprintf("%d %s", n, i))))
		}
	}
	for _, o := range []struct {
		state check.State
		what  string
	}{{check.NotRead, "not read"}, {check.ToAnswer, "to answer"}, {check.ToConfirm, "to confirm"}} {
		if n := s.Count(o.state); n > 0 {
			parts = append(parts, string(p.dim(fmt.Sprintf("%d %s", n, o.what))))
		}
	}
	if len(parts) == 0 {
		return p.dim(Count(s.Count(check.Held), "rule holds", "rules hold"))
	}
	return shown(strings.Join(parts, "  "))
}

// sections are the headings of the findings, by impact.
var sections = map[rulebook.Impact]string{
	rulebook.Refused: "REFUSED AT UPLOAD", rulebook.Blocked: "BLOCKED FROM REVIEW", rulebook.Rejected: "LIKELY TO BE REJECTED",
	rulebook.Reach: "REACHES FEWER PEOPLE", rulebook.Craft: "CRAFT",
}

func (p *printer) findings(r *check.Result) {
	section := rulebook.Impact("")
	for _, f := range r.Findings(false) {
		if f.Impact != section {
			section = f.Impact
			p.line("")
			p.line("%s", p.look.paint(styleImpact[section], sections[section]))
			if section != rulebook.Craft || p.look.All {
				p.line("")
			}
		} else if section != rulebook.Craft || p.look.All {
			p.line("")
		}
		if section == rulebook.Craft && !p.look.All {
			p.brief(f)
			continue
		}
		p.finding(r, f)
	}
}

// brief writes a finding on one line: what was found, and the rule.
func (p *printer) brief(f *check.Finding) {
	say := sanitize.Text(sayOf(f))
	if n := f.Places(); n > 1 {
		say += fmt.Sprintf(" (and %d more)", n-1)
	}
	room := p.look.Columns() - 4 - len(f.Rule.ID)
	p.line("  %s  %s", pad(cutTo(say, room), room), p.dim(f.Rule.ID))
}

// cutTo shortens a text to a width, after a word.
func cutTo(s string, width int) string {
	if uniseg.StringWidth(s) <= width {
		return s
	}
	out, used := "", 0
	for i, word := range strings.Fields(s) {
		n := uniseg.StringWidth(word)
		if i > 0 {
			n++
		}
		if used+n > width-1 {
			break
		}
		if i > 0 {
			out += " "
		}
		out, used = out+word, used+n
	}
	if out == "" {
		for _, c := range s {
			if used++; used >= width {
				break
			}
			out += string(c)
		}
	}
	return out + "…"
}

func sayOf(f *check.Finding) string {
	say := f.Faults[0].Say
	if f.Rule.Basis.Confidence == "low" {
		say += " (not certain)"
	}
	return say
}

// finding writes one broken rule, with its first places and what follows from
// it.
func (p *printer) finding(r *check.Result, f *check.Finding) {
	first := f.Faults[0]
	p.block(2, "", nil, sayOf(f), styleStrong)
	row := func(label, text string, style bool) {
		if text == "" {
			return
		}
		if style {
			p.block(6, pad(label, 6), styleDim, text, stylePath)
			return
		}
		p.block(6, pad(label, 6), styleDim, text, nil)
	}
	row("seen", first.Seen, false)
	fix := first.Fix
	if len(first.Edits) > 0 {
		fix += ` ("regola fix" does it.)`
	}
	row("fix", fix, false)
	p.places(r, f)
	if len(first.Raises) > 0 {
		var parts []string
		for _, x := range first.Raises {
			parts = append(parts, fmt.Sprintf("%s (from %d)", x.Rule.ID, x.At))
		}
		row("then", "these rules would apply, too: "+strings.Join(parts, ", "), false)
	}
	if len(f.With) > 0 {
		var parts []string
		for _, w := range f.With {
			parts = append(parts, w.Rule.ID)
		}
		row("with", "what follows from it: "+strings.Join(parts, ", "), false)
	}
	where := f.Rule.Stage
	if len(r.Stores) > 1 {
		where += " · " + strings.Join(f.Stores, ", ")
	}
	p.line("      %s%s%s", p.dim("rule  "), f.Rule.ID, p.dim(" · "+where+newness(r, f)))
}

// places writes where a rule is broken: the first place, then others with what
// is different about them.
func (p *printer) places(r *check.Result, f *check.Finding) {
	most := maxPlaces
	if p.look.All {
		most = len(f.Faults)
	}
	label, said := "at", f.Faults[0].Say
	for i, x := range f.Faults {
		if i == most {
			p.block(6, pad("and", 6), styleDim, Count(len(f.Faults)-i+f.More, "more place", "more places")+" (--all lists them)", nil)
			return
		}
		if x.Say != said {
			p.block(6, pad("also", 6), styleDim, x.Say, nil)
			if !p.look.All {
				continue
			}
			label = "at"
		}
		p.where(6, pad(label, 6), p.short(r, x.At))
		label = ""
	}
	if f.More > 0 {
		p.block(6, pad("and", 6), styleDim, Count(f.More, "more place", "more places"), nil)
	}
}

// short drops from a place what the head says already: the path of the package
// and the folder of the app in it.
func (p *printer) short(r *check.Result, at place.Place) place.Place {
	for _, s := range r.Stores {
		if at.File != s.Package || s.Package == "" {
			continue
		}
		if at.Line == 0 {
			at.File = filepath.Base(at.File)
		}
		if s.Root != "" {
			if rest, ok := strings.CutPrefix(at.Entry, s.Root); ok {
				at.Entry = strings.TrimPrefix(rest, "/")
			}
		}
		at.Entry = strings.TrimSuffix(at.Entry, "/AndroidManifest.xml")
	}
	return at
}

// duties lists what the stores will ask and the dossier does not answer.
func (p *printer) duties(r *check.Result) {
	var open []*check.Duty
	for _, d := range r.Duties() {
		if d.State == check.Due {
			open = append(open, d)
		}
	}
	if len(open) == 0 {
		return
	}
	p.line("")
	p.line("%s  %s", p.strong("TO ANSWER  "+Count(len(open), "question", "questions")),
		p.dim(Count(r.Count(check.ToAnswer), "rule waits", "rules wait")+` for them; "regola duties" says where to write each`))
	open = gathered(open, p.look.All)
	for i, d := range open {
		if i == maxDuties && !p.look.All {
			p.line("  %s", p.dim(fmt.Sprintf("and %d more (regola duties, or --all)", len(open)-i)))
			break
		}
		text := d.What
		if len(r.Stores) > 1 {
			text += " (" + strings.Join(d.Stores, ", ") + ")"
		}
		if d.Because != "" {
			text += ", because of " + d.Because
		}
		p.block(2, "", nil, text, nil)
	}
}

// unread lists the rules that could not be judged, by reason.
func (p *printer) unread(r *check.Result) {
	var reasons []string
	byReason := map[string][]string{}
	total := 0
	for _, o := range r.Open() {
		if o.State != check.NotRead {
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
	p.line("%s", p.strong(fmt.Sprintf("NOT READ  %d", total)))
	for _, reason := range reasons {
		ids := byReason[reason]
		most := maxListed
		if p.look.All {
			most = len(ids)
		}
		list := strings.Join(ids[:min(len(ids), most)], ", ")
		if more := len(ids) - most; more > 0 {
			list += fmt.Sprintf(" and %d more", more)
		}
		p.block(2, "", nil, reason, nil)
		p.block(6, "", nil, list, styleDim)
	}
}

// GapText is the reason why a rule was not judged.
func GapText(gaps []fact.Gap) string {
	var parts []string
	for _, g := range gaps {
		text := g.What
		if g.Kind == fact.NotRead && strings.Contains(g.Path, ".") { // a whole part says its name itself
			text = g.Path + ": " + g.What
		}
		if !slices.Contains(parts, text) {
			parts = append(parts, text)
		}
	}
	return strings.Join(parts, "; ")
}

func (p *printer) questions(r *check.Result) {
	var open []*check.Open
	seen := map[string]bool{}
	for _, o := range r.Open() {
		if o.Question != nil && o.State == check.ToConfirm && !seen[o.Rule.ID] {
			seen[o.Rule.ID] = true
			open = append(open, o)
		}
	}
	if len(open) == 0 {
		return
	}
	p.line("")
	p.line("%s  %s", p.strong(fmt.Sprintf("TO CONFIRM  %d", len(open))), p.dim("no file can show it; confirm it in dossier.yaml, under confirmed:"))
	for i, o := range open {
		if i == maxAsked && !p.look.All {
			p.line("  %s", p.dim(fmt.Sprintf("and %d more (--all)", len(open)-i)))
			break
		}
		ask := o.Question.Ask
		if o.Question.Doubt != "" {
			ask += " (it is confirmed, which does not count: " + o.Question.Doubt + ")"
		} else if o.Question.Stale != "" {
			ask += " (it was confirmed for " + o.Question.Stale + ")"
		}
		p.block(2, "", nil, ask, nil)
		if p.look.All {
			p.block(6, pad("fix", 6), styleDim, o.Question.Fix, nil)
		}
		p.line("      %s%s%s", p.dim("rule  "), o.Rule.ID, p.dim(" · what: "+o.Question.What))
	}
}

func (p *printer) waivers(r *check.Result) {
	waived := r.Findings(true)
	if len(waived)+len(r.Expired)+len(r.Unused) == 0 {
		return
	}
	p.line("")
	p.line("%s", p.strong(fmt.Sprintf("WAIVED  %d", len(waived))))
	for _, x := range waived {
		w := x.Faults[0].Waiver
		p.block(2, "", nil, fmt.Sprintf("%s, until %s: %s (%s)", x.Rule.ID, w.Until, w.Because, w.By), nil)
		if p.look.All {
			for _, f := range x.Faults {
				p.block(6, "", nil, f.Say, styleDim)
			}
		}
	}
	for _, w := range r.Expired {
		p.block(2, "", nil, fmt.Sprintf("%s: the waiver ended on %s and no longer counts (%s)", w.Rule, w.Until, w.Self()), nil)
	}
	for _, w := range r.Unused {
		p.block(2, "", nil, fmt.Sprintf("%s: nothing to waive there; remove the waiver, or correct its at (%s)", w.Rule, w.Self()), nil)
	}
}

// sum counts the verdicts, one a rule and store.
func (p *printer) sum(r *check.Result, exit int) {
	parts := []string{fmt.Sprintf("%d held", r.Count(check.Held))}
	for _, s := range []struct {
		state check.State
		what  string
	}{{check.Broken, "broken"}, {check.ToAnswer, "to answer"}, {check.NotRead, "not read"}, {check.ToConfirm, "to confirm"}, {check.Waived, "waived"}, {check.NotAsked, "not asked (--links)"}} {
		if n := r.Count(s.state); n > 0 || s.state == check.Broken {
			parts = append(parts, fmt.Sprintf("%d %s", n, s.what))
		}
	}
	if n := corrections(r); n > 0 {
		p.line("")
		p.line("%s", p.dim(`"regola fix" corrects `+Count(n, "text", "texts")+` without a decision.`))
	}
	left, right := strings.Join(parts, " · "), fmt.Sprintf("exit %d", exit)
	if unit := "  (rules, per store)"; len(r.Stores) > 1 && uniseg.StringWidth(left+unit)+2+len(right) <= p.look.Columns() {
		left += unit
	}
	gap := max(2, p.look.Columns()-uniseg.StringWidth(left)-len(right))
	p.line("")
	p.line("%s%s%s", p.dim(left), strings.Repeat(" ", gap), p.dim(right))
}

// corrections counts the corrections that need no decision.
func corrections(r *check.Result) int {
	seen := map[string]bool{}
	var count func(list []*check.Finding)
	count = func(list []*check.Finding) {
		for _, f := range list {
			for _, x := range f.Faults {
				for _, e := range x.Edits {
					seen[e.At.Link()+e.Becomes] = true
				}
			}
			count(f.With)
		}
	}
	count(r.Findings(false))
	return len(seen)
}

// packageFile is the file that a finding without a place is about.
func packageFile(r *check.Result, f *check.Finding) string {
	for _, s := range r.Stores {
		if slices.Contains(f.Stores, s.ID) && s.Package != "" {
			return s.Package
		}
	}
	return "-"
}

// Brief writes one line a finding and place, which terminals and editors make
// links of: file:line:column: impact: text [rule].
func Brief(w io.Writer, r *check.Result, look Style, _ int) error {
	p := &printer{w: w, look: look}
	var each func(f *check.Finding)
	each = func(f *check.Finding) {
		for _, x := range f.Faults {
			at, say := x.At.Link(), strings.Join(strings.Fields(x.Say), " ")
			if x.At.Line == 0 { // a binary file, whose first place stands for it: editors open it there
				at = cmp.Or(at, packageFile(r, f)) + ":1:1"
				if in := x.At.Within(); in != "" {
					say += " (" + in + ")"
				}
			}
			known := ""
			if x.Known {
				known = " (known)"
			}
			p.line("%s: %s: %s%s %s", p.path(at), p.look.paint(styleImpact[x.Impact], string(x.Impact)), say, known, p.dim("["+f.Rule.ID+"]"))
		}
		for _, w := range f.With {
			each(w)
		}
	}
	for _, f := range r.Findings(false) {
		each(f)
	}
	return p.err
}
