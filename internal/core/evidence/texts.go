package evidence

import (
	"slices"
	"strings"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/origin"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/signs"
	"regola.example/regola/internal/core/tables"
)

// CodeText is what texts of one place say about the app, by one row of the table.
type CodeText struct {
	fact.Mark `json:"-"`
	Where     string   `json:"where"` // such as "the code of Frameworks/K.framework", or a file
	Kind      string   `json:"kind"`
	Texts     []string `json:"texts"` // the first few, as they stand there; secrets are cut
	Why       string   `json:"why"`
	Fix       string   `json:"fix"`
	Impact    string   `json:"impact"`
}

// mostTexts is how many texts of one row are named.
const mostTexts = 3

// texts holds the texts of code and plain files against the table.
func (e *Evidence) texts(pkg *facts.Package, t *tables.Set, code *signs.Index) {
	whose := origin.Of(pkg, t)
	switch {
	case pkg.IOS != nil:
		if g := code.Gap(); g != nil {
			fact.Lose(e, &e.Texts, *g)
		}
		for _, c := range code.Codes {
			where, other := "the code", false
			if c.Bundle.Path != "." {
				where += " of " + c.Bundle.Path
				other = c.Bundle.Kind == "framework" && whose.Framework(c.Bundle.Path).Known()
			}
			e.hold(t, where, other, c.Bundle.Code.Literals, c.Bundle.Code.Self())
		}
		e.files(t, pkg.IOS.TextFiles, fact.GapOf(pkg.IOS, &pkg.IOS.TextFiles))
	case pkg.Android != nil:
		if c := pkg.Android.Code; c != nil {
			if g := fact.GapOf(c, &c.Texts); g != nil {
				fact.Lose(e, &e.Texts, *g)
			}
			e.dexTexts(t, whose, c)
		}
		e.files(t, pkg.Android.TextFiles, fact.GapOf(pkg.Android, &pkg.Android.TextFiles))
	}
}

// dexTexts holds the texts of Android code, package by package, as all code lies together.
func (e *Evidence) dexTexts(t *tables.Set, whose *origin.Index, c *facts.Code) {
	by := map[string][]string{}
	var order []string
	for _, x := range c.Texts {
		if !slices.ContainsFunc(t.CodeTexts, func(row *tables.CodeText) bool { return row.Pattern.Match(x.Text) }) {
			continue
		}
		from := "" // one that is not known to be third-party code, if there is any
		for i, p := range x.From {
			if i == 0 || !third(t, whose, p) && third(t, whose, from) {
				from = p
			}
		}
		if by[from] == nil {
			order = append(order, from)
		}
		by[from] = append(by[from], x.Text)
	}
	slices.Sort(order)
	for _, p := range order {
		where := "the code"
		if p != "" {
			where += " of " + strings.ReplaceAll(p, "/", ".")
		}
		e.hold(t, where, p != "" && third(t, whose, p), by[p], c.Self())
	}
}

// third tells whether a package of classes is known to be third-party code.
func third(t *tables.Set, whose *origin.Index, pack string) bool {
	if o := whose.Class(pack); o.Known() {
		return !o.Own()
	}
	pack = strings.ReplaceAll(pack, "/", ".")
	return slices.ContainsFunc(t.CompatLibraries, func(l string) bool { return hasPrefix(pack, l) })
}

func (e *Evidence) files(t *tables.Set, all []*facts.TextFile, gap *fact.Gap) {
	if gap != nil {
		fact.Lose(e, &e.Texts, *gap)
	}
	for _, f := range all {
		e.hold(t, f.Path, false, f.Texts, f.Self())
	}
}

// hold notes which rows the texts of one place match. Rows that are about the maker's own
// code pass over other's.
func (e *Evidence) hold(t *tables.Set, where string, other bool, texts []string, at place.Place) {
	for _, row := range t.CodeTexts {
		if other && row.Own {
			continue
		}
		var found []string
		for _, l := range texts {
			if row.Pattern.Match(l) {
				if row.Shown > 0 && len(l) > row.Shown {
					l = l[:row.Shown] + "…"
				}
				if found = append(found, l); len(found) == mostTexts {
					break
				}
			}
		}
		if found == nil {
			continue
		}
		x := &CodeText{Where: where, Kind: row.Kind, Texts: found, Why: row.Why, Fix: row.Fix, Impact: row.Impact}
		x.SetSelf(at)
		e.Texts = append(e.Texts, x)
	}
}
