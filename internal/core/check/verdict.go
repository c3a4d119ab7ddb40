package check

import (
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"path/filepath"
	"slices"

	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/disclosure"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/fetched"
	"regola.example/regola/internal/core/late"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/rating"
	"regola.example/regola/internal/core/rulebook"
)

// State is what became of one rule for one store.
type State string

// The states of a verdict.
const (
	Held          State = "held"           // it was judged and holds
	Broken        State = "broken"         // it is broken in at least one place that nobody waived
	Waived        State = "waived"         // every place in which it is broken is waived
	ToAnswer      State = "to-answer"      // the dossier does not answer what it needs
	ToConfirm     State = "to-confirm"     // a person must confirm it
	NotRead       State = "not-read"       // a part that it needs could not be read, or it could not be evaluated
	NotAsked      State = "not-asked"      // it needs what the call did not ask for, such as fetched links
	NotInForce    State = "not-in-force"   // it does not bind on the day
	NotApplicable State = "not-applicable" // it does not concern this release
)

// States lists all states in the order in which reports count them.
var States = []State{Held, Broken, Waived, ToAnswer, ToConfirm, NotRead, NotAsked, NotInForce, NotApplicable}

// Verdict is what became of one rule for one store.
type Verdict struct {
	Rule     *rulebook.Rule
	Store    string
	State    State
	Judged   int        // how many times it was judged: once, or once an item
	Faults   []*Fault   // the places in which it is broken
	More     int        // further ones that are only counted
	Gaps     []fact.Gap // why it, or a part of it, could not be judged
	Question *Question  // what a person must confirm, or has confirmed
	Duties   []*Duty    // what must be answered, declared or handed in
	Known    bool       // it was open in the baseline, too
	Follows  string     // the rule of whose breach it is a consequence here; empty for none but those of Rule.After
}

// Key names the verdict over runs: rule and store.
func (v *Verdict) Key() string { return v.Rule.ID + "@" + v.Store }

// Fault is one place in which a rule is broken.
type Fault struct {
	Key    string // the same over runs, moved lines and changed texts
	Impact rulebook.Impact
	At     place.Place
	Path   string // the field at fault, as rules name it
	Say    string
	Seen   string
	Fix    string
	Stores []string
	Waiver *dossier.Waiver // set when the team accepts it
	Known  bool            // it was there in the baseline
	Edits  []*place.Edit   // corrections that need no decision
	Raises []Raised        // what else would be found if the field at fault were raised
}

// Question is a confirmation, open or given.
type Question struct {
	Ask       string
	Fix       string
	At        place.Place
	What      string // the word that confirms it
	Confirmed bool
	By        string
	On        day.Day
	Stale     string // confirmed, but for this other version
	Doubt     string // confirmed, and why that does not count
}

// addGaps records what a part of the rule did not know. A limit without a value
// on the day means that the rule does not bind yet: it is neither broken nor
// unread.
func (v *Verdict) addGaps(gaps []fact.Gap) {
	for _, g := range gaps {
		if g.Kind == fact.NotInForce {
			v.State = NotInForce
			return
		}
	}
	v.Gaps = append(v.Gaps, gaps...)
	if len(v.Gaps) > 4*maxGaps {
		v.Gaps = uniqueGaps(v.Gaps)
	}
}

// decide draws the state from what was found.
func (v *Verdict) decide() {
	v.Gaps = uniqueGaps(v.Gaps)
	v.key()
	switch {
	case slices.ContainsFunc(v.Faults, func(f *Fault) bool { return f.Waiver == nil }):
		v.State = Broken
	case len(v.Faults) > 0:
		v.State = Waived
	case len(v.Gaps) > 0:
		v.State = NotRead
		switch {
		case slices.ContainsFunc(v.Gaps, func(g fact.Gap) bool { return g.Kind == fact.NotAsked }):
			v.State = NotAsked
		case !slices.ContainsFunc(v.Gaps, func(g fact.Gap) bool { return g.Kind == fact.NotRead }):
			v.State = ToAnswer
		}
	case v.Question != nil && !v.Question.Confirmed:
		v.State = ToConfirm
	case v.Judged > 0 || v.Question != nil:
		v.State = Held
	}
}

// Impact is the gravest impact of the open faults, or "".
func (v *Verdict) Impact() rulebook.Impact {
	worst := len(rulebook.Impacts)
	for _, f := range v.Faults {
		if f.Waiver == nil {
			worst = min(worst, slices.Index(rulebook.Impacts, f.Impact))
		}
	}
	if worst == len(rulebook.Impacts) {
		return ""
	}
	return rulebook.Impacts[worst]
}

var position = late.Regexp(`\[\d+\]`)

// key gives every fault its key: rule, store, field, and the place without
// what moves when files are edited or lie elsewhere. Faults that are alike in
// all that are numbered.
func (v *Verdict) key() {
	seen := map[string]int{}
	for _, f := range v.Faults {
		in := f.At.Entry + "\x00" + f.At.Key
		if f.At.Entry == "" {
			in = filepath.Base(f.At.File) + "\x00" + f.At.Key
		}
		k := v.Rule.ID + "\x00" + v.Store + "\x00" + position().ReplaceAllString(f.Path, "") + "\x00" + in
		seen[k]++
		sum := sha256.Sum256(fmt.Appendf(nil, "%s\x00%d", k, seen[k]))
		f.Key = hex.EncodeToString(sum[:8])
	}
}

// Store is one store of a result.
type Store struct {
	ID       string // of what was judged: the store's, or that with a channel and a kind of device
	Of       string // the store's id
	Channel  string // to whom it goes
	Form     string // the kind of device that its package is for
	Name     string // in prose
	Package  string // its file, empty when none was given
	Absent   string // why the package that the dossier names is not there; empty when it is, or none is named
	Root     string // the folder in the package that holds the app, of an iOS package
	AppID    string
	Version  string
	Verdicts []*Verdict
	Fetched  *fetched.Fetched // nil when no links were fetched

	Next *Next // what a wider channel asks beyond that, of a release to testers; nil for others

	Rating     *rating.Rating         // nil when nothing on the content is answered
	Disclosure *disclosure.Disclosure // nil without a dossier
}

// Next is what a release to testers still lacks for the channel to which it is promoted.
type Next struct {
	Channel string `json:"channel" doc:"to whom it goes then"`
	Name    string `json:"name" doc:"the same in words"`
	Grave   int64  `json:"grave" doc:"rules that would be broken and stop it"`
	Open    int64  `json:"open" doc:"rules that would wait for an answer or a confirmation"`
}

// Outcome is what a store would do with a release, in a word.
type Outcome string

// The outcomes, the gravest first.
const (
	IsRefused  Outcome = "refused"  // the upload is refused
	IsBlocked  Outcome = "blocked"  // it cannot be sent to review
	IsRejected Outcome = "rejected" // a reviewer is likely to send it back
	IsOpen     Outcome = "open"     // nothing grave was found; something is still to answer, to confirm, or could not be read
	Passes     Outcome = "passes"   // everything was judged, and at most reach and craft are left
	Partly     Outcome = "partly"   // nothing grave was found in the stages that were judged
)

// Outcome draws one word from the verdicts. partly says that not every stage
// was judged.
func (s *Store) Outcome(partly bool) Outcome {
	broken := s.Broken()
	switch {
	case broken[rulebook.Refused] > 0:
		return IsRefused
	case broken[rulebook.Blocked] > 0:
		return IsBlocked
	case broken[rulebook.Rejected] > 0:
		return IsRejected
	case s.Count(ToAnswer)+s.Count(ToConfirm)+s.Count(NotRead) > 0:
		return IsOpen
	case partly:
		return Partly
	}
	return Passes
}

// Count counts the verdicts in a state.
func (s *Store) Count(state State) int {
	n := 0
	for _, v := range s.Verdicts {
		if v.State == state {
			n++
		}
	}
	return n
}

// Broken counts the broken rules by the gravest impact of each.
func (s *Store) Broken() map[rulebook.Impact]int {
	m := map[rulebook.Impact]int{}
	for _, v := range s.Verdicts {
		if v.State == Broken {
			m[v.Impact()]++
		}
	}
	return m
}

// Result is the outcome of a check. Its unit is the verdict: one rule for one
// store.
type Result struct {
	App     string
	Version string
	Day     day.Day
	Stages  []string // that were judged; empty for all
	Others  []string // names in prose of the stores that were left out
	Stores  []*Store
	Expired []*dossier.Waiver
	// Postponed is what the team does later, as long as it waits.
	Postponed []*dossier.Postponed
	Unused    []*dossier.Waiver
	Basis     *Basis    // what it rests on; nil when nobody asked
	Asked     []*Duty   // what the stores ask, of a result that was read back; nil to draw it from the verdicts
	About     About     // the call that led to it
	Baseline  *Baseline // the earlier result beside which it stands; nil for none
	Read      []string  // files and folders of the user that no report may replace or lie in
}

// About says how a result came about, for programs that read it.
type About struct {
	Program  string            // its version
	Editions map[string]string // of the rulebooks and the tables, by file
	Stores   []string          // to which it was narrowed
	Stages   []string
	FailOn   string
	Strict   bool
	Digests  map[string]string // SHA-256 of the packages, by file
}

// Partly tells whether some stages were left out.
func (r *Result) Partly() bool { return len(r.Stages) > 0 }

// Count counts the verdicts in a state over all stores.
func (r *Result) Count(state State) int {
	n := 0
	for _, s := range r.Stores {
		n += s.Count(state)
	}
	return n
}

// Worst is the gravest impact among the open findings, or "" when there is none.
func (r *Result) Worst() rulebook.Impact {
	worst := len(rulebook.Impacts)
	for _, s := range r.Stores {
		for _, v := range s.Verdicts {
			if i := v.Impact(); i != "" {
				worst = min(worst, slices.Index(rulebook.Impacts, i))
			}
		}
	}
	if worst == len(rulebook.Impacts) {
		return ""
	}
	return rulebook.Impacts[worst]
}

// Never is the word for a release that does not fail whatever is found.
const Never = "never"

// FailWords are the words for what makes a release fail: levels, impacts, and never.
var FailWords = []string{"error", "warning", "note", "refused", "blocked", "rejected", "reach", "craft", Never}

// Grave tells whether an impact makes a release fail by one of FailWords; the empty
// word is error.
func Grave(impact rulebook.Impact, failOn string) bool {
	least := rulebook.Impact(failOn)
	switch rulebook.Level(failOn) {
	case rulebook.Error, "":
		least = rulebook.Blocked
	case rulebook.Warning:
		least = rulebook.Reach
	case rulebook.Note:
		least = rulebook.Craft
	}
	return impact != "" && gravity(impact) <= gravity(least)
}

// Fails tells whether a release fails: by what is broken; where a dossier was judged, by
// what is to answer, to confirm or not read, at the impact that its rule has, or as blocked
// where that depends on what is found; when a package is named and not there, unless the
// stage that needs it was left out or nothing is to fail; and when it is strict by
// everything but a release that passes. What a baseline had does not count.
func (r *Result) Fails(failOn string, strict bool) bool {
	for _, s := range r.Stores {
		if o := s.Outcome(r.Partly()); strict && o != Passes && o != Partly && (r.Baseline == nil || s.worse()) {
			return true
		}
		if slices.ContainsFunc(s.Verdicts, func(v *Verdict) bool { return r.OpenFails(s, v, failOn) }) {
			return true
		}
		if s.Absent != "" && failOn != Never && r.packageMeant() {
			return true
		}
	}
	if r.Baseline != nil {
		return Grave(r.unknown(), failOn)
	}
	return Grave(r.Worst(), failOn)
}

// worse tells whether something keeps the release from passing that the baseline did not have.
func (s *Store) worse() bool {
	return slices.ContainsFunc(s.Verdicts, func(v *Verdict) bool {
		return v.Open() && !v.Known || slices.ContainsFunc(v.Faults, func(f *Fault) bool { return f.Waiver == nil && !f.Known && Grave(f.Impact, string(rulebook.Rejected)) })
	})
}

// packageMeant tells whether the package belongs to what is judged.
func (r *Result) packageMeant() bool { return !r.Partly() || slices.Contains(r.Stages, PackageStage) }

// OpenFails tells whether a rule is open whose breach would fail the release: where a
// dossier is judged, what it leaves open counts as the breach would. What could not be read
// of a package that is not there counts where the package is judged.
func (r *Result) OpenFails(s *Store, v *Verdict, failOn string) bool {
	if r.Basis == nil || !r.Basis.Dossier || failOn == Never || v.Known {
		return false
	}
	open := v.State == ToAnswer || v.State == ToConfirm || v.State == NotRead && (s.Absent == "" || r.packageMeant())
	impact := v.Rule.Fixed()
	for _, d := range v.Duties {
		impact = graver(impact, d.Impact)
	}
	return open && Grave(cmp.Or(impact, rulebook.Blocked), failOn)
}

// PackageStage is the stage whose rules look at the package above all.
const PackageStage = "package"

// byPlace orders faults: the gravest first, then by where they are.
func byPlace(a, b *Fault) int {
	return cmp.Or(gravity(a.Impact)-gravity(b.Impact), cmp.Compare(a.At.File, b.At.File), cmp.Compare(a.At.Line, b.At.Line),
		cmp.Compare(a.At.Entry, b.At.Entry), cmp.Compare(a.Path, b.Path), cmp.Compare(a.Say, b.Say))
}

// Sorted are the faults of a verdict, the gravest first, then by where they are.
func (v *Verdict) Sorted() []*Fault { return slices.SortedStableFunc(slices.Values(v.Faults), byPlace) }

// Finding is one broken rule with all its places, over all stores. What stores
// share is in it once.
type Finding struct {
	Rule   *rulebook.Rule
	Impact rulebook.Impact // the gravest
	Stores []string
	Faults []*Fault
	More   int
	With   []*Finding // its consequences

	follows []string // rules of whose breach it is a consequence in these packages
	own     bool     // in another package it is a fault by itself
}

// causes are the rules of whose breach it is a consequence.
func (f *Finding) causes() []string {
	if f.own {
		return f.Rule.After
	}
	return slices.Concat(f.Rule.After, f.follows)
}

// Places counts the places of a finding.
func (f *Finding) Places() int { return len(f.Faults) + f.More }

// Findings puts the broken rules together: the gravest first, then by stage and
// store. What is a consequence of another finding stands with that one. With
// waived, it gives the waived faults instead of the open ones.
func (r *Result) Findings(waived bool) []*Finding {
	byRule := map[string]*Finding{}
	var out []*Finding
	for _, s := range r.Stores {
		for _, v := range s.Verdicts {
			for _, f := range v.Faults {
				if (f.Waiver != nil) != waived {
					continue
				}
				x := byRule[v.Rule.ID]
				if x == nil {
					x = &Finding{Rule: v.Rule, Impact: f.Impact}
					byRule[v.Rule.ID] = x
					out = append(out, x)
				}
				x.add(f, s.ID)
				if v.Follows == "" {
					x.own = true
				} else if !slices.Contains(x.follows, v.Follows) {
					x.follows = append(x.follows, v.Follows)
				}
			}
			if x := byRule[v.Rule.ID]; x != nil && !waived {
				x.More += v.More
			}
		}
	}
	for _, x := range out {
		slices.SortStableFunc(x.Faults, byPlace)
	}
	slices.SortStableFunc(out, func(a, b *Finding) int {
		return cmp.Or(
			gravity(a.Impact)-gravity(b.Impact),
			slices.Index(rulebook.Stages, a.Rule.Stage)-slices.Index(rulebook.Stages, b.Rule.Stage),
			cmp.Compare(a.Stores[0], b.Stores[0]),
			cmp.Compare(a.Rule.ID, b.Rule.ID))
	})
	if waived {
		return out
	}
	return slices.DeleteFunc(out, func(f *Finding) bool {
		for _, id := range f.causes() {
			if cause := byRule[id]; cause != nil && cause != f {
				cause.With = append(cause.With, f)
				if gravity(f.Impact) < gravity(cause.Impact) {
					cause.Impact = f.Impact
				}
				return true
			}
		}
		return false
	})
}

func gravity(i rulebook.Impact) int { return slices.Index(rulebook.Impacts, i) }

// add puts a fault into a finding; one that another store has at the same
// place, in the same words, is in it already.
func (x *Finding) add(f *Fault, store string) {
	if gravity(f.Impact) < gravity(x.Impact) {
		x.Impact = f.Impact
	}
	if !slices.Contains(x.Stores, store) {
		x.Stores = append(x.Stores, store)
	}
	for _, o := range x.Faults {
		if o.At == f.At && o.Say == f.Say && !slices.Contains(o.Stores, store) {
			o.Stores = append(o.Stores, store)
			return
		}
	}
	one := *f
	one.Stores = []string{store}
	x.Faults = append(x.Faults, &one)
}

// Open is one verdict, or the same one of several stores, that is neither held
// nor broken.
type Open struct {
	Rule     *rulebook.Rule
	State    State
	Stores   []string
	Gaps     []fact.Gap
	Question *Question
}

// Open lists what could not be judged, and what a person has to answer or has
// confirmed, by rule.
func (r *Result) Open() []*Open {
	byKey := map[string]*Open{}
	var out []*Open
	for _, s := range r.Stores {
		for _, v := range s.Verdicts {
			if len(v.Gaps) == 0 && v.Question == nil {
				continue
			}
			key := fmt.Sprint(v.Rule.ID, "\x00", v.State, v.Gaps)
			o := byKey[key]
			if o == nil {
				o = &Open{Rule: v.Rule, State: v.State, Gaps: v.Gaps, Question: v.Question}
				byKey[key] = o
				out = append(out, o)
			}
			o.Stores = append(o.Stores, s.ID)
		}
	}
	slices.SortStableFunc(out, func(a, b *Open) int { return cmp.Compare(a.Rule.ID, b.Rule.ID) })
	return out
}
