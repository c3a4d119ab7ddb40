package report

import (
	"fmt"
	"io"
	"regexp"
	"slices"
	"strings"

	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/strictyaml"
)

// RulesDocument is the JSON form of the list of rules.
type RulesDocument struct {
	Regola int64       `json:"regola"`
	Rules  []RuleEntry `json:"rules"`
}

// RuleEntry is one rule of the list.
type RuleEntry struct {
	ID         string `json:"id"`
	Title      string `json:"title"`
	Store      string `json:"store"`
	Stage      string `json:"stage"`
	Impact     string `json:"impact"`
	Level      string `json:"level"`
	From       string `json:"from,omitempty"`
	Until      string `json:"until,omitempty"`
	Topic      string `json:"topic"`
	Checked    string `json:"checked"`
	Confidence string `json:"confidence"`
	File       string `json:"file"`
	Line       int64  `json:"line"`
}

// NewRulesDocument puts rules into their JSON form.
func NewRulesDocument(rules []*rulebook.Rule) *RulesDocument {
	d := &RulesDocument{Regola: FormatNumber, Rules: []RuleEntry{}}
	for _, r := range rules {
		e := RuleEntry{ID: r.ID, Title: r.Title, Store: r.Book.Store, Stage: r.Stage, Impact: string(r.EffectiveImpact()),
			Level: string(r.EffectiveImpact().Level()), Topic: r.Basis.Topic, Checked: r.Basis.Checked.String(),
			Confidence: r.Basis.Confidence, File: r.Self().File, Line: int64(r.Self().Line)}
		if r.From != nil {
			e.From = r.From.String()
		}
		if r.Until != nil {
			e.Until = r.Until.String()
		}
		d.Rules = append(d.Rules, e)
	}
	return d
}

// RulesTable lists rules by stage.
func RulesTable(w io.Writer, rules []*rulebook.Rule, look Look) error {
	p := &printer{w: w, look: look}
	widest := 0
	for _, r := range rules {
		widest = max(widest, len(r.ID))
	}
	stage := ""
	for _, r := range rules {
		if r.Stage != stage {
			if stage != "" {
				p.line("")
			}
			stage = r.Stage
			p.line("%s", p.strong(strings.ToUpper(stage)))
		}
		style := styleImpact[r.EffectiveImpact()]
		head := "  " + look.paint(style, pad(string(r.EffectiveImpact()), labelWidth)) + pad(r.ID, widest+2)
		room := look.width() - 2 - labelWidth - widest - 2
		for i, l := range strings.Split(wrap(r.Title, room), "\n") {
			if i > 0 {
				head = strings.Repeat(" ", 2+labelWidth+widest+2)
			}
			p.line("%s%s", head, l)
		}
	}
	p.line("")
	p.line("%s; %s", count(len(rules), "rule", "rules"), `"regola explain RULE" tells what one wants and why`)
	return p.err
}

// impactText says what a store does about an impact.
var impactText = map[rulebook.Impact]string{
	rulebook.Refused:  "the upload is refused",
	rulebook.Blocked:  "the submission cannot be sent to review",
	rulebook.Rejected: "a reviewer is likely to send it back",
	rulebook.Reach:    "fewer people are offered the app",
	rulebook.Craft:    "accepted, but not well made",
}

var braces = regexp.MustCompile(`\{[^{}]*\}`)

// Explain says what a rule wants, why, since when, and how it is judged.
func Explain(w io.Writer, r *rulebook.Rule, day strictyaml.Day, look Look) error {
	p := &printer{w: w, look: look}
	p.line("%s", p.strong(r.Title))
	p.line("%s", p.dim(r.ID))
	p.line("")
	row := func(label, text string) {
		if text != "" {
			p.block(2, pad(label, 12), styleDim, text, nil)
		}
	}
	store := StoreName(r.Book.Store)
	row("store", store)
	row("stage", r.Stage)
	impact := r.EffectiveImpact()
	row("if broken", fmt.Sprintf("%s: %s", impact, impactText[impact]))
	if r.Impact != impact {
		row("", "would be "+string(r.Impact)+" if it were certain")
	}
	switch {
	case r.From != nil && day.Before(r.From.Time):
		row("in force", "from "+r.From.Format("2 January 2006")+", not yet")
	case r.Until != nil && day.After(r.Until.Time):
		row("in force", "ended on "+r.Until.Format("2 January 2006"))
	case r.From != nil:
		row("in force", "since "+r.From.Format("2 January 2006"))
	}
	if r.Ask.Src != "" {
		row("asks", plainTemplate(r.Ask.Src))
	}
	row("mend", plainTemplate(r.Mend.Src))
	p.limits(r, day)
	p.line("")
	p.line("%s", p.strong("BASIS"))
	row("about", r.Basis.Topic)
	row("checked", r.Basis.Checked.Format("2 January 2006"))
	sure := r.Basis.Confidence
	switch sure {
	case "medium":
		sure += ": verify it with the store's own documents before you rely on it"
	case "low":
		sure += ": not certain, so it is never more than a note"
	}
	row("confidence", sure)
	if r.Basis.DateConfidence != "" && r.Basis.DateConfidence != "high" {
		row("", "some of its dates are uncertain by days")
	}
	row("note", r.Basis.Note)
	p.line("")
	p.line("%s", p.strong("JUDGED BY"))
	if len(r.Needs) > 0 {
		row("needs", strings.Join(r.Needs, ", "))
	}
	row("when", r.When.Src)
	row("each", r.Each.Src)
	row("expect", r.Expect.Src)
	row("confirm", r.Confirm)
	row("in", r.Self().String())
	return p.err
}

// usedLimits lists the limits that a rule's conditions name.
func usedLimits(r *rulebook.Rule) []string {
	uses := r.When.Src + " " + r.Each.Src + " " + r.Expect.Src
	var names []string
	for name := range r.Book.Limits {
		if regexp.MustCompile(`\blimit\.` + name + `\b`).MatchString(uses) {
			names = append(names, name)
		}
	}
	slices.Sort(names)
	return names
}

// limits shows the history of the limits that a rule uses.
func (p *printer) limits(r *rulebook.Rule, day strictyaml.Day) {
	for _, name := range usedLimits(r) {
		p.line("")
		p.line("%s", p.strong(strings.ToUpper(strings.ReplaceAll(name, "_", " "))))
		now := r.Book.On(name, day)
		for _, v := range r.Book.Limits[name] {
			text := fmt.Sprint(v.Value)
			if list, ok := v.Value.([]any); ok {
				parts := make([]string, len(list))
				for i, it := range list {
					parts[i] = fmt.Sprint(it)
				}
				text = strings.Join(parts, ", ")
			}
			line := fmt.Sprintf("  %s  %s", pad("from "+v.From.Format("2 January 2006"), 24), text)
			if v.DateConfidence != "" && v.DateConfidence != "high" {
				line += "  (day uncertain)"
			}
			if v == now {
				p.line("%s", p.strong(line+"  ← now"))
				continue
			}
			p.line("%s", line)
		}
	}
}

// plainTemplate shows a template with its expressions as gaps.
func plainTemplate(s string) string { return braces.ReplaceAllString(s, "…") }
