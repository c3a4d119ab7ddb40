package report

import (
	"cmp"
	"fmt"
	"io"
	"slices"
	"strings"

	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/tables"
	"regola.example/regola/internal/core/textual"
	"regola.example/regola/internal/view"
)

// NeededDocument is the pictures that the stores want, in its JSON form.
type NeededDocument struct {
	Regola int64         `json:"regola"` // version of this form
	Stores []NeededStore `json:"stores"`
}

// NeededStore is one store's part.
type NeededStore struct {
	Store    string          `json:"store"`
	Name     string          `json:"name"`
	Pictures []NeededPicture `json:"pictures"`
}

// NeededPicture is one kind of picture.
type NeededPicture struct {
	What    string           `json:"what"`
	Device  string           `json:"device" doc:"for which it is; empty for every app"`
	Needed  bool             `json:"needed" doc:"the app runs on such a device; otherwise it depends"`
	Least   int64            `json:"least" doc:"how many are needed in the default language"`
	Impact  string           `json:"impact" doc:"what a store does without it"`
	Classes []NeededClass    `json:"classes" doc:"of which one is enough"`
	Has     map[string]int64 `json:"has" doc:"pictures by language"`
}

// NeededClass is a class of pictures, with its bounds.
type NeededClass struct {
	ID      string   `json:"id"`
	Sizes   string   `json:"sizes"`
	Most    int64    `json:"most"`
	Formats []string `json:"formats"`
}

// NewNeededDocument puts the pictures that the stores want into their JSON form.
func NewNeededDocument(list []*view.NeededStore) *NeededDocument {
	d := &NeededDocument{Regola: FormatNumber, Stores: []NeededStore{}}
	for _, s := range list {
		one := NeededStore{Store: s.Store.ID, Name: s.Store.Name, Pictures: []NeededPicture{}}
		for _, n := range s.Rows {
			x := NeededPicture{What: n.What, Device: n.Device, Needed: n.Sure, Least: int64(n.Least), Impact: n.Impact, Classes: []NeededClass{}, Has: map[string]int64{}}
			for _, c := range n.Classes {
				x.Classes = append(x.Classes, NeededClass{c.ID, sizesOf(c), c.Most, none(c.Formats)})
			}
			for _, h := range n.Has {
				x.Has[h.Language] = int64(h.Count)
			}
			one.Pictures = append(one.Pictures, x)
		}
		d.Stores = append(d.Stores, one)
	}
	return d
}

// sizesOf says which sizes a class takes.
func sizesOf(c *tables.PictureClass) string {
	if len(c.Sizes) > 0 {
		text := strings.Join(c.Sizes, ", ")
		if c.Turned {
			text += ", upright or on their side"
		}
		return text
	}
	text := fmt.Sprintf("sides of %d to %d pixels", c.Shortest, c.Longest)
	if c.Ratio != "" {
		text += ", " + c.Ratio + " at most"
	}
	if len(c.Aspects) > 0 {
		text += ", " + strings.Join(c.Aspects, " or ")
	}
	return text
}

// NeededPictures writes the pictures that the stores want, with what is there.
func NeededPictures(w io.Writer, list []*view.NeededStore, look Style) error {
	p := &printer{w: w, look: look}
	for i, s := range list {
		if i > 0 {
			p.line("")
		}
		p.line("%s", p.strong(s.Store.Name))
		for _, n := range s.Rows {
			p.line("")
			who := ""
			if !n.Sure {
				who = ", if the app runs on a " + n.Device
				if n.Device == "clip" || n.Device == "messages" {
					who = map[string]string{"clip": ", if there is an app clip", "messages": ", if the app runs in messages alone"}[n.Device]
				}
			}
			count := "one"
			if n.Least > 1 {
				count = fmt.Sprintf("%d at least", n.Least)
			}
			p.block(2, "", nil, capital(n.What)+": "+count+who, styleStrong)
			seen := []string{}
			for i, c := range n.Classes {
				if slices.Contains(seen, c.ID) {
					continue
				}
				seen = append(seen, c.ID)
				text := sizesOf(c) + "; " + strings.Join(c.Formats, " or ")
				if c.Most > 1 {
					text += fmt.Sprintf("; up to %d", c.Most)
				}
				if i == maxListed && !look.All && len(n.Classes) > maxListed+1 {
					p.block(6, "", nil, Count(len(n.Classes)-i, "more class", "more classes")+", which show those of larger devices: regola tables picture_classes", styleDim)
					break
				}
				p.block(6, pad(c.ID, 14), styleDim, text, nil)
			}
			if n.Has == nil {
				if n.Sure && n.Looked {
					p.block(6, "", nil, "none is there; "+cmp.Or(map[string]string{"blocked": "the page cannot be sent without it"}[n.Impact], impactText[rulebook.Impact(n.Impact)]), styleImpact[rulebook.Impact(n.Impact)])
				}
				continue
			}
			var parts []string
			for _, h := range n.Has {
				name := "every language"
				if h.Language != "" {
					name = textual.LanguageName(h.Language)
				}
				parts = append(parts, fmt.Sprintf("%s %d", name, h.Count))
			}
			p.block(6, "there: ", styleDim, strings.Join(parts, ", "), nil)
		}
	}
	return p.err
}
