package report

import (
	"fmt"
	"io"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/rulebook"
)

// NextDocument is the JSON form of the first thing to do.
type NextDocument struct {
	Regola  int64      `json:"regola"` // version of this form
	App     string     `json:"app"`
	Kind    string     `json:"kind" enum:"fix|answer|confirm|read|send|others"`
	Who     string     `json:"who" doc:"who does it: developer, writer, designer or owner; empty when nothing is left"`
	Impact  string     `json:"impact" doc:"what a store does as long as it is not done; empty where that is not known"`
	What    string     `json:"what"`
	How     string     `json:"how"`
	Where   string     `json:"where" doc:"the place, or the key in dossier.yaml"`
	Rule    string     `json:"rule"`
	Stores  []string   `json:"stores"`
	Unlocks string     `json:"unlocks" doc:"what is left behind it"`
	For     string     `json:"for,omitempty" doc:"the role to whose work this is narrowed"`
	Others  int64      `json:"others,omitempty" doc:"how many things are left for other roles"`
	Until   string     `json:"until,omitempty" doc:"the day up to which it is postponed, when everything left is"`
	Because string     `json:"because,omitempty" doc:"why it is postponed"`
	All     []NextItem `json:"all,omitempty" doc:"everything to do, in working order, where it was asked for"`
}

// NextItem is one thing to do.
type NextItem struct {
	Kind     string   `json:"kind" enum:"fix|answer|confirm|read"`
	Who      string   `json:"who" doc:"who does it: developer, writer, designer or owner"`
	Impact   string   `json:"impact" doc:"what a store does as long as it is not done; empty where that is not known"`
	Needed   bool     `json:"needed" doc:"the release cannot pass without it; other things improve it"`
	What     string   `json:"what"`
	How      string   `json:"how"`
	Where    string   `json:"where" doc:"the place, or the key in dossier.yaml"`
	Rule     string   `json:"rule"`
	Stores   []string `json:"stores"`
	More     int64    `json:"more" doc:"further places of the same fault"`
	Followed int64    `json:"followed" doc:"faults that follow from it and go with it"`
	Until    string   `json:"until,omitempty" doc:"the day up to which it is postponed"`
	Because  string   `json:"because,omitempty" doc:"why it is postponed"`
}

// nextItems lists everything to do in working order: the gravest fault first, then what is to
// be answered, confirmed, or could not be read, then matters of craft.
func nextItems(r *check.Result) (out []NextItem) {
	fix := func(f *check.Finding) {
		x := f.Faults[0]
		out = append(out, NextItem{Kind: "fix", Who: f.Rule.Role(), Impact: string(f.Impact), Needed: f.Impact != rulebook.Craft, What: x.Say, How: x.Fix, Where: x.At.String(), Rule: f.Rule.ID, Stores: f.Stores,
			More: int64(len(f.Faults) + f.More - 1), Followed: int64(len(f.With))})
	}
	findings := r.Findings(false)
	for _, f := range findings {
		if f.Impact != rulebook.Craft {
			fix(f)
		}
	}
	for _, x := range r.Duties() {
		if x.State != check.Due {
			continue
		}
		how := "Write it under " + x.Write + "; regola explain says why a store asks."
		if x.Because != "" {
			how = "It is asked because of " + x.Because + ". " + how
		}
		out = append(out, NextItem{Kind: "answer", Who: x.Rule.Role(), Impact: string(x.Impact), Needed: true, What: x.What, How: how, Where: written(x.Write), Rule: x.Rule.ID, Stores: x.Stores})
	}
	var unread []*check.Open
	seen := map[string]bool{}
	for _, o := range r.Open() {
		switch {
		case o.State == check.ToConfirm && o.Question != nil && !seen[o.Rule.ID]:
			seen[o.Rule.ID] = true
			out = append(out, NextItem{Kind: "confirm", Who: o.Rule.Role(), Impact: string(o.Rule.Fixed()), Needed: true, What: o.Question.Ask, How: o.Question.Fix, Where: "confirmed, in dossier.yaml", Rule: o.Rule.ID, Stores: o.Stores})
		case o.State == check.NotRead:
			unread = append(unread, o)
		}
	}
	absent := false
	for _, s := range r.Stores {
		if s.Absent != "" && !absent {
			absent = true
			out = append(out, NextItem{Kind: "read", Who: "developer", Needed: true, What: capital(s.Absent) + ".", How: "Build it, or name a package in the call: regola check PACKAGE. Everything that does not need it is judged.", Where: "packages, in dossier.yaml", Stores: []string{s.ID}})
		}
	}
	for _, o := range unread {
		if !absent {
			out = append(out, NextItem{Kind: "read", Who: o.Rule.Role(), Needed: true, What: o.Rule.Title + " could not be judged", How: GapText(o.Gaps), Rule: o.Rule.ID, Stores: o.Stores})
		}
	}
	for _, f := range findings {
		if f.Impact == rulebook.Craft {
			fix(f)
		}
	}
	for i := range out {
		for _, p := range r.Postponed {
			if p.Rule == out[i].Rule {
				out[i].Until, out[i].Because = p.Until.String(), p.Because
			}
		}
	}
	return out
}

// NewNextDocument finds the first thing to do, what is postponed after all others, and says
// what is left behind it; with all, it lists everything.
func NewNextDocument(r *check.Result, all bool, who string) *NextDocument {
	d := &NextDocument{Regola: FormatNumber, App: strings.TrimSpace(r.App + " " + r.Version), Stores: []string{}}
	items := nextItems(r)
	others := len(items)
	if who != "" {
		items = slices.DeleteFunc(items, func(x NextItem) bool { return x.Who != who })
	}
	others -= len(items)
	d.For, d.Others = who, int64(others)
	if all {
		d.All = slices.Clone(items)
	}
	if len(items) == 0 && others > 0 {
		d.Kind, d.What, d.How = "others", "Nothing is left to do here for the "+who+".", Count(others, "thing is left for others: regola next", "things are left for others: regola next --all")
		return d
	}
	if len(items) == 0 {
		d.Kind, d.What, d.How = "send", "Nothing is left to do here.", "Send it; then record it with regola ledger record, and the decision with regola ledger decide."
		return d
	}
	slices.SortStableFunc(items, func(a, b NextItem) int { return len(a.Until) - len(b.Until) })
	first := items[0]
	d.Kind, d.Who, d.Impact, d.What, d.How, d.Where, d.Rule, d.Stores = first.Kind, first.Who, first.Impact, first.What, first.How, first.Where, first.Rule, first.Stores
	d.Until, d.Because = first.Until, first.Because
	var parts []string
	if first.More > 0 {
		parts = append(parts, Count(int(first.More), "more place of this fault", "more places of this fault"))
	}
	if first.Followed > 0 {
		parts = append(parts, Count(int(first.Followed), "fault that follows from it goes with it", "faults that follow from it go with it"))
	}
	d.Unlocks = strings.Join(append(parts, leftItems(items[1:])...), ", ")
	return d
}

// leftItems counts things to do in words.
func leftItems(items []NextItem) (out []string) {
	for _, k := range []struct {
		kind      string
		needed    bool
		one, many string
	}{{"fix", true, "fault to fix", "faults to fix"}, {"answer", true, "question to answer", "questions to answer"}, {"confirm", true, "thing to confirm", "things to confirm"},
		{"read", true, "rule that could not be judged", "rules that could not be judged"}, {"fix", false, "matter of craft", "matters of craft"}} {
		n := 0
		for _, x := range items {
			if x.Kind == k.kind && x.Needed == k.needed && x.Until == "" {
				n++
			}
		}
		if n > 0 {
			out = append(out, Count(n, k.one, k.many))
		}
	}
	later := 0
	for _, x := range items {
		if x.Until != "" {
			later++
		}
	}
	if later > 0 {
		out = append(out, Count(later, "thing that is postponed", "things that are postponed"))
	}
	return out
}

// heads are the words for kinds of things to do.
var heads = map[string]string{"fix": "FIX", "answer": "ANSWER", "confirm": "CONFIRM", "read": "LOOK INTO", "send": "SEND", "others": "DONE"}

// NextAll writes everything to do, one thing a line, with where what is needed ends.
func NextAll(w io.Writer, d *NextDocument, look Style) error {
	p := &printer{w: w, look: look}
	p.line("%s", p.strong(d.App))
	p.line("")
	needed := 0
	for _, x := range d.All {
		if x.Needed {
			needed++
		}
	}
	sent := "it can be sent"
	if d.Others > 0 {
		sent = "nothing more is needed of the " + d.For + ", and " + Count(int(d.Others), "thing is", "things are") + " left for others"
	}
	end := func() {
		better := len(d.All) - needed
		switch {
		case needed == 0 && better == 0:
			p.block(0, "", nil, "Nothing is left to do here: "+sent+".", nil)
		case better == 0:
			p.block(0, "", nil, "then "+sent, nil)
		case needed == 0:
			p.block(0, "", nil, capital(sent)+"; "+Count(better, "thing more would improve it:", "things more would improve it:"), styleStrong)
		default:
			p.block(0, "", nil, "then "+sent+"; "+Count(better, "thing more would improve it:", "things more would improve it:"), styleStrong)
		}
	}
	if needed == 0 {
		end()
		if len(d.All) > 0 {
			p.line("")
		}
	}
	for i, x := range d.All {
		if i == needed && needed > 0 {
			p.line("")
			end()
			p.line("")
		}
		about := strings.Trim(x.Impact+" · "+x.Rule+" · "+strings.Join(x.Stores, ", "), "· ")
		if d.For == "" {
			about += " · " + x.Who
		}
		more := ""
		if x.More > 0 {
			more = " (and " + Count(int(x.More), "more place", "more places") + ")"
		}
		p.block(0, pad(fmt.Sprintf("%d", i+1), 4)+pad(heads[x.Kind], 10), styleStrong, Shortened(x.What, 200)+more, nil)
		p.block(14, "", nil, about, styleDim)
		if x.Until != "" {
			p.block(14, "", nil, postponed(x.Until, x.Because), styleDim)
		}
	}
	if needed == len(d.All) && needed > 0 {
		p.line("")
		end()
	}
	return p.err
}

// postponed says that something waits.
func postponed(until, because string) string {
	return "postponed until " + until + ": " + Shortened(because, 200)
}

// Next writes the first thing to do, on one screen.
func Next(w io.Writer, d *NextDocument, look Style) error {
	p := &printer{w: w, look: look}
	head := heads[d.Kind]
	of := "rule"
	if d.Rule == "" {
		of = "store"
	}
	p.line("%s", p.strong(d.App))
	p.line("")
	p.block(0, pad(head, 10), styleStrong, Shortened(d.What, 600), styleStrong)
	later := ""
	if d.Until != "" {
		later = postponed(d.Until, d.Because)
	}
	for _, row := range []struct{ label, text string }{{"later", later}, {"how", d.How}, {"where", d.Where}, {"for", d.Who}, {of, strings.Trim(d.Rule+" · "+strings.Trim(strings.Join(d.Stores, ", ")+" · "+d.Impact, "· "), "· ")}, {"then", d.Unlocks}} {
		if row.text != "" {
			p.block(3, pad(row.label, 7), styleDim, Shortened(row.text, 800), nil)
		}
	}
	return p.err
}

// capital begins a text with a capital letter.
func capital(s string) string {
	r, n := utf8.DecodeRuneInString(s)
	return string(unicode.ToUpper(r)) + s[n:]
}

// Shortened cuts a text at a number of characters.
func Shortened(s string, n int) string {
	if r := []rune(s); len(r) > n {
		return string(r[:n]) + "…"
	}
	return s
}
