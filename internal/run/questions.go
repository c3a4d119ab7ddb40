package run

import (
	"context"
	"fmt"
	"reflect"
	"slices"
	"strconv"
	"strings"

	"go.yaml.in/yaml/v3"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/edit"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/late"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/tables"
	"regola.example/regola/internal/view"
)

// Questions lists what the stores ask of a release and its dossier does not answer yet, in
// the order of the dossier; what only a person confirms stands last. doc is the text of the
// dossier as it is.
func (r *Runner) Questions(ctx context.Context, job Job, doc []byte) ([]*view.Question, *check.Result, error) {
	res, judged, err := r.Judge(ctx, job)
	if err != nil {
		return nil, nil, err
	}
	q := &asking{res: res, judged: judged, set: judged.read.set, doc: doc, found: map[string]*view.Question{}}
	for _, s := range res.Stores {
		for _, v := range s.Verdicts {
			for _, g := range v.Gaps {
				if g.Kind == fact.NotAnswered {
					q.path(g.Path, s, v)
				}
			}
			for _, f := range v.Faults {
				switch {
				case f.Waiver != nil || f.Impact == rulebook.Craft:
				case f.Path == "answers.content" && v.Rule.Duty != nil, !q.written(f.Path, s.Of):
					q.path(f.Path, s, v) // something is missing, and no more
				case f.Impact == rulebook.Blocked || f.Impact == rulebook.Refused || f.Impact == rulebook.Rejected:
					q.below(f.Path, s, v)
					q.elsewhere(f, s, v)
				}
			}
		}
	}
	for _, d := range res.Duties() {
		for _, x := range q.found {
			if strings.HasPrefix(x.Path, d.Write) || strings.HasPrefix(d.Write, x.Path) {
				if d.Because != "" && !slices.Contains(x.Because, d.Because) {
					x.Because = append(x.Because, d.Because)
				}
			}
		}
	}
	out := q.sorted()
	for _, o := range res.Open() {
		if o.State != check.ToConfirm || o.Question == nil || slices.ContainsFunc(out, func(x *view.Question) bool { return x.Path == o.Question.What }) {
			continue
		}
		out = append(out, &view.Question{Path: o.Question.What, What: o.Question.Ask, Kind: view.Confirm, Stores: o.Stores, Impact: o.Rule.Fixed(), Rules: []string{o.Rule.ID},
			Choices: []view.Choice{{Word: "yes", Means: "it is noted for this version"}, {Word: "no", Means: "it stays open"}}})
	}
	return out, res, nil
}

// asking gathers the questions of one release.
type asking struct {
	res    *check.Result
	judged *Judged
	set    *tables.Set
	doc    []byte
	found  map[string]*view.Question
	order  []string
}

// own is the path in the dossier of what rules see at a path, for one store.
func own(path, store string) (string, *dossier.Field) {
	f := dossier.FieldAt(path)
	if f == nil {
		return "", nil
	}
	p := dossier.Own(path)
	if strings.Contains(path, "[") && p == strings.NewReplacer("[", "", "]", "").Replace(p) {
		p = path // the place in the list stays
	}
	if f.PerStore() {
		p += "." + store
	}
	return p, f
}

// written tells whether the dossier says something at a path.
func (q *asking) written(path, store string) bool {
	p, f := own(path, store)
	return f == nil || f.Block() || f.Many || edit.Has(q.doc, p)
}

// path adds the question at a path, or those of a block.
func (q *asking) path(path string, s *check.Store, v *check.Verdict) {
	p, f := own(path, s.Of)
	switch {
	case f == nil || strings.HasPrefix(p, "listing") || strings.HasPrefix(p, "pictures") || strings.HasPrefix(p, "packages") || strings.HasPrefix(p, "backend"):
		return // texts and files are no answers
	case p == "answers.content":
		q.content(s, v)
		return
	case strings.HasPrefix(p, "answers.content."):
		q.question(strings.TrimPrefix(p, "answers.content."), f, s, v)
		return
	case p == "answers.data":
		q.add(p, f, s, v).Kind = view.Several
		return
	case f.Block():
		return // rules name the keys of a block themselves
	}
	q.add(p, f, s, v)
}

// below adds what a block lacks whose rule is broken: the keys that the rule looks at.
func (q *asking) below(path string, s *check.Store, v *check.Verdict) {
	f := dossier.FieldAt(path)
	if f == nil || !f.Block() || f.List && !strings.HasSuffix(path, "]") {
		return
	}
	p := dossier.Own(path)
	if strings.Contains(path, "[") {
		p = path
	}
	if p == "answers.content" || !edit.Has(q.doc, p) && strings.HasSuffix(p, "]") {
		return
	}
	looks := v.Rule.When.Src + v.Rule.Each.Src + v.Rule.Expect.Src + v.Rule.Faults.Src
	for _, x := range f.In {
		if x.Block() || !strings.Contains(looks, "."+x.Name) || edit.Has(q.doc, p+"."+x.Name) || !q.concerns(x, s) {
			continue
		}
		q.add(p+"."+x.Name, x, s, v)
	}
}

// paths matches what may be keys of the dossier in a condition.
var paths = late.Regexp(`\b(?:app|account|contact|links|answers|review|release)(?:\.[a-z_]+)+`)

// elsewhere adds the keys that a broken rule looks at and asks to write, where they stand in
// another block than what is at fault, such as the page that belongs to an answer.
func (q *asking) elsewhere(fault *check.Fault, s *check.Store, v *check.Verdict) {
	for _, p := range paths().FindAllString(v.Rule.Each.Src+" "+v.Rule.Expect.Src, -1) {
		f := dossier.FieldAt(p)
		if f == nil || f.Path != p || f.Block() || f.List || f.Many || !strings.Contains(fault.Fix, f.Name) || edit.Has(q.doc, p) || strings.HasPrefix(p, "answers.content") {
			continue
		}
		q.path(p, s, v)
	}
}

// concerns tells whether a store asks for a key of a kind of data.
func (q *asking) concerns(f *dossier.Field, s *check.Store) bool {
	if !strings.HasPrefix(f.Path, "answers.data.") || s.Disclosure == nil {
		return true
	}
	ask, known := map[string]string{"shared": "shared", "optional": "required", "linked": "linked", "tracking": "tracking"}[f.Name]
	return !known || slices.Contains(s.Disclosure.Asks, ask)
}

// add notes who asks for a key.
func (q *asking) add(p string, f *dossier.Field, s *check.Store, v *check.Verdict) *view.Question {
	x := q.found[p]
	if x == nil {
		x = &view.Question{Path: p, What: q.of(p) + f.Doc}
		q.form(x, f, s)
		for _, pair := range q.judged.Pairs {
			if pair.Judge.Store.ID == s.Of && pair.Submission.Previous != nil {
				x.Before = pair.Submission.Previous.Answers[p]
			}
		}
		q.found[p] = x
		q.order = append(q.order, p)
	}
	if !slices.Contains(x.Stores, s.Of) {
		x.Stores = append(x.Stores, s.Of)
	}
	if !slices.Contains(x.Rules, v.Rule.ID) {
		x.Rules = append(x.Rules, v.Rule.ID)
	}
	impact := v.Rule.Fixed()
	if v.Impact() != "" {
		impact = v.Impact()
	}
	if at := slices.Index(rulebook.Impacts, impact); at >= 0 && (x.Impact == "" || at < slices.Index(rulebook.Impacts, x.Impact)) {
		x.Impact = impact
	}
	return x
}

// of says to which item of a list a key belongs.
func (q *asking) of(p string) string {
	rest, ok := strings.CutPrefix(p, "answers.data[")
	i, err := strconv.Atoi(strings.SplitN(rest, "]", 2)[0])
	if d := q.judged.Dossier; ok && err == nil && d != nil && i < len(d.Answers.Data) {
		return d.Answers.Data[i].Kind + ": "
	}
	return ""
}

// form finds out how a key is answered.
func (q *asking) form(x *view.Question, f *dossier.Field, s *check.Store) {
	words := f.Tag.Get("words")
	if words == "categories" {
		words += "_" + s.Of
		if game, _ := q.kind(); game {
			if q.set.Vocabulary(words+"_game") != nil {
				words += "_game"
			}
		}
	}
	if x.Path == "answers.data" {
		words = "data_types"
		for _, p := range q.judged.Pairs {
			if p.Submission.Disclosure != nil {
				for _, m := range p.Submission.Disclosure.Missing {
					if !m.Access && !slices.Contains(x.Expected, m.Kind) {
						x.Expected = append(x.Expected, m.Kind)
					}
				}
			}
		}
	}
	for _, w := range q.set.Vocabulary(words) {
		x.Choices = append(x.Choices, view.Choice{Word: w.Word, Means: w.What})
	}
	for _, w := range f.Enum {
		x.Choices = append(x.Choices, view.Choice{Word: w})
	}
	x.Form = f.Tag.Get("hint")
	t := f.Type
	for t.Kind() == reflect.Pointer {
		t = t.Elem()
	}
	switch {
	case t.Kind() == reflect.Bool:
		x.Kind = view.YesNo
	case len(x.Choices) > 0 && f.List || words == "data_types" && f.Name == "data":
		x.Kind = view.Several
	case len(x.Choices) > 0:
		x.Kind = view.One
	case t.Kind() == reflect.Int64:
		x.Kind = view.Number
	case f.List:
		x.Kind, x.Form = view.Several, "texts with commas between them"
	default:
		x.Kind = view.Text
		if t.Name() == "Day" {
			x.Form = "a day such as 2026-12-31"
		}
	}
}

// kind tells whether the app is a game.
func (q *asking) kind() (game, known bool) {
	d := q.judged.Dossier
	return d != nil && d.App.Kind == "game", d != nil && d.App.Kind != ""
}

// content adds the questions on the content: first whether there is anything at all.
func (q *asking) content(s *check.Store, v *check.Verdict) {
	f := dossier.FieldAt("answers.content")
	if f == nil {
		return
	}
	if !edit.Has(q.doc, "answers.content") {
		x := q.add("answers.content.others", f, s, v)
		x.What, x.Kind = "Is the app without violence, fright, sex, bad language, drugs, gambling, people who meet, and purchases, all of them?", view.One
		x.Choices = []view.Choice{{Word: "none", Means: "everything that the stores ask is answered with none or no; what you answer besides counts first"}, {Word: "ask", Means: "each is asked for by itself"}}
		return
	}
	if s.Rating == nil { // nothing is answered yet: the first question, which leads to the others
		for _, one := range q.set.ContentQuestions {
			if slices.Contains(one.Stores, s.Of) && one.If == nil {
				q.question(one.Question, f, s, v)
				return
			}
		}
		return
	}
	for _, one := range s.Rating.Questions {
		if !one.Answered {
			q.question(one.ID, f, s, v)
		}
	}
}

// question adds one question on the content.
func (q *asking) question(id string, f *dossier.Field, s *check.Store, v *check.Verdict) {
	x := q.add("answers.content."+id, f, s, v)
	for _, w := range q.set.Vocabulary("content") {
		if w.Word == id {
			x.What, x.Kind, x.Choices = w.What, view.One, nil
			for _, value := range w.Values {
				x.Choices = append(x.Choices, view.Choice{Word: value})
			}
		}
	}
}

// sorted gives the questions in the order of the dossier, item by item of a list.
func (q *asking) sorted() (out []*view.Question) {
	place := map[string]int{}
	dossier.Walk(func(f *dossier.Field) { place[f.Path] = len(place) })
	at := func(p string) (order [3]int) {
		if block, rest, ok := strings.Cut(p, "["); ok {
			order[0] = place[block]
			i, _, _ := strings.Cut(rest, "]")
			order[1], _ = strconv.Atoi(i)
			order[1]++
			order[2] = place[dossier.Own(p)]
			return order
		}
		if id, ok := strings.CutPrefix(p, "answers.content."); ok {
			order[0] = place["answers.content"]
			order[1] = slices.IndexFunc(q.set.ContentQuestions, func(c *tables.ContentQuestion) bool { return c.Question == id })
			return order
		}
		for {
			if n, ok := place[dossier.Own(p)]; ok {
				order[0] = n
				return order
			}
			i := strings.LastIndexByte(p, '.')
			if i < 0 {
				order[0] = len(place)
				return order
			}
			p = p[:i]
		}
	}
	for _, p := range q.order {
		out = append(out, q.found[p])
	}
	slices.SortStableFunc(out, func(a, b *view.Question) int {
		x, y := at(a.Path), at(b.Path)
		return slices.Compare(x[:], y[:])
	})
	return out
}

// Answer writes an answer into the text of a dossier. by, version and on are for
// confirmations.
func Answer(doc []byte, x *view.Question, words []string, by, version, on string) ([]byte, error) {
	switch x.Kind {
	case view.Confirm:
		return edit.Append(doc, "confirmed", fmt.Sprintf("{what: %s, version: %s, by: %s, on: %s}", x.Path, quotedYAML(version), quotedYAML(by), on))
	case view.Several:
		parts := make([]string, len(words))
		for i, w := range words {
			if parts[i] = quotedYAML(w); x.Path == "answers.data" {
				parts[i] = "{kind: " + parts[i] + "}"
			}
		}
		return edit.Set(doc, x.Path, "["+strings.Join(parts, ", ")+"]")
	}
	if len(words) != 1 {
		return nil, fmt.Errorf("%s takes one answer", x.Path)
	}
	value := words[0]
	switch x.Kind {
	case view.YesNo:
		value = map[string]string{"yes": "true", "no": "false"}[value]
	case view.One, view.Text:
		value = quotedYAML(value)
	}
	return edit.Set(doc, x.Path, value)
}

// Postpone writes into the text of a dossier that what a rule asks for waits until a day.
func Postpone(doc []byte, rule, because string, until day.Day) ([]byte, error) {
	return edit.Append(doc, "postponed", fmt.Sprintf("{rule: %s, because: %s, until: %s}", rule, quotedYAML(because), until))
}

// quotedYAML is a text as YAML on one line, in quotation marks where it needs them.
func quotedYAML(s string) string {
	b, err := yaml.Marshal(s)
	text := strings.TrimSuffix(string(b), "\n")
	if err != nil || strings.Contains(text, "\n") || strings.ContainsAny(s, ",[]{}") && !strings.HasPrefix(text, "\"") && !strings.HasPrefix(text, "'") {
		return strconv.Quote(strings.Join(strings.Fields(s), " "))
	}
	return text
}
