package report

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"unicode/utf16"
	"unicode/utf8"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/sanitize"
)

// FormatNumber is the version of the JSON outputs. It rises when a field
// changes its meaning or goes away; new fields may come without it.
const FormatNumber = 1

// CheckDocument is the JSON form of a check's result. Its unit is the verdict:
// one rule for one store.
type CheckDocument struct {
	Regola    int64             `json:"regola"`            // version of this form
	Program   string            `json:"program"`           // version of the program
	Editions  map[string]string `json:"editions"`          // of the rulebooks and tables, by file
	Filters   FilterEntry       `json:"filters"`           // what the call narrowed
	Dossier   string            `json:"dossier,omitempty"` // its folder, as the call named it
	Part      *PartEntry        `json:"part,omitempty"`    // the part of a larger call that this is
	App       string            `json:"app"`
	Version   string            `json:"version"`
	On        string            `json:"on"` // the day as of which it was judged
	Exit      int64             `json:"exit"`
	Basis     *check.Basis      `json:"basis,omitempty"` // what the result rests on
	Stores    []StoreEntry      `json:"stores"`
	Others    []string          `json:"others"`             // names of the stores that were left out
	Findings  []FindingEntry    `json:"findings"`           // broken rules with their places
	Baseline  *BaselineEntry    `json:"baseline,omitempty"` // the earlier result beside which it stands
	Waived    []FindingEntry    `json:"waived"`             // places that the team accepts
	NotJudged []GapEntry        `json:"not_judged"`         // rules that are to answer or could not be read, or only in part
	Duties    []DutyEntry       `json:"duties"`             // what the stores ask because of this package and dossier
	Questions []QuestionEntry   `json:"questions"`
	Waivers   WaiverEntries     `json:"waivers"`
	Verdicts  []VerdictEntry    `json:"verdicts"`
	Totals    map[string]int64  `json:"totals"` // verdicts by state
}

// FilterEntry is what the call narrowed.
type FilterEntry struct {
	Stores []string `json:"stores"` // empty for all
	Stages []string `json:"stages"` // empty for all
	FailOn string   `json:"fail_on"`
	Strict bool     `json:"strict"`
}

// DutyEntry is something that a store makes people answer, declare or hand in.
type DutyEntry struct {
	What    string      `json:"what"`
	State   string      `json:"state" enum:"open|contradicted|done"`
	Because string      `json:"because"` // the evidence; empty for what every release is asked
	Act     string      `json:"act" enum:"answer|declare|host|hand in"`
	Write   string      `json:"write"`  // where the dossier answers it
	Impact  string      `json:"impact"` // what the store does without it
	Stores  []string    `json:"stores"`
	Rule    string      `json:"rule"`
	Place   place.Place `json:"place"` // of the evidence
}

// StoreEntry is one store.
type StoreEntry struct {
	Outcome string           `json:"outcome" enum:"refused|blocked|rejected|open|partly|passes"` // what the store would do, in a word
	Digest  string           `json:"digest,omitempty"`                                           // SHA-256 of the package file
	Store   string           `json:"store"`                                                      // what was judged: the store's id, or that with a channel and a kind of device
	Of      string           `json:"of,omitempty"`                                               // the store's id
	Channel string           `json:"channel,omitempty" doc:"to whom it goes"`
	Form    string           `json:"form,omitempty" doc:"the kind of device that the package is for"`
	Name    string           `json:"name"`
	Package string           `json:"package,omitempty"`
	Absent  string           `json:"absent,omitempty" doc:"why the package that the dossier names is not there"`
	Root    string           `json:"root,omitempty"` // the folder in the package that holds the app
	ID      string           `json:"id,omitempty"`
	Version string           `json:"version,omitempty"`
	Next    *check.Next      `json:"next,omitempty" doc:"what it still lacks for the channel to which it is promoted"`
	Counts  map[string]int64 `json:"counts"` // broken rules by impact
	Totals  map[string]int64 `json:"totals"` // verdicts by state
}

// VerdictEntry is what became of one rule for one store.
type VerdictEntry struct {
	Key   string `json:"key"` // the same over runs
	Rule  string `json:"rule"`
	Store string `json:"store"`
	State string `json:"state"`
}

// FindingEntry is one broken rule.
type FindingEntry struct {
	Rule       string         `json:"rule"`
	Title      string         `json:"title"`
	Stage      string         `json:"stage"`
	Impact     string         `json:"impact"` // the gravest of its places
	Level      string         `json:"level"`
	Confidence string         `json:"confidence"` // in the rule: high, medium or low
	Stores     []string       `json:"stores"`
	Places     []PlaceEntry   `json:"places"`
	More       int64          `json:"more"` // further places that are only counted
	With       []FindingEntry `json:"with"` // findings that follow from this one
}

// BaselineEntry is the earlier result beside which a release was judged.
type BaselineEntry struct {
	File  string      `json:"file"`
	Known int64       `json:"known" doc:"places of findings that it had"`
	New   int64       `json:"new" doc:"places of findings that it had not"`
	Gone  []GoneEntry `json:"gone" doc:"places of findings that are there no more"`
}

// GoneEntry is a finding of the baseline that is there no more.
type GoneEntry struct {
	Rule  string `json:"rule"`
	Key   string `json:"key"`
	Found string `json:"found"`
}

// PlaceEntry is one place in which a rule is broken.
type PlaceEntry struct {
	Key    string        `json:"key"` // the same over runs, moved lines and changed texts
	Impact string        `json:"impact"`
	Stores []string      `json:"stores"`
	Found  string        `json:"found"`
	Seen   string        `json:"seen,omitempty"`
	Fix    string        `json:"fix"`
	Field  string        `json:"field,omitempty"` // as rules name it
	Place  place.Place   `json:"place"`
	Waived *WaiverNote   `json:"waived,omitempty"`
	Known  bool          `json:"known,omitempty"`  // the baseline had it
	Edits  []*place.Edit `json:"edits,omitempty"`  // corrections that need no decision
	Raises []RaisedEntry `json:"raises,omitempty"` // rules that would apply if the field were raised
}

// RaisedEntry is a rule that would apply.
type RaisedEntry struct {
	Rule  string `json:"rule"`
	From  int64  `json:"from"` // the least value with which it does
	Found string `json:"found"`
}

// WaiverNote says who accepted a finding and until when.
type WaiverNote struct {
	Because string `json:"because"`
	By      string `json:"by"`
	Until   string `json:"until"`
}

// GapEntry is one rule that was not judged, or only in part.
type GapEntry struct {
	Rule    string       `json:"rule"`
	Title   string       `json:"title"`
	Stage   string       `json:"stage"`
	State   string       `json:"state"`
	Stores  []string     `json:"stores"`
	Reasons []ReasonNote `json:"reasons"`
}

// ReasonNote is a value that is not known, and why.
type ReasonNote struct {
	Kind   string      `json:"kind"` // not-read, not-answered, not-given, not-in-force
	Field  string      `json:"field"`
	Reason string      `json:"reason"`
	Place  place.Place `json:"place"`
}

// QuestionEntry is one confirmation, open or given.
type QuestionEntry struct {
	Rule      string      `json:"rule"`
	What      string      `json:"what"`
	Ask       string      `json:"ask"`
	Fix       string      `json:"fix"`
	Stores    []string    `json:"stores"`
	Confirmed bool        `json:"confirmed"`
	By        string      `json:"by,omitempty"`
	On        string      `json:"on,omitempty"`
	Stale     string      `json:"stale,omitempty"` // it was confirmed for this other version
	Doubt     string      `json:"doubt,omitempty" doc:"why what is written as its confirmation does not count"`
	Place     place.Place `json:"place"`
}

// WaiverEntries are the waivers that did not serve.
type WaiverEntries struct {
	Expired []WaiverPlace `json:"expired"`
	Unused  []WaiverPlace `json:"unused"`
}

// WaiverPlace is a waiver that did not serve.
type WaiverPlace struct {
	Rule  string      `json:"rule"`
	Until string      `json:"until"`
	Place place.Place `json:"place"`
}

// NewCheckDocument puts a result into its JSON form.
func NewCheckDocument(r *check.Result, exit int) *CheckDocument {
	d := &CheckDocument{
		Regola: FormatNumber, App: r.App, Version: r.Version, On: r.Day.String(), Exit: int64(exit),
		Stores: []StoreEntry{}, Others: none(r.Others), NotJudged: []GapEntry{}, Questions: []QuestionEntry{}, Verdicts: []VerdictEntry{},
		Findings: findingEntries(r.Findings(false)), Waived: findingEntries(r.Findings(true)),
		Waivers: WaiverEntries{Expired: []WaiverPlace{}, Unused: []WaiverPlace{}}, Totals: map[string]int64{}, Duties: NewDuties(r),
		Basis: r.Basis, Program: r.About.Program, Editions: r.About.Editions, Filters: FilterEntry{none(r.About.Stores), none(r.About.Stages), r.About.FailOn, r.About.Strict},
	}
	if d.Editions == nil {
		d.Editions = map[string]string{}
	}
	for _, s := range r.Stores {
		e := StoreEntry{Outcome: string(s.Outcome(r.Partly())), Digest: r.About.Digests[s.Package], Store: s.ID, Of: s.Of, Channel: s.Channel, Form: s.Form, Next: s.Next, Name: s.Name, Package: s.Package, Absent: s.Absent, Root: s.Root, ID: s.AppID, Version: s.Version, Counts: map[string]int64{}, Totals: map[string]int64{}}
		broken := s.Broken()
		for _, i := range rulebook.Impacts {
			e.Counts[string(i)] = int64(broken[i])
		}
		for _, state := range check.States {
			e.Totals[string(state)] = int64(s.Count(state))
			d.Totals[string(state)] += int64(s.Count(state))
		}
		d.Stores = append(d.Stores, e)
		for _, v := range s.Verdicts {
			d.Verdicts = append(d.Verdicts, VerdictEntry{v.Key(), v.Rule.ID, v.Store, string(v.State)})
		}
	}
	for _, o := range r.Open() {
		if len(o.Gaps) > 0 {
			e := GapEntry{Rule: o.Rule.ID, Title: o.Rule.Title, Stage: o.Rule.Stage, State: string(o.State), Stores: o.Stores}
			for _, g := range o.Gaps {
				e.Reasons = append(e.Reasons, ReasonNote{string(g.Kind), g.Path, g.What, g.At})
			}
			d.NotJudged = append(d.NotJudged, e)
		}
		if q := o.Question; q != nil {
			e := QuestionEntry{Rule: o.Rule.ID, What: q.What, Ask: q.Ask, Fix: q.Fix, Stores: o.Stores, Confirmed: q.Confirmed, By: q.By, Stale: q.Stale, Doubt: q.Doubt, Place: q.At}
			if q.Confirmed {
				e.On = q.On.String()
			}
			d.Questions = append(d.Questions, e)
		}
	}
	if b := r.Baseline; b != nil {
		d.Baseline = &BaselineEntry{File: b.File, Known: int64(b.Known), New: int64(b.New), Gone: []GoneEntry{}}
		for _, g := range b.Gone {
			d.Baseline.Gone = append(d.Baseline.Gone, GoneEntry{g.Rule.ID, g.Fault.Key, g.Fault.Say})
		}
	}
	for _, w := range r.Expired {
		d.Waivers.Expired = append(d.Waivers.Expired, WaiverPlace{w.Rule, w.Until.String(), w.Self()})
	}
	for _, w := range r.Unused {
		d.Waivers.Unused = append(d.Waivers.Unused, WaiverPlace{w.Rule, w.Until.String(), w.Self()})
	}
	return d
}

func findingEntries(findings []*check.Finding) []FindingEntry {
	out := []FindingEntry{}
	for _, f := range findings {
		e := FindingEntry{Rule: f.Rule.ID, Title: f.Rule.Title, Stage: f.Rule.Stage, Impact: string(f.Impact), Level: string(f.Impact.Level()), Confidence: f.Rule.Basis.Confidence,
			Stores: f.Stores, More: int64(f.More), With: findingEntries(f.With)}
		for _, x := range f.Faults {
			p := PlaceEntry{Key: x.Key, Impact: string(x.Impact), Stores: x.Stores, Found: x.Say, Seen: x.Seen, Fix: x.Fix, Field: x.Path, Place: x.At, Known: x.Known, Edits: x.Edits}
			if w := x.Waiver; w != nil {
				p.Waived = &WaiverNote{w.Because, w.By, w.Until.String()}
			}
			for _, x := range x.Raises {
				p.Raises = append(p.Raises, RaisedEntry{x.Rule.ID, x.At, x.Say})
			}
			e.Places = append(e.Places, p)
		}
		out = append(out, e)
	}
	return out
}

// NewDuties lists the duties in their JSON form.
func NewDuties(r *check.Result) []DutyEntry { return duties(r.Duties()) }

func duties(list []*check.Duty) []DutyEntry {
	out := []DutyEntry{}
	for _, d := range list {
		out = append(out, DutyEntry{d.What, string(d.State), d.Because, d.Act, d.Write, string(d.Impact), d.Stores, d.Rule.ID, d.At})
	}
	return out
}

// none is a list that is empty where none was given.
func none(list []string) []string {
	if list == nil {
		return []string{}
	}
	return list
}

// FactsDocument is the JSON form of a package's facts.
type FactsDocument struct {
	Regola int64                  `json:"regola"`
	Facts  *facts.Package         `json:"facts"`
	Places map[string]place.Place `json:"places"` // where each fact was read, by its path
	Gaps   []ReasonNote           `json:"gaps"`   // what is not known, and why
}

// NewFactsDocument puts facts into their JSON form.
func NewFactsDocument(p *facts.Package) *FactsDocument {
	d := &FactsDocument{Regola: FormatNumber, Facts: p, Places: fact.Places(p, "pkg"), Gaps: []ReasonNote{}}
	for _, g := range fact.Gaps(p, "pkg") {
		d.Gaps = append(d.Gaps, ReasonNote{string(g.Kind), g.Path, g.What, g.At})
	}
	return d
}

// JSON writes a document, indented, with a line end. Characters that act
// instead of being seen are escaped: JSON is shown in terminals too.
func JSON(w io.Writer, v any) error {
	var b bytes.Buffer
	enc := json.NewEncoder(&b)
	enc.SetIndent("", "  ")
	enc.SetEscapeHTML(false)
	if err := enc.Encode(v); err != nil {
		return err
	}
	_, err := w.Write(escapeHidden(b.Bytes()))
	return err
}

// escapeHidden escapes hidden characters, which stand in strings only: the
// encoder's own line ends and blanks are kept.
func escapeHidden(b []byte) []byte {
	hidden := false
	for i := 0; i < len(b) && !hidden; {
		r, n := rune(b[i]), 1
		if r >= 0x7f { // nearly all of it is ASCII
			r, n = utf8.DecodeRune(b[i:])
			hidden = sanitize.Hidden(r)
		}
		i += n
	}
	if !hidden {
		return b
	}
	out := make([]byte, 0, len(b)+64)
	for _, r := range string(b) {
		if r < 0x7f || !sanitize.Hidden(r) {
			out = append(out, string(r)...)
			continue
		}
		for _, u := range utf16.Encode([]rune{r}) {
			out = fmt.Appendf(out, `\u%04x`, u)
		}
	}
	return out
}

// ProblemsDocument is the JSON form of what is wrong with an input, for calls
// that asked for JSON and end with exit status 2.
type ProblemsDocument struct {
	Regola   int            `json:"regola" doc:"the number of this format"`
	Exit     int            `json:"exit" doc:"always 2"`
	Problems []ProblemEntry `json:"problems" doc:"everything that is wrong; nothing was judged"`
}

// ProblemEntry is one mistake.
type ProblemEntry struct {
	What  string      `json:"what" doc:"what was found, and what was expected"`
	Fix   string      `json:"fix" doc:"what to change; empty when what says it"`
	Place place.Place `json:"place" doc:"where it was seen"`
	Edit  *place.Edit `json:"edit,omitempty" doc:"the one correction that can be meant"`
}

// NewProblemsDocument makes the JSON form of problems.
func NewProblemsDocument(ps place.Problems) *ProblemsDocument {
	d := &ProblemsDocument{Regola: FormatNumber, Exit: 2, Problems: []ProblemEntry{}}
	for _, p := range ps {
		d.Problems = append(d.Problems, ProblemEntry{p.What, p.Fix, p.At, p.Edit})
	}
	return d
}
