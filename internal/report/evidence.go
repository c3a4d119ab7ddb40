package report

import (
	"fmt"
	"io"
	"strings"

	"regola.example/regola/internal/core/evidence"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
)

// EvidenceDocument is the JSON form of what a package implies about declarations.
type EvidenceDocument struct {
	Regola    int64                `json:"regola"` // version of this form
	File      string               `json:"file"`
	SDKs      []*evidence.SDK      `json:"sdks"`
	Functions []*evidence.Function `json:"functions"`
	Data      []*evidence.Data     `json:"data"`
}

// NewEvidenceDocument puts the evidence of a package into its JSON form.
func NewEvidenceDocument(p *facts.Package, e *evidence.Evidence) *EvidenceDocument {
	return &EvidenceDocument{Regola: FormatNumber, File: p.File, SDKs: e.SDKs, Functions: e.Functions, Data: e.Data}
}

// sure says in words how sure a sign is.
func sure(confidence string, guess bool) string {
	if guess {
		return "a guess by names"
	}
	return map[string]string{"high": "sure", "medium": "likely", "low": "a hint"}[confidence]
}

// EvidenceTable writes what a package implies about declarations: third-party code,
// what it can do, and the kinds of data that something in it points to.
func EvidenceTable(w io.Writer, p *facts.Package, e *evidence.Evidence, look Style) error {
	t := &factsTable{printer: printer{w: w, look: look}, opened: true}
	t.line("%s", t.strong(p.File))
	if why := fact.ReasonOf(e, &e.SDKs); why != "" {
		t.line("")
		t.block(0, "", nil, "Third-party code is not wholly known: "+why, nil)
	}
	if len(e.SDKs) > 0 {
		t.head("third-party code")
	}
	for _, s := range e.SDKs {
		t.block(2, "", nil, strings.TrimSpace(s.ID+" "+s.Version), nil)
		t.block(4, "", nil, s.Kind+", "+s.Seen+", "+sure("high", s.ByName), styleDim)
	}
	last := ""
	for i, f := range e.Functions {
		if i == 0 {
			t.head("what it can do")
		}
		if f.What != last {
			t.block(2, "", nil, f.What, nil)
		}
		last = f.What
		t.block(4, "", nil, fmt.Sprintf("%s, %s (by %s)", f.Sign, sure(f.Confidence, f.Guess), f.Path), styleDim)
	}
	var kinds []string
	by := map[string][]*evidence.Data{}
	for _, d := range e.Data {
		if by[d.Kind] == nil {
			kinds = append(kinds, d.Kind)
		}
		by[d.Kind] = append(by[d.Kind], d)
	}
	if len(kinds) > 0 {
		t.head("kinds of data")
	}
	for _, k := range kinds {
		t.block(2, "", nil, k, nil)
		for _, d := range by[k] {
			text := d.Sign + ", by " + d.By
			if len(d.Purposes) > 0 {
				text += ", for " + strings.Join(d.Purposes, ", ")
			}
			if d.Tracking {
				text += ", for tracking"
			}
			if d.Access {
				text += ": access on the device only"
			} else {
				text += ", " + sure(d.Confidence, false)
			}
			t.block(4, "", nil, text, styleDim)
		}
	}
	if len(e.SDKs)+len(e.Functions)+len(kinds) == 0 {
		t.line("")
		t.line("Nothing in the package points to a declaration.")
	}
	return t.err
}
