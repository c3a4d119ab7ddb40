package report

import (
	"fmt"
	"io"
	"strings"

	"regola.example/regola/internal/core/check"
)

// DutiesDocument is the JSON form of what the stores ask.
type DutiesDocument struct {
	Regola int64       `json:"regola"` // version of this form
	App    string      `json:"app"`
	On     string      `json:"on"` // the day as of which it was judged
	Duties []DutyEntry `json:"duties"`
}

// NewDutiesDocument puts the duties of a release into their JSON form.
func NewDutiesDocument(r *check.Result) *DutiesDocument {
	return &DutiesDocument{Regola: FormatNumber, App: r.App, On: r.Day.String(), Duties: NewDuties(r)}
}

// dutyHeads are the headings of the duties, by state.
var dutyHeads = map[check.DutyState]string{
	check.Due: "TO ANSWER", check.Contradicted: "CONTRADICTED OR INCOMPLETE", check.Done: "DONE",
}

// Duties writes what the stores will make people answer, declare or hand in, in
// working order: open ones first, the gravest first.
func Duties(w io.Writer, r *check.Result, look Look) error {
	p := &printer{w: w, look: look}
	p.line("%s", p.strong(strings.TrimSpace(r.App+" "+r.Version)))
	all := r.Duties()
	for _, state := range check.DutyStates {
		var list []*check.Duty
		for _, d := range all {
			if d.State == state {
				list = append(list, d)
			}
		}
		if len(list) == 0 {
			continue
		}
		p.line("")
		p.line("%s", p.strong(fmt.Sprintf("%s  %d", dutyHeads[state], len(list))))
		for _, d := range list {
			stores := strings.Join(d.Stores, ", ")
			if state == check.Done {
				p.block(2, "", nil, d.What+"  ("+stores+")", nil)
				continue
			}
			p.line("")
			p.block(2, "", nil, d.What, styleStrong)
			for _, row := range []struct{ label, text string }{
				{"asked", "by " + stores + ": " + impactDuty(d)}, {"because", d.Because}, {"write", written(d.Write)},
			} {
				if row.text != "" {
					p.block(6, pad(row.label, 9), styleDim, row.text, nil)
				}
			}
			p.line("      %s%s", p.dim(pad("rule", 9)), d.Rule.ID)
		}
	}
	if len(all) == 0 {
		p.line("")
		p.line("%s", "Nothing is asked because of this package.")
	}
	return p.err
}

// written says where something is written: texts have files of their own.
func written(path string) string {
	if path == "listing" || strings.HasPrefix(path, "listing.") {
		return "listing/<locale>.yaml" + strings.Replace(strings.TrimPrefix(path, "listing"), ".", ", under ", 1)
	}
	return path + ", in dossier.yaml"
}

func impactDuty(d *check.Duty) string {
	if text := impactText[d.Impact]; text != "" {
		return "without it " + text
	}
	return "what happens without it depends on the use"
}
