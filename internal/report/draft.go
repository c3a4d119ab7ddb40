package report

import (
	"io"
	"path/filepath"
	"strings"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/view"
)

// Drafted tells what a draft wrote, or what an old dossier lacks, and what to do
// next.
func Drafted(w io.Writer, folder string, d *view.Draft, look Style) error {
	p := &printer{w: w, look: look}
	if d.Old {
		p.line("%s%s", p.strong(filepath.ToSlash(filepath.Join(folder, "dossier.yaml"))), p.dim(" is there already; nothing was written"))
	} else {
		p.line("%s", p.strong(Count(len(d.Files), "file written", "files written")))
		for _, f := range d.Files {
			p.line("  %s", p.path(filepath.ToSlash(filepath.Join(folder, f.Path))))
		}
	}
	var open []*check.Duty
	for _, x := range d.Result.Duties() {
		if x.State != check.Done {
			open = append(open, x)
		}
	}
	if d.Old && len(d.Files) > 0 {
		p.line("")
		p.line("%s", p.strong("The packages speak languages that the page has not"))
		for _, f := range d.Files {
			p.line("  %s", p.path(f.Path))
		}
	}
	p.line("")
	if len(open) == 0 {
		p.line("%s", p.strong("Nothing is left to answer"))
	} else {
		p.line("%s", p.strong(Count(len(open), "answer is", "answers are")+" needed, the gravest first"))
	}
	const most = 12
	for i, x := range open {
		if i == most {
			p.line("  %s", p.dim(Count(len(open)-most, "more; \"regola duties\" lists it", "more; \"regola duties\" lists them")))
			break
		}
		text := x.What
		if x.Because != "" {
			text += ", because " + x.Because
		}
		p.block(2, pad(x.Write, 38), styleDim, text, nil)
	}
	p.line("")
	p.line("%s", p.strong("Next"))
	call := "regola check"
	if len(d.Apart) > 0 { // a dossier names what lies in its folder
		for _, name := range d.Apart {
			call += " " + filepath.ToSlash(name)
		}
		if folder != "." {
			call += " --dossier " + filepath.ToSlash(folder)
		}
	} else if folder != "." {
		call += " " + filepath.ToSlash(folder)
	}
	p.block(2, "", nil, "answer what is open ("+strings.Replace(call, " check", " answer", 1)+", or the lines marked # needed), write the texts in listing/, put pictures into pictures/, then run: "+call, nil)
	return p.err
}
