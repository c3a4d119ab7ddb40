package report

import (
	"encoding/json"
	"io"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/rulebook"
)

// FormatNumber is the version of the JSON outputs. It rises when a field
// changes its meaning or goes away; new fields may come without it.
const FormatNumber = 1

// CheckDocument is the JSON form of a check's result.
type CheckDocument struct {
	Regola     int64           `json:"regola"` // version of this form
	App        string          `json:"app"`
	Version    string          `json:"version"`
	On         string          `json:"on"` // the day as of which it was judged
	Exit       int64           `json:"exit"`
	Stores     []StoreEntry    `json:"stores"`
	Findings   []FindingEntry  `json:"findings"`
	NotChecked []GapEntry      `json:"not_checked"`
	Questions  []QuestionEntry `json:"questions"`
	Waivers    WaiverEntries   `json:"waivers"`
	Totals     Totals          `json:"totals"`
}

// StoreEntry is one store's verdict.
type StoreEntry struct {
	Store   string           `json:"store"`
	Package string           `json:"package,omitempty"`
	ID      string           `json:"id,omitempty"`
	Version string           `json:"version,omitempty"`
	Counts  map[string]int64 `json:"counts"` // open findings by impact
}

// FindingEntry is one finding.
type FindingEntry struct {
	Rule   string      `json:"rule"`
	Title  string      `json:"title"`
	Stage  string      `json:"stage"`
	Impact string      `json:"impact"`
	Level  string      `json:"level"`
	Stores []string    `json:"stores"`
	Found  string      `json:"found"`
	Seen   string      `json:"seen,omitempty"`
	Mend   string      `json:"mend"`
	Field  string      `json:"field,omitempty"` // as rules name it
	Place  place.Place `json:"place"`
	Waived *WaiverNote `json:"waived,omitempty"`
}

// WaiverNote says who accepted a finding and until when.
type WaiverNote struct {
	Because string `json:"because"`
	By      string `json:"by"`
	Until   string `json:"until"`
}

// GapEntry is one rule that was not checked.
type GapEntry struct {
	Rule    string       `json:"rule"`
	Title   string       `json:"title"`
	Stage   string       `json:"stage"`
	Stores  []string     `json:"stores"`
	Reasons []ReasonNote `json:"reasons"`
}

// ReasonNote is a field that is not known, and why.
type ReasonNote struct {
	Field  string `json:"field"`
	Reason string `json:"reason"`
}

// QuestionEntry is one confirmation, open or given.
type QuestionEntry struct {
	Rule      string      `json:"rule"`
	What      string      `json:"what"`
	Ask       string      `json:"ask"`
	Mend      string      `json:"mend"`
	Stores    []string    `json:"stores"`
	Confirmed bool        `json:"confirmed"`
	By        string      `json:"by,omitempty"`
	On        string      `json:"on,omitempty"`
	Place     place.Place `json:"place"`
}

// WaiverEntries are the waivers that did not serve.
type WaiverEntries struct {
	Expired []string `json:"expired"`
	Unused  []string `json:"unused"`
}

// Totals counts rules over all stores.
type Totals struct {
	Held       int64 `json:"held"`
	Broken     int64 `json:"broken"`
	NotChecked int64 `json:"not_checked"`
	Waived     int64 `json:"waived"`
}

// NewCheckDocument puts a result into its JSON form.
func NewCheckDocument(r *check.Result, exit int) *CheckDocument {
	d := &CheckDocument{
		Regola: FormatNumber, App: r.App, Version: r.Version, On: r.Day.String(), Exit: int64(exit),
		Stores: []StoreEntry{}, Findings: []FindingEntry{}, NotChecked: []GapEntry{}, Questions: []QuestionEntry{},
		Waivers: WaiverEntries{Expired: []string{}, Unused: []string{}},
		Totals:  Totals{Held: int64(r.Held), Broken: int64(r.Broken), NotChecked: int64(len(r.Gaps)), Waived: int64(r.Waived)},
	}
	for _, s := range r.Stores {
		e := StoreEntry{Store: s.Store, Package: s.Package, ID: s.ID, Version: s.Version, Counts: map[string]int64{}}
		for _, i := range rulebook.Impacts {
			e.Counts[string(i)] = int64(s.Counts[i])
		}
		d.Stores = append(d.Stores, e)
	}
	for _, f := range r.Findings {
		e := FindingEntry{
			Rule: f.Rule.ID, Title: f.Rule.Title, Stage: f.Rule.Stage, Impact: string(f.Impact), Level: string(f.Impact.Level()),
			Stores: f.Stores, Found: f.Say, Seen: f.Seen, Mend: f.Mend, Field: f.Path, Place: f.At,
		}
		if f.Waiver != nil {
			e.Waived = &WaiverNote{f.Waiver.Because, f.Waiver.By, f.Waiver.Until.String()}
		}
		d.Findings = append(d.Findings, e)
	}
	for _, g := range r.Gaps {
		e := GapEntry{Rule: g.Rule.ID, Title: g.Rule.Title, Stage: g.Rule.Stage, Stores: g.Stores}
		for _, gap := range g.Gaps {
			e.Reasons = append(e.Reasons, ReasonNote{gap.Path, gap.Reason})
		}
		d.NotChecked = append(d.NotChecked, e)
	}
	for _, q := range r.Asked {
		e := QuestionEntry{Rule: q.Rule.ID, What: q.What, Ask: q.Ask, Mend: q.Mend, Stores: q.Stores, Confirmed: q.Confirmed, By: q.By, Place: q.At}
		if q.Confirmed {
			e.On = q.On.String()
		}
		d.Questions = append(d.Questions, e)
	}
	for _, w := range r.Expired {
		d.Waivers.Expired = append(d.Waivers.Expired, w.Rule)
	}
	for _, w := range r.Unused {
		d.Waivers.Unused = append(d.Waivers.Unused, w.Rule)
	}
	return d
}

// FactsDocument is the JSON form of a package's facts.
type FactsDocument struct {
	Regola int64                  `json:"regola"`
	Facts  *facts.Package         `json:"facts"`
	Places map[string]place.Place `json:"places"` // where each fact was read, by its path
	Unread map[string]string      `json:"unread"` // what could not be read, and why
}

// NewFactsDocument puts facts into their JSON form.
func NewFactsDocument(p *facts.Package) *FactsDocument {
	places, unread := place.Places(p, "pkg")
	return &FactsDocument{Regola: FormatNumber, Facts: p, Places: places, Unread: unread}
}

// JSON writes a document, indented, with a line end.
func JSON(w io.Writer, v any) error {
	enc := json.NewEncoder(w)
	enc.SetIndent("", "  ")
	enc.SetEscapeHTML(false)
	return enc.Encode(v)
}
