package report

import (
	"encoding/csv"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/disclosure"
	"regola.example/regola/internal/core/evidence"
)

// DisclosureDocument is the JSON form of what each store gets to know about data.
type DisclosureDocument struct {
	Regola int64            `json:"regola"` // version of this form
	App    string           `json:"app"`
	On     string           `json:"on"` // the day as of which it was derived
	Stores []StoreDiscloses `json:"stores"`
}

// StoreDiscloses is the form of one store.
type StoreDiscloses struct {
	Store string                 `json:"store"`
	Name  string                 `json:"name"`
	Form  *disclosure.Disclosure `json:"form"`
}

// NewDisclosureDocument puts the forms on data into their JSON form.
func NewDisclosureDocument(r *check.Result) *DisclosureDocument {
	d := &DisclosureDocument{Regola: FormatNumber, App: r.App, On: r.Day.String(), Stores: []StoreDiscloses{}}
	forms := map[string]*disclosure.Disclosure{}
	for _, s := range r.Stores {
		if s.Disclosure != nil {
			forms[s.ID] = s.Disclosure
			d.Stores = append(d.Stores, StoreDiscloses{Store: s.ID, Name: s.Name, Form: s.Disclosure})
		}
	}
	disclosure.Compare(forms)
	return d
}

// signs says in few words what points to a kind of data.
func signs(list []*evidence.Data) string {
	var out []string
	for _, x := range list {
		one := x.Sign
		if x.By != "app" && !strings.Contains(x.Sign, x.By) {
			one = x.By + " (" + x.Sign + ")"
		}
		if !slices.Contains(out, one) {
			out = append(out, one)
		}
	}
	if len(out) > 2 {
		out = append(out[:2], fmt.Sprintf("%d more", len(out)-2))
	}
	return strings.Join(out, ", ")
}

// Disclosures writes what each store gets to know about data, beside what the packages
// point to.
func Disclosures(w io.Writer, r *check.Result, look Style) error {
	p := &printer{w: w, look: look}
	title, right := strings.TrimSpace(r.App+" "+r.Version), "what each store gets to know about data, from answers: data:"
	p.line("%s%s%s", p.strong(title), strings.Repeat(" ", max(2, p.look.Columns()-len([]rune(title))-len(right))), p.dim(right))
	for _, s := range NewDisclosureDocument(r).Stores {
		p.line("")
		p.line("%s", p.strong(s.Name))
		p.form(s.Form)
	}
	return p.err
}

// answersOn is what a store's form says of a kind of data, in words.
func answersOn(d *disclosure.Disclosure, r *disclosure.Row) (words []string) {
	for _, asked := range d.Asks {
		switch asked {
		case "shared":
			words = append(words, either(r.Shared, "collected and shared", "collected, not shared"))
		case "required":
			words = append(words, either(r.Required, "required", "people can choose"))
		case "kept":
			if !r.Kept {
				words = append(words, "not kept")
			}
		case "linked":
			words = append(words, either(r.Linked, "linked to the person", "not linked to the person"))
		case "tracking":
			words = append(words, either(r.Tracking, "used for tracking", "no tracking"))
		}
	}
	return words
}

func (p *printer) form(d *disclosure.Disclosure) {
	switch {
	case !d.Answered:
		p.block(2, "", nil, "Which data leaves the device is not answered. Write it under answers: data:, in dossier.yaml; data: [] when none does.", nil)
	case len(d.Rows) == 0 && len(d.Hidden) == 0:
		p.line("  No data leaves the device.")
	}
	for _, r := range d.Rows {
		p.line("")
		name := r.Kind
		if len(r.From) > 1 || r.From[0] != r.Kind {
			name += " (" + strings.Join(r.From, ", ") + ")"
		}
		p.line("  %s", p.strong(name))
		words := answersOn(d, r)
		p.block(6, pad("answer", 9), styleDim, strings.Join(words, ", "), nil)
		if len(r.Purposes) > 0 {
			p.block(6, pad("for", 9), styleDim, strings.Join(r.Purposes, ", "), nil)
		}
		if r.Shared && len(r.SharedFor) > 0 && slices.Contains(d.Asks, "shared") {
			p.block(6, pad("shared", 9), styleDim, "for "+strings.Join(r.SharedFor, ", "), nil)
		}
		p.block(6, pad("by", 9), styleDim, strings.Join(r.By, ", "), nil)
		if len(r.Open) > 0 {
			p.block(6, pad("open", 9), styleDim, strings.Join(r.Open, ", "), styleImpact["blocked"])
		}
		if len(r.Implied) > 0 {
			p.block(6, pad("package", 9), styleDim, signs(r.Implied), nil)
		}
	}
	var access []string // each sign with the kinds that it opens
	kinds := map[string][]string{}
	for _, m := range d.Missing {
		if m.Access {
			by := signs(m.Implied)
			if kinds[by] == nil {
				access = append(access, by)
			}
			kinds[by] = append(kinds[by], m.Kind)
			continue
		}
		p.line("")
		p.line("  %s%s", p.look.paint(styleImpact["rejected"], m.Kind), shown("  not answered"))
		p.block(6, pad("package", 9), styleDim, signs(m.Implied), nil)
		p.block(6, pad("by", 9), styleDim, strings.Join(collectors(m.Implied), ", "), nil)
	}
	for i, by := range access {
		access[i] = strings.Join(kinds[by], " and ") + " (" + by + ")"
	}
	if len(access) > 0 {
		p.line("")
		p.block(2, "", nil, "The package can reach, and the sheet does not answer: "+strings.Join(access, ", ")+". What stays on the device needs no answer.", styleDim)
	}
	if len(d.Hidden) > 0 {
		p.line("")
		p.block(2, "", nil, "Not shown here, since it is not kept or only given now and then: "+strings.Join(d.Hidden, ", "), styleDim)
	}
}

// collectors are those who take data.
func collectors(list []*evidence.Data) (out []string) {
	for _, x := range list {
		if !slices.Contains(out, x.By) {
			out = append(out, x.By)
		}
	}
	return out
}

func either(b bool, yes, no string) string {
	if b {
		return yes
	}
	return no
}

// DisclosureCSV writes the forms as a table for spreadsheets: one row for each kind
// of data and store, those that are not answered with the state missing.
func DisclosureCSV(w io.Writer, r *check.Result) error {
	c := csv.NewWriter(w)
	rows := [][]string{{"store", "kind", "state", "from", "kept", "shared", "required", "linked", "tracking", "purposes", "shared_for", "by", "open", "in_package"}}
	for _, s := range NewDisclosureDocument(r).Stores {
		for _, x := range s.Form.Rows {
			state := either(len(x.Open) > 0, "incomplete", "answered")
			rows = append(rows, []string{s.Store, x.Kind, state, list(x.From), bit(x.Kept), bit(x.Shared), bit(x.Required), bit(x.Linked), bit(x.Tracking), list(x.Purposes), list(x.SharedFor), list(x.By), list(x.Open), signs(x.Implied)})
		}
		for _, m := range s.Form.Missing {
			rows = append(rows, []string{s.Store, m.Kind, either(m.Access, "access", "missing"), "", "", "", "", "", "", "", "", list(collectors(m.Implied)), "", signs(m.Implied)})
		}
	}
	for _, row := range rows {
		for i, cell := range row { // a cell that begins so is a formula to some programs
			if cell != "" && strings.ContainsAny(cell[:1], "=+-@") {
				row[i] = "'" + cell
			}
		}
	}
	return c.WriteAll(rows)
}

func list(items []string) string { return strings.Join(items, "; ") }
func bit(b bool) string          { return strconv.FormatBool(b) }
