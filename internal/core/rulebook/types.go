// Package rulebook loads rules, checks their types, and evaluates them. Rules
// are data: YAML whose conditions are written in CEL, the Common Expression
// Language. A rule of a team's own has the same means as a built-in one.
package rulebook

import (
	"fmt"
	"strings"

	"go.yaml.in/yaml/v3"

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

// Book is one rulebook file.
type Book struct {
	place.Mark `json:"-"`
	Name       string              `json:"rulebook" need:"its name, the first part of its rules' ids" like:"^[a-z][a-z0-9-]*$" hint:"small letters, digits and hyphens"`
	Store      string              `json:"store" enum:"android|ios|both" need:"the store it judges for"`
	Edition    strictyaml.Day      `json:"edition" need:"the day on which it was last gone through"`
	Limits     map[string][]*Value `json:"limits"`
	Rules      []*Rule             `json:"rules"`
	File       string              `json:"-"`
	BuiltIn    bool                `json:"-"` // its texts were compiled by the test suite and need not be again
	types      *limitTypes
}

// Value is a limit's value from a day on.
type Value struct {
	place.Mark     `json:"-"`
	From           strictyaml.Day  `json:"from" need:"the first day on which it holds"`
	Until          *strictyaml.Day `json:"until"` // the last day, when nothing follows
	Value          any             `json:"value" need:"a number, a text, true or false, or a list of texts"`
	DateConfidence string          `json:"date_confidence" enum:"high|medium|low"`
}

// Rule is one rule.
type Rule struct {
	place.Mark `json:"-"`
	ID         string          `json:"id" need:"rulebook/topic, stable for ever" like:"^[a-z][a-z0-9-]*/[a-z][a-z0-9-]*$" hint:"rulebook/topic in small letters, digits and hyphens"`
	Title      string          `json:"title" need:"what holds when the rule is kept"`
	Stage      string          `json:"stage" need:"when it matters" enum:"package|graphics|listing|declarations|release|review"`
	Impact     Impact          `json:"impact" need:"what the store would do" enum:"refused|blocked|rejected|reach|craft"`
	From       *strictyaml.Day `json:"from"`  // first day on which it binds
	Until      *strictyaml.Day `json:"until"` // last day
	Needs      []string        `json:"needs" enum:"package|dossier|listing|evidence"`
	When       Expr            `json:"when"`   // whether it applies; empty for always
	Each       Expr            `json:"each"`   // a list; the rule is judged once an item, which is named it
	Expect     Expr            `json:"expect"` // what must hold
	Ask        Template        `json:"ask"`    // in the place of expect: what a person must confirm
	Confirm    string          `json:"confirm" like:"^[a-z][a-z0-9-]*$" hint:"small letters, digits and hyphens"`
	At         Expr            `json:"at"` // the field that is at fault
	Say        Template        `json:"say"`
	Seen       Template        `json:"seen"` // the evidence
	Mend       Template        `json:"mend" need:"what to change"`
	Basis      Basis           `json:"basis" need:"what it rests on"`
	Examples   []*Example      `json:"examples"`
	Tested     bool            `json:"tested"` // the examples were taken out after they were run
	Book       *Book           `json:"-"`
}

// Basis is what a rule rests on.
type Basis struct {
	place.Mark     `json:"-"`
	Topic          string         `json:"topic" need:"the subject of the store's requirement"`
	Checked        strictyaml.Day `json:"checked" need:"the day on which it was last looked at"`
	Confidence     string         `json:"confidence" need:"how sure it is" enum:"high|medium|low"`
	DateConfidence string         `json:"date_confidence" enum:"high|medium|low"`
	Note           string         `json:"note"`
}

// Example is a submission on which the rule's verdict is known.
type Example struct {
	place.Mark `json:"-"`
	Given      submission.Submission `json:"given"`
	On         *strictyaml.Day       `json:"on"`
	Breaks     string                `json:"breaks" need:"true, false, or unknown when it cannot be judged" enum:"true|false|unknown"`
	Says       string                `json:"says"` // what the finding must say
}

// Expr is a CEL expression with its place.
type Expr struct {
	Src string
	At  place.Place
}

// DecodeNode implements strictyaml.Noder.
func (e *Expr) DecodeNode(d *strictyaml.Decoder, n *yaml.Node) {
	e.Src, e.At = scalarText(d, n)
}

// Template is a text with CEL expressions in braces.
type Template struct {
	Src string
	At  place.Place
}

// DecodeNode implements strictyaml.Noder.
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

// Load reads a rulebook and checks what can be checked without CEL. Compile
// checks the rest.
func Load(file string, data []byte) (*Book, place.Problems) {
	b := &Book{File: file}
	ps := strictyaml.Decode(file, data, b)
	if len(ps) > 0 {
		return nil, ps
	}
	seen := map[string]*Rule{}
	for _, r := range b.Rules {
		r.Book = b
		fail := func(field, what, mend string) {
			ps = append(ps, &place.Problem{At: r.Field(field), What: r.ID + ": " + what, Mend: mend})
		}
		if prefix, _, _ := strings.Cut(r.ID, "/"); prefix != b.Name {
			fail("id", fmt.Sprintf("the id does not begin with the rulebook's name %q", b.Name), "write "+b.Name+"/…")
		}
		if seen[r.ID] != nil {
			fail("id", "the id stands twice", "give one of the two another")
		}
		seen[r.ID] = r
		switch {
		case r.Expect.Src == "" && r.Ask.Src == "":
			fail("id", "it neither expects nor asks anything", "add expect: or ask:")
		case r.Expect.Src != "" && r.Ask.Src != "":
			fail("ask", "it both expects and asks", "keep one of the two")
		case r.Ask.Src != "" && r.Confirm == "":
			fail("ask", "a question needs the word that confirms it", "add confirm: such as tested-on-device")
		case r.Expect.Src != "" && r.Say.Src == "":
			fail("expect", "it does not say what was found", "add say:")
		}
		if r.Expect.Src != "" && !r.Tested {
			var broken, kept bool
			for _, e := range r.Examples {
				broken, kept = broken || e.Breaks == "true", kept || e.Breaks == "false"
			}
			if !broken || !kept {
				fail("id", "it needs an example that breaks it and one that does not", "add both under examples:")
			}
		}
	}
	b.types, ps = limitTypesOf(b, ps)
	return b, ps
}
