package report

import (
	"encoding/xml"
	"fmt"
	"io"
	"path/filepath"
	"slices"
	"strings"
	"sync"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/sanitize"
)

// JUnit XML: a suite for each dossier and store, one test case a rule that concerns the
// release, those that fail first. A broken rule is a failure when it makes the call fail, and
// skipped with its reason when it is graver than nothing but not grave enough; what was not
// judged is skipped as well. Of many dossiers those without a failure are one test case each,
// in a suite of their own at the end.

type junitSuite struct {
	XMLName  xml.Name        `xml:"testsuite"`
	Name     string          `xml:"name,attr"`
	Tests    int             `xml:"tests,attr"`
	Failures int             `xml:"failures,attr"`
	Errors   int             `xml:"errors,attr"`
	Skipped  int             `xml:"skipped,attr"`
	Basis    []junitProperty `xml:"properties>property,omitempty"`
	Cases    []junitCase     `xml:"testcase"`
}

type junitProperty struct {
	Name  string `xml:"name,attr"`
	Value string `xml:"value,attr"`
}

type junitCase struct {
	Name    string     `xml:"name,attr"`
	Class   string     `xml:"classname,attr"`
	File    string     `xml:"file,attr,omitempty"`
	Line    int        `xml:"line,attr,omitempty"`
	Failure *junitText `xml:"failure"`
	Error   *junitText `xml:"error"`
	Skipped *junitText `xml:"skipped"`
}

type junitText struct {
	Message string `xml:"message,attr"`
	Type    string `xml:"type,attr,omitempty"`
	Text    string `xml:",chardata"`
}

func openJUnit(w io.Writer, _ Style, call Call) Writer {
	var err error
	begin := sync.OnceFunc(func() { _, err = io.WriteString(w, xml.Header+"<testsuites name=\"regola\">\n") })
	enc := xml.NewEncoder(w)
	enc.Indent("  ", "  ")
	sound := junitSuite{Name: "without a failure"}
	return stream{
		add: func(i *Item) error {
			begin()
			suites := junitSuites(i, call.Many())
			if call.Many() && !slices.ContainsFunc(suites, func(s junitSuite) bool { return s.Failures+s.Errors > 0 }) {
				sound.Cases = append(sound.Cases, junitCase{Name: sanitize.Text(i.Name), Class: "regola"})
				sound.Tests++
				return err
			}
			for _, s := range suites {
				if err == nil {
					err = enc.Encode(s)
				}
			}
			return err
		},
		close: func() error {
			begin()
			if sound.Tests > 0 && err == nil {
				err = enc.Encode(sound)
			}
			if err == nil {
				_, err = io.WriteString(w, "\n</testsuites>\n")
			}
			return err
		},
	}
}

func junitSuites(i *Item, many bool) (out []junitSuite) {
	if i.Result == nil {
		var parts []string
		for _, p := range i.Problems {
			parts = append(parts, p.Error())
		}
		c := junitCase{Name: "input", Class: "regola", Error: &junitText{Message: "nothing was judged", Type: "input", Text: sanitize.Lines(strings.Join(parts, "\n"))}}
		return append(out, junitSuite{Name: sanitize.Text(i.Name), Tests: 1, Errors: 1, Cases: []junitCase{c}})
	}
	for _, st := range i.Result.Stores {
		s := junitSuite{Name: sanitize.Text(i.title(many) + ", " + st.Name)}
		for _, l := range basisLines(i.Result) {
			s.Basis = append(s.Basis, junitProperty{l.Key, sanitize.Text(l.Text)})
		}
		for _, v := range st.Verdicts {
			if v.State == check.NotApplicable || v.State == check.NotInForce {
				continue
			}
			c := junit(i.Result, st, v)
			s.Tests++
			switch {
			case c.Failure != nil:
				s.Failures++
			case c.Skipped != nil:
				s.Skipped++
			}
			s.Cases = append(s.Cases, c)
		}
		slices.SortStableFunc(s.Cases, func(a, b junitCase) int { return junitOrder(a) - junitOrder(b) })
		out = append(out, s)
	}
	return out
}

// junitOrder puts failures first, and what held last.
func junitOrder(c junitCase) int {
	switch {
	case c.Failure != nil:
		return 0
	case c.Skipped != nil:
		return 1
	}
	return 2
}

// stateText says in words why a rule was not judged.
var stateText = map[check.State]string{
	check.Waived: "waived", check.ToAnswer: "to answer", check.ToConfirm: "to confirm", check.NotRead: "not read", check.NotAsked: "not asked",
	check.NotInForce: "not in force on the day", check.NotApplicable: "does not concern this release",
}

func junit(r *check.Result, s *check.Store, v *check.Verdict) junitCase {
	about := r.About
	c := junitCase{Name: v.Rule.ID, Class: v.Store + "." + v.Rule.Stage}
	t := &junitText{Type: string(v.State)}
	var lines []string
	faults := v.Sorted()
	for _, f := range faults {
		line := f.Say
		if at := f.At.Exact(); at != "" {
			line = at + ": " + line
		}
		if lines = append(lines, line); f.Fix != "" {
			lines = append(lines, "  fix: "+f.Fix)
		}
		if f.At.Line > 0 && c.File == "" {
			c.File, c.Line = sanitize.Text(filepath.ToSlash(f.At.File)), f.At.Line
		}
	}
	switch v.State {
	case check.Held:
		return c
	case check.Broken:
		t.Type, t.Message = string(v.Impact()), faults[slices.IndexFunc(faults, func(f *check.Fault) bool { return f.Waiver == nil })].Say
		if known := !slices.ContainsFunc(faults, func(f *check.Fault) bool { return f.Waiver == nil && !f.Known }); known {
			t.Message = "known since the baseline: " + t.Message
			c.Skipped = t
			break
		}
		if check.Grave(v.Impact(), about.FailOn) {
			c.Failure = t
			break
		}
		t.Message = fmt.Sprintf("%s, which is not grave enough to fail: %s", v.Impact(), t.Message)
		c.Skipped = t
	case check.Waived:
		w := faults[0].Waiver
		t.Message = fmt.Sprintf("waived until %s: %s (%s)", w.Until, w.Because, w.By)
		c.Skipped = t
	default:
		t.Message = stateText[v.State]
		if len(v.Gaps) > 0 {
			t.Message += ": " + GapText(v.Gaps)
		} else if v.Question != nil {
			t.Message += ": " + v.Question.Ask
		}
		c.Skipped = t
		if about.Strict && (v.State == check.ToAnswer || v.State == check.ToConfirm || v.State == check.NotRead) || r.OpenFails(s, v, about.FailOn) {
			c.Skipped, c.Failure = nil, t
		}
	}
	t.Message, t.Text = sanitize.Text(t.Message), sanitize.Lines(strings.Join(lines, "\n"))
	return c
}
