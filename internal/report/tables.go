package report

import (
	"cmp"
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"

	"regola.example/regola/internal/core/tables"
)

// TablesDocument is the JSON form of the vocabularies.
type TablesDocument struct {
	Regola int64        `json:"regola"` // version of this form
	Tables []TableEntry `json:"tables"`
}

// TableEntry is one vocabulary.
type TableEntry struct {
	Name  string      `json:"name"`
	Words []WordEntry `json:"words"`
}

// WordEntry is one word that a dossier may use.
type WordEntry struct {
	Word   string   `json:"word"`
	What   string   `json:"what"`   // what it means
	Values []string `json:"values"` // the answers that it takes; empty for none
}

// NewTablesDocument puts vocabularies into their JSON form.
func NewTablesDocument(names []string, lists map[string][]*tables.Word) *TablesDocument {
	d := &TablesDocument{Regola: FormatNumber, Tables: []TableEntry{}}
	for _, n := range names {
		t := TableEntry{Name: n, Words: []WordEntry{}}
		for _, w := range lists[n] {
			t.Words = append(t.Words, WordEntry{w.Word, w.What, none(w.Values)})
		}
		d.Tables = append(d.Tables, t)
	}
	return d
}

// TablesText lists vocabularies: their names alone, or their words.
func TablesText(w io.Writer, names []string, lists map[string][]*tables.Word, others []string, look Style) error {
	p := &printer{w: w, look: look}
	if others != nil {
		for _, n := range names {
			var some []string
			for _, x := range lists[n][:min(4, len(lists[n]))] {
				some = append(some, x.Word)
			}
			p.line("%s %s", pad(n, 26), p.dim(Count(len(lists[n]), "word", "words")+": "+strings.Join(some, ", ")+" …"))
		}
		p.line("")
		p.block(0, pad("others", 26), nil, strings.Join(others, ", "), nil)
		p.line("")
		p.line("%s", p.dim(`"regola tables NAME" lists the words, or the rows, of one`))
		return p.err
	}
	for _, n := range names {
		widest := 0
		for _, x := range lists[n] {
			widest = max(widest, len(x.Word))
		}
		for _, x := range lists[n] {
			text := x.What
			if len(x.Values) > 0 {
				text += " (" + strings.Join(x.Values, ", ") + ")"
			}
			p.block(0, pad(x.Word, widest+2), nil, text, nil)
		}
	}
	return p.err
}

// RowsDocument is the JSON form of a table that is no vocabulary.
type RowsDocument struct {
	Regola int64  `json:"regola"`
	Table  string `json:"table"`
	Rows   any    `json:"rows"` // a list, or rows by their key
}

// RowsText writes the rows of a table, one a paragraph.
func RowsText(w io.Writer, rows any, look Style) error {
	p := &printer{w: w, look: look}
	one := func(key string, row any) {
		fields, ok := row.(map[string]any)
		if !ok {
			p.block(0, pad(key, max(len(key)+2, 4)), nil, inWords(row), nil)
			return
		}
		var parts []string
		for _, k := range inOrder(fields) {
			parts = append(parts, k+" "+inWords(fields[k]))
		}
		p.block(0, pad(key, max(len(key)+2, 2)), nil, strings.Join(parts, " · "), nil)
	}
	switch rows := rows.(type) {
	case []any:
		for _, r := range rows {
			one("", r)
		}
	case map[string]any:
		for _, k := range slices.Sorted(maps.Keys(rows)) {
			one(k, rows[k])
		}
	default:
		one("", rows)
	}
	return p.err
}

// leading are the fields by which a row is known, in the order in which they are shown.
var leading = []string{"id", "kind", "store", "code", "permission", "name", "what"}

// inOrder are the keys of a row: those by which it is known, the others by name, and last how
// sure it is.
func inOrder(fields map[string]any) []string {
	rank := func(k string) int {
		if i := slices.Index(leading, k); i >= 0 {
			return i
		}
		if k == "confidence" {
			return len(leading) + 1
		}
		return len(leading)
	}
	return slices.SortedFunc(maps.Keys(fields), func(a, b string) int { return cmp.Or(rank(a)-rank(b), cmp.Compare(a, b)) })
}

// inWords is a value of a table on one line.
func inWords(x any) string {
	switch x := x.(type) {
	case []any:
		parts := make([]string, len(x))
		for i, v := range x {
			parts[i] = inWords(v)
		}
		return strings.Join(parts, ", ")
	case map[string]any:
		var parts []string
		for _, k := range slices.Sorted(maps.Keys(x)) {
			parts = append(parts, k+": "+inWords(x[k]))
		}
		return "(" + strings.Join(parts, ", ") + ")"
	case bool:
		return map[bool]string{true: "yes", false: "no"}[x]
	}
	return fmt.Sprint(x)
}
