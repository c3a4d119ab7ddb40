package report

import (
	"cmp"
	"io"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"github.com/aymanbagabas/go-udiff"

	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/sanitize"
	"regola.example/regola/internal/view"
)

// FixForms are the forms of the corrections.
var FixForms = []string{"text", "diff", "json"}

// FixDocument is the corrections of a dossier in their JSON form.
type FixDocument struct {
	Regola   int64          `json:"regola"` // version of this form
	Written  bool           `json:"written" doc:"the files were changed"`
	Made     []FixEntry     `json:"made"`
	Left     []FixEntry     `json:"left" doc:"corrections that are known and were not made"`
	Files    []FixedFile    `json:"files"`
	Problems []ProblemEntry `json:"problems" doc:"what keeps the dossier from being judged, also with the corrections"`
}

// FixEntry is one correction.
type FixEntry struct {
	place.Edit
	Rule string `json:"rule" doc:"the rule that asks for it; empty when it is the form of the file"`
	Why  string `json:"why" doc:"what is wrong"`
	Left string `json:"left,omitempty" doc:"why it was not made"`
}

// FixedFile is a file that changes.
type FixedFile struct {
	File   string `json:"file"`
	Rename string `json:"rename,omitempty" doc:"the path that it becomes"`
	Diff   string `json:"diff" doc:"the change in the unified form"`
}

// NewFixDocument puts corrections into their JSON form.
func NewFixDocument(f *view.Fixes, written bool) *FixDocument {
	d := &FixDocument{Regola: FormatNumber, Written: written, Made: []FixEntry{}, Left: []FixEntry{}, Files: []FixedFile{}, Problems: NewProblemsDocument(f.Broken).Problems}
	for _, x := range f.Made {
		d.Made = append(d.Made, FixEntry{x.Edit, x.Rule, x.Why, ""})
	}
	for _, x := range f.Left {
		d.Left = append(d.Left, FixEntry{x.Edit, x.Rule, x.Why, x.Left})
	}
	for _, x := range f.Files {
		d.Files = append(d.Files, FixedFile{filepath.ToSlash(x.Name), filepath.ToSlash(x.Rename), diff(x)})
	}
	return d
}

// diff is the change of a file in the unified form, which patch programs take.
func diff(x *view.FixedFile) string {
	to := x.Name
	if x.Rename != "" {
		to = x.Rename
	}
	return udiff.Unified(filepath.ToSlash(x.Name), filepath.ToSlash(to), string(x.Before), string(x.After))
}

// FixDiff writes the changes of all files in the unified form.
func FixDiff(w io.Writer, f *view.Fixes) error {
	for _, x := range f.Files {
		if _, err := io.WriteString(w, diff(x)); err != nil {
			return err
		}
	}
	return nil
}

// mostShown bounds a text that is quoted beside its correction, in characters.
const mostShown = 60

// Fixes writes corrections for people. What cannot be seen is written as an escape.
func Fixes(w io.Writer, f *view.Fixes, written bool, look Style) error {
	p := &printer{w: w, look: look}
	made := Count(len(f.Made), "correction", "corrections")
	switch {
	case len(f.Made) == 0:
		p.line("%s", p.strong("Nothing to correct without a decision."))
	case written:
		p.line("%s", p.strong("Wrote "+made+" in "+Count(len(f.Files), "file", "files")+"."))
	default:
		p.line("%s", p.strong(made+" in "+Count(len(f.Files), "file", "files")+"; nothing is written yet."))
	}
	slices.SortStableFunc(f.Made, func(a, b *view.Fix) int {
		return cmp.Or(strings.Compare(a.At.File, b.At.File), a.At.Line-b.At.Line)
	})
	last := ""
	for _, x := range f.Made {
		if x.At.File != last {
			p.line("")
			p.line("%s", p.path(x.At.File))
			last = x.At.File
		}
		p.fix(x)
	}
	if len(f.Left) > 0 {
		p.line("")
		p.line("%s", p.strong("Not made here"))
		for _, x := range f.Left {
			p.line("  %s", p.path(x.At.Link()))
			p.block(4, "", nil, x.Why+": "+x.Left, nil)
		}
	}
	for i, x := range f.Broken {
		if i == 0 {
			p.line("")
			p.line("%s", p.strong("To be corrected by hand before anything can be judged"))
		}
		p.line("  %s", p.path(x.At.Link()))
		p.block(4, "", nil, x.What, nil)
		p.block(4, "fix", styleDim, x.Fix, nil)
	}
	if !written && len(f.Files) > 0 {
		p.line("")
		p.block(0, "", nil, `To write: "regola fix --write", with --rule RULE for one rule; "regola fix --format diff" shows the lines.`, nil)
	}
	return p.err
}

// fix writes one correction: the line, what is wrong, and the piece that changes.
func (p *printer) fix(x *view.Fix) {
	rule := x.Rule
	if rule == "" {
		rule = "form of the file"
	}
	if x.Rename {
		p.line("  rename to %s  %s", p.strong(x.Becomes), p.dim(rule))
		return
	}
	p.line("  line %d  %s", x.At.Line, p.dim(rule))
	p.block(4, "", nil, x.Why, nil)
	for _, piece := range pieces(x.Was, x.Becomes) {
		p.line("    %s", p.dim("- "+escaped(piece[0])))
		p.line("    %s", p.strong("+ "+escaped(piece[1])))
	}
}

// pieces are the parts of a text that change, with what is around them, before and after:
// the whole of a short text.
func pieces(was, becomes string) (out [][2]string) {
	if len(was) <= mostShown && len(becomes) <= mostShown {
		return [][2]string{{was, becomes}}
	}
	at := -1 // where the last piece ends
	for _, e := range udiff.Strings(was, becomes) {
		from, to := around(was, e.Start, e.End)
		if n := len(out) - 1; n >= 0 && from < at {
			last := &out[n]
			last[1] = last[1][:len(last[1])-(at-e.Start)] + e.New + was[e.End:to]
			last[0] += was[at:to]
		} else {
			out = append(out, [2]string{was[from:to], was[from:e.Start] + e.New + was[e.End:to]})
		}
		at = to
	}
	return out
}

// around widens a piece of a text by some characters on both sides, within its line.
func around(s string, from, to int) (int, int) {
	const margin = 16
	for n := 0; from > 0 && n < margin; n++ {
		if s[from-1] == '\n' {
			break
		}
		from--
		for from > 0 && s[from]&0xc0 == 0x80 {
			from--
		}
	}
	for n := 0; to < len(s) && n < margin; n++ {
		if s[to] == '\n' {
			break
		}
		to++
		for to < len(s) && s[to]&0xc0 == 0x80 {
			to++
		}
	}
	return from, to
}

// escaped quotes a text so that everything in it can be seen.
func escaped(s string) string { return strconv.Quote(sanitize.Cut(s, 2*mostShown)) }
