package report

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io"
	"strings"
	"unicode/utf8"

	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/sanitize"
	"regola.example/regola/internal/view"
)

// CalendarDocument is the JSON form of the days ahead.
type CalendarDocument struct {
	Regola int64       `json:"regola"` // version of this form
	App    string      `json:"app"`    // empty for the built-in days alone
	On     string      `json:"on"`
	Days   []DateEntry `json:"days"`
}

// DateEntry is a day on which something changes.
type DateEntry struct {
	Day   string         `json:"day"`
	Left  int64          `json:"left" doc:"days from the day of the judgement"`
	What  []ChangeEntry  `json:"what"`
	Found []AheadFinding `json:"found" doc:"what would be found from then on"`
	Gone  []string       `json:"gone" doc:"rules that would be broken no more"`
}

// ChangeEntry is one thing that changes on a day.
type ChangeEntry struct {
	Kind  string `json:"kind"`
	Name  string `json:"name"`
	Store string `json:"store" doc:"empty for both"`
	What  string `json:"what"`
}

// AheadFinding is what would be found.
type AheadFinding struct {
	Rule   string   `json:"rule"`
	Impact string   `json:"impact"`
	Say    string   `json:"say"`
	Fix    string   `json:"fix"`
	Stores []string `json:"stores"`
}

// NewCalendarDocument puts the days ahead into their JSON form.
func NewCalendarDocument(app, on string, turns []*view.Milestone) *CalendarDocument {
	d := &CalendarDocument{Regola: FormatNumber, App: app, On: on, Days: []DateEntry{}}
	for _, t := range turns {
		e := DateEntry{Day: t.Day.String(), Left: int64(t.Left), What: []ChangeEntry{}, Found: []AheadFinding{}, Gone: none(t.Gone)}
		for _, x := range t.Dates {
			store := x.Store
			if store == rulebook.All {
				store = ""
			}
			e.What = append(e.What, ChangeEntry{x.Kind, x.Name, store, x.What})
		}
		for _, f := range t.New {
			e.Found = append(e.Found, AheadFinding{f.Rule.ID, string(f.Impact), f.Faults[0].Say, f.Faults[0].Fix, f.Stores})
		}
		d.Days = append(d.Days, e)
	}
	return d
}

// own are the kinds of days that are the release's own.
func own(kind string) bool { return kind != "limit" && kind != "rule" && kind != "table" }

// worth tells whether a day means something to a release: something would be found, or
// something of its own ends.
func worth(e DateEntry) bool {
	for _, x := range e.What {
		if own(x.Kind) {
			return true
		}
	}
	return len(e.Found)+len(e.Gone) > 0
}

// Calendar writes the days ahead. Of a release, those that mean something to it, unless
// look.All asks for every one.
func Calendar(w io.Writer, d *CalendarDocument, look Style) error {
	p := &printer{w: w, look: look}
	title := d.App
	if title == "" {
		title = "What changes in the stores"
	}
	p.line("%s  %s", p.strong(title), p.dim("from "+d.On+" on"))
	shown, quiet := 0, 0
	for _, e := range d.Days {
		if d.App != "" && !look.All && !worth(e) {
			quiet++
			continue
		}
		shown++
		p.line("")
		p.line("%s  %s", p.strong(e.Day), p.dim("in "+Count(int(e.Left), "day", "days")))
		for _, f := range e.Found {
			p.block(2, pad(f.Impact, 10), styleImpact[rulebook.Impact(f.Impact)], f.Say, nil)
			p.block(12, "fix   ", styleDim, f.Fix, nil)
			p.line("            %s", p.dim("rule  "+f.Rule+" · "+strings.Join(f.Stores, ", ")))
		}
		for _, g := range e.Gone {
			p.block(2, pad("settled", 10), styleGood, g, nil)
		}
		for _, x := range e.What {
			if d.App != "" && !look.All && !own(x.Kind) {
				continue
			}
			text := x.What
			if x.Store != "" {
				text += " (" + x.Store + ")"
			}
			if x.Kind == "rule" {
				text = x.Name + " " + text
			}
			p.block(2, pad(x.Kind, 10), styleDim, text, nil)
		}
	}
	p.line("")
	switch {
	case shown == 0 && quiet == 0:
		p.line("Nothing changes in that time, as far as the rulebooks know.")
	case shown == 0:
		p.line("Nothing will be found that is not found today, as far as the rulebooks know.")
		fallthrough
	case quiet > 0:
		p.line("%s", p.dim(Count(quiet, "more day changes", "more days change")+" rules without touching this release (--all)"))
	}
	return p.err
}

// ICalendar writes the days ahead as RFC 5545 has it. An event's UID follows from what
// changes and when, so that a calendar that reads the file again updates it.
func ICalendar(w io.Writer, d *CalendarDocument, all bool) error {
	var b strings.Builder
	line := func(s string) { fold(&b, s) }
	line("BEGIN:VCALENDAR")
	line("VERSION:2.0")
	line("PRODID:-//regola.example//Regola//EN")
	line("CALSCALE:GREGORIAN")
	for _, e := range d.Days {
		if d.App != "" && !all && !worth(e) {
			continue
		}
		var summary, text []string
		key := d.App + "\x00" + e.Day
		for _, f := range e.Found {
			summary = append(summary, f.Say)
			text = append(text, f.Impact+": "+f.Say+" ["+f.Rule+"] "+f.Fix)
		}
		for _, g := range e.Gone {
			text = append(text, "settled: "+g)
		}
		for _, x := range e.What {
			if d.App == "" || all || own(x.Kind) {
				text = append(text, x.Kind+" "+x.Name+": "+x.What)
				if own(x.Kind) || d.App == "" {
					summary = append(summary, x.What)
				}
			}
		}
		if len(summary) == 0 {
			summary = []string{"rules of the stores change"}
		}
		title := summary[0]
		if len(summary) > 1 {
			title += fmt.Sprintf(" (and %d more)", len(summary)-1)
		}
		if d.App != "" {
			title = d.App + ": " + title
		}
		sum := sha256.Sum256([]byte(key))
		day := strings.ReplaceAll(e.Day, "-", "")
		line("BEGIN:VEVENT")
		line("UID:" + hex.EncodeToString(sum[:12]) + "@regola.example")
		line("DTSTAMP:" + strings.ReplaceAll(d.On, "-", "") + "T000000Z")
		line("DTSTART;VALUE=DATE:" + day)
		line("SUMMARY:" + escapeCal(title))
		line("DESCRIPTION:" + escapeCal(strings.Join(text, "\n")))
		line("TRANSP:TRANSPARENT")
		line("END:VEVENT")
	}
	line("END:VCALENDAR")
	_, err := io.WriteString(w, b.String())
	return err
}

var calEscapes = strings.NewReplacer(`\`, `\\`, ";", `\;`, ",", `\,`, "\n", `\n`)

// escapeCal makes a text fit for a calendar: its own line breaks stay.
func escapeCal(s string) string {
	lines := strings.Split(s, "\n")
	for i, l := range lines {
		lines[i] = sanitize.Text(l)
	}
	return calEscapes.Replace(strings.Join(lines, "\n"))
}

// fold writes a line in pieces of at most 75 octets, as the format asks.
func fold(b *strings.Builder, s string) {
	room := 75
	for len(s) > room {
		n := room
		for n > 0 && !utf8.RuneStart(s[n]) {
			n--
		}
		b.WriteString(s[:n] + "\r\n ")
		s, room = s[n:], 74
	}
	b.WriteString(s + "\r\n")
}
