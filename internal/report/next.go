package report

import (
	"io"
	"strings"
	"unicode"
	"unicode/utf8"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/rulebook"
)

// NextDocument is the JSON form of the first thing to do.
type NextDocument struct {
	Regola  int64    `json:"regola"` // version of this form
	App     string   `json:"app"`
	Kind    string   `json:"kind" enum:"fix|answer|confirm|read|send"`
	What    string   `json:"what"`
	How     string   `json:"how"`
	Where   string   `json:"where" doc:"the place, or the key in dossier.yaml"`
	Rule    string   `json:"rule"`
	Stores  []string `json:"stores"`
	Unlocks string   `json:"unlocks" doc:"what is left behind it"`
}

// NewNextDocument finds the first thing to do: the gravest fault in working order, then
// what is to be answered, confirmed, or could not be read.
func NewNextDocument(r *check.Result) *NextDocument {
	d := &NextDocument{Regola: FormatNumber, App: strings.TrimSpace(r.App + " " + r.Version), Stores: []string{}}
	findings := r.Findings(false)
	grave := 0
	for _, f := range findings {
		if f.Impact != rulebook.Craft {
			grave++
		}
	}
	var due []*check.Duty
	for _, x := range r.Duties() {
		if x.State == check.Due {
			due = append(due, x)
		}
	}
	var confirm, unread []*check.Open
	seen := map[string]bool{}
	for _, o := range r.Open() {
		switch {
		case o.State == check.ToConfirm && o.Question != nil && !seen[o.Rule.ID]:
			seen[o.Rule.ID] = true
			confirm = append(confirm, o)
		case o.State == check.NotRead:
			unread = append(unread, o)
		}
	}
	var absent *check.Store
	for _, s := range r.Stores {
		if s.Absent != "" && absent == nil {
			absent = s
		}
	}
	left := func(skip string) string {
		var out []string
		for _, x := range []struct {
			kind string
			n    int
			one  string
			many string
		}{{"fix", grave, "fault to fix", "faults to fix"}, {"answer", len(due), "question to answer", "questions to answer"}, {"confirm", len(confirm), "thing to confirm", "things to confirm"}, {"read", len(unread), "rule that could not be judged", "rules that could not be judged"}, {"craft", len(findings) - grave, "matter of craft", "matters of craft"}} {
			if x.kind == skip {
				x.n--
			}
			if x.n > 0 {
				out = append(out, Count(x.n, x.one, x.many))
			}
		}
		return strings.Join(out, ", ")
	}
	fault := func(f *check.Finding) {
		d.What, d.How, d.Where, d.Rule, d.Stores = f.Faults[0].Say, f.Faults[0].Fix, f.Faults[0].At.String(), f.Rule.ID, f.Stores
		d.Kind, d.Unlocks = "fix", left("fix")
		if n := len(f.Faults) + f.More - 1; n > 0 {
			d.Unlocks = strings.TrimSuffix(Count(n, "more place of this fault", "more places of this fault")+", "+d.Unlocks, ", ")
		}
		if n := len(f.With); n > 0 {
			d.Unlocks = strings.TrimSuffix(Count(n, "fault that follows from it goes with it", "faults that follow from it go with it")+"; "+d.Unlocks, "; ")
		}
	}
	switch {
	case grave > 0:
		fault(findings[0])
	case len(due) > 0:
		x := due[0]
		d.Kind, d.What, d.How, d.Where, d.Rule, d.Stores = "answer", x.What, "Write it under "+x.Write+"; regola explain says why a store asks.", written(x.Write), x.Rule.ID, x.Stores
		if x.Because != "" {
			d.How = "It is asked because of " + x.Because + ". " + d.How
		}
		d.Unlocks = left("answer")
	case len(confirm) > 0:
		o := confirm[0]
		d.Kind, d.What, d.How, d.Where, d.Rule, d.Stores, d.Unlocks = "confirm", o.Question.Ask, o.Question.Fix, "confirmed, in dossier.yaml", o.Rule.ID, o.Stores, left("confirm")
	case absent != nil:
		d.Kind, d.What, d.How, d.Where, d.Stores, d.Unlocks = "read", capital(absent.Absent)+".", "Build it, or name a package in the call: regola check PACKAGE. Everything that does not need it is judged.", "packages, in dossier.yaml", []string{absent.ID}, left("")
	case len(unread) > 0:
		o := unread[0]
		d.Kind, d.What, d.How, d.Rule, d.Stores, d.Unlocks = "read", o.Rule.Title+" could not be judged", GapText(o.Gaps), o.Rule.ID, o.Stores, left("read")
	case len(findings) > 0:
		fault(findings[0])
		d.Unlocks = left("craft")
	default:
		d.Kind, d.What, d.How = "send", "Nothing is left to do here.", "Send it; then record it with regola ledger record, and the decision with regola ledger decide."
	}
	return d
}

// Next writes the first thing to do, on one screen.
func Next(w io.Writer, d *NextDocument, look Style) error {
	p := &printer{w: w, look: look}
	head := map[string]string{"fix": "FIX", "answer": "ANSWER", "confirm": "CONFIRM", "read": "LOOK INTO", "send": "SEND"}[d.Kind]
	of := "rule"
	if d.Rule == "" {
		of = "store"
	}
	p.line("%s", p.strong(d.App))
	p.line("")
	p.block(0, pad(head, 10), styleStrong, Shortened(d.What, 600), styleStrong)
	for _, row := range []struct{ label, text string }{{"how", d.How}, {"where", d.Where}, {of, strings.Trim(d.Rule+" · "+strings.Join(d.Stores, ", "), "· ")}, {"then", d.Unlocks}} {
		if row.text != "" {
			p.block(3, pad(row.label, 7), styleDim, Shortened(row.text, 800), nil)
		}
	}
	return p.err
}

// capital begins a text with a capital letter.
func capital(s string) string {
	r, n := utf8.DecodeRuneInString(s)
	return string(unicode.ToUpper(r)) + s[n:]
}

// Shortened cuts a text at a number of characters.
func Shortened(s string, n int) string {
	if r := []rune(s); len(r) > n {
		return string(r[:n]) + "…"
	}
	return s
}
