// Package ledger is the history of an app's releases and of the stores' decisions:
// ledger.jsonl in the dossier's folder, one event a line, in version control.
package ledger

import (
	"bytes"
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"reflect"
	"regexp"
	"slices"
	"strings"

	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/place"
)

// Format is the number of the lines' format.
const Format = 1

// FileName is the ledger's name in the dossier's folder.
const FileName = "ledger.jsonl"

// The kinds of events.
const (
	Released = "release"  // a release was sent
	Decided  = "decision" // the store decided
	Replied  = "reply"    // the team answered, or said what it changed
)

// Event is one line.
type Event struct {
	Regola   int64    `json:"regola"`
	Event    string   `json:"event"`
	On       day.Day  `json:"on"`
	Store    string   `json:"store"`
	Version  string   `json:"version"`
	Build    string   `json:"build"`
	Release  *Release `json:"release,omitempty"`  // of a release
	Decision string   `json:"decision,omitempty"` // of a decision: one of Decisions
	Channel  string   `json:"channel,omitempty"`  // of a decision: to whom the release went; empty for that of the release
	Until    *day.Day `json:"until,omitempty"`    // of a decision: the last day for what it asks
	Reasons  []Reason `json:"reasons,omitempty"`  // of a rejection, a warning or a remark
	Text     string   `json:"text,omitempty"`     // of a reply
	Keeps    bool     `json:"keeps,omitempty"`    // of a reply: what was objected to stays as it is, and the text says why
	Anyway   bool     `json:"anyway,omitempty"`   // of a release: it was recorded though its upload would be refused
	Line     int      `json:"-"`
}

// Reason is one reason of a rejection.
type Reason struct {
	About string `json:"about"` // rule:ID, answer:PATH, text:LOCALE/FIELD, picture:PATH, purpose:KEY or behaviour
	Said  string `json:"said"`  // what the reviewer wrote
}

// Release is what a release was made of, as far as a later one is held against it.
type Release struct {
	fact.Mark   `json:"-"`
	ID          string            `json:"id"`
	Version     string            `json:"version"`
	Build       string            `json:"build"` // version code or build number
	On          *day.Day          `json:"on"`    // the day on which it was recorded
	First       bool              `json:"first"` // it was the first one in the store
	Channel     string            `json:"channel"`
	Form        string            `json:"form,omitempty"` // kind of device: phone, watch …; empty for a phone
	Share       string            `json:"share"`
	Countries   []string          `json:"countries"`
	Price       string            `json:"price"`
	Products    map[string]string `json:"products"` // id → kind and price
	MinLevel    string            `json:"min_level"`
	TargetLevel int64             `json:"target_level"`
	Certificate string            `json:"certificate"` // SHA-256 of the signer's
	Team        string            `json:"team"`
	Permissions []string          `json:"permissions"`
	Features    []string          `json:"features"` // required ones
	Components  []string          `json:"components"`
	Schemes     []string          `json:"schemes"`      // link schemes and hosts
	Entitled    []string          `json:"entitlements"` // keys, with the values of groups and containers
	Extensions  []string          `json:"extensions"`   // points of the system that it extends
	Languages   []string          `json:"languages"`    // of the package
	Libraries   []string          `json:"libraries"`
	Modules     []string          `json:"modules"`                // app clips, watch apps, features and packs of files beside the app
	Families    []string          `json:"families,omitempty"`     // kinds of devices of an iOS app: phone, tablet
	Needs       []string          `json:"capabilities,omitempty"` // capabilities that an iOS app requires
	Links       map[string]string `json:"links,omitempty"`        // web pages, by key
	Category    []string          `json:"category,omitempty"`
	Systems     map[string]string `json:"systems,omitempty"` // least system of each bundle of an iOS app, by its path
	People      map[string]string `json:"people,omitempty"`  // digests of contacts and of the notes for reviewers, by key
	SDKs        []string          `json:"sdks"`
	Implied     []string          `json:"implied"`  // kinds of data that third-party code takes
	Data        []string          `json:"data"`     // kinds of data that were answered
	Purposes    map[string]string `json:"purposes"` // purpose strings
	Answers     map[string]string `json:"answers"`  // by path
	Texts       map[string]string `json:"texts"`    // digests, by language and key
	Pictures    map[string]string `json:"pictures"` // digests, by path
	Sizes       map[string]int64  `json:"sizes"`    // bytes, by kind; "package" for the whole
	Digest      string            `json:"digest"`   // SHA-256 of the package
	Beside      []string          `json:"-"`        // digests of the packages of the same release for the same kind of device
	Broken      []string          `json:"broken"`   // rules that were broken
}

// Ledger is what a file says.
type Ledger struct {
	File   string
	Events []*Event
	Faults []*Fault // lines that could not be read

	Conflict int // the line of the first mark of a merge that was not finished; 0 for none
}

// Fault is a line that could not be read; the others are used.
type Fault struct {
	fact.Mark `json:"-"`
	Line      int64  `json:"line"`
	What      string `json:"what"`
}

// Parse reads a ledger. It never fails: what cannot be read is a fault.
func Parse(file string, data []byte) *Ledger {
	l := &Ledger{File: file}
	data = bytes.TrimPrefix(data, []byte("\xef\xbb\xbf")) // a byte order mark that an editor wrote
	for i, line := range bytes.Split(data, []byte("\n")) {
		if len(bytes.TrimSpace(line)) == 0 {
			continue
		}
		if conflictMark.Match(line) {
			l.Conflict = cmp.Or(l.Conflict, i+1)
			l.fault(i+1, "a mark of a merge that was not finished")
			continue
		}
		e := &Event{Line: i + 1}
		what := ""
		// The number comes first: a newer format may say the rest in other ways.
		var format struct {
			Regola int64 `json:"regola"`
		}
		err := json.Unmarshal(line, &format)
		if err == nil && format.Regola <= Format {
			err = json.Unmarshal(line, e)
		}
		switch {
		case err != nil:
			what = "no event as regola ledger writes it: " + jsonFault(err)
		case format.Regola > Format:
			what = fmt.Sprintf("written in format %d, by a newer program", format.Regola)
		case e.Regola < 1 || e.Store == "" || e.On.IsZero():
			what = "not an event: regola, on and store are needed"
		case e.Event == Released && e.Release == nil:
			what = "a release without what was released"
		case e.Event == Decided && !slices.Contains(Decisions, e.Decision):
			what = fmt.Sprintf("a decision of an unknown kind, %q", e.Decision)
		case e.Channel != "" && !slices.Contains(Channels, e.Channel):
			what = fmt.Sprintf("an event of an unknown channel, %q", e.Channel)
		case !slices.Contains([]string{Released, Decided, Replied}, e.Event):
			what = fmt.Sprintf("an event of an unknown kind, %q", e.Event)
		}
		if what != "" {
			l.fault(i+1, what)
			continue
		}
		if r := e.Release; r != nil {
			on := e.On
			r.On, r.Version, r.Build = &on, e.Version, e.Build
			r.SetSelf(place.Place{File: file, Line: i + 1, Column: 1})
		}
		l.Events = append(l.Events, e)
	}
	return l
}

// jsonFault says what is wrong with a line, without quoting it: it may be of a file that
// was taken for a ledger.
func jsonFault(err error) string {
	var syntax *json.SyntaxError
	var kind *json.UnmarshalTypeError
	switch {
	case errors.As(err, &syntax):
		return fmt.Sprintf("it is no JSON from byte %d on", syntax.Offset)
	case errors.As(err, &kind):
		return fmt.Sprintf("%s should be %s", cmp.Or(kind.Field, "the line"), jsonKinds[kind.Type.Kind()])
	}
	return err.Error()
}

// jsonKinds are the kinds of values of an event, in words.
var jsonKinds = map[reflect.Kind]string{reflect.Struct: "an object", reflect.Map: "an object", reflect.Slice: "a list", reflect.String: "a text", reflect.Int64: "a whole number", reflect.Int: "a whole number", reflect.Bool: "true or false"}

// conflictMark matches the lines that version control writes around what it could not
// merge.
var conflictMark = regexp.MustCompile(`^(<{7}|={7}|>{7}|\|{7})( |\r?$)`)

// fault records a line that could not be read.
func (l *Ledger) fault(line int, what string) {
	f := &Fault{Line: int64(line), What: what}
	f.SetSelf(place.Place{File: l.File, Line: line, Column: 1})
	l.Faults = append(l.Faults, f)
}

// Gap is why the history is not known: a line that could not be read may tell of any
// release and any decision. It is nil when every line was read.
func (l *Ledger) Gap() *fact.Gap {
	if len(l.Faults) == 0 {
		return nil
	}
	f := l.Faults[0]
	g := fact.Unread(fmt.Sprintf("line %d of the ledger could not be read: %s", f.Line, f.What))
	g.At, g.Path = f.Self(), "history"
	return &g
}

// Encode is an event as a line, with its line break.
func Encode(e *Event) ([]byte, error) {
	e.Regola = Format
	line, err := json.Marshal(e)
	if err != nil {
		return nil, err
	}
	return append(line, '\n'), nil
}

// History is what a ledger knows of one store.
type History struct {
	fact.Mark `json:"-"`
	Recorded  bool     `json:"recorded"` // there is a ledger with a release in this store
	Tested    bool     `json:"tested"`   // one of them went to testers
	Given     bool     `json:"given"`    // it has one that this release follows: of the same channel, or of a wider one
	Builds    []string `json:"builds"`   // that were sent, of all channels
	Public    []string `json:"public"`   // of these, those that everybody got before
	Versions  []string `json:"versions"` // that were sent
	Share     string   `json:"share"`    // of the users, to whom this very package went on this line last; empty for a new one
	Sent      *day.Day `json:"sent"`     // when this very package was recorded first; nil for a new one
	Closed    []string `json:"closed"`   // that were accepted for everybody: no further build of them is taken
	Highest   string   `json:"highest"`  // version that everybody got on this kind of device; empty for none
	// HighestCode is the highest number of a build that everybody got on this kind of
	// device; 0 for none.
	HighestCode int64        `json:"highest_code"`
	Access      string       `json:"access"`    // to the public: asked, granted or refused; empty where nothing was recorded
	Halted      string       `json:"halted"`    // the version whose roll-out on this line was halted and not resumed
	Suspended   string       `json:"suspended"` // the version with which the store suspended the app, unless one was accepted since
	Active      []*Release   `json:"active"`    // what is out on other lines, the last of each
	Products    []string     `json:"products"`  // ids that were ever sold
	Faults      []*Fault     `json:"faults"`
	Rejections  []*Rejection `json:"rejections"` // open ones: no later version was accepted
	Warnings    []*Rejection `json:"warnings"`   // open ones, about what is out or was accepted all the same
	Change      *Change      `json:"change"`     // from the last release to this one
}

// Objections are the reasons of all open rejections, warnings and remarks.
func (h *History) Objections() []*Rejection { return slices.Concat(h.Rejections, h.Warnings) }

// Rejection is a reason for which the store sent a version back, warned about it or left a
// remark, and which no later acceptance settled.
type Rejection struct {
	fact.Mark `json:"-"`
	Decision  string   `json:"decision"` // rejected, warning or remark
	Until     *day.Day `json:"until"`    // the last day for what a warning asks
	Version   string   `json:"version"`
	Build     string   `json:"build"`
	Channel   string   `json:"channel"`
	On        *day.Day `json:"on"`
	About     string   `json:"about"`
	Said      string   `json:"said"`
	Replied   bool     `json:"replied"`   // the team answered
	Kept      bool     `json:"kept"`      // the team answered that it stays as it is, and why
	Unchanged bool     `json:"unchanged"` // what it was about is as it was
	Is        string   `json:"is"`        // what is unchanged, in words
}

// Change is what a release has that the one before did not, and the reverse.
type Change struct {
	fact.Mark `json:"-"`
	Added     []*Difference `json:"added"`
	Removed   []*Difference `json:"removed"`
	Changed   []*Difference `json:"changed"`
}

// Difference is one thing that differs.
type Difference struct {
	fact.Mark `json:"-"`
	Kind      string `json:"kind"` // permission, feature, component …
	What      string `json:"what"`
	From      string `json:"from"`
	To        string `json:"to"`
}

// Last is the last release of a store, or nil.
func (l *Ledger) Last(store string) *Release {
	for i := len(l.Events) - 1; i >= 0; i-- {
		if e := l.Events[i]; e.Store == store && e.Event == Released {
			return e.Release
		}
	}
	return nil
}

// Sent tells whether a build was recorded for a store.
func (l *Ledger) Sent(store, build string) bool {
	return slices.ContainsFunc(l.Events, func(e *Event) bool { return e.Store == store && e.Event == Released && e.Build == build })
}

// Of is what the ledger knows of a store, held against the release that is now made,
// and the one before it; either may be nil.
func (l *Ledger) Of(store string, now, last *Release) *History {
	h := &History{Faults: l.Faults}
	h.SetSelf(place.Place{File: l.File})
	if g := l.Gap(); g != nil {
		fact.LoseAll(h, *g, &h.Faults)
	}
	add, t := adder(), l.trail()
	sent := map[string]*Release{}
	order := map[string]int{} // of releases: the number of their first event
	for i, e := range l.Events {
		if e.Store != store {
			continue
		}
		switch e.Event {
		case Released:
			sent[e.key()] = e.Release
			if _, known := order[e.key()]; !known {
				order[e.key()] = i
			}
			// The very package that was sent is not sent anew: a rejection for the page's
			// sake leaves it where it is.
			switch {
			case !samePackage(e.Release, now) || now.Version != "" && e.Version != now.Version: // its number was used for another version
				add(&h.Builds, e.Build)
			case e.Release.Digest == now.Digest:
				if h.Sent == nil {
					h.Sent = &e.On
				}
				if e.Release.Line() == now.Line() {
					h.Share = e.Release.Share
				}
			}
			add(&h.Versions, e.Version)
			switch {
			case e.Release.Line().Channel != Public:
				h.Tested = true
			case !samePackage(e.Release, now):
				add(&h.Public, e.Build)
			}
			for id := range e.Release.Products {
				add(&h.Products, id)
			}
		case Decided:
			at := t.channels[i]
			if e.Decision == "accepted" || e.Decision == "remark" {
				// What came after the accepted release was not accepted with it, nor what
				// goes to other people.
				settled := func(r *Rejection) bool {
					return r.Channel == at && (order[r.key()] < order[e.key()] || r.key() == e.key() && r.Decision == "rejected")
				}
				h.Rejections, h.Warnings = slices.DeleteFunc(h.Rejections, settled), slices.DeleteFunc(h.Warnings, settled)
			}
			to := &h.Rejections
			switch e.Decision {
			case "rejected":
			case "warning", "remark":
				to = &h.Warnings
			default:
				continue
			}
			was := sent[e.key()]
			for _, r := range e.Reasons {
				x := &Rejection{Decision: e.Decision, Version: e.Version, Build: e.Build, Channel: at, On: &e.On, Until: e.Until, About: r.About, Said: r.Said}
				x.SetSelf(place.Place{File: l.File, Line: e.Line, Column: 1})
				if was != nil && now != nil {
					x.Unchanged, x.Is = same(r.About, was, now)
				}
				*to = append(*to, x)
			}
		case Replied: // to a decision, not to all that came before it
			for _, r := range h.Objections() {
				if r.key() == e.key() && (e.Channel == "" || r.Channel == e.Channel) {
					r.Replied, r.Kept = true, r.Kept || e.Keeps
				}
			}
		}
	}
	h.Given = last != nil
	l.fold(h, store, now, t, add)
	slices.Sort(h.Products)
	if last != nil && now != nil {
		h.Change = Compare(last, now)
	}
	return h
}

// adder adds texts to lists, each once to each.
func adder() func(list *[]string, s string) {
	seen := map[*[]string]map[string]bool{}
	return func(list *[]string, s string) {
		if seen[list] == nil {
			seen[list] = map[string]bool{"": true} // what is empty is none
		}
		if !seen[list][s] {
			seen[list][s] = true
			*list = append(*list, s)
		}
	}
}

// key tells one release of a store from another.
func (e *Event) key() string { return e.Version + "\x00" + e.Build }

func (r *Rejection) key() string { return r.Version + "\x00" + r.Build }

// OfPackage tells whether what the reason is about lies in the package, or may.
func (r *Rejection) OfPackage() bool {
	kind, _, _ := strings.Cut(r.About, ":")
	return kind == "purpose" || kind == "behaviour"
}

// part is the part of a release that a kind of reason is about; nil for a kind that has
// no parts.
func (r *Release) part(kind string) map[string]string {
	switch kind {
	case "answer":
		return r.Answers
	case "text":
		return r.Texts
	case "picture":
		return r.Pictures
	case "purpose":
		return r.Purposes
	}
	return nil
}

// Parts lists what reasons of a kind can be about in a release, sorted.
func (r *Release) Parts(kind string) []string { return slices.Sorted(maps.Keys(r.part(kind))) }

// Compared says what a part of a release is beside the one before: new, changed, or empty
// where it is the same, or where neither has it. Kinds are those of Parts.
func (r *Release) Compared(before *Release, kind, key string) string {
	was, had := before.part(kind)[key]
	now, has := r.part(kind)[key]
	switch {
	case has && !had:
		return "new"
	case has && was != now:
		return "changed"
	}
	return ""
}

// same tells whether what a reason is about is as it was, and says so in words. What
// neither release has is never the same: nothing is known of it.
func same(about string, was, now *Release) (bool, string) {
	kind, key, _ := strings.Cut(about, ":")
	before, had := was.part(kind)[key]
	after, has := now.part(kind)[key]
	equal := had && has && before == after
	switch kind {
	case "rule":
		return slices.Contains(now.Broken, key), "the rule " + key + " is still broken" // the driver runs it
	case "answer":
		return equal, "the answer " + key + " is still " + cmp.Or(after, "empty")
	case "text":
		return equal, "the text " + key + " is the same"
	case "picture":
		return equal, "the picture " + key + " is the same"
	case "purpose":
		return equal, "the text of " + key + " is the same"
	}
	return was.Digest != "" && was.Digest == now.Digest || was.Build == now.Build && now.Build != "", "the package is the same"
}

// Abouts are what a reason can be about, with what follows the colon.
var Abouts = []string{"rule:ID", "answer:PATH", "text:LOCALE/FIELD", "picture:PATH", "purpose:KEY", "behaviour"}
