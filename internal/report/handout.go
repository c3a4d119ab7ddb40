package report

import (
	"bytes"
	_ "embed"
	"fmt"
	"html/template"
	"io"
	"strings"
	"sync"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/handout"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/sanitize"
	"regola.example/regola/internal/view"
)

// HandoutDocument is what is typed and uploaded for a release, in its JSON form.
type HandoutDocument struct {
	Regola  int64          `json:"regola"` // version of this form
	App     string         `json:"app"`
	Version string         `json:"version"`
	Day     string         `json:"day"`
	Ready   bool           `json:"ready" doc:"nothing that a store would stop at, and nothing open, is left"`
	Stores  []HandoutStore `json:"stores"`
}

// HandoutStore is one store's part.
type HandoutStore struct {
	Store   string        `json:"store"`
	Name    string        `json:"name"`
	Channel string        `json:"channel" doc:"to whom it goes"`
	Form    string        `json:"form" doc:"the kind of device"`
	Package string        `json:"package" doc:"the file to upload"`
	Ready   bool          `json:"ready"`
	Left    string        `json:"left" doc:"what stands in the way, in words; empty when it is ready"`
	Parts   []HandoutPart `json:"parts"`
}

// HandoutPart is one part of the work.
type HandoutPart struct {
	Title  string         `json:"title"`
	Groups []HandoutGroup `json:"groups"`
}

// HandoutGroup is a language, a class of pictures or a product.
type HandoutGroup struct {
	Title string       `json:"title"`
	Rows  []HandoutRow `json:"rows"`
}

// HandoutRow is one thing to type or upload.
type HandoutRow struct {
	Key   string `json:"key" doc:"the dossier's key"`
	Label string `json:"label" doc:"what it is, in words"`
	Value string `json:"value"`
	Count int64  `json:"count,omitempty" doc:"characters of a text that has a limit"`
	Most  int64  `json:"most,omitempty" doc:"how many fit"`
	File  string `json:"file,omitempty"`
	Is    string `json:"is,omitempty" doc:"new or changed since the release before"`
}

// NewHandoutDocument puts a handout into its JSON form.
func NewHandoutDocument(v *view.Handout) *HandoutDocument {
	d := &HandoutDocument{Regola: FormatNumber, App: v.Result.App, Version: v.Result.Version, Day: v.Result.Day.String(), Ready: true, Stores: []HandoutStore{}}
	for _, s := range v.Stores {
		one := HandoutStore{Store: s.Store.Store, Name: s.Name, Channel: s.Channel, Form: s.Form, Package: s.Package, Left: leftOf(s.Verdict), Parts: []HandoutPart{}}
		one.Ready = one.Left == ""
		d.Ready = d.Ready && one.Ready
		for _, p := range s.Parts {
			part := HandoutPart{Title: p.Title, Groups: []HandoutGroup{}}
			for _, g := range p.Groups {
				group := HandoutGroup{Title: g.Title, Rows: []HandoutRow{}}
				for _, r := range g.Rows {
					group.Rows = append(group.Rows, HandoutRow{r.Key, r.Label, r.Value, int64(r.Count), int64(r.Most), r.File, r.Is})
				}
				part.Groups = append(part.Groups, group)
			}
			one.Parts = append(one.Parts, part)
		}
		d.Stores = append(d.Stores, one)
	}
	return d
}

// leftOf says what stands in the way of a release; empty when nothing does.
func leftOf(s *check.Store) string {
	if s == nil {
		return ""
	}
	var parts []string
	grave := 0
	for impact, n := range s.Broken() {
		if impact == rulebook.Refused || impact == rulebook.Blocked || impact == rulebook.Rejected {
			grave += n
		}
	}
	for _, x := range []struct {
		n         int
		one, many string
	}{
		{grave, "fault that a store would stop at", "faults that a store would stop at"}, {s.Count(check.ToAnswer), "question to answer", "questions to answer"},
		{s.Count(check.ToConfirm), "thing to confirm", "things to confirm"}, {s.Count(check.NotRead), "rule that could not be judged", "rules that could not be judged"},
	} {
		if x.n > 0 {
			parts = append(parts, Count(x.n, x.one, x.many))
		}
	}
	return strings.Join(parts, ", ")
}

// room says how many characters a text has, and how many fit.
func room(r *handout.Row) string {
	switch {
	case r.Most > 0:
		return fmt.Sprintf("%d of %d", r.Count, r.Most)
	case r.Count > 0:
		return Count(r.Count, "character", "characters")
	}
	return ""
}

// HandoutMarkdown writes a handout with boxes to tick.
func HandoutMarkdown(w io.Writer, v *view.Handout) error {
	var b strings.Builder
	clean := func(s string) string { return md(sanitize.Text(s)) }
	fmt.Fprintf(&b, "# %s %s\n", clean(v.Result.App), clean(v.Result.Version))
	for _, s := range v.Stores {
		fmt.Fprintf(&b, "\n## %s\n\n", clean(s.Name))
		if left := leftOf(s.Verdict); left != "" {
			fmt.Fprintf(&b, "**Not ready:** %s. `regola next` names the first.\n\n", left)
		} else {
			b.WriteString("Ready to be sent.\n\n")
		}
		if s.Package != "" {
			fmt.Fprintf(&b, "- [ ] upload `%s`\n", sanitize.Text(s.Package))
		}
		for _, p := range s.Parts {
			fmt.Fprintf(&b, "\n### %s\n", clean(p.Title))
			for _, g := range p.Groups {
				if g.Title != "" {
					fmt.Fprintf(&b, "\n#### %s\n", clean(g.Title))
				}
				b.WriteByte('\n')
				for _, r := range g.Rows {
					fmt.Fprintf(&b, "- [ ] %s", clean(r.Label))
					var notes []string
					if n := room(r); n != "" {
						notes = append(notes, n)
					}
					if r.Is != "" {
						notes = append(notes, "**"+r.Is+"**")
					}
					if len(notes) > 0 {
						fmt.Fprintf(&b, " (%s)", strings.Join(notes, ", "))
					}
					if r.File != "" {
						fmt.Fprintf(&b, ": `%s`%s\n", sanitize.Text(r.File), strings.TrimSuffix(" "+clean(r.Value), " "))
					} else if strings.Contains(r.Value, "\n") {
						fmt.Fprintf(&b, ":\n\n%s\n\n", indent(shownLines(r.Value)))
					} else {
						fmt.Fprintf(&b, ": %s\n", clean(r.Value))
					}
				}
			}
		}
	}
	_, err := io.WriteString(w, b.String())
	return err
}

// shownLines makes a text safe to show, and keeps its lines.
func shownLines(text string) string {
	lines := strings.Split(strings.TrimRight(text, "\n"), "\n")
	for i, l := range lines {
		lines[i] = sanitize.Text(l)
	}
	return strings.Join(lines, "\n")
}

// indent sets a text as code of a list's item, so that its lines stay as they are.
func indent(text string) string {
	return "      " + strings.ReplaceAll(strings.TrimRight(text, "\n"), "\n", "\n      ")
}

//go:embed handout.html
var handoutPage string

var handoutTemplate = sync.OnceValues(func() (*template.Template, error) {
	return template.New("handout").Funcs(template.FuncMap{"shown": sanitize.Text, "lines": shownLines, "room": room, "left": func(s *view.HandoutStore) string { return leftOf(s.Verdict) },
		"long": func(s string) bool { return len(s) > 80 || strings.Contains(s, "\n") }}).Parse(handoutPage)
})

// HandoutHTML writes a handout as one page for screen and paper. It needs no script.
func HandoutHTML(w io.Writer, v *view.Handout) error {
	t, err := handoutTemplate()
	if err != nil {
		return err
	}
	var b bytes.Buffer
	if err := t.Execute(&b, v); err != nil {
		return err
	}
	_, err = b.WriteTo(w)
	return err
}

// Handout writes on the terminal what a handout holds, part by part, and where it is not ready.
func Handout(w io.Writer, v *view.Handout, look Style) error {
	p := &printer{w: w, look: look}
	p.line("%s", p.strong(strings.TrimSpace(v.Result.App+" "+v.Result.Version)))
	for _, s := range v.Stores {
		p.line("")
		if left := leftOf(s.Verdict); left != "" {
			p.block(0, "", nil, s.Name+": not ready, "+left, styleStrong)
		} else {
			p.block(0, "", nil, s.Name+": ready to be sent", styleStrong)
		}
		if s.Package != "" {
			p.block(3, "", nil, "upload "+s.Package, nil)
		}
		for _, part := range s.Parts {
			p.line("")
			p.line("   %s", p.strong(part.Title))
			for _, g := range part.Groups {
				if g.Title != "" {
					p.block(5, "", nil, g.Title, styleDim)
				}
				for _, r := range g.Rows {
					note := r.Is
					if n := room(r); n != "" {
						note = strings.Trim(n+", "+note, ", ")
					}
					if r.File != "" {
						p.block(7, "[ ] ", styleDim, r.Label+": "+r.File+strings.TrimSuffix(" ("+note+")", " ()"), nil)
						continue
					}
					value := Shortened(strings.Join(strings.Fields(r.Value), " "), 200)
					if note != "" {
						value += " (" + note + ")"
					}
					p.block(7, "[ ] ", styleDim, r.Label+": "+value, nil)
				}
			}
		}
	}
	return p.err
}
