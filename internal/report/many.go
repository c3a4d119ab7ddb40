package report

import (
	"cmp"
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"

	"github.com/rivo/uniseg"

	"regola.example/regola/internal/core/alike"
	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/sanitize"
)

// maxOften is how many rules the end of a table lists.
const maxOften = 10

func openText(w io.Writer, look Style, call Call) Writer {
	if !call.Many() {
		return stream{add: func(i *Item) error {
			if i.Result == nil {
				return nil // the caller reports it
			}
			return Text(w, i.Result, look, i.Exit)
		}}
	}
	t := &table{p: printer{w: w, look: look}, all: len(call.Names), outcomes: map[string]map[check.Outcome]int{}, rules: map[string]*often{}, doubted: map[string]int{}}
	for _, n := range call.Names {
		t.width = max(t.width, uniseg.StringWidth(sanitize.Text(n)))
	}
	t.width = min(t.width, look.Columns()/3)
	return t
}

// table shows many items: for each that does not pass a line, with the gravest that is wrong,
// where and what to do about it; and a table at the end. With Style.All each report is written
// in full before.
type table struct {
	p        printer
	all      int
	width    int // of the names
	stores   []string
	outcomes map[string]map[check.Outcome]int // by store
	rules    map[string]*often
	failed   []string
	edition  string         // the newest of the rules
	doubts   []string       // in the order in which they came up
	doubted  map[string]int // items a doubt
	alike    []*alike.Group
}

// often counts in how many items a rule is broken.
type often struct {
	rule   *rulebook.Rule
	impact rulebook.Impact
	items  int
}

func (t *table) Add(i *Item) error {
	p := &t.p
	name := i.Name
	if n := uniseg.StringWidth(name); n > t.width { // its end tells more
		runes := []rune(name)
		name = "…" + string(runes[max(0, len(runes)-t.width+1):])
	}
	if i.Result == nil {
		t.failed = append(t.failed, i.Name)
		what := "nothing was judged"
		if len(i.Problems) > 0 {
			what = i.Problems[0].Error()
		}
		if n := len(i.Problems); n > 1 {
			what += fmt.Sprintf(" (and %s)", Count(n-1, "more problem", "more problems"))
		}
		p.line("%s  NOT JUDGED  %s", p.path(pad(name, t.width)), p.dim(cutTo(sanitize.Text(what), max(20, p.look.Columns()-t.width-14))))
		return p.err
	}
	if p.look.All {
		p.line("%s", p.strong(i.Name))
		if p.err == nil {
			p.err = Text(p.w, i.Result, p.look, i.Exit)
		}
		p.line("")
	}
	_, doubts := basisOf(i.Result)
	for _, d := range doubts {
		if t.doubted[d]++; t.doubted[d] == 1 {
			t.doubts = append(t.doubts, d)
		}
	}
	if i.Result.Basis != nil {
		t.edition = max(t.edition, i.Result.Basis.Rules)
	}
	parts := []string{}
	for _, s := range i.Result.Stores {
		o := s.Outcome(i.Result.Partly())
		if t.outcomes[s.Name] == nil {
			t.outcomes[s.Name] = map[check.Outcome]int{}
			t.stores = append(t.stores, s.Name)
		}
		t.outcomes[s.Name][o]++
		parts = append(parts, s.ID+" "+string(p.look.paint(styleOutcome[o], outcomeText[o])))
	}
	seen := map[string]bool{}
	counts := map[rulebook.Impact]int{}
	for _, f := range i.Result.Findings(false) {
		for _, x := range append([]*check.Finding{f}, f.With...) {
			if seen[x.Rule.ID] {
				continue
			}
			seen[x.Rule.ID] = true
			counts[x.Impact]++
			o := t.rules[x.Rule.ID]
			if o == nil {
				o = &often{rule: x.Rule, impact: x.Impact}
				t.rules[x.Rule.ID] = o
			}
			if gravity(x.Impact) < gravity(o.impact) {
				o.impact = x.Impact
			}
			o.items++
		}
	}
	var sums []string
	for _, im := range rulebook.Impacts {
		if counts[im] > 0 {
			sums = append(sums, fmt.Sprintf("%d %s", counts[im], im))
		}
	}
	for _, state := range []check.State{check.ToAnswer, check.ToConfirm, check.NotRead} {
		rules := map[string]bool{} // those of all stores once
		for _, s := range i.Result.Stores {
			for _, v := range s.Verdicts {
				if v.State == state {
					rules[v.Rule.ID] = true
				}
			}
		}
		if n := len(rules); n > 0 {
			sums = append(sums, fmt.Sprintf("%d %s", n, stateText[state]))
		}
	}
	if !p.look.All && !slices.ContainsFunc(i.Result.Stores, func(s *check.Store) bool { return s.Outcome(i.Result.Partly()) != check.Passes }) {
		return p.err // the table counts it
	}
	p.line("%s  %s  %s", p.path(pad(name, t.width)), shown(strings.Join(parts, " · ")), p.dim(strings.Join(sums, ", ")))
	if all := i.Result.Findings(false); len(all) > 0 && all[0].Impact != rulebook.Craft && !p.look.All {
		f := all[0]
		p.block(2, pad(string(f.Impact), impactWidth), styleImpact[f.Impact], sayOf(f)+" ["+f.Rule.ID+"]", nil)
		if at := f.Faults[0].At.Link(); at != "" {
			p.block(2, pad("", impactWidth), nil, at, stylePath)
		}
		if f.Faults[0].Fix != "" {
			p.block(2, pad("fix", impactWidth), styleDim, f.Faults[0].Fix, nil)
		}
	}
	return p.err
}

func gravity(i rulebook.Impact) int { return slices.Index(rulebook.Impacts, i) }

// Close writes the table.
func (t *table) Close() error {
	p := &t.p
	p.line("")
	head := pad(Count(t.all, "dossier", "dossiers"), 24)
	for _, s := range t.stores {
		head += pad(s, 16)
	}
	p.line("%s", p.strong(head))
	for _, o := range []check.Outcome{check.IsRefused, check.IsBlocked, check.IsRejected, check.IsOpen, check.Partly, check.Passes} {
		row, any := "", false
		for _, s := range t.stores {
			n := t.outcomes[s][o]
			any = any || n > 0
			row += pad(fmt.Sprint(n), 16)
		}
		if any {
			p.line("  %s%s", p.look.paint(styleOutcome[o], pad(outcomeText[o], 22)), row)
		}
	}
	if len(t.failed) > 0 {
		p.line("  %s%d", pad("NOT JUDGED", 22), len(t.failed))
	}
	if t.edition != "" {
		p.line("")
		p.block(2, "rests on ", styleDim, "rules of "+t.edition, styleDim)
	}
	for _, d := range t.doubts {
		p.block(2, "but      ", styleImpact[rulebook.Rejected], Count(t.doubted[d], "dossier", "dossiers")+": "+d, nil)
	}
	rules := slices.SortedFunc(maps.Values(t.rules), func(a, b *often) int {
		return cmp.Or(b.items-a.items, gravity(a.impact)-gravity(b.impact), cmp.Compare(a.rule.ID, b.rule.ID))
	})
	if len(rules) > 0 {
		p.line("")
		p.line("%s", p.strong("MOST OFTEN"))
	}
	for i, o := range rules {
		if i == maxOften && !p.look.All {
			p.line("  %s", p.dim(fmt.Sprintf("and %s (--all lists them)", Count(len(rules)-i, "more rule", "more rules"))))
			break
		}
		p.block(2, pad(fmt.Sprint(o.items), 6)+pad(string(o.impact), 10), styleImpact[o.impact], o.rule.ID+" · "+o.rule.Title, nil)
	}
	t.alikes()
	return p.err
}

func openBrief(w io.Writer, look Style, _ Call) Writer {
	return stream{add: func(i *Item) error {
		if i.Result == nil {
			return nil
		}
		return Brief(w, i.Result, look, i.Exit)
	}}
}

// Comparer is a writer that shows what the items have in common.
type Comparer interface {
	Alike(groups []*alike.Group)
}

// alikeTexts say what apps have in common, by kind.
var alikeTexts = map[string]string{
	alike.ID:          "the id %s under different names",
	alike.Icon:        "the same icon",
	alike.Name:        "the name %s",
	alike.Description: "the same description",
	alike.Screenshots: "the same screenshots",
}

func alikeText(g *alike.Group) string {
	return strings.ReplaceAll(alikeTexts[g.Kind], "%s", g.What)
}

// Alike implements Comparer.
func (t *table) Alike(groups []*alike.Group) { t.alike = groups }

// alikes writes what apps have in common, as stores see it.
func (t *table) alikes() {
	p := &t.p
	if len(t.alike) == 0 {
		return
	}
	p.line("")
	p.line("%s", p.strong(fmt.Sprintf("ALIKE  %d", len(t.alike))))
	p.block(2, "", nil, "different apps that share these are taken for one app sent several times, or one was copied from the other", styleDim)
	for i, g := range t.alike {
		if i == maxOften && !p.look.All {
			p.line("  %s", p.dim(Count(len(t.alike)-i, "more", "more")+" (--all lists them)"))
			break
		}
		names := g.Dossiers
		if n := len(names); n > maxPlaces && !p.look.All {
			names = append(slices.Clone(names[:maxPlaces]), Count(n-maxPlaces, "more", "more"))
		}
		p.block(2, "", nil, fmt.Sprintf("%s (%s): %s", alikeText(g), g.Store, strings.Join(names, ", ")), nil)
	}
}
