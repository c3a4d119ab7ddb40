// Package testers reads a list of testers: one address a line, or a CSV file in which
// one column holds addresses.
package testers

import (
	"fmt"
	"net/mail"
	"strings"
	"unicode/utf8"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/place"
)

// List is a list of testers.
type List struct {
	fact.Mark `json:"-"`
	Given     bool     `json:"given"` // the dossier names a list
	Count     int64    `json:"count"` // different addresses that are sound
	Faults    []*Fault `json:"faults"`
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
		address := ""
		for _, cell := range strings.FieldsFunc(line, func(r rune) bool { return r == ',' || r == ';' || r == '\t' }) {
			if cell = strings.Trim(strings.TrimSpace(cell), `"`); strings.Contains(cell, "@") {
				address = cell
				break
			}
		}
		switch parsed, err := mail.ParseAddress(address); {
		case address == "" && l.Count == 0 && len(first) == 0 && i == 0:
			continue // the head of a table
		case address == "":
			fault(i+1, "there is no address in %q", short(line))
		case err != nil || !strings.Contains(domain(parsed.Address), "."):
			fault(i+1, "%q is no e-mail address", short(address))
		case first[strings.ToLower(parsed.Address)] > 0:
			fault(i+1, "%s is on line %d already", short(parsed.Address), first[strings.ToLower(parsed.Address)])
		default:
			first[strings.ToLower(parsed.Address)] = i + 1
			l.Count++
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
