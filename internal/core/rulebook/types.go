// Package rulebook holds rules as data: YAML whose conditions are written in
// CEL, the Common Expression Language. It reads them and checks their form;
// package check compiles and judges them. A rule of a team's own has the same
// means and the same duties as a built-in one.
package rulebook

import (
	"cmp"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"go.yaml.in/yaml/v3"

	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/didyoumean"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/strictyaml"
	"regola.example/regola/internal/core/submission"
)

// Impact is what the store would do about a broken rule.
type Impact string

// The impacts, from the gravest on.
const (
	Refused  Impact = "refused"  // the upload is not accepted
	Blocked  Impact = "blocked"  // the submission cannot be sent to review
	Rejected Impact = "rejected" // a reviewer is likely to send it back
	Reach    Impact = "reach"    // fewer people are offered the app
	Craft    Impact = "craft"    // accepted, but not well made
)

// Impacts lists all impacts, the gravest first.
var Impacts = []Impact{Refused, Blocked, Rejected, Reach, Craft}

// Level is how SARIF ranks a finding.
type Level string

// The levels of SARIF 2.1.0 that findings use.
const (
	Error   Level = "error"
	Warning Level = "warning"
	Note    Level = "note"
)

// Level follows from the impact.
func (i Impact) Level() Level {
	switch i {
	case Refused, Blocked:
		return Error
	case Rejected, Reach:
		return Warning
	}
	return Note
}

// Stages lists the stages in the order in which people go through them.
var Stages = []string{"package", "graphics", "listing", "declarations", "release", "review"}

// Roles are the people among whom the work on a release is divided: who builds it, writes its
// texts, draws its pictures, and answers for it.
var Roles = []string{"developer", "writer", "designer", "owner"}

// stageRoles are who does what rules of a stage ask for, where the rule does not say it.
var stageRoles = map[string]string{"package": "developer", "graphics": "designer", "listing": "writer", "declarations": "owner", "release": "owner", "review": "owner"}

// Role is who does what the rule asks for, one of Roles.
func (r *Rule) Role() string { return cmp.Or(r.Who, stageRoles[r.Stage]) }

// All is the store of rules that hold for every store.
const All = "all"

// Book is one rulebook file.
type Book struct {
	fact.Mark `json:"-"`
	Name      string              `json:"rulebook" need:"its name, the first part of its rules' ids" like:"^[a-z][a-z0-9-]*$" hint:"small letters, digits and hyphens"`
	Store     string              `json:"store" need:"the store it judges for: android, ios, or all" like:"^[a-z][a-z0-9-]*$" hint:"a store's id, or all"`
	Edition   day.Day             `json:"edition" need:"the day on which it was last gone through"`
	Limits    map[string][]*Value `json:"limits"`
	Notes     []*Annotation       `json:"notes"`
	Rules     []*Rule             `json:"rules"`
	File      string              `json:"-"`
}

// For tells whether the book judges for a store.
func (b *Book) For(store string) bool { return b.Store == All || b.Store == store }

// Annotation is what stands beside a fact when facts are shown: a bound of today,
// such as the target level that uploads need. It judges nothing, and sees facts and
// the limits of its book only.
type Annotation struct {
	fact.Mark `json:"-"`
	Of        string   `json:"of" need:"the fact, such as pkg.android.manifest.target_level" like:"^pkg[.][a-z_.]+$" hint:"a field of the package"`
	When      Expr     `json:"when"`
	Say       Template `json:"say" need:"what stands beside it"`
}

// Value is a limit's value from a day on.
type Value struct {
	fact.Mark      `json:"-"`
	From           day.Day  `json:"from" need:"the first day on which it holds"`
	Until          *day.Day `json:"until"` // the last day, when nothing follows
	Value          any      `json:"value" need:"a number, a text, true or false, or a list of texts"`
	DateConfidence string   `json:"date_confidence" enum:"high|medium|low"`
}

// Rule is one rule.
type Rule struct {
	fact.Mark `json:"-"`
	ID        string   `json:"id" need:"rulebook/topic, stable" like:"^[a-z][a-z0-9-]*/[a-z][a-z0-9-]*$" hint:"rulebook/topic in small letters, digits and hyphens"`
	Title     string   `json:"title" need:"what holds when the rule is kept"`
	Why       string   `json:"why"` // what the store wants with it, and what happens otherwise
	Stage     string   `json:"stage" need:"when it matters" enum:"package|graphics|listing|declarations|release|review"`
	Who       string   `json:"who" enum:"|developer|writer|designer|owner"` // who does what it asks for; follows from the stage when it is not given
	Impact    ImpactBy `json:"impact" need:"what the store would do: refused, blocked, rejected, reach, craft, or a condition that gives one of them"`
	Channels  []string `json:"channels" enum:"public|open-test|invited-test|team-test"` // to whom a release goes that it concerns; empty for those that need its stage
	From      *day.Day `json:"from"`                                                    // first day on which it binds
	Until     *day.Day `json:"until"`                                                   // last day
	When      Expr     `json:"when"`                                                    // whether it applies; empty for always
	Each      Expr     `json:"each"`                                                    // a list; the rule is judged once an item, which is named it
	Faults    Expr     `json:"faults"`                                                  // in the place of each and expect: a list of which every item is a fault
	Expect    Expr     `json:"expect"`                                                  // what must hold
	Ask       Template `json:"ask"`                                                     // in the place of expect: what a person must confirm
	Confirm   string   `json:"confirm" like:"^[a-z][a-z0-9-]*$" hint:"small letters, digits and hyphens"`
	At        Expr     `json:"at"` // the field that is at fault
	Say       Template `json:"say"`
	Seen      Template `json:"seen"`  // the evidence
	After     []string `json:"after"` // rules of which this one, when they are broken too, is a consequence
	// Ends is for a package that is no release of the app, such as a part of one: when the
	// rule is broken, what other rules of the stage package find follows from it, and nothing
	// of the package is asked; with all, nothing else is judged at all.
	Ends     string     `json:"ends" enum:"|package|all"`
	Raise    *Raise     `json:"raise"` // what else would be found if the field were raised
	Duty     *Duty      `json:"duty"`  // what a release must answer, declare or hand in because of what the rule looks at
	Fix      Template   `json:"fix" need:"what to change"`
	Edits    []*Edit    `json:"edits"` // how what it finds is corrected, as far as only one text can be meant
	Basis    Basis      `json:"basis" need:"what it rests on"`
	Examples []*Example `json:"examples"`
	Book     *Book      `json:"-"`
}

// Raise makes a broken rule tell which others would apply when a
// number is raised to what it asks for.
type Raise struct {
	fact.Mark `json:"-"`
	Field     string `json:"field" need:"the field, such as pkg.android.manifest.target_level" like:"^pkg[.][a-z_.]+$" hint:"a field of the package"`
	To        Expr   `json:"to" need:"the number to which it is raised"`
}

// Edit corrects a text of the dossier, or the name of its file.
type Edit struct {
	fact.Mark `json:"-"`
	Of        Expr `json:"of" need:"the text, such as it.name; with rename what stands in the file"`
	To        Expr `json:"to" need:"the text that it becomes; the same when there is nothing to correct"`
	Rename    bool `json:"rename"` // to is the name of the file, without its folder
}

// Duty is what a rule makes people answer, declare or hand in: once an item of
// each, or once.
type Duty struct {
	fact.Mark `json:"-"`
	What      Template `json:"what" need:"what is asked, in a few words"`
	Because   Template `json:"because"` // the evidence for which it is asked; empty for what every release is asked
	Write     Template `json:"write" need:"where the dossier answers it, such as answers.ads"`
	Act       string   `json:"act" enum:"answer|declare|host|hand-in"` // what is to be done; follows from the place when it is not given
}

// Basis is what a rule rests on.
type Basis struct {
	fact.Mark      `json:"-"`
	Topic          string  `json:"topic" need:"the subject of the store's requirement"`
	Checked        day.Day `json:"checked"` // the day on which it was last looked at; the edition's when it is not given
	Confidence     string  `json:"confidence" need:"how sure it is" enum:"high|medium|low"`
	DateConfidence string  `json:"date_confidence" enum:"high|medium|low"`
	Note           string  `json:"note"`
}

// Example is a submission on which the rule's verdict is known.
type Example struct {
	fact.Mark `json:"-"`
	Given     submission.Submission `json:"given"`
	On        *day.Day              `json:"on"`
	Breaks    string                `json:"breaks" need:"true, false, asks where a person must confirm it, or unknown when it cannot be judged" enum:"true|false|asks|unknown"`
	Says      string                `json:"says"` // what the finding must say
}

// ImpactBy is a rule's impact: one of the five, or a condition over the item
// that gives one, for tables whose rows differ in it.
type ImpactBy struct {
	Fixed Impact
	By    Expr
}

// DecodeNode implements strictyaml.NodeDecoder.
func (i *ImpactBy) DecodeNode(d *strictyaml.Decoder, n *yaml.Node) {
	text, at := scalarText(d, n)
	if slices.Contains(Impacts, Impact(text)) {
		i.Fixed = Impact(text)
		return
	}
	if isWord.MatchString(text) {
		words := make([]string, len(Impacts))
		for k, w := range Impacts {
			words[k] = string(w)
		}
		fix := "write one of: " + strings.Join(words, ", ")
		if near := didyoumean.Nearest(text, words); near != "" {
			fix = fmt.Sprintf("did you mean %q? The choices are: %s", near, strings.Join(words, ", "))
		}
		d.Fail(n, fix, "%q is not an impact", text)
		return
	}
	i.By = Expr{Src: text, At: at}
}

var isWord = regexp.MustCompile(`^[A-Za-z-]*$`)

// Fixed is the impact that every finding of the rule has, or "" when it
// depends on the item. A rule that is not certain warns at most as craft.
func (r *Rule) Fixed() Impact {
	if r.Basis.Confidence == "low" {
		return Craft
	}
	return r.Impact.Fixed
}

// InForce reports whether a rule binds on a day at all.
func (r *Rule) InForce(on day.Day) bool { return on.Between(r.From, r.Until) }

// Expr is a CEL expression with its place.
type Expr struct {
	Src string
	At  place.Place
}

// DecodeNode implements strictyaml.NodeDecoder.
func (e *Expr) DecodeNode(d *strictyaml.Decoder, n *yaml.Node) {
	e.Src, e.At = scalarText(d, n)
}

// Template is a text with CEL expressions in braces.
type Template struct {
	Src string
	At  place.Place
}

// DecodeNode implements strictyaml.NodeDecoder.
func (t *Template) DecodeNode(d *strictyaml.Decoder, n *yaml.Node) {
	t.Src, t.At = scalarText(d, n)
}

// scalarText gives the text of a scalar and the place of its first character.
func scalarText(d *strictyaml.Decoder, n *yaml.Node) (string, place.Place) {
	at := d.Place(n)
	if n.Kind != yaml.ScalarNode {
		d.Fail(n, "write it as one text, in quotes when it holds a colon, a brace or a #", "expected a text")
		return "", at
	}
	switch n.Style {
	case yaml.SingleQuotedStyle, yaml.DoubleQuotedStyle:
		at.Column++
	case yaml.LiteralStyle, yaml.FoldedStyle:
		at.Line++
		at.Column = 1
	}
	return strings.TrimSpace(n.Value), at
}

// Load reads a rulebook whole and checks its form. Package check compiles what
// is written in it. The problems tell everything that is wrong at once.
func Load(file string, data []byte) (*Book, place.Problems) {
	y, ps := strictyaml.Parse(file, data)
	if y == nil {
		return &Book{File: file}, ps
	}
	y.Walk(repeat)
	b, more := load(y, true)
	return b, append(ps, more...)
}

// maxRepeat bounds the characters of a repeated text.
const maxRepeat = 1 << 16

// repeat writes out the short form of a long value in an example:
// !repeat [a, 4001] is a text of 4001 letters a, !repeat [[a], 51] a list of 51.
func repeat(n *yaml.Node) {
	if n.Tag != "!repeat" || n.Kind != yaml.SequenceNode || len(n.Content) != 2 {
		return
	}
	what, times := n.Content[0], n.Content[1]
	count, err := strconv.Atoi(times.Value)
	if err != nil || count < 0 || count*max(len(what.Value), len(what.Content)) > maxRepeat {
		return
	}
	if what.Kind != yaml.SequenceNode {
		n.SetString(strings.Repeat(what.Value, count))
		return
	}
	n.Tag, n.Content = what.Tag, slices.Repeat(what.Content, count)
}

// Decode makes a rulebook from a parsed document from which the examples were
// taken out after they were run. For the built-in ones.
func Decode(y *strictyaml.Document) (*Book, place.Problems) { return load(y, false) }

func load(y *strictyaml.Document, examples bool) (*Book, place.Problems) {
	b := &Book{File: y.File}
	ps := y.Decode(b)
	seen := map[string]bool{}
	for _, r := range b.Rules {
		r.Book = b
		if r.Basis.Checked.IsZero() {
			r.Basis.Checked = b.Edition
		}
		ps = append(ps, r.form(seen, examples)...)
		seen[r.ID] = true
	}
	return b, append(ps, b.limitProblems()...)
}

// form checks that a rule has the parts it needs.
func (r *Rule) form(seen map[string]bool, examples bool) (ps place.Problems) {
	if r.ID == "" {
		return nil // reported before
	}
	fail := func(field, what, fix string) {
		ps = append(ps, &place.Problem{At: r.Field(field), What: r.ID + ": " + what, Fix: fix})
	}
	if prefix, _, _ := strings.Cut(r.ID, "/"); prefix != r.Book.Name {
		fail("id", fmt.Sprintf("the id does not begin with the rulebook's name %q", r.Book.Name), "write "+r.Book.Name+"/…")
	}
	if seen[r.ID] {
		fail("id", "the id occurs twice", "give one of the two another")
	}
	judges := r.Expect.Src != "" || r.Faults.Src != ""
	switch {
	case !judges && r.Ask.Src == "":
		fail("id", "it neither expects nor asks anything", "add expect:, faults: or ask:")
	case judges && r.Ask.Src != "":
		fail("ask", "it both expects and asks", "keep one of the two")
	case r.Faults.Src != "" && (r.Each.Src != "" || r.Expect.Src != ""):
		fail("faults", "faults: stands in the place of each: and expect:", "keep faults: alone, or the other two")
	case r.Ask.Src != "" && r.Confirm == "":
		fail("ask", "a question needs the word that confirms it", "add confirm: such as tested-on-device")
	case judges && r.Say.Src == "":
		fail("id", "it does not say what was found", "add say:")
	}
	if (judges || r.Ask.Src != "" && r.When.Src != "") && examples {
		var broken, kept bool
		for _, e := range r.Examples {
			broken, kept = broken || e.Breaks == "true" || e.Breaks == "asks" || r.Duty != nil && e.Breaks == "unknown", kept || e.Breaks == "false"
		}
		if !broken || !kept {
			fail("id", "it needs an example that breaks it and one that does not", "add both under examples:")
		}
	}
	return ps
}
