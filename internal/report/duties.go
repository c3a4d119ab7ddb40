package report

import (
	"fmt"
	"io"
	"slices"
	"strings"

	"regola.example/regola/internal/core/check"
)

// DutiesDocument is the JSON form of what the stores ask.
type DutiesDocument struct {
	Regola  int64          `json:"regola"` // version of this form
	App     string         `json:"app"`
	On      string         `json:"on"` // the day as of which it was judged
	Duties  []DutyEntry    `json:"duties"`
	Confirm []ConfirmEntry `json:"confirm" doc:"what no file can show, and a person confirms for the version"`
}

// ConfirmEntry is a question to a person.
type ConfirmEntry struct {
	Ask       string   `json:"ask"`
	What      string   `json:"what" doc:"the word that confirms it"`
	Confirmed bool     `json:"confirmed"`
	Stores    []string `json:"stores"`
	Rule      string   `json:"rule"`
}

// NewDutiesDocument puts the duties of a release into their JSON form. A list in the
// place of all of its duties, such as the new ones, has no confirmations.
func NewDutiesDocument(r *check.Result, only []*check.Duty) *DutiesDocument {
	d := &DutiesDocument{Regola: FormatNumber, App: r.App, On: r.Day.String(), Confirm: []ConfirmEntry{}}
	if only != nil {
		d.Duties = duties(only)
		return d
	}
	d.Duties = NewDuties(r)
	for _, s := range r.Stores {
		for _, v := range s.Verdicts {
			if v.Question == nil || v.Question.Ask == "" {
				continue
			}
			i := slices.IndexFunc(d.Confirm, func(c ConfirmEntry) bool { return c.Rule == v.Rule.ID && c.Ask == v.Question.Ask })
			if i < 0 {
				i = len(d.Confirm)
				d.Confirm = append(d.Confirm, ConfirmEntry{Ask: v.Question.Ask, What: v.Question.What, Confirmed: v.Question.Confirmed, Rule: v.Rule.ID})
			}
			d.Confirm[i].Stores = append(d.Confirm[i].Stores, s.ID)
		}
	}
	return d
}

// dutyHeads are the headings of the duties, by state.
var dutyHeads = map[check.DutyState]string{
	check.Due: "TO ANSWER", check.Contradicted: "CONTRADICTED OR INCOMPLETE", check.Done: "DONE",
}

// Duties writes what the stores will make people answer, declare, host or hand in,
// in working order: open ones first, the gravest first. only takes the place of all
// of a release's duties; nil for all.
func Duties(w io.Writer, r *check.Result, only []*check.Duty, look Style) error {
	p := &printer{w: w, look: look}
	p.line("%s", p.strong(strings.TrimSpace(r.App+" "+r.Version)))
	all, since := only, only != nil
	if !since {
		all = r.Duties()
	}
	confirm := NewDutiesDocument(r, only).Confirm
	for _, state := range check.DutyStates {
		var list []*check.Duty
		for _, d := range all {
			if d.State == state {
				list = append(list, d)
			}
		}
		if state == check.Done {
			p.confirmations(confirm)
			p.done(list, confirm)
			continue
		}
		if len(list) == 0 {
			continue
		}
		p.line("")
		p.line("%s", p.strong(fmt.Sprintf("%s  %d", dutyHeads[state], len(list))))
		for _, d := range gathered(list, look.All) {
			p.line("")
			p.block(2, "", nil, d.What, styleStrong)
			for _, row := range []struct{ label, text string }{
				{"asked", "by " + strings.Join(d.Stores, ", ") + ": " + impactDuty(d)}, {"because", d.Because}, {d.Act, written(d.Write)},
			} {
				if row.text != "" {
					p.block(6, pad(row.label, 9), styleDim, row.text, nil)
				}
			}
			p.line("      %s%s", p.dim(pad("rule", 9)), d.Rule.ID)
		}
	}
	switch {
	case since && len(all) == 0:
		p.line("")
		p.line("%s", "The newer package brings no new duty.")
	case len(all) == 0 && len(confirm) == 0:
		p.line("")
		p.line("%s", "Nothing is asked because of this package.")
	}
	return p.err
}

// confirmations writes what is still to be confirmed.
func (p *printer) confirmations(all []ConfirmEntry) {
	n := 0
	for _, c := range all {
		if !c.Confirmed {
			n++
		}
	}
	if n == 0 {
		return
	}
	p.line("")
	p.line("%s", p.strong(fmt.Sprintf("TO CONFIRM  %d", n)))
	for _, c := range all {
		if c.Confirmed {
			continue
		}
		p.line("")
		p.block(2, "", nil, c.Ask, styleStrong)
		p.block(6, pad("asked", 9), styleDim, "by "+strings.Join(c.Stores, ", ")+"; no file can show it", nil)
		p.block(6, pad("confirm", 9), styleDim, "what: "+c.What+", under confirmed in dossier.yaml", nil)
		p.line("      %s%s", p.dim(pad("rule", 9)), c.Rule)
	}
}

// done writes what is done, one line each.
func (p *printer) done(list []*check.Duty, confirm []ConfirmEntry) {
	n := len(list)
	for _, c := range confirm {
		if c.Confirmed {
			n++
		}
	}
	if n == 0 {
		return
	}
	p.line("")
	p.line("%s", p.strong(fmt.Sprintf("DONE  %d", n)))
	for _, d := range gathered(list, p.look.All) {
		p.block(2, "", nil, d.What+"  ("+strings.Join(d.Stores, ", ")+")", nil)
	}
	for _, c := range confirm {
		if c.Confirmed {
			p.block(2, "", nil, "confirmed: "+c.What+"  ("+strings.Join(c.Stores, ", ")+")", nil)
		}
	}
}

// gathered joins the questions on the content, of which there are dozens, into one
// entry: the first ones by name. all keeps each by itself.
func gathered(list []*check.Duty, all bool) []*check.Duty {
	const under, most = "answers.content.", 6
	var out []*check.Duty
	var names []string
	var one *check.Duty
	for _, d := range list {
		if all || !strings.HasPrefix(d.Write, under) {
			out = append(out, d)
			continue
		}
		names = append(names, strings.TrimPrefix(d.Write, under))
		if one == nil {
			first := *d
			one = &first
			one.Stores, one.Write = slices.Clone(d.Stores), strings.TrimSuffix(under, ".")
			out = append(out, one)
		}
		for _, s := range d.Stores {
			if !slices.Contains(one.Stores, s) {
				one.Stores = append(one.Stores, s)
			}
		}
	}
	if one != nil && len(names) > 1 {
		one.What = Count(len(names), "question", "questions") + " on the content: " + strings.Join(names[:min(most, len(names))], ", ")
		if len(names) > most {
			one.What += " and " + Count(len(names)-most, "more", "more")
		}
	}
	return out
}

// written says where something is written: texts have files of their own.
func written(path string) string {
	if path == "listing" || strings.HasPrefix(path, "listing.") {
		return "listing/<locale>.yaml" + strings.Replace(strings.TrimPrefix(path, "listing"), ".", ", under ", 1)
	}
	if path == "pictures" {
		return "the folder pictures"
	}
	return path + ", in dossier.yaml"
}

func impactDuty(d *check.Duty) string {
	if text := impactText[d.Impact]; text != "" {
		return "without it " + text
	}
	return "what happens without it depends on the use"
}
