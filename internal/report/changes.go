package report

import (
	"cmp"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"

	"regola.example/regola/internal/core/ledger"
	"regola.example/regola/internal/core/tables"
	"regola.example/regola/internal/view"
)

// ChangesDocument is the JSON form of what differs between two releases.
type ChangesDocument struct {
	Regola int64          `json:"regola"` // version of this form
	Old    string         `json:"old"`
	New    string         `json:"new"`
	Stores []StoreChanges `json:"stores"`
}

// StoreChanges is what differs for one store.
type StoreChanges struct {
	Store   string           `json:"store"`
	Name    string           `json:"name"`
	Changes []DifferenceItem `json:"changes" doc:"what brings a duty first"`
}

// DifferenceItem is one difference.
type DifferenceItem struct {
	How  string `json:"how" enum:"added|removed|changed"`
	Kind string `json:"kind"`
	What string `json:"what"`
	From string `json:"from"`
	To   string `json:"to"`
	Duty string `json:"duty" doc:"what it makes a store ask; empty for nothing"`
}

// NewChangesDocument puts differences into their JSON form, what brings a duty first.
func NewChangesDocument(old, now *view.Side, all []*view.Compared, set *tables.Set) *ChangesDocument {
	d := &ChangesDocument{Regola: FormatNumber, Old: old.Name, New: now.Name, Stores: []StoreChanges{}}
	for _, c := range all {
		s := StoreChanges{Store: c.Store.ID, Name: c.Name, Changes: []DifferenceItem{}}
		put := func(how string, list []*ledger.Difference) {
			for _, x := range list {
				item := DifferenceItem{How: how, Kind: x.Kind, What: x.What, From: x.From, To: x.To}
				item.Duty = set.Brings[how][x.Kind]
				if a, err := strconv.ParseFloat(x.From, 64); err == nil && how == "changed" {
					if b, err := strconv.ParseFloat(x.To, 64); err == nil && b < a {
						item.Duty = cmp.Or(set.Brings["lowered"][x.Kind], item.Duty)
					}
				}
				if p := set.Permissions[x.What]; how == "added" && x.Kind == "permission" && p != nil {
					switch {
					case p.Declaration != "" && set.Restricted[p.Declaration] != nil:
						item.Duty = "the store wants a declaration: " + set.Restricted[p.Declaration].What
					case len(p.DataTypes) > 0:
						item.Duty = "it opens " + strings.Join(p.DataTypes, ", ")
					}
				}
				s.Changes = append(s.Changes, item)
			}
		}
		put("added", c.Change.Added)
		put("changed", c.Change.Changed)
		put("removed", c.Change.Removed)
		slices.SortStableFunc(s.Changes, func(a, b DifferenceItem) int { return b2i(a.Duty == "") - b2i(b.Duty == "") })
		d.Stores = append(d.Stores, s)
	}
	return d
}

func b2i(b bool) int {
	if b {
		return 1
	}
	return 0
}

var signsOf = map[string]string{"added": "+", "removed": "-", "changed": "~"}

// said is a difference in words: digests and numbers of bytes are made readable.
func (x *DifferenceItem) said() string {
	if strings.HasPrefix(x.Kind, "size") {
		a, _ := strconv.ParseInt(x.From, 10, 64)
		b, _ := strconv.ParseInt(x.To, 10, 64)
		return fmt.Sprintf("%s to %s (%+d bytes)", size(a), size(b), b-a)
	}
	if x.Kind == "answer" || x.Kind == "product" || x.Kind == "picture" {
		switch x.How {
		case "added":
			return x.What + ": " + x.To
		case "removed":
			return x.What + ": " + x.From
		}
		return x.What + ": " + x.From + " → " + x.To
	}
	return x.What
}

// Changes writes what differs, what brings a duty first.
func Changes(w io.Writer, d *ChangesDocument, look Style) error {
	p := &printer{w: w, look: look}
	p.line("%s", p.strong(d.Old+" → "+d.New))
	if len(d.Stores) == 0 {
		p.line("")
		p.line("The two are for different stores, and have nothing in common.")
	}
	for _, s := range d.Stores {
		p.line("")
		p.line("%s", p.strong(s.Name))
		if len(s.Changes) == 0 {
			p.line("  nothing differs")
		}
		duty := false
		for i, x := range s.Changes {
			switch {
			case i == 0 && x.Duty != "":
				p.line("  %s", p.dim("brings a duty"))
				duty = true
			case duty && x.Duty == "":
				p.line("")
				duty = false
			}
			p.block(2, signsOf[x.How]+" "+pad(x.Kind, 22), styleDim, x.said(), nil)
			if x.Duty != "" {
				p.block(26, "", nil, x.Duty, styleImpact["rejected"])
			}
		}
	}
	return p.err
}

// ChangesMarkdown writes what differs for a merge request.
func ChangesMarkdown(w io.Writer, d *ChangesDocument) error {
	p := &printer{w: w}
	p.line("### %s → %s", markdownText(d.Old), markdownText(d.New))
	for _, s := range d.Stores {
		p.line("")
		p.line("**%s**", s.Name)
		p.line("")
		if len(s.Changes) == 0 {
			p.line("Nothing differs.")
			continue
		}
		p.line("| | what | which | then |")
		p.line("|---|---|---|---|")
		for _, x := range s.Changes {
			p.line("| %s | %s | %s | %s |", signsOf[x.How], x.Kind, markdownText(x.said()), markdownText(x.Duty))
		}
	}
	return p.err
}

var markdownEscapes = strings.NewReplacer("\\", "\\\\", "|", "\\|", "<", "&lt;", ">", "&gt;", "`", "\\`", "*", "\\*", "_", "\\_", "[", "\\[", "\n", " ")

// markdownText is a text that Markdown shows as it is.
func markdownText(s string) string { return markdownEscapes.Replace(s) }
