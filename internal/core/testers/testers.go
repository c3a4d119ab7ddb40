// Package testers reads a list of testers: one address a line, or a CSV file in which
// one column holds addresses, and further ones the days on which each joined and left.
package testers

import (
	"cmp"
	"fmt"
	"net/mail"
	"strings"
	"unicode/utf8"

	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/place"
)

// List is a list of testers.
type List struct {
	fact.Mark `json:"-"`
	Given     bool      `json:"given"`   // the dossier names a list
	Count     int64     `json:"count"`   // different addresses that are sound
	Dated     bool      `json:"dated"`   // it says of somebody when they joined
	Members   []*Member `json:"members"` // those whose first day is known
	Heading   string    `json:"heading"` // the first line, where it names columns; empty otherwise
	Faults    []*Fault  `json:"faults"`
}

// Member is a tester whose days are known.
type Member struct {
	fact.Mark `json:"-"`
	Joined    *day.Day `json:"joined"`
	Left      *day.Day `json:"left"` // the day on which they left; nil for who is still there
}

// Present counts the testers who were in the test for so many days in a row, the last of
// which is a day.
func (l *List) Present(days int64, on day.Day) (n int64) {
	first := on.AddDate(0, 0, 1-int(days))
	for _, m := range l.Members {
		if m.Joined != nil && !m.Joined.After(first) && (m.Left == nil || m.Left.After(on.Time)) {
			n++
		}
	}
	return n
}

// Fault is a line that gives no tester.
type Fault struct {
	fact.Mark `json:"-"`
	Line      int64  `json:"line"`
	What      string `json:"what"`
}

// mostFaults bounds how many lines are reported.
const mostFaults = 100

// Parse reads a list. A first line without an address, before lines that have some,
// is the head of a table.
func Parse(file, text string) *List {
	l := &List{Given: true}
	l.SetSelf(place.Place{File: file})
	fault := func(n int, format string, args ...any) {
		if len(l.Faults) < mostFaults {
			f := &Fault{Line: int64(n), What: fmt.Sprintf(format, args...)}
			f.SetSelf(place.Place{File: file, Line: n, Column: 1})
			l.Faults = append(l.Faults, f)
		}
	}
	first := map[string]int{}
	text = strings.TrimPrefix(text, "\ufeff")
	for i, line := range strings.Split(text, "\n") {
		line = strings.TrimSpace(line)
		if line == "" || strings.HasPrefix(line, "#") {
			continue
		}
		if !utf8.ValidString(line) {
			fault(i+1, "the line is no UTF-8")
			continue
		}
		address, more, days := "", false, []day.Day(nil)
		for _, cell := range strings.FieldsFunc(line, func(r rune) bool { return r == ',' || r == ';' || r == '\t' }) {
			cell = strings.Trim(strings.TrimSpace(cell), `"`)
			switch on, err := day.Parse(cell); {
			case err == nil:
				days = append(days, on)
			case strings.Contains(cell, "@"):
				more = more || address != ""
				address = cmp.Or(address, cell)
			}
		}
		switch parsed, err := mail.ParseAddress(address); {
		case address == "" && l.Count == 0 && len(first) == 0 && i == 0:
			l.Heading = short(line)
			fact.Put(l, &l.Heading, place.Place{File: file, Line: 1, Column: 1})
			continue
		case address == "":
			fault(i+1, "there is no address in %q", short(line))
		case err != nil || !strings.Contains(domain(parsed.Address), "."):
			fault(i+1, "%q is no e-mail address", short(address))
		case more:
			fault(i+1, "there are several addresses in %q; one a line is read", short(line))
		case len(days) > 1 && days[1].Before(days[0].Time):
			fault(i+1, "%s left on %s, before joining on %s", short(parsed.Address), days[1], days[0])
		case first[strings.ToLower(parsed.Address)] > 0:
			fault(i+1, "%s is on line %d already", short(parsed.Address), first[strings.ToLower(parsed.Address)])
		default:
			first[strings.ToLower(parsed.Address)] = i + 1
			l.Count++
			if len(days) > 0 {
				m := &Member{Joined: &days[0]}
				m.SetSelf(place.Place{File: file, Line: i + 1, Column: 1})
				if len(days) > 1 {
					m.Left = &days[1]
				}
				l.Members, l.Dated = append(l.Members, m), true
			}
		}
	}
	return l
}

func domain(address string) string {
	_, d, _ := strings.Cut(address, "@")
	return d
}

func short(s string) string {
	if r := []rune(s); len(r) > 60 {
		return string(r[:60]) + "…"
	}
	return s
}
