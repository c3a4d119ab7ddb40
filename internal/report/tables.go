package report

import (
	"io"
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
func TablesText(w io.Writer, names []string, lists map[string][]*tables.Word, namesOnly bool, look Style) error {
	p := &printer{w: w, look: look}
	if namesOnly {
		for _, n := range names {
			var some []string
			for _, x := range lists[n][:min(4, len(lists[n]))] {
				some = append(some, x.Word)
			}
			p.line("%s %s", pad(n, 26), p.dim(Count(len(lists[n]), "word", "words")+": "+strings.Join(some, ", ")+" …"))
		}
		p.line("")
		p.line("%s", p.dim(`"regola tables NAME" lists the words of one`))
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
