package ledger

import (
	"cmp"
	"slices"
	"strconv"
	"strings"

	"regola.example/regola/internal/core/textual"
)

// The circles of people to whom a release goes.
const (
	Public      = "public"
	OpenTest    = "open-test"
	InvitedTest = "invited-test"
	TeamTest    = "team-test"
)

// Channels lists the circles, the widest first.
var Channels = []string{Public, OpenTest, InvitedTest, TeamTest}

// Phone is the kind of device of releases that name none.
const Phone = "phone"

// Line is one line of an app's history in a store: what goes to one circle of people on
// one kind of device. Releases of one line follow upon each other; those of others run
// beside them.
type Line struct {
	Form    string // kind of device: phone, watch, television …
	Channel string // one of Channels
}

// Line is the line that a release belongs to. Older ledgers name neither part.
func (r *Release) Line() Line {
	return Line{cmp.Or(r.Form, Phone), cmp.Or(r.Channel, Public)}
}

// Previous is the release that one on a line follows: the last on the line itself, or else
// on the next wider one for the same kind of device; nil when there is none. Releases for
// which except is true are passed over.
func (l *Ledger) Previous(store string, line Line, except func(*Release) bool) *Release {
	at, t := max(0, slices.Index(Channels, line.Channel)), l.trail()
	for ; at >= 0; at-- {
		want := Line{line.Form, Channels[at]}
		for i := len(l.Events) - 1; i >= 0; i-- {
			e := l.Events[i]
			if e.Store == store && e.Event == Released && e.Release.Line() == want && !except(e.Release) && !t.withdrawn(e) {
				return e.Release
			}
		}
	}
	return nil
}

// trail says of each event to which channel it belongs, and which releases never reached
// anybody or were taken back: the upload was refused, or the team withdrew it.
type trail struct {
	channels []string // by event
	gone     map[string]bool
}

func (t *trail) withdrawn(e *Event) bool { return t.gone[e.lineKey(e.Release.Line().Channel)] }

// lineKey tells one release of a store on a channel from another.
func (e *Event) lineKey(channel string) string { return e.Store + "\x00" + e.key() + "\x00" + channel }

// trail follows the events once. A decision that names no channel is about the one of the
// last release of its version and build.
func (l *Ledger) trail() *trail {
	t := &trail{make([]string, len(l.Events)), map[string]bool{}}
	last := map[string]string{}
	for i, e := range l.Events {
		switch e.Event {
		case Released:
			t.channels[i] = e.Release.Line().Channel
			last[e.Store+"\x00"+e.key()] = t.channels[i]
			delete(t.gone, e.lineKey(t.channels[i]))
		case Decided:
			t.channels[i] = cmp.Or(e.Channel, last[e.Store+"\x00"+e.key()], Public)
			if e.Decision == "refused" || e.Decision == "withdrawn" {
				t.gone[e.lineKey(t.channels[i])] = true
			}
		}
	}
	return t
}

// Decisions are what a store can decide of a release, or the team can do with one that is
// out, in words that the ledger takes.
var Decisions = []string{"accepted", "rejected", "remark", "warning", "refused", "halted", "resumed", "withdrawn", "removed", "suspended", "access-asked", "access-granted", "access-refused"}

// Reasoned tells whether a decision names reasons.
func Reasoned(decision string) bool {
	return slices.Contains([]string{"rejected", "remark", "warning", "refused", "removed", "suspended", "access-refused"}, decision)
}

// fold adds to a history what follows from all lines of a store: what is closed, what is
// out, and the highest numbers that everybody got.
func (l *Ledger) fold(h *History, store string, now *Release, t *trail, add func(*[]string, string)) {
	line := Line{Phone, Public}
	if now != nil {
		line = now.Line()
	}
	active, sent := map[Line]*Release{}, map[string]*Release{}
	var lines []Line
	for i, e := range l.Events {
		if e.Store != store {
			continue
		}
		switch e.Event {
		case Released:
			h.Recorded = true
			r, at := e.Release, e.Release.Line()
			sent[e.key()] = r
			if t.withdrawn(e) {
				continue
			}
			if at.Channel == Public && at.Form == line.Form && !samePackage(r, now) {
				if code, err := strconv.ParseInt(r.Build, 10, 64); err == nil {
					h.HighestCode = max(h.HighestCode, code)
				}
				if h.Highest == "" || textual.CompareVersions(r.Version, h.Highest) > 0 {
					h.Highest = r.Version
				}
			}
			if active[at] == nil {
				lines = append(lines, at)
			}
			active[at] = r
			if at == line {
				h.Halted = ""
			}
		case Decided:
			at := Line{line.Form, t.channels[i]}
			switch e.Decision {
			case "accepted", "remark":
				h.Suspended = ""
				// The very package that was accepted is no further build.
				if r := sent[e.key()]; at.Channel == Public && (r == nil || !samePackage(r, now)) {
					add(&h.Closed, e.Version)
				}
			case "access-asked", "access-granted", "access-refused":
				h.Access = strings.TrimPrefix(e.Decision, "access-")
			case "halted":
				if at == line {
					h.Halted = e.Version
				}
			case "resumed":
				if at == line {
					h.Halted = ""
				}
			case "removed", "suspended":
				if e.Decision == "suspended" {
					h.Suspended = e.Version
				}
				for _, x := range lines {
					if x.Channel == at.Channel {
						active[x] = nil
					}
				}
			}
		}
	}
	for _, at := range lines {
		if r := active[at]; r != nil && at != line && !samePackage(r, now) {
			h.Active = append(h.Active, r)
		}
	}
}

// samePackage tells whether a release of the ledger is the package that is judged, or one
// of those that go out with it.
func samePackage(a, now *Release) bool { return now != nil && now.Is(a) }

// Is tells whether an older release is this package, or one of those that go out with it.
func (r *Release) Is(old *Release) bool {
	return old.Digest != "" && (old.Digest == r.Digest || slices.Contains(r.Beside, old.Digest))
}
