package report

import (
	"bytes"
	_ "embed"
	"fmt"
	"html/template"
	"io"
	"path/filepath"
	"slices"
	"strings"
	"sync"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/sanitize"
	"regola.example/regola/internal/sheet"
)

//go:embed page.html
var pageSource string

// pageTemplate parses the page once, when a page is asked for.
var pageTemplate = sync.OnceValues(func() (*template.Template, error) {
	t, err := sheet.Templates()
	if err != nil {
		return nil, err
	}
	return t.Funcs(template.FuncMap{"join": func(list []string) string { return strings.Join(list, ", ") }}).Parse(pageSource)
})

type pageStop struct{ Anchor, Say, At string }

type pageCard struct {
	Name, Word, Package, Counts string
	Outcome                     check.Outcome
	Stops                       []pageStop
	More                        int
}

type pageWord struct {
	Outcome check.Outcome
	Word    string
}

type pageRow struct {
	Anchor, Name, App, Counts string
	First, At, Fix, Rule      string // the gravest that is wrong
	Words                     []pageWord
	rank                      int // the gravest first
}

type pagePart struct {
	Anchor, Name string
	Count        int
}

type pageRule struct{ Anchor, ID, Title, Why, What, Fix, Basis string }

type page struct {
	Title, Head, Program, Day string
	Cards                     []pageCard
	Stores                    []string
	Basis                     []basisLine
	Index                     []pageRow
	Sound                     []pageRow // that pass, and have nothing else to say
	Nav                       []pagePart
	Bodies                    []template.HTML // written by the template item, which escapes
	Rules                     []pageRule
}

type pagePlace struct{ At, Say string }

type pageFinding struct {
	Impact                                   rulebook.Impact
	Anchor, Say, Seen, Fix, Then, With, Rule string
	ID, Stores, Stage, Who                   string
	Places                                   []pagePlace
	More                                     int
}

// pageGroup is the findings of one impact.
type pageGroup struct {
	Impact   rulebook.Impact
	What     string
	Findings []*pageFinding
}

type pageWaived struct{ Say, Until, Because, By, Rule, ID string }

type pageData struct {
	Name, None string
	Rows       []pageDataRow
}

type pageDataRow struct {
	Kind, Answer, For, By, Seen string
	Missing                     bool
}

type pageRating struct {
	Name   string
	Labels []struct{ Label, Where, Because string }
}

type pageSizes struct {
	Name, Package string
	Map           template.HTML // drawn by Treemap, which escapes
	Devices       []struct{ What, Download, Installed string }
	Hints         []string
}

// pageSince is what differs for one store from the release before.
type pageSince struct {
	Name, Version string
	Rows          []pageDifference
	More          int
}

type pageDifference struct{ How, Kind, What, Duty string }

type pageItem struct {
	Many                bool
	Anchor, Name, Title string
	Problems            []struct{ What, Fix string }
	Groups              []*pageGroup
	Craft               []*pageFinding
	None                bool
	Duties              []*check.Duty
	Confirm             []*check.Question
	Waived              []pageWaived
	Sheet               *sheet.Sheet
	NoSheet             string
	Data                []pageData
	Ratings             []pageRating
	Sizes               []pageSizes
	Since               []pageSince
	Ahead               *CalendarDocument
	Unread              []string
	Basis               []basisLine
}

// Bounds of a page: how many stops a store's card names, how many places a finding, and how many
// differences the list of a store.
const maxStops, maxPagePlaces, maxSince = 4, 20, 60

type htmlWriter struct {
	w     io.Writer
	page  page
	many  bool
	n     int
	rules map[string]*rulebook.Rule
	cited map[string][]string // numbers under which stores cite each rule
}

func openHTML(w io.Writer, _ Style, call Call) Writer {
	h := &htmlWriter{w: w, many: call.Many(), rules: map[string]*rulebook.Rule{}, cited: call.cited()}
	if h.many {
		h.page.Title, h.page.Head = Count(len(call.Names), "dossier", "dossiers"), "each held against the rules of its stores"
	}
	return h
}

func (h *htmlWriter) Add(i *Item) error {
	t, err := pageTemplate()
	if err != nil {
		return err
	}
	h.n++
	x := h.item(i)
	var b bytes.Buffer
	if err := t.ExecuteTemplate(&b, "item", x); err != nil {
		return err
	}
	if h.many && x.None && len(x.Craft)+len(x.Waived)+len(x.Duties)+len(x.Confirm) == 0 {
		x.Anchor = "" // the table says all that there is
	} else {
		h.page.Bodies = append(h.page.Bodies, template.HTML(b.String()))
	}
	if i.Result != nil {
		h.page.Program, h.page.Day = i.Result.About.Program, i.Result.Day.Long()
	}
	switch {
	case h.many:
		h.index(i, x)
	case i.Result != nil:
		h.head(i, x)
	default:
		h.page.Title, h.page.Head = "Nothing was judged", i.Name
	}
	return nil
}

func (h *htmlWriter) Close() error {
	t, err := pageTemplate()
	if err != nil {
		return err
	}
	ids := make([]string, 0, len(h.rules))
	for id := range h.rules {
		ids = append(ids, id)
	}
	slices.Sort(ids)
	slices.SortStableFunc(h.page.Index, func(a, b pageRow) int { return a.rank - b.rank })
	for _, id := range ids {
		r := h.rules[id]
		basis := "Rests on: " + r.Basis.Topic + "; confidence " + r.Basis.Confidence + "."
		if r.Basis.Note != "" {
			basis += " " + r.Basis.Note
		}
		if c := h.cited[id]; len(c) > 0 {
			basis += " Stores cite it as " + strings.Join(c, ", ") + "."
		}
		h.page.Rules = append(h.page.Rules, pageRule{ruleAnchor(id), id, r.Title, r.Why, impactText[r.Fixed()], ruleFix(r), basis})
	}
	return t.ExecuteTemplate(h.w, "page", &h.page)
}

func ruleAnchor(id string) string { return "rule-" + anchor(id) }

// anchor makes a name fit for the address of a part of a page.
func anchor(s string) string {
	return strings.Map(func(r rune) rune {
		if r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r >= '0' && r <= '9' {
			return r
		}
		return '-'
	}, s)
}

// head writes the first screen of a page about one release.
func (h *htmlWriter) head(i *Item, x *pageItem) {
	r := i.Result
	h.page.Title, h.page.Head = i.title(false), "judged as of "+r.Day.Long()
	for _, s := range r.Stores {
		c := pageCard{Name: s.Name, Outcome: s.Outcome(r.Partly()), Package: packageName(s), Counts: mdCounts(s)}
		c.Word = outcomeText[c.Outcome]
		if c.Counts == "" {
			c.Counts = Count(s.Count(check.Held), "rule holds", "rules hold")
		}
		for _, f := range r.Findings(false) {
			if gravity(f.Impact) > gravity(rulebook.Rejected) || !slices.Contains(f.Stores, s.ID) {
				continue
			}
			if len(c.Stops) == maxStops {
				c.More++
				continue
			}
			say, at := foundBy(f, s.ID)
			c.Stops = append(c.Stops, pageStop{h.findingAnchor(f.Rule.ID), say, (&printer{}).short(r, at).Link()})
		}
		h.page.Cards = append(h.page.Cards, c)
	}
	h.page.Basis = basisLines(r)
	part := func(yes bool, at, name string, n int) {
		if yes {
			h.page.Nav = append(h.page.Nav, pagePart{at, name, n})
		}
	}
	for _, g := range x.Groups {
		part(true, "impact-"+string(g.Impact), stageTitle(string(g.Impact)), len(g.Findings))
	}
	part(len(x.Craft) > 0, "impact-craft", "Craft", len(x.Craft))
	part(len(x.Duties) > 0, "answer", "To answer", len(x.Duties))
	part(len(x.Confirm) > 0, "confirm", "To confirm", len(x.Confirm))
	part(len(x.Waived) > 0, "waived", "Waived", len(x.Waived))
	part(len(x.Since) > 0, "since", "Since the last release", 0)
	part(x.Sheet != nil || x.NoSheet != "", "pages", "Store pages", 0)
	part(len(x.Data) > 0, "data", "Data", 0)
	part(len(x.Ratings) > 0, "ratings", "Ratings", 0)
	part(len(x.Sizes) > 0, "sizes", "Sizes", 0)
	part(x.Ahead != nil, "ahead", "The year ahead", 0)
	part(len(x.Unread) > 0, "unread", "Not checked", 0)
	part(len(h.rules) > 0, "rules", "Rules", 0)
}

// foundBy is what one store finds, and where: a rule may find something else in each.
func foundBy(f *check.Finding, store string) (string, place.Place) {
	for _, x := range f.Faults {
		if slices.Contains(x.Stores, store) {
			say := x.Say
			if f.Rule.Basis.Confidence == "low" {
				say += " (not certain)"
			}
			return say, x.At
		}
	}
	return sayOf(f), f.Faults[0].At
}

// index adds a line to the table of a page about many.
func (h *htmlWriter) index(i *Item, x *pageItem) {
	row := pageRow{Anchor: x.Anchor, Name: i.Name, rank: -1}
	if i.Result == nil {
		row.Counts = "not judged"
	} else {
		row.App = i.title(false)
		for _, s := range i.Result.Stores {
			if !slices.Contains(h.page.Stores, s.Name) {
				h.page.Stores = append(h.page.Stores, s.Name)
			}
		}
		var counts []string
		for _, s := range i.Result.Stores {
			if c := mdCounts(s); c != "" {
				counts = append(counts, s.ID+": "+c)
			}
		}
		row.Counts = strings.Join(counts, "; ")
		row.rank = len(rulebook.Impacts)
		if all := i.Result.Findings(false); len(all) > 0 {
			f := all[0]
			row.rank = gravity(f.Impact)
			if f.Impact != rulebook.Craft {
				row.First, row.At, row.Fix, row.Rule = sayOf(f), f.Faults[0].At.Link(), f.Faults[0].Fix, f.Rule.ID
			}
		}
	}
	for _, name := range h.page.Stores {
		w := pageWord{Word: "–"}
		if i.Result != nil {
			for _, s := range i.Result.Stores {
				if s.Name == name {
					w.Outcome = s.Outcome(i.Result.Partly())
					w.Word = outcomeText[w.Outcome]
				}
			}
		}
		row.Words = append(row.Words, w)
	}
	if row.Anchor == "" {
		h.page.Sound = append(h.page.Sound, row)
		return
	}
	h.page.Index = append(h.page.Index, row)
}

func (h *htmlWriter) findingAnchor(id string) string {
	return fmt.Sprintf("found-%d-%s", h.n, anchor(id))
}

// item puts together what is shown of one item.
func (h *htmlWriter) item(i *Item) *pageItem {
	x := &pageItem{Many: h.many, Anchor: fmt.Sprintf("item-%d", h.n), Name: i.Name, Title: i.title(h.many)}
	for _, p := range i.Problems {
		x.Problems = append(x.Problems, struct{ What, Fix string }{p.Error(), p.Fix})
	}
	r := i.Result
	if r == nil {
		return x
	}
	if h.many {
		x.Basis = basisLines(r)
	}
	for _, f := range r.Findings(false) {
		v := h.finding(r, f)
		if f.Impact == rulebook.Craft {
			x.Craft = append(x.Craft, v)
			continue
		}
		if n := len(x.Groups); n == 0 || x.Groups[n-1].Impact != f.Impact { // they come the gravest first
			x.Groups = append(x.Groups, &pageGroup{Impact: f.Impact, What: impactText[f.Impact]})
		}
		g := x.Groups[len(x.Groups)-1]
		g.Findings = append(g.Findings, v)
	}
	x.None = len(x.Groups) == 0
	for _, f := range r.Findings(true) {
		h.rules[f.Rule.ID] = f.Rule
		w := f.Faults[0].Waiver
		x.Waived = append(x.Waived, pageWaived{sayOf(f), w.Until.Long(), w.Because, w.By, ruleAnchor(f.Rule.ID), f.Rule.ID})
	}
	for _, d := range r.Duties() {
		if d.State == check.Due {
			x.Duties = append(x.Duties, d)
		}
	}
	reasons := map[string]int{}
	seen := map[string]bool{}
	for _, o := range r.Open() {
		switch {
		case o.State == check.ToConfirm && !seen[o.Rule.ID]:
			seen[o.Rule.ID] = true
			x.Confirm = append(x.Confirm, o.Question)
		case o.State == check.NotRead, o.State == check.NotAsked:
			text := GapText(o.Gaps)
			if reasons[text]++; reasons[text] == 1 {
				x.Unread = append(x.Unread, text)
			}
		}
	}
	if h.many {
		x.Unread = nil
		return x
	}
	for n, text := range x.Unread {
		x.Unread[n] = fmt.Sprintf("%s: %s", Count(reasons[text], "rule", "rules"), text)
	}
	for _, s := range []check.State{check.NotInForce, check.NotApplicable} {
		if n := r.Count(s); n > 0 {
			x.Unread = append(x.Unread, fmt.Sprintf("%s: %s", Count(n, "rule", "rules"), stateText[s]))
		}
	}
	h.calculations(x, r)
	h.extra(x, i)
	return x
}

// stageTitle is a stage as a heading.
func stageTitle(s string) string { return strings.ToUpper(s[:1]) + strings.ReplaceAll(s[1:], "-", " ") }

func (h *htmlWriter) finding(r *check.Result, f *check.Finding) *pageFinding {
	h.rules[f.Rule.ID] = f.Rule
	first := f.Faults[0]
	v := &pageFinding{Impact: f.Impact, Anchor: h.findingAnchor(f.Rule.ID), Say: sayOf(f), Seen: first.Seen, Fix: first.Fix, Rule: ruleAnchor(f.Rule.ID), ID: f.Rule.ID, Stores: strings.Join(f.Stores, ", ") + newness(r, f), Stage: f.Rule.Stage, Who: f.Rule.Role(), More: f.More}
	p := &printer{}
	for n, x := range f.Faults {
		if n == maxPagePlaces {
			v.More += len(f.Faults) - n
			break
		}
		place := pagePlace{At: p.short(r, x.At).Exact()}
		if x.Say != first.Say {
			place.Say = x.Say
		}
		if place.At != "" || place.Say != "" {
			v.Places = append(v.Places, place)
		}
	}
	var then, with []string
	for _, x := range first.Raises {
		then = append(then, fmt.Sprintf("%s (from %d)", x.Rule.ID, x.At))
	}
	for _, w := range f.With {
		with = append(with, w.Rule.ID)
	}
	v.Then, v.With = strings.Join(then, ", "), strings.Join(with, ", ")
	return v
}

// calculations are the forms on data and the ratings.
func (h *htmlWriter) calculations(x *pageItem, r *check.Result) {
	for _, s := range NewDisclosureDocument(r).Stores {
		d := pageData{Name: s.Name, None: "No data leaves the device."}
		if !s.Form.Answered {
			d.None = "Which data leaves the device is not answered."
		}
		for _, row := range s.Form.Rows {
			words := answersOn(s.Form, row)
			if len(row.Open) > 0 {
				words = append(words, "not answered: "+strings.Join(row.Open, ", "))
			}
			d.Rows = append(d.Rows, pageDataRow{Kind: row.Kind, Answer: strings.Join(words, ", "), For: strings.Join(row.Purposes, ", "), By: strings.Join(row.By, ", "), Seen: signs(row.Implied)})
		}
		for _, m := range s.Form.Missing {
			if !m.Access {
				d.Rows = append(d.Rows, pageDataRow{Kind: m.Kind, By: strings.Join(collectors(m.Implied), ", "), Seen: signs(m.Implied), Missing: true})
			}
		}
		x.Data = append(x.Data, d)
	}
	for _, s := range r.Stores {
		if s.Rating == nil {
			continue
		}
		t := pageRating{Name: s.Name}
		for _, l := range s.Rating.Labels {
			var because []string
			for _, b := range l.Because {
				because = append(because, b.Question+": "+b.Answer)
			}
			t.Labels = append(t.Labels, struct{ Label, Where, Because string }{l.Label, region(l), strings.Join(slices.Compact(because), ", ")})
		}
		x.Ratings = append(x.Ratings, t)
	}
}

// extra is what a result alone does not hold.
func (h *htmlWriter) extra(x *pageItem, i *Item) {
	e := i.Extra
	if e == nil {
		return
	}
	x.Sheet, x.NoSheet = e.Sheet, e.NoSheet
	x.Ahead = NewCalendarDocument(i.Result.App, i.Result.Day.String(), e.Ahead)
	if e.Since != nil {
		for _, s := range e.Since.Stores {
			v := pageSince{Name: s.Name, Version: e.Since.Old}
			for n, c := range s.Changes {
				if n == maxSince {
					v.More = len(s.Changes) - n
					break
				}
				v.Rows = append(v.Rows, pageDifference{c.How, c.Kind, c.said(), c.Duty})
			}
			x.Since = append(x.Since, v)
		}
	}
	for _, s := range e.Sizes {
		v := pageSizes{Name: s.Name, Package: sanitize.Text(filepath.Base(s.Weight.Package.File)) + ", " + size(s.Weight.Weight.Package)}
		var b bytes.Buffer
		if err := Treemap(&b, s.Weight.Weight, 1100, 420); err == nil {
			v.Map = template.HTML(b.String())
		}
		for _, d := range s.Weight.Devices {
			if d.Fits {
				v.Devices = append(v.Devices, struct{ What, Download, Installed string }{d.What, size(d.Download), size(d.Installed)})
			}
		}
		for _, t := range s.Weight.Hints {
			v.Hints = append(v.Hints, fmt.Sprintf("%s could be saved: %s. %s", size(t.Saves), t.What, t.Fix))
		}
		x.Sizes = append(x.Sizes, v)
	}
}
