package report

import (
	"encoding/json"
	"fmt"
	"io"
	"net/url"
	"path/filepath"
	"slices"
	"strings"
	"sync"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/sanitize"
)

// SARIF 2.1.0 (OASIS): a run with one result for each place in which a rule is
// broken. What is to answer or to confirm is a result of the kind open or review,
// which has no level. What could not be judged at all is a notification.

type sarifText struct {
	Text     string `json:"text"`
	Markdown string `json:"markdown,omitempty"`
}

type sarifRule struct {
	ID      string     `json:"id"`
	Short   sarifText  `json:"shortDescription"`
	Full    *sarifText `json:"fullDescription,omitempty"`
	Help    *sarifText `json:"help,omitempty"`
	Default struct {
		Level string `json:"level"`
	} `json:"defaultConfiguration"`
	Properties struct {
		Tags   []string `json:"tags"`
		Impact string   `json:"impact,omitempty"`
		Cited  []string `json:"citedAs,omitempty"` // numbers and names under which the stores cite it
	} `json:"properties"`
}

type sarifRegion struct {
	StartLine   int            `json:"startLine,omitempty"`
	StartColumn int            `json:"startColumn,omitempty"`
	EndLine     int            `json:"endLine,omitempty"`
	EndColumn   int            `json:"endColumn,omitempty"`
	ByteOffset  int64          `json:"byteOffset,omitempty"`
	Properties  map[string]any `json:"properties,omitempty"`
}

type sarifLocation struct {
	Physical *struct {
		Artifact struct {
			URI string `json:"uri"`
		} `json:"artifactLocation"`
		Region *sarifRegion `json:"region,omitempty"`
	} `json:"physicalLocation,omitempty"`
	Logical []sarifLogical `json:"logicalLocations,omitempty"`
}

type sarifLogical struct {
	Name string `json:"fullyQualifiedName"`
	Kind string `json:"kind"`
}

type sarifSuppression struct {
	Kind          string `json:"kind"`
	Status        string `json:"status"`
	Justification string `json:"justification"`
}

type sarifResult struct {
	Rule         string             `json:"ruleId"`
	Index        int                `json:"ruleIndex"`
	Kind         string             `json:"kind"`
	Level        string             `json:"level"`
	Message      sarifText          `json:"message"`
	Locations    []sarifLocation    `json:"locations,omitempty"`
	Fingerprints map[string]string  `json:"partialFingerprints,omitempty"`
	Baseline     string             `json:"baselineState,omitempty"` // new, unchanged or absent, beside a baseline
	Fixes        []sarifFix         `json:"fixes,omitempty"`
	Suppressions []sarifSuppression `json:"suppressions"` // empty: the tool knows of waivers, and there is none
	Properties   map[string]any     `json:"properties"`
}

type sarifFix struct {
	Description sarifText     `json:"description"`
	Changes     []sarifChange `json:"artifactChanges"`
}

type sarifChange struct {
	Artifact     sarifArtifact      `json:"artifactLocation"`
	Replacements []sarifReplacement `json:"replacements"`
}

type sarifArtifact struct {
	URI string `json:"uri"`
}

type sarifReplacement struct {
	Deleted  sarifRegion `json:"deletedRegion"`
	Inserted *sarifText  `json:"insertedContent,omitempty"`
}

type sarifNote struct {
	Level     string          `json:"level"`
	Message   sarifText       `json:"message"`
	Locations []sarifLocation `json:"locations,omitempty"`
}

// sarif streams the results; what they make necessary stands behind them.
type sarif struct {
	w       io.Writer
	begin   func() // writes what stands before the results, once
	many    bool
	n       int
	index   map[string]int
	cited   map[string][]string
	rules   []sarifRule
	notes   []sarifNote
	program string
	exit    int
	failed  bool
	err     error
}

func openSARIF(w io.Writer, _ Style, call Call) Writer {
	s := &sarif{w: w, many: call.Many(), index: map[string]int{}, cited: call.cited()}
	s.begin = sync.OnceFunc(func() {
		s.write("{\n  \"$schema\": \"https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json\",\n  \"version\": \"2.1.0\",\n  \"runs\": [{\n  \"results\": [")
	})
	return s
}

func (s *sarif) write(text string) {
	if s.err == nil {
		_, s.err = io.WriteString(s.w, text)
	}
}

func (s *sarif) value(v any) {
	b, err := json.Marshal(v)
	if err != nil {
		s.err = err
		return
	}
	s.write(string(escapeHidden(b)))
}

func (s *sarif) Add(i *Item) error {
	s.begin()
	s.exit = max(s.exit, i.Exit)
	if i.Result == nil {
		s.failed = true
		for _, p := range i.Problems {
			text := p.Error()
			if s.many {
				text = i.Name + ": " + text
			}
			s.notes = append(s.notes, sarifNote{"error", sarifText{Text: sanitize.Text(text)}, sarifLocations(p.At)})
		}
		return s.err
	}
	s.program = i.Result.About.Program
	for _, l := range basisLines(i.Result) {
		level, text := "note", l.Key+" "+l.Text
		if l.Key == "but" {
			level = "warning"
		}
		if s.many {
			text = i.Name + ": " + text
		}
		s.notes = append(s.notes, sarifNote{Level: level, Message: sarifText{Text: sanitize.Text(text)}})
	}
	var finding func(f *check.Finding)
	finding = func(f *check.Finding) {
		for _, x := range f.Faults {
			s.fault(i, f.Rule, x)
		}
		for _, w := range f.With {
			finding(w)
		}
	}
	if b := i.Result.Baseline; b != nil {
		for _, g := range b.Gone {
			s.gone(i, g)
		}
	}
	for _, waived := range []bool{false, true} {
		for _, f := range i.Result.Findings(waived) {
			finding(f)
		}
	}
	for _, o := range i.Result.Open() {
		switch {
		case o.State == check.ToConfirm:
			s.open(i, o, "review", o.Question.Ask, o.Question.At)
		case o.State == check.ToAnswer || o.State == check.NotRead:
			s.open(i, o, "open", "not judged: "+GapText(o.Gaps), o.Gaps[0].At)
		}
	}
	return s.err
}

// rule is the index of a rule in the run.
func (s *sarif) rule(r *rulebook.Rule) int {
	if n, ok := s.index[r.ID]; ok {
		return n
	}
	x := sarifRule{ID: r.ID, Short: sarifText{Text: r.Title}}
	x.Default.Level = string(r.Fixed().Level())
	if r.Fixed() == "" {
		x.Default.Level = "warning"
	}
	x.Properties.Tags = []string{r.Stage}
	x.Properties.Impact = string(r.Fixed())
	x.Properties.Cited = s.cited[r.ID]
	if r.Why != "" {
		x.Full = &sarifText{Text: r.Why}
	}
	if fix := ruleFix(r); fix != "" || r.Why != "" {
		x.Help = &sarifText{Text: strings.TrimSpace(r.Why + "\n\nFix: " + fix), Markdown: strings.TrimSpace(md(r.Why) + "\n\n**Fix.** " + md(fix) + "\n\n`regola explain " + r.ID + "` says more.")}
	}
	s.index[r.ID] = len(s.rules)
	s.rules = append(s.rules, x)
	return s.index[r.ID]
}

// ruleFix is what a rule asks to do, with its values left open.
func ruleFix(r *rulebook.Rule) string { return PlainTemplate(r.Fix.Src) }

func (s *sarif) result(i *Item, x sarifResult) {
	if s.n++; s.n > 1 {
		s.write(",")
	}
	if s.many {
		x.Properties["dossier"] = filepath.ToSlash(i.Name)
	}
	s.write("\n    ")
	s.value(x)
}

func (s *sarif) fault(i *Item, r *rulebook.Rule, f *check.Fault) {
	text := f.Say
	if r.Basis.Confidence == "low" {
		text += " (not certain)"
	}
	if f.Fix != "" {
		text += "\nFix: " + f.Fix
	}
	x := sarifResult{Rule: r.ID, Index: s.rule(r), Kind: "fail", Level: string(f.Impact.Level()), Message: sarifText{Text: sanitize.Lines(text)}, Locations: sarifLocations(f.At),
		Fingerprints: map[string]string{"regola/1": f.Key}, Suppressions: []sarifSuppression{}, Properties: map[string]any{"impact": f.Impact, "stores": f.Stores}}
	for _, e := range f.Edits {
		if len(e.Pieces) > 0 { // a new name of a file is none of SARIF's fixes
			x.Fixes = append(x.Fixes, fixOf(e))
		}
	}
	if w := f.Waiver; w != nil {
		x.Suppressions = append(x.Suppressions, sarifSuppression{"external", "accepted", sanitize.Text(fmt.Sprintf("%s (%s, until %s)", w.Because, w.By, w.Until))})
	}
	if i.Result != nil && i.Result.Baseline != nil {
		x.Baseline = map[bool]string{true: "unchanged", false: "new"}[f.Known]
	}
	s.result(i, x)
}

// fixOf is a correction in SARIF's form.
func fixOf(e *place.Edit) sarifFix {
	c := sarifChange{Artifact: sarifArtifact{fileURI(e.At.File)}}
	for _, p := range e.Pieces {
		r := sarifReplacement{Deleted: sarifRegion{StartLine: p.Line, StartColumn: p.Column, EndLine: p.EndLine, EndColumn: p.EndColumn}}
		if p.Text != "" {
			r.Inserted = &sarifText{Text: p.Text}
		}
		c.Replacements = append(c.Replacements, r)
	}
	return sarifFix{sarifText{Text: "write " + escaped(e.Becomes)}, []sarifChange{c}}
}

// gone is a fault of the baseline that is there no more.
func (s *sarif) gone(i *Item, g *check.Gone) {
	s.result(i, sarifResult{Rule: g.Rule.ID, Index: s.rule(g.Rule), Kind: "fail", Level: string(g.Fault.Impact.Level()), Message: sarifText{Text: sanitize.Lines(g.Fault.Say)}, Locations: sarifLocations(g.Fault.At),
		Fingerprints: map[string]string{"regola/1": g.Fault.Key}, Baseline: "absent", Suppressions: []sarifSuppression{}, Properties: map[string]any{"impact": g.Fault.Impact}})
}

func (s *sarif) open(i *Item, o *check.Open, kind, text string, at place.Place) {
	s.result(i, sarifResult{Rule: o.Rule.ID, Index: s.rule(o.Rule), Kind: kind, Level: "none", Message: sarifText{Text: sanitize.Lines(text)}, Locations: sarifLocations(at),
		Suppressions: []sarifSuppression{}, Properties: map[string]any{"stores": o.Stores, "state": o.State}})
}

// sarifLocations is a place: the file with line and column, and what lies inside it.
func sarifLocations(at place.Place) []sarifLocation {
	var l sarifLocation
	if at.File != "" {
		l.Physical = &struct {
			Artifact struct {
				URI string `json:"uri"`
			} `json:"artifactLocation"`
			Region *sarifRegion `json:"region,omitempty"`
		}{}
		l.Physical.Artifact.URI = fileURI(at.File)
		if at.Line > 0 {
			l.Physical.Region = &sarifRegion{StartLine: at.Line, StartColumn: at.Column}
		} else if at.Offset > 0 {
			l.Physical.Region = &sarifRegion{ByteOffset: at.Offset}
			if at.Entry != "" { // which lies in an archive, and may be packed there
				l.Physical.Region.Properties = map[string]any{"byteOffsetIn": sanitize.Text(at.Entry)}
			}
		}
	}
	if in := at.Within(); in != "" {
		l.Logical = []sarifLogical{{sanitize.Text(in), "resource"}}
	}
	if l.Physical == nil && l.Logical == nil {
		return nil
	}
	return []sarifLocation{l}
}

// fileURI is a file as an address: relative where its path is.
func fileURI(name string) string {
	u := url.URL{Path: filepath.ToSlash(name)}
	if filepath.IsAbs(name) {
		u.Scheme = "file"
		if !strings.HasPrefix(u.Path, "/") {
			u.Path = "/" + u.Path // a drive's letter
		}
	}
	return u.String()
}

// Close writes the tool with the rules, and what could not be judged.
func (s *sarif) Close() error {
	s.begin()
	s.write("\n  ],\n  \"columnKind\": \"unicodeCodePoints\",\n  \"tool\": ")
	rules := slices.Clone(s.rules)
	if rules == nil {
		rules = []sarifRule{}
	}
	driver := map[string]any{"name": "Regola", "rules": rules, "fullName": "Regola, rules of app stores"}
	if s.program != "" {
		driver["version"] = s.program
	}
	s.value(map[string]any{"driver": driver})
	s.write(",\n  \"invocations\": ")
	notes := s.notes
	if notes == nil {
		notes = []sarifNote{}
	}
	s.value([]any{map[string]any{"executionSuccessful": !s.failed, "exitCode": s.exit, "toolExecutionNotifications": notes}})
	s.write("\n  }]\n}\n")
	return s.err
}
