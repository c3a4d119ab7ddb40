package report

import (
	"cmp"
	"fmt"
	"io"
	"strings"

	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/sanitize"
	"regola.example/regola/internal/view"
)

// LetterDocument is a letter of a store, in its JSON form.
type LetterDocument struct {
	Regola   int64              `json:"regola"` // version of this form
	Store    string             `json:"store" doc:"the store that wrote it; empty where the letter does not show it"`
	Version  string             `json:"version" doc:"of the release that it names"`
	Build    string             `json:"build"`
	Release  string             `json:"release" doc:"the release of the ledger that it is about, as 1.4.0 (1402)"`
	Missing  string             `json:"missing" doc:"why the ledger has none"`
	OtherApp string             `json:"other_app" doc:"why it is about another app; empty when it can be about this one"`
	Reviewed string             `json:"reviewed" doc:"the day of the review"`
	Device   string             `json:"device" doc:"on which it was reviewed"`
	System   string             `json:"system"`
	Deadline string             `json:"deadline" doc:"the last day for what it asks"`
	Decision string             `json:"decision" doc:"as the ledger takes it"`
	Issues   []LetterIssueEntry `json:"issues"`
}

// LetterIssueEntry is one issue of a letter.
type LetterIssueEntry struct {
	Code     string       `json:"code" doc:"the number in its heading"`
	Row      string       `json:"row" doc:"the row of the table that names the reason; empty when none does"`
	Topic    string       `json:"topic"`
	Others   []string     `json:"others" doc:"rows that fit as well"`
	Because  string       `json:"because" doc:"the words by which the row was chosen"`
	About    []string     `json:"about" doc:"its subject, as the ledger keeps it"`
	Stops    bool         `json:"stops" doc:"the release goes no further until it is settled"`
	NewBuild string       `json:"new_build" doc:"yes, no or depends"`
	Quote    string       `json:"quote"`
	Named    []SeenEntry  `json:"named" doc:"what the letter names, and what it is in the package"`
	Causes   []CauseEntry `json:"causes" doc:"rules that are broken, those about what the letter names first"`
	Held     []string     `json:"held" doc:"rules that were judged and hold"`
	Open     []string     `json:"open" doc:"rules that wait for an answer, or could not be judged"`
	Remedy   string       `json:"remedy"`
	Reply    string       `json:"reply" doc:"what an answer says"`
	Attach   []string     `json:"attach" doc:"what helps the reviewer"`
}

// SeenEntry is a thing that a letter names.
type SeenEntry struct {
	What  string      `json:"what"`
	Is    string      `json:"is"`
	Place place.Place `json:"place"`
}

// CauseEntry is a broken rule that explains an issue.
type CauseEntry struct {
	Rule   string       `json:"rule"`
	Named  bool         `json:"named" doc:"it is about the very thing that the letter names"`
	Places []CausePlace `json:"places"`
}

// CausePlace is one place of a cause.
type CausePlace struct {
	Found string      `json:"found"`
	Fix   string      `json:"fix"`
	Place place.Place `json:"place"`
}

// NewLetterDocument puts a letter into its JSON form.
func NewLetterDocument(v *view.Letter) *LetterDocument {
	d := &LetterDocument{Regola: FormatNumber, Store: v.Letter.Store, Version: v.Version, Build: v.Build, Release: v.Release, Missing: v.Missing, OtherApp: v.Other,
		Reviewed: v.On, Device: v.Device, System: v.System, Deadline: v.Deadline, Decision: v.Word, Issues: []LetterIssueEntry{}}
	for _, x := range v.Issues {
		e := LetterIssueEntry{Code: x.Code, Because: x.Because, About: x.About, Stops: x.Stops, NewBuild: x.NewBuild, Quote: x.Quote, Others: []string{},
			Named: []SeenEntry{}, Causes: []CauseEntry{}, Held: none(x.Held), Open: none(x.Open), Attach: []string{}}
		if x.Row != nil {
			e.Row, e.Topic, e.Remedy, e.Reply, e.Attach = x.Row.ID, x.Row.Topic, x.Row.Remedy, x.Row.Reply, none(x.Row.Attach)
		}
		for _, o := range x.Others {
			e.Others = append(e.Others, o.ID)
		}
		for _, s := range x.Seen {
			e.Named = append(e.Named, SeenEntry{s.What, s.Is, s.At})
		}
		for _, c := range x.Causes {
			one := CauseEntry{Rule: c.Rule, Named: c.Named, Places: []CausePlace{}}
			for _, f := range c.Faults {
				one.Places = append(one.Places, CausePlace{f.Say, f.Fix, f.At})
			}
			e.Causes = append(e.Causes, one)
		}
		d.Issues = append(d.Issues, e)
	}
	return d
}

// mostCauses is how many places of a cause a report for people names.
const mostCauses = 3

// verdictOf says what a letter comes to.
func verdictOf(v *view.Letter) string {
	n := Count(len(v.Issues), "issue", "issues")
	switch v.Word {
	case "remark":
		return "The release is accepted, with " + n + " for the next one."
	case "accepted":
		return "The release is accepted."
	case "warning":
		return "Nothing is stopped; the store names " + n + "."
	case "refused":
		return "The upload was not taken: " + n + "."
	case "rejected":
		return "The release is sent back: " + n + "."
	}
	return "No reason is known here for what it says; read it yourself."
}

// building says in words whether another build is needed.
func building(word string) string {
	return map[string]string{"yes": "a new build is needed", "no": "no new build is needed", "depends": "a new build is needed if the app itself changes; texts and answers alone need none"}[word]
}

// about says which release a letter is about, and what it tells of the review.
func letterFrame(v *view.Letter) string {
	var parts []string
	switch version := strings.TrimSpace(v.Version + strings.TrimSuffix(" ("+v.Build+")", " ()")); {
	case v.Release != "":
		parts = append(parts, "about "+v.Release+", which the ledger has")
	case version != "" && v.Missing != "":
		parts = append(parts, "about "+version, v.Missing)
	case version != "":
		parts = append(parts, "about "+version)
	}
	if v.On != "" {
		parts = append(parts, "reviewed on "+v.On)
	}
	if on := v.Device; on != "" || v.System != "" {
		if !strings.Contains(on, v.System) {
			on = strings.Trim(on+", "+v.System, ", ")
		}
		parts = append(parts, "seen on "+cmp.Or(on, v.System))
	}
	return strings.Join(parts, " · ")
}

// Letter writes what a letter comes to, issue by issue. file is what the call named.
func Letter(w io.Writer, v *view.Letter, file string, look Style) error {
	p := &printer{w: w, look: look}
	from := "a store that it does not show"
	if v.Store != nil {
		from = "the " + v.Store.Name
	}
	p.line("%s %s", p.strong("LETTER"), "of "+from)
	if frame := letterFrame(v); frame != "" {
		p.block(0, "", nil, frame, styleDim)
	}
	p.line("")
	if v.Other != "" {
		p.block(0, "", nil, "This letter is about another app: "+v.Other+". Nothing of it is held against this release.", styleStrong)
		p.line("")
	}
	p.block(0, "", nil, verdictOf(v), styleStrong)
	if v.Deadline != "" {
		p.block(0, "", nil, "The last day for it is "+v.Deadline+".", nil)
	}
	for i, x := range v.Issues {
		p.line("")
		p.letterIssue(i+1, x, v.Other == "" && v.Store != nil)
	}
	p.next(v, file)
	return p.err
}

func (p *printer) letterIssue(n int, x *view.LetterIssue, bound bool) {
	row := func(label, text string) {
		if text != "" {
			p.block(3, pad(label, 8), styleDim, text, nil)
		}
	}
	title := "a reason that no row names"
	if x.Row != nil {
		title = x.Row.Topic + " (" + x.Row.Code + ")"
	} else if x.Code != "" {
		title += " (" + x.Code + ")"
	}
	p.block(0, fmt.Sprintf("%d  ", n), styleStrong, capital(title), styleStrong)
	row("says", Shortened(strings.ReplaceAll(x.Quote, "\n", " "), 400))
	for _, o := range x.Others {
		row("or", o.Topic+" ("+o.Code+"): the letter fits both")
	}
	if !x.Stops {
		row("stops", "no, it only warns")
	}
	row("build", building(x.NewBuild))
	for _, s := range x.Seen {
		row("named", s.What+": "+s.Is)
		p.where(11, "at ", s.At)
	}
	for _, c := range x.Causes {
		for i, f := range c.Faults {
			if i == mostCauses {
				row("", Count(len(c.Faults)-i, "more place", "more places")+" of "+c.Rule)
				break
			}
			row(map[bool]string{true: "cause", false: ""}[i == 0], f.Say+" ["+c.Rule+"]")
			p.where(11, "at ", f.At)
		}
	}
	if len(x.Held) > 0 {
		row("holds", strings.Join(x.Held, ", "))
	}
	if len(x.Open) > 0 {
		row("open", strings.Join(x.Open, ", "))
	}
	if bound && x.Row != nil && len(x.Causes) == 0 {
		absent := len(x.Seen) > 0
		for _, s := range x.Seen {
			absent = absent && s.Gone
		}
		if absent {
			row("so", "nothing that the letter names is in this package: it may be about another build, such as one that is still out in another channel")
		} else if len(x.Held) > 0 {
			row("so", "nothing that these rules see is broken: the cause lies in what only a person or a running app shows")
		} else {
			row("so", "no rule sees the cause")
		}
	}
	if x.Row != nil {
		row("do", x.Row.Remedy)
	}
}

// next says what to do with the letter.
func (p *printer) next(v *view.Letter, file string) {
	if len(v.Issues) == 0 && v.Word == "" {
		return
	}
	p.line("")
	if v.Other != "" || v.Store == nil {
		return
	}
	p.line("%s", p.strong("next"))
	call := "regola letter " + quoted(file)
	row := func(label, text string) { p.block(3, pad(label, 8), styleDim, text, nil) }
	if v.Release != "" {
		row("record", call+" --record")
		row("by hand", DecideCall(v))
	} else {
		row("record", v.Missing+"; note what was sent with regola ledger record first")
	}
	row("answer", call+" --format markdown")
}

// quoted is a text as a shell takes it.
func quoted(s string) string {
	if s != "" && strings.Trim(s, "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789-_./:") == "" {
		return s
	}
	return "'" + strings.ReplaceAll(s, "'", `'\''`) + "'"
}

// DecideCall is the call that records a letter by hand.
func DecideCall(v *view.Letter) string {
	var b strings.Builder
	fmt.Fprintf(&b, "regola ledger decide %s --store %s", v.Word, v.Letter.Store)
	if version, _, ok := strings.Cut(v.Release, " ("); ok {
		fmt.Fprintf(&b, " --version %s", quoted(version))
	}
	if v.Deadline != "" {
		fmt.Fprintf(&b, " --until %s", v.Deadline)
	}
	for _, x := range v.Issues {
		for _, a := range x.About {
			fmt.Fprintf(&b, " --about %s --said %s", quoted(a), quoted(Shortened(strings.ReplaceAll(x.Quote, "\n", " "), 80)))
		}
	}
	return b.String()
}

// LetterMarkdown outlines an answer to a letter: by issue what changed, where, in which
// build, how to see it, and what to attach. What only the maker knows is left to fill in.
func LetterMarkdown(w io.Writer, v *view.Letter) error {
	var b strings.Builder
	md := func(s string) string { return sanitize.Text(strings.ReplaceAll(s, "\n", " ")) }
	fmt.Fprintf(&b, "# Answer to the letter about %s\n", md(cmp.Or(v.Release, strings.TrimSpace(v.Version+" "+v.Build), "the release")))
	if v.Other != "" {
		fmt.Fprintf(&b, "\n**The letter is about another app:** %s.\n", md(v.Other))
	}
	for i, x := range v.Issues {
		title := "What no row names"
		if x.Row != nil {
			title = capital(x.Row.Topic) + " (" + x.Row.Code + ")"
		}
		fmt.Fprintf(&b, "\n## %d. %s\n\n> %s\n\n", i+1, md(title), md(Shortened(x.Quote, 400)))
		if x.Row != nil && x.Row.Reply == "none" {
			b.WriteString("Nobody reads an answer to this; put it right and send it again.\n")
		} else if x.Row != nil {
			fmt.Fprintf(&b, "- To say: %s\n", md(x.Row.Reply))
		}
		for _, c := range x.Causes {
			for _, f := range c.Faults[:min(len(c.Faults), mostCauses)] {
				fmt.Fprintf(&b, "- Was: %s\n  - Changed: [ ] %s\n", md(f.Say), md(f.Fix))
			}
		}
		if len(x.Causes) == 0 {
			b.WriteString("- Changed: [ ] …\n")
		}
		fmt.Fprintf(&b, "- Build: %s\n- How to see it: [ ] the screens to open, one by one\n", building(x.NewBuild))
		if x.Row != nil && len(x.Row.Attach) > 0 {
			fmt.Fprintf(&b, "- Attach: [ ] %s\n", strings.Join(x.Row.Attach, ", "))
		}
	}
	_, err := io.WriteString(w, b.String())
	return err
}
