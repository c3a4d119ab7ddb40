package report

import (
	"io"
	"slices"
	"strings"

	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/view"
)

// KeysDocument is the JSON form of the explanation of a key of the dossier, or of a group
// of them.
type KeysDocument struct {
	Regola int64      `json:"regola"` // version of this form
	Key    string     `json:"key" doc:"as it was asked for"`
	Means  string     `json:"means" doc:"what it says"`
	Keys   []KeyEntry `json:"keys" doc:"the key itself, or those of the group"`
}

// KeyEntry is one key of the dossier.
type KeyEntry struct {
	Key   string   `json:"key"`
	Means string   `json:"means"`
	Words []string `json:"words" doc:"the words that it takes; empty for any text"`
	Asks  []string `json:"asks" doc:"the rules that ask for it"`
	Reads []string `json:"reads" doc:"the rules that hold it against something"`
}

// NewKeysDocument puts the explanation of a key, or of a group of keys, into its JSON form.
func NewKeysDocument(key string, list []*view.Key) *KeysDocument {
	d := &KeysDocument{Regola: FormatNumber, Key: key, Means: dossier.Question(key), Keys: []KeyEntry{}}
	ids := func(rules []*rulebook.Rule) []string {
		out := []string{}
		for _, r := range rules {
			out = append(out, r.ID)
		}
		return out
	}
	for _, a := range list {
		e := KeyEntry{Key: a.Path, Means: a.Doc, Words: none(a.Enum), Asks: ids(a.Asks), Reads: ids(a.Reads)}
		for _, v := range a.Values {
			e.Words = append(e.Words, v.Word)
		}
		d.Keys = append(d.Keys, e)
	}
	return d
}

// ExplainGroup lists the keys of a group with what each means, and who asks.
func ExplainGroup(w io.Writer, key string, list []*view.Key, look Style) error {
	p := &printer{w: w, look: look}
	p.line("%s", p.strong(key))
	if means := dossier.Question(key); means != "" {
		p.line("")
		p.block(2, pad("means", 9), styleDim, means, nil)
	}
	p.line("")
	width := 0
	for _, a := range list {
		width = max(width, len(a.Path)+2)
	}
	for _, a := range list {
		text := a.Doc
		var stores []string
		for _, r := range a.Asks {
			if s := storesOf(r); !slices.Contains(stores, s) {
				stores = append(stores, s)
			}
		}
		if len(stores) > 0 {
			text += " (asked: " + strings.Join(stores, ", ") + ")"
		}
		p.block(2, pad(a.Path, min(width, 44)), styleStrong, text, nil)
	}
	p.line("")
	p.block(2, "", nil, "regola explain KEY says who asks for one of them and what it is held against", styleDim)
	return p.err
}

// ExplainAnswer says what an answer means, who asks for it and what it leads to.
func ExplainAnswer(w io.Writer, a *view.Key, look Style) error {
	p := &printer{w: w, look: look}
	p.line("%s", p.strong(a.Path))
	p.line("")
	p.block(2, pad("means", 9), styleDim, a.Doc, nil)
	for i, v := range a.Values {
		label := ""
		if i == 0 {
			label = "words"
		}
		text := v.Word
		if v.What != "" {
			text += ": " + v.What
		}
		p.block(2, pad(label, 9), styleDim, text, nil)
	}
	if len(a.Enum) > 0 {
		p.block(2, pad("words", 9), styleDim, strings.Join(a.Enum, ", "), nil)
	}
	section := func(head string, list []*rulebook.Rule) {
		if len(list) == 0 {
			return
		}
		p.line("")
		p.line("%s", p.strong(head))
		for _, r := range list {
			p.block(2, "", nil, r.Title, nil)
			p.block(4, "", nil, r.Why, styleDim)
			p.line("    %s", p.dim(r.ID+" · "+storesOf(r)))
		}
	}
	section("WHO ASKS, AND WHY", a.Asks)
	section("WHAT IT IS HELD AGAINST", a.Reads)
	return p.err
}

func storesOf(r *rulebook.Rule) string {
	if r.Book.Store == rulebook.All {
		return "android, ios"
	}
	return r.Book.Store
}

// AnswersMarkdown writes the reference of the answer sheet.
func AnswersMarkdown(w io.Writer, all []*view.Key) error {
	p := &printer{w: w}
	p.line("# The answer sheet")
	p.line("")
	p.line("This page is generated from the program (`scripts/docs`). One sheet under `answers:` in")
	p.line("`dossier.yaml` serves every store: each store's own form is derived from it (`regola")
	p.line("privacy`, `regola rate`, `regola duties`). An answer that is left out is not answered, never")
	p.line("no. `regola explain answers.KEY` says the same for one key, with the reasons.")
	section := ""
	for _, a := range all {
		parts := strings.SplitN(a.Path, ".", 3)
		if s := strings.Join(parts[:2], "."); s != section && len(parts) > 2 {
			section = s
			p.line("")
			p.line("## `%s`", s)
		}
		p.line("")
		p.line("**`%s`**: %s.", a.Path, strings.TrimSuffix(a.Doc, "."))
		if len(a.Enum) > 0 {
			p.line("Words: `%s`.", strings.Join(a.Enum, "`, `"))
		}
		if len(a.Values) > 0 {
			var words []string
			for _, v := range a.Values {
				words = append(words, v.Word)
			}
			if len(words) > 16 {
				words = append(words[:15], "…")
			}
			p.line("Words: `%s`.", strings.Join(words, "`, `"))
		}
		for _, x := range []struct {
			head string
			list []*rulebook.Rule
		}{{"Asked by", a.Asks}, {"Held against the rest by", a.Reads}} {
			var ids []string
			for _, r := range x.list {
				ids = append(ids, "`"+r.ID+"` ("+strings.ToLower(r.Title[:1])+r.Title[1:]+")")
			}
			if len(ids) > 0 {
				slices.Sort(ids)
				p.line("")
				p.line("%s: %s.", x.head, strings.Join(ids, ", "))
			}
		}
	}
	return p.err
}
