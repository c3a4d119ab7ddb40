package report

import (
	"fmt"
	"io"
	"slices"
	"strings"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/rulebook"
)

// LinksDocument is what the links of a dossier lead to.
type LinksDocument struct {
	Regola int         `json:"regola" doc:"the number of this format"`
	Links  []LinkEntry `json:"links" doc:"in the order of the dossier"`
}

// LinkEntry is one link.
type LinkEntry struct {
	Key     string       `json:"key" doc:"where the dossier has it, or what kind of file of a web site it is"`
	Address string       `json:"address"`
	Final   string       `json:"final" doc:"after redirects"`
	Status  int64        `json:"status" doc:"of HTTP; 0 without an answer"`
	Fault   string       `json:"fault" doc:"why it does not open; empty when it does"`
	Stores  []string     `json:"stores"`
	Wrong   []WrongEntry `json:"wrong"`
}

// NewLinksDocument puts the links of all stores together, each once.
func NewLinksDocument(r *check.Result) *LinksDocument {
	d := &LinksDocument{Regola: FormatNumber, Links: []LinkEntry{}}
	entry := func(key, address, store string) *LinkEntry {
		i := slices.IndexFunc(d.Links, func(l LinkEntry) bool { return l.Key == key && l.Address == address })
		if i < 0 {
			i = len(d.Links)
			d.Links = append(d.Links, LinkEntry{Key: key, Address: address, Wrong: []WrongEntry{}})
		}
		d.Links[i].Stores = append(d.Links[i].Stores, store)
		return &d.Links[i]
	}
	for _, s := range r.Stores {
		if s.Fetched == nil {
			continue
		}
		wrong := func(path string, l *LinkEntry) {
			for _, v := range s.Verdicts {
				for _, f := range v.Faults {
					if f.Path != path {
						continue
					}
					i := slices.IndexFunc(l.Wrong, func(w WrongEntry) bool { return w.Rule == v.Rule.ID })
					if i < 0 {
						i = len(l.Wrong)
						l.Wrong = append(l.Wrong, WrongEntry{Rule: v.Rule.ID, Impact: string(f.Impact), Say: f.Say, Fix: f.Fix})
					}
					l.Wrong[i].Stores = append(l.Wrong[i].Stores, s.ID)
				}
			}
		}
		for i, p := range s.Fetched.Pages {
			l := entry(p.Key, p.Address, s.ID)
			l.Final, l.Status, l.Fault = p.Final, p.Status, p.Fault
			wrong(fmt.Sprintf("fetched.pages[%d]", i), l)
		}
		for i, p := range s.Fetched.Statements {
			l := entry(p.Kind, p.Address, s.ID)
			l.Final, l.Status, l.Fault = p.Address, p.Status, p.Fault
			wrong(fmt.Sprintf("fetched.statements[%d]", i), l)
		}
	}
	return d
}

// Failed tells whether a release is likely to be rejected for its links.
func (d *LinksDocument) Failed() bool {
	return slices.ContainsFunc(d.Links, func(l LinkEntry) bool {
		return slices.ContainsFunc(l.Wrong, func(w WrongEntry) bool {
			return rulebook.Impact(w.Impact).Level() != rulebook.Note && w.Impact != string(rulebook.Reach)
		})
	})
}

// LinksText writes each link with what it leads to and what is wrong.
func LinksText(w io.Writer, d *LinksDocument, look Style) error {
	p := &printer{w: w, look: look}
	wrong := 0
	for _, l := range d.Links {
		if len(l.Wrong) > 0 {
			wrong++
		}
	}
	if len(d.Links) == 0 {
		p.line("%s", p.strong("The dossier has no links"))
		p.line("  %s", p.dim("write them under links: and contact:"))
		return p.err
	}
	rest := ", nothing wrong with any"
	if wrong > 0 {
		rest = fmt.Sprintf(", something wrong with %d", wrong)
	}
	p.line("%s%s", p.strong(Count(len(d.Links), "link", "links")), p.dim(rest))
	p.line("")
	for _, l := range d.Links {
		status, style := fmt.Sprint(l.Status), styleGood
		if l.Status == 0 {
			status = "-"
		}
		if len(l.Wrong) > 0 {
			style = styleImpact[rulebook.Impact(l.Wrong[0].Impact)]
		}
		p.line("  %s  %s  %s", pad(l.Key, 22), p.look.paint(style, pad(status, 3)), p.path(l.Address))
		if l.Final != l.Address && l.Final != "" {
			p.line("  %s  %s  %s", pad("", 22), pad("", 3), p.dim("leads to "+l.Final))
		}
		for _, x := range l.Wrong {
			say := x.Say
			if len(x.Stores) == 1 && len(l.Stores) > 1 {
				say += " (" + strings.Join(x.Stores, ", ") + ")"
			}
			p.block(4, pad(x.Impact, 10), styleImpact[rulebook.Impact(x.Impact)], say, nil)
			p.block(4, pad("fix", 10), styleDim, x.Fix, nil)
		}
	}
	return p.err
}
