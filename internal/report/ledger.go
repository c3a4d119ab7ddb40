package report

import (
	"fmt"
	"io"
	"slices"
	"strings"

	"regola.example/regola/internal/core/ledger"
	"regola.example/regola/internal/core/store"
)

// LedgerDocument is the JSON form of a ledger.
type LedgerDocument struct {
	Regola int64           `json:"regola"` // version of this form
	Events []*ledger.Event `json:"events"`
	Faults []*ledger.Fault `json:"faults" doc:"lines that could not be read"`
}

// NewLedgerDocument puts a ledger into its JSON form.
func NewLedgerDocument(l *ledger.Ledger) *LedgerDocument {
	d := &LedgerDocument{Regola: FormatNumber, Events: l.Events, Faults: l.Faults}
	if d.Events == nil {
		d.Events = []*ledger.Event{}
	}
	if d.Faults == nil {
		d.Faults = []*ledger.Fault{}
	}
	return d
}

// Recorded tells what was recorded, and what was there already.
func Recorded(w io.Writer, written, old []*ledger.Event, look Style) error {
	p := &printer{w: w, look: look}
	for _, e := range written {
		p.line("%s: %s %s (%s) is recorded.", ledger.FileName, e.Store, e.Version, e.Build)
	}
	for _, e := range old {
		p.line("%s: %s %s (%s) was recorded already.", ledger.FileName, e.Store, e.Version, e.Build)
	}
	if len(written) > 0 {
		p.line("Put the file under version control; record the decision with regola ledger decide.")
	}
	return p.err
}

// LedgerText writes the history of each store, the last release first.
func LedgerText(w io.Writer, l *ledger.Ledger, stores []*store.Store, look Style) error {
	p := &printer{w: w, look: look}
	if len(l.Events)+len(l.Faults) == 0 {
		p.line("The ledger is empty. regola ledger record records what you send.")
		return p.err
	}
	for i, s := range stores {
		var events []*ledger.Event
		for _, e := range l.Events {
			if e.Store == s.ID {
				events = append(events, e)
			}
		}
		if i > 0 {
			p.line("")
		}
		p.line("%s", p.strong(s.Name))
		if len(events) == 0 {
			p.line("  nothing yet")
		}
		p.events(events)
	}
	if len(l.Faults) > 0 {
		p.line("")
		p.line("%s", p.strong("LINES THAT COULD NOT BE READ"))
		for _, f := range l.Faults {
			p.block(2, fmt.Sprintf("line %d  ", f.Line), styleDim, f.What, nil)
		}
	}
	return p.err
}

// events writes releases with what followed each, the last one first.
func (p *printer) events(events []*ledger.Event) {
	type story struct {
		release *ledger.Event
		before  *ledger.Release
		after   []*ledger.Event
	}
	var all []*story
	for _, e := range events {
		if e.Event == ledger.Released {
			s := &story{release: e}
			for _, b := range slices.Backward(all) { // what it follows: the last on its own line
				if b.release.Release.Line() == e.Release.Line() {
					s.before = b.release.Release
					break
				}
			}
			all = append(all, s)
			continue
		}
		for _, s := range slices.Backward(all) {
			if s.release.Version == e.Version && s.release.Build == e.Build {
				s.after = append(s.after, e)
				break
			}
		}
	}
	for _, s := range slices.Backward(all) {
		e, r := s.release, s.release.Release
		p.line("")
		head := fmt.Sprintf("%s (%s)", e.Version, e.Build)
		var words []string
		for _, x := range []string{r.Channel, r.Form, r.Share} {
			if x != "" {
				words = append(words, x)
			}
		}
		if e.Anyway {
			words = append(words, "though its upload would be refused")
		}
		p.line("  %s  %s", p.strong(head), p.dim(strings.Join(append([]string{"sent on " + e.On.Long()}, words...), ", ")))
		if s.before != nil {
			if text := summary(ledger.Compare(s.before, r)); text != "" {
				p.block(6, pad("brings", 10), styleDim, text, nil)
			}
		}
		for _, x := range s.after {
			switch x.Event {
			case ledger.Decided:
				style := styleGood
				if ledger.Reasoned(x.Decision) || x.Decision == "halted" {
					style = styleImpact["rejected"]
				}
				text := "on " + x.On.Long()
				if x.Channel != "" {
					text += ", " + x.Channel
				}
				if x.Until != nil {
					text += "; until " + x.Until.Long()
				}
				p.block(6, pad(x.Decision, 10), style, text, nil)
				for _, reason := range x.Reasons {
					text := reason.About
					if reason.Said != "" {
						text += ": \"" + reason.Said + "\""
					}
					p.block(16, "", nil, text, nil)
				}
			case ledger.Replied:
				p.block(6, pad("answered", 10), styleDim, "on "+x.On.Long()+": "+x.Text, nil)
			}
		}
	}
}

// summary says in a line what a release brings.
func summary(c *ledger.Change) string {
	var out []string
	for _, kind := range []string{"permission", "third-party code", "kind of data answered", "language", "certificate"} {
		var added, removed []string
		for _, d := range c.Added {
			if d.Kind == kind {
				added = append(added, strings.TrimPrefix(d.What, "android.permission."))
			}
		}
		for _, d := range c.Removed {
			if d.Kind == kind {
				removed = append(removed, strings.TrimPrefix(d.What, "android.permission."))
			}
		}
		if len(added) > 0 {
			out = append(out, "new "+kind+": "+brief(added))
		}
		if len(removed) > 0 {
			out = append(out, "no more "+kind+": "+brief(removed))
		}
		for _, d := range c.Changed {
			if d.Kind == kind {
				out = append(out, "another "+kind)
			}
		}
	}
	n := 0
	for _, d := range c.Changed {
		if d.Kind == "answer" || d.Kind == "text" || d.Kind == "picture" || d.Kind == "purpose string" {
			n++
		}
	}
	if n > 0 {
		out = append(out, Count(n, "answer, text or picture changed", "answers, texts or pictures changed"))
	}
	return strings.Join(out, "; ")
}

// brief is a list, cut after three.
func brief(list []string) string {
	if len(list) > 3 {
		return strings.Join(list[:3], ", ") + fmt.Sprintf(" and %d more", len(list)-3)
	}
	return strings.Join(list, ", ")
}
