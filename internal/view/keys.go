package view

import (
	"reflect"
	"slices"
	"strconv"
	"strings"

	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/engine"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/submission"
	"regola.example/regola/internal/core/tables"
)

// Key is one key of the dossier, with who asks for it and what reads it.
type Key struct {
	Path   string
	Doc    string
	Values []*tables.Word // of its vocabulary; nil for none
	Enum   []string       // the words it takes, where it has no vocabulary
	Asks   []*rulebook.Rule
	Reads  []*rulebook.Rule
}

// Readers says which rules read a field of a struct in their conditions.
type Readers map[engine.Select][]*rulebook.Rule

// Answers lists the keys of the answer sheet, and of what belongs to it, in the order
// of the dossier.
func Answers(rules []*rulebook.Rule, readers Readers, set *tables.Set) []*Key {
	return slices.DeleteFunc(Keys(rules, readers, set), func(a *Key) bool { return !strings.HasPrefix(a.Path, "answers.") })
}

// Keys lists all keys of the dossier and of its texts, in their order.
func Keys(rules []*rulebook.Rule, readers Readers, set *tables.Set) (out []*Key) {
	dossier.Walk(func(f *dossier.Field) {
		if f.Block() {
			return
		}
		a := &Key{Path: f.Path, Doc: f.Doc, Enum: f.Enum}
		if w := f.Tag.Get("words"); w != "" {
			a.Values = set.Vocabulary(w)
		}
		var reading []*rulebook.Rule
		for _, path := range f.Seen {
			if sel, ok := submission.SelectOf(path); ok {
				reading = append(reading, readers[sel]...)
			}
		}
		if f.Type.Kind() == reflect.Map && a.Values != nil {
			for _, w := range a.Values {
				q := &Key{Path: f.Path + "." + w.Word, Doc: w.What, Enum: w.Values}
				q.sort(rules, about(rules, w.Word))
				out = append(out, q)
			}
			return
		}
		a.sort(rules, reading)
		out = append(out, a)
	})
	return out
}

// about are the rules on the content that name a question in their conditions.
func about(rules []*rulebook.Rule, word string) []*rulebook.Rule {
	var out []*rulebook.Rule
	for _, r := range rules {
		text := r.When.Src + r.Each.Src + r.Faults.Src + r.Expect.Src
		if strings.Contains(text, strconv.Quote(word)) && (strings.Contains(text, "rating.") || strings.Contains(text, "answers.content")) {
			out = append(out, r)
		}
	}
	return out
}

// sort parts the rules that read a key: those whose duty it is ask for it, the others
// hold it against something.
func (a *Key) sort(rules, reading []*rulebook.Rule) {
	for _, r := range rules {
		switch {
		case !slices.Contains(reading, r):
		case r.Duty != nil && (strings.HasPrefix(a.Path, r.Duty.Write.Src) || strings.HasPrefix(r.Duty.Write.Src, a.Path)):
			a.Asks = append(a.Asks, r)
		default:
			a.Reads = append(a.Reads, r)
		}
	}
}

// FindKey is the key at a path, or nil and those that begin with it.
func FindKey(all []*Key, path string) (one *Key, below []*Key) {
	for _, a := range all {
		if a.Path == path {
			one = a
		}
		if strings.HasPrefix(a.Path, path+".") {
			below = append(below, a)
		}
	}
	return one, below
}
