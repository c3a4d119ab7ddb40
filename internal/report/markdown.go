package report

import (
	"fmt"
	"io"
	"strings"

	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/store"
	"regola.example/regola/internal/view"
)

// RulesMarkdown writes the rule reference: every rule with what it wants, what
// a store would do, since when, and what it rests on.
func RulesMarkdown(w io.Writer, rules []*rulebook.Rule, stores []*store.Store) error {
	p := &printer{w: w}
	p.line("# The rules")
	p.line("")
	p.line("This page is generated from the rulebooks (`scripts/docs`); change a rule there. `regola explain RULE` shows one with the history of its limits.")
	stage := ""
	for _, r := range rules {
		if r.Stage != stage {
			stage = r.Stage
			p.line("")
			p.line("## Stage %s", stage)
		}
		p.line("")
		p.line("### %s", r.ID)
		p.line("")
		p.line("%s.", strings.TrimSuffix(r.Title, "."))
		p.line("")
		if r.Why != "" {
			p.line("%s", r.Why)
			p.line("")
		}
		p.line("- **%s**: %s (%s)", impactWord(r), impactText[r.Fixed()], storeName(r.Book.Store, stores))
		if r.From != nil {
			p.line("- in force since %s", r.From.Long())
		}
		for _, name := range usedLimits(r) {
			var steps []string
			for _, v := range r.Book.Limits[name] {
				steps = append(steps, fmt.Sprintf("%v from %s", v.Value, v.From))
			}
			p.line("- %s: %s", strings.ReplaceAll(name, "_", " "), strings.Join(steps, ", "))
		}
		p.line("- fix: %s", PlainTemplate(r.Fix.Src))
		p.line("- basis: %s, checked %s, confidence %s", r.Basis.Topic, r.Basis.Checked, r.Basis.Confidence)
		if r.Basis.Note != "" {
			p.line("- note: %s", r.Basis.Note)
		}
	}
	return p.err
}

// FieldsMarkdown writes what rules may use: fields and functions.
func FieldsMarkdown(w io.Writer) error {
	p := &printer{w: w}
	p.line("# What a rule may use")
	p.line("")
	p.line("This page is generated from the program (`scripts/docs`).")
	p.line("")
	p.line("Conditions are written in CEL. Beside the fields below there are `limit.NAME` and")
	p.line("`limit_since.NAME` (the rulebook's limits on the day, and since when), `on` (the day)")
	p.line("`table.NAME` (a reference table's rows on the day), `code` (the names that an iOS app's")
	p.line("code uses) and, with `each` or `faults`, the item `it`. A field that could not be read, or that the dossier")
	p.line("does not answer, is unknown: a condition that needs it is not judged, and says so.")
	p.line("")
	p.line("## Functions")
	p.line("")
	p.line("CEL's own, its string extensions, and:")
	p.line("")
	p.line("| function | what it tells |")
	p.line("|---|---|")
	for _, f := range view.RuleFunctions() {
		p.line("| `%s` | %s |", f.Signature, f.Doc)
	}
	p.line("")
	p.line("## Fields")
	for _, group := range view.RuleFields() {
		p.line("")
		p.line("### %s", group.Name)
		p.line("")
		p.line("| field | type |")
		p.line("|---|---|")
		for _, f := range group.Fields {
			p.line("| `%s` | %s |", f.Path, f.Type)
		}
	}
	return p.err
}
