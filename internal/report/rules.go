package report

import (
	"cmp"
	"fmt"
	"io"
	"regexp"
	"slices"
	"strings"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/letter"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/sanitize"
	"regola.example/regola/internal/core/store"
	"regola.example/regola/internal/core/tables"
)

// RulesDocument is the JSON form of the list of rules.
type RulesDocument struct {
	Regola int64       `json:"regola"`
	Rules  []RuleEntry `json:"rules"`
}

// RuleEntry is one rule of the list.
type RuleEntry struct {
	ID         string `json:"id"`
	Title      string `json:"title"`
	Why        string `json:"why"` // what the store wants with it
	Fix        string `json:"fix"` // what to change; … stands for what depends on the package
	Store      string `json:"store"`
	Stage      string `json:"stage"`
	Who        string `json:"who"` // who does what it asks for: developer, writer, designer or owner
	Impact     string `json:"impact"`
	Level      string `json:"level"`
	From       string `json:"from,omitempty"`
	Until      string `json:"until,omitempty"`
	Topic      string `json:"topic"`
	Checked    string `json:"checked"`
	Confidence string `json:"confidence"`
	File       string `json:"file"`
	Line       int64  `json:"line"`
}

// NewRulesDocument puts rules into their JSON form.
func NewRulesDocument(rules []*rulebook.Rule) *RulesDocument {
	d := &RulesDocument{Regola: FormatNumber, Rules: []RuleEntry{}}
	for _, r := range rules {
		e := RuleEntry{ID: r.ID, Title: r.Title, Why: r.Why, Fix: PlainTemplate(r.Fix.Src), Store: r.Book.Store, Stage: r.Stage, Who: r.Role(), Impact: impactWord(r),
			Level: string(r.Fixed().Level()), Topic: r.Basis.Topic, Checked: r.Basis.Checked.String(),
			Confidence: r.Basis.Confidence, File: r.Self().File, Line: int64(r.Self().Line)}
		if r.From != nil {
			e.From = r.From.String()
		}
		if r.Until != nil {
			e.Until = r.Until.String()
		}
		d.Rules = append(d.Rules, e)
	}
	return d
}

// RulesTable lists rules by stage.
func RulesTable(w io.Writer, rules []*rulebook.Rule, look Style) error {
	p := &printer{w: w, look: look}
	widest := 0
	for _, r := range rules {
		widest = max(widest, len(r.ID))
	}
	stage := ""
	for _, r := range rules {
		if r.Stage != stage {
			if stage != "" {
				p.line("")
			}
			stage = r.Stage
			p.line("%s", p.strong(strings.ToUpper(stage)))
		}
		style := styleImpact[r.Fixed()]
		head := "  " + look.paint(style, pad(impactWord(r), impactWidth)) + shown(pad(sanitize.Text(r.ID), widest+2))
		room := look.Columns() - 2 - impactWidth - widest - 2
		for i, l := range strings.Split(wrap(sanitize.Text(r.Title), room), "\n") {
			if i > 0 {
				head = shown(strings.Repeat(" ", 2+impactWidth+widest+2))
			}
			p.line("%s%s", head, l)
		}
	}
	p.line("")
	p.line("%s; %s", Count(len(rules), "rule", "rules"), `"regola explain RULE" tells what one wants and why`)
	return p.err
}

// impactWord is the impact in lists: of a rule whose items differ in it, that
// it varies.
func impactWord(r *rulebook.Rule) string {
	if i := r.Fixed(); i != "" {
		return string(i)
	}
	return "varies"
}

// storeName is how texts call the store of a rulebook.
func storeName(id string, stores []*store.Store) string {
	for _, s := range stores {
		if s.ID == id {
			return s.Name
		}
	}
	if id == rulebook.All {
		return "every store"
	}
	return id
}

// impactText says what a store does about an impact.
var impactText = map[rulebook.Impact]string{
	rulebook.Refused:  "the upload is refused",
	rulebook.Blocked:  "the submission cannot be sent to review",
	rulebook.Rejected: "a reviewer is likely to send it back",
	rulebook.Reach:    "fewer people are offered the app",
	rulebook.Craft:    "accepted, but not well made",
}

// impactWidth is the column of the impact in lists.
const impactWidth = 10

// Explained is a rule with all that is said of it.
type Explained struct {
	Rule   *rulebook.Rule
	Needs  []string // parts of the submission that it looks at
	On     day.Day
	Rows   []RowMatch  // of words that match a text; nil when nobody asked
	Cited  []string    // numbers and names under which stores cite it
	Tables *tables.Set // which say what limits are
}

// Explain says what a rule wants, why, since when, and how it is judged; and, where a text
// was held against it, the rows of words that match (found is nil where none was).
func Explain(w io.Writer, x Explained, stores []*store.Store, look Style) error {
	r, on, found := x.Rule, x.On, x.Rows
	p := &printer{w: w, look: look}
	p.line("%s", p.strong(r.Title))
	p.line("%s", p.dim(r.ID))
	p.line("")
	row := func(label, text string) {
		if text != "" {
			p.block(2, pad(label, 12), styleDim, text, nil)
		}
	}
	row("why", r.Why)
	row("fix", PlainTemplate(r.Fix.Src))
	row("cited as", strings.Join(x.Cited, ", "))
	row("store", storeName(r.Book.Store, stores))
	row("stage", r.Stage)
	row("work of", r.Role())
	if impact := r.Fixed(); impact != "" {
		row("if broken", fmt.Sprintf("%s: %s", impact, impactText[impact]))
		if f := r.Impact.Fixed; f != "" && f != impact {
			row("", "would be "+string(f)+" if it were certain")
		}
	} else {
		row("if broken", "depends on the item: "+r.Impact.By.Src)
	}
	switch {
	case r.From != nil && on.Before(r.From.Time):
		row("in force", "from "+r.From.Long()+", not yet")
	case r.Until != nil && on.After(r.Until.Time):
		row("in force", "ended on "+r.Until.Long())
	case r.From != nil:
		row("in force", "since "+r.From.Long())
	}
	if r.Ask.Src != "" {
		row("asks", PlainTemplate(r.Ask.Src))
	}
	if r.Duty != nil {
		row("duty", PlainTemplate(r.Duty.What.Src)+" (write "+PlainTemplate(r.Duty.Write.Src)+")")
	}
	if len(r.After) > 0 {
		row("follows", "from "+strings.Join(r.After, ", ")+", when that is broken too")
	}
	p.limits(r, on, x.Tables)
	p.line("")
	p.line("%s", p.strong("BASIS"))
	row("about", r.Basis.Topic)
	checked := r.Basis.Checked.Long()
	if r.Basis.Checked.AddDate(0, 0, check.MaxEditionAge).Before(on.Time) {
		checked += fmt.Sprintf(", more than %d days before %s: stores change something every month", check.MaxEditionAge, on.Long())
	}
	row("checked", checked)
	sure := r.Basis.Confidence
	switch sure {
	case "medium":
		sure += ": verify it with the store's own documents before you rely on it"
	case "low":
		sure += ": not certain, so it is never more than a note"
	}
	row("confidence", sure)
	if r.Basis.DateConfidence != "" && r.Basis.DateConfidence != "high" {
		row("", "some of its dates are uncertain by days")
	}
	row("note", r.Basis.Note)
	p.line("")
	p.line("%s", p.strong("JUDGED BY"))
	row("looks at", strings.Join(x.Needs, ", "))
	row("when", r.When.Src)
	row("each", r.Each.Src)
	row("faults", r.Faults.Src)
	row("expect", r.Expect.Src)
	row("confirm", r.Confirm)
	row("in", r.Self().String())
	if found == nil {
		return p.err
	}
	p.line("")
	p.line("%s", p.strong("ROWS THAT MATCH"))
	if len(found) == 0 {
		p.line("  none: no row of these kinds of words matches the text in this language and field")
	}
	for _, h := range found {
		row("words", fmt.Sprintf("%q: %s, certainty %s", h.Words, h.What, h.Certainty))
		row("looks for", cmp.Or(strings.Join(h.Stems, ", "), h.Pattern))
		row("only near", strings.Join(h.Near, ", "))
		row("not near", strings.Join(h.Apart, ", "))
		row("in texts", strings.Join(h.Fields, ", "))
		row("row", h.Row)
	}
	return p.err
}

// ExplainDocument is the JSON form of one rule, explained as of a day.
type ExplainDocument struct {
	Regola  int64        `json:"regola"` // version of this form
	On      string       `json:"on"`     // the day
	Rule    RuleEntry    `json:"rule"`
	Note    string       `json:"note"` // on what it rests
	When    string       `json:"when"`
	Each    string       `json:"each"`
	Faults  string       `json:"faults"`
	Expect  string       `json:"expect"`
	Confirm string       `json:"confirm"`
	Looks   []string     `json:"looks_at"` // parts of the submission
	Cited   []string     `json:"cited_as"` // numbers and names under which stores cite it
	Limits  []LimitEntry `json:"limits"`
	Rows    []RowMatch   `json:"rows,omitempty"` // of words that match the text of --text
}

// RowMatch is a row of words that matches a text.
type RowMatch struct {
	Words     string   `json:"words"` // as they stand in the text
	Kind      string   `json:"kind"`
	What      string   `json:"what"`
	Certainty string   `json:"certainty"`
	Stems     []string `json:"stems,omitempty"`
	Pattern   string   `json:"pattern,omitempty"`
	Near      []string `json:"near,omitempty"`
	Apart     []string `json:"apart,omitempty"`
	Fields    []string `json:"fields,omitempty"`
	Row       string   `json:"row"` // its file, line and column
}

// LimitEntry is a limit that a rule uses, with its history.
type LimitEntry struct {
	Name   string      `json:"name"`
	Title  string      `json:"title"` // what it is, in words
	Values []LimitStep `json:"values"`
}

// LimitStep is a value of a limit and the day from which it holds.
type LimitStep struct {
	From  string `json:"from"`
	Value string `json:"value"`
	Now   bool   `json:"now"` // it holds on the day
}

// NewExplainDocument puts a rule into its JSON form.
func NewExplainDocument(x Explained) *ExplainDocument {
	r, on := x.Rule, x.On
	d := &ExplainDocument{Regola: FormatNumber, On: on.String(), Rule: NewRulesDocument([]*rulebook.Rule{r}).Rules[0], Note: r.Basis.Note,
		When: r.When.Src, Each: r.Each.Src, Faults: r.Faults.Src, Expect: r.Expect.Src, Confirm: r.Confirm, Looks: none(x.Needs), Cited: none(x.Cited), Limits: []LimitEntry{}}
	for _, name := range usedLimits(r) {
		l := LimitEntry{Name: name, Title: x.Tables.LimitTitle(name)}
		for _, v := range r.Book.Limits[name] {
			l.Values = append(l.Values, LimitStep{v.From.String(), limitText(v), v == r.Book.On(name, on)})
		}
		d.Limits = append(d.Limits, l)
	}
	d.Rows = x.Rows
	return d
}

// limitText is a limit's value in words.
func limitText(v *rulebook.Value) string {
	list, ok := v.Value.([]any)
	if !ok {
		return fmt.Sprint(v.Value)
	}
	parts := make([]string, len(list))
	for i, it := range list {
		parts[i] = fmt.Sprint(it)
	}
	return strings.Join(parts, ", ")
}

// usedLimits lists the limits that a rule's conditions name.
func usedLimits(r *rulebook.Rule) []string {
	uses := r.When.Src + " " + r.Each.Src + " " + r.Faults.Src + " " + r.Expect.Src + " " + r.Say.Src
	var names []string
	for name := range r.Book.Limits {
		if regexp.MustCompile(`\blimit(_since)?\.` + regexp.QuoteMeta(name) + `\b`).MatchString(uses) {
			names = append(names, name)
		}
	}
	slices.Sort(names)
	return names
}

// limits shows the history of the limits that a rule uses.
func (p *printer) limits(r *rulebook.Rule, on day.Day, set *tables.Set) {
	for _, name := range usedLimits(r) {
		p.line("")
		p.line("%s %s", p.strong("LIMIT  "+capital(set.LimitTitle(name))), p.dim(name))
		now := r.Book.On(name, on)
		for _, v := range r.Book.Limits[name] {
			text, style := limitText(v), styleDim
			if v.DateConfidence != "" && v.DateConfidence != "high" {
				text += "  (day uncertain)"
			}
			if v == now {
				text, style = text+"  ← now", styleStrong
			}
			p.block(2, pad("from "+v.From.Long(), 26), styleDim, text, style)
		}
	}
}

// PlainTemplate shows a template with its expressions as gaps; one that chooses
// between texts as these.
func PlainTemplate(s string) string {
	var out strings.Builder
	for s != "" {
		open := strings.IndexByte(s, '{')
		if open < 0 {
			break
		}
		out.WriteString(strings.ReplaceAll(s[:open], "}}", "}"))
		if strings.HasPrefix(s[open:], "{{") { // a brace of the text itself
			out.WriteByte('{')
			s = s[open+2:]
			continue
		}
		inside, rest, texts := expression(s[open+1:])
		if strings.Contains(inside, "?") && len(texts) > 1 {
			out.WriteString(strings.Join(texts, " / "))
		} else {
			out.WriteString("…")
		}
		s = rest
	}
	return out.String() + strings.ReplaceAll(s, "}}", "}")
}

// leastText is how long a text in an expression is to be shown by itself.
const leastText = 12

// expression parts a text behind the brace that closes an expression, and gives the
// longer texts in it.
func expression(s string) (inside, rest string, texts []string) {
	depth, start := 1, -1
	for i := 0; i < len(s); i++ {
		switch c := s[i]; {
		case start >= 0 && c == '\\':
			i++
		case c == '"' && start < 0:
			start = i + 1
		case c == '"':
			if text := s[start:i]; len(text) >= leastText {
				texts = append(texts, strings.ReplaceAll(text, `\"`, `"`))
			}
			start = -1
		case start >= 0:
		case c == '{':
			depth++
		case c == '}':
			if depth--; depth == 0 {
				return s[:i], s[i+1:], texts
			}
		}
	}
	return s, "", texts
}

// CitedDocument is what a number means under which a store cites something.
type CitedDocument struct {
	Regola int64        `json:"regola"` // version of this form
	Code   string       `json:"code" doc:"as it was asked for"`
	Rows   []CitedEntry `json:"rows"`
}

// CitedEntry is one reason for which a store sends something back.
type CitedEntry struct {
	ID       string   `json:"id"`
	Store    string   `json:"store"`
	Code     string   `json:"code" doc:"the number or name under which the store cites it"`
	Topic    string   `json:"topic"`
	Rules    []string `json:"rules" doc:"that judge it, or would have found it"`
	Remedy   string   `json:"remedy"`
	NewBuild string   `json:"new_build" doc:"yes, no or depends"`
}

// NewCitedDocument puts the rows that a number means into their JSON form.
func NewCitedDocument(code string, rows []*letter.Row) *CitedDocument {
	d := &CitedDocument{Regola: FormatNumber, Code: code, Rows: []CitedEntry{}}
	for _, r := range rows {
		d.Rows = append(d.Rows, CitedEntry{r.ID, r.Store, r.Code, r.Topic, none(r.Rules), r.Remedy, r.NewBuild})
	}
	return d
}

// ExplainCited says what a number means under which a store cites something, and which rules
// look at it.
func ExplainCited(w io.Writer, code string, rows []*letter.Row, rules []*rulebook.Rule, stores []*store.Store, look Style) error {
	p := &printer{w: w, look: look}
	p.line("%s", p.strong(code+", as stores cite it"))
	for _, r := range rows {
		p.line("")
		p.block(0, "", nil, capital(r.Topic), styleStrong)
		row := func(label, text string) {
			if text != "" {
				p.block(2, pad(label, 12), styleDim, text, nil)
			}
		}
		row("cited as", r.Code)
		row("store", storeName(r.Store, stores))
		row("do", r.Remedy)
		row("build", building(r.NewBuild))
		for i, id := range r.Rules {
			title := ""
			for _, x := range rules {
				if x.ID == id {
					title = x.Title
				}
			}
			row(map[bool]string{true: "rules", false: ""}[i == 0], id+": "+title)
		}
		if len(r.Rules) == 0 {
			row("rules", "none: a person, or a running app, shows it")
		}
	}
	return p.err
}

// LimitDocument is a limit of the rulebooks, explained as of a day.
type LimitDocument struct {
	Regola int64       `json:"regola"` // version of this form
	On     string      `json:"on"`
	Name   string      `json:"name"`
	Title  string      `json:"title"`
	Books  []LimitBook `json:"books"`
	Rules  []string    `json:"rules" doc:"that use it"`
}

// LimitBook is the history of a limit in the rulebooks of one store, or of all.
type LimitBook struct {
	Store  string      `json:"store"`
	Values []LimitStep `json:"values"`
}

// NewLimitDocument puts a limit into its JSON form. rules are those that use it.
func NewLimitDocument(name string, rules []*rulebook.Rule, set *tables.Set, on day.Day) *LimitDocument {
	d := &LimitDocument{Regola: FormatNumber, On: on.String(), Name: name, Title: set.LimitTitle(name), Books: []LimitBook{}, Rules: []string{}}
	seen := map[*rulebook.Value]bool{}
	for _, r := range rules {
		d.Rules = append(d.Rules, r.ID)
		values := r.Book.Limits[name]
		if len(values) == 0 || seen[values[0]] {
			continue
		}
		seen[values[0]] = true
		b := LimitBook{Store: r.Book.Store, Values: []LimitStep{}}
		for _, v := range values {
			b.Values = append(b.Values, LimitStep{v.From.String(), limitText(v), v == r.Book.On(name, on)})
		}
		d.Books = append(d.Books, b)
	}
	return d
}

// ExplainLimit says what a limit is, what it was and becomes, and which rules use it.
func ExplainLimit(w io.Writer, d *LimitDocument, stores []*store.Store, rules []*rulebook.Rule, look Style) error {
	p := &printer{w: w, look: look}
	p.line("%s", p.strong(capital(d.Title)))
	p.line("%s", p.dim(d.Name))
	for _, b := range d.Books {
		p.line("")
		p.block(2, pad("store", 12), styleDim, storeName(b.Store, stores), nil)
		for _, v := range b.Values {
			text, style := v.Value, styleDim
			if v.Now {
				text, style = text+"  ← now", styleStrong
			}
			p.block(2, pad("from "+v.From, 18), styleDim, text, style)
		}
	}
	p.line("")
	for i, id := range d.Rules {
		title := ""
		for _, r := range rules {
			if r.ID == id {
				title = r.Title
			}
		}
		p.block(2, pad(map[bool]string{true: "used by"}[i == 0], 12), styleDim, id+": "+title, nil)
	}
	return p.err
}

// LimitUsers are the rules that use a limit.
func LimitUsers(name string, rules []*rulebook.Rule) (out []*rulebook.Rule) {
	for _, r := range rules {
		if slices.Contains(usedLimits(r), name) {
			out = append(out, r)
		}
	}
	return out
}
