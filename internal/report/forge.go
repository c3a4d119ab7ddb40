package report

import (
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io"
	"path/filepath"
	"strings"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/sanitize"
)

// Forms for forges, which show findings beside the code of a change: lines that a job writes
// to its log (workflow commands), and a JSON report of code quality. Sources: the forges'
// published descriptions of both.

// commands escapes the text of a workflow command.
var commands = strings.NewReplacer("%", "%25", "\r", "%0D", "\n", "%0A")

// properties escapes a property of a workflow command.
var properties = strings.NewReplacer("%", "%25", "\r", "%0D", "\n", "%0A", ":", "%3A", ",", "%2C")

// notJudged stands before the name of a dossier in the place of a rule.
const notJudged = "not judged: "

// openAnnotations writes one line a finding and place, the gravest first.
func openAnnotations(w io.Writer, _ Style, _ Call) Writer {
	return stream{add: func(i *Item) error {
		var err error
		line := func(level, rule, say, fix string, at place.Place) {
			if err != nil {
				return
			}
			var props []string
			if at.File != "" {
				props = append(props, "file="+properties.Replace(sanitize.Text(filepath.ToSlash(at.File))))
			}
			if at.Line > 0 {
				props = append(props, fmt.Sprintf("line=%d,col=%d", at.Line, max(at.Column, 1)))
			}
			props = append(props, "title="+properties.Replace(rule))
			if in := at.Within(); in != "" {
				say += " (in " + in + ")"
			}
			text := sanitize.Text(say)
			if fix != "" {
				text += "\nfix: " + sanitize.Text(fix)
			}
			_, err = fmt.Fprintf(w, "::%s %s::%s\n", level, strings.Join(props, ","), commands.Replace(text))
		}
		for _, p := range i.Problems {
			line("error", notJudged+sanitize.Text(i.Name), p.What, p.Fix, p.At)
		}
		if i.Result == nil {
			return err
		}
		eachFault(i.Result, func(f *check.Finding, x *check.Fault) {
			level := map[rulebook.Level]string{rulebook.Error: "error", rulebook.Warning: "warning", rulebook.Note: "notice"}[x.Impact.Level()]
			say := string(x.Impact) + ": " + x.Say
			if x.Known {
				level, say = "notice", say+" (known)"
			}
			line(level, f.Rule.ID, say, x.Fix, x.At)
		})
		return err
	}}
}

// eachFault visits the open faults, the gravest first, with those that follow from others.
func eachFault(r *check.Result, visit func(*check.Finding, *check.Fault)) {
	var each func(f *check.Finding)
	each = func(f *check.Finding) {
		for _, x := range f.Faults {
			visit(f, x)
		}
		for _, w := range f.With {
			each(w)
		}
	}
	for _, f := range r.Findings(false) {
		each(f)
	}
}

// qualityIssue is one entry of a report of code quality.
type qualityIssue struct {
	Description string          `json:"description"`
	Check       string          `json:"check_name"`
	Fingerprint string          `json:"fingerprint"`
	Severity    string          `json:"severity"`
	Location    qualityLocation `json:"location"`
}

type qualityLocation struct {
	Path  string `json:"path"`
	Lines struct {
		Begin int `json:"begin"`
	} `json:"lines"`
}

var severities = map[rulebook.Impact]string{rulebook.Refused: "blocker", rulebook.Blocked: "critical", rulebook.Rejected: "major", rulebook.Reach: "minor", rulebook.Craft: "info"}

// openQuality writes one list of all findings, as forges compare it between two branches.
func openQuality(w io.Writer, _ Style, call Call) Writer {
	n := 0
	put := func(q qualityIssue) error {
		b, err := json.Marshal(q)
		if err != nil {
			return err
		}
		sep := ",\n "
		if n++; n == 1 {
			sep = "[\n "
		}
		_, err = io.WriteString(w, sep+string(b))
		return err
	}
	return stream{
		add: func(i *Item) error {
			var err error
			for _, p := range i.Problems {
				q := qualityIssue{Description: sanitize.Text(p.What), Check: notJudged + sanitize.Text(i.Name), Severity: severities[rulebook.Refused]}
				sum := sha256.Sum256([]byte(i.Name + "\x00" + p.Error()))
				q.Fingerprint = hex.EncodeToString(sum[:])
				q.Location.Path = sanitize.Text(filepath.ToSlash(cmp.Or(p.At.File, i.Name)))
				q.Location.Lines.Begin = max(p.At.Line, 1)
				if err := put(q); err != nil {
					return err
				}
			}
			if i.Result == nil {
				return nil
			}
			eachFault(i.Result, func(f *check.Finding, x *check.Fault) {
				if err != nil {
					return
				}
				q := qualityIssue{Description: sanitize.Text(x.Say), Check: f.Rule.ID, Fingerprint: x.Key, Severity: severities[x.Impact]}
				if call.Many() {
					q.Fingerprint += "-" + filepath.ToSlash(i.Name)
				}
				if in := x.At.Within(); in != "" {
					q.Description += " (in " + sanitize.Text(in) + ")"
				}
				q.Location.Path = sanitize.Text(filepath.ToSlash(x.At.File))
				q.Location.Lines.Begin = max(x.At.Line, 1)
				err = put(q)
			})
			return err
		},
		close: func() error {
			end := "\n]\n"
			if n == 0 {
				end = "[]\n"
			}
			_, err := io.WriteString(w, end)
			return err
		},
	}
}
