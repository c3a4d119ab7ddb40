package report

import (
	"io"
	"strings"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/sanitize"
)

// Again writes what a change of files brought: what is new, what is gone, and the verdict.
// The result must have been held against the one before it.
func Again(w io.Writer, r *check.Result, changed []string, look Style) error {
	p := &printer{w: w, look: look}
	p.changedFiles(changed)
	for _, f := range r.Findings(false) {
		p.comes(f)
	}
	if b := r.Baseline; b != nil {
		told := map[string]bool{} // of two stores
		for _, g := range b.Gone {
			if id := g.Rule.ID + g.Fault.At.Exact() + g.Fault.Say; told[id] {
				continue
			} else {
				told[id] = true
			}
			p.block(2, "gone  ", styleDim, g.Fault.Say+" ["+g.Rule.ID+"]", nil)
		}
		if b.New+len(b.Gone) == 0 {
			p.line("  %s", p.dim("no finding came or went"))
		}
	}
	p.outcomes(r)
	return p.err
}

// comes writes the places of a finding that were not there before.
func (p *printer) comes(f *check.Finding) {
	for _, x := range f.Faults {
		if !x.Known {
			p.block(2, "new   ", styleImpact[x.Impact], string(x.Impact)+": "+x.Say+" ["+f.Rule.ID+"]", nil)
			p.where(8, "", x.At)
			if x.Fix != "" {
				p.block(8, "fix ", styleDim, x.Fix, nil)
			}
		}
	}
	for _, w := range f.With {
		p.comes(w)
	}
}

// Unjudged writes why a release cannot be judged after a change.
func Unjudged(w io.Writer, ps place.Problems, changed []string, look Style) error {
	p := &printer{w: w, look: look}
	p.changedFiles(changed)
	for _, x := range ps {
		p.block(2, "", nil, x.Error(), nil)
		if x.Fix != "" {
			p.block(4, "fix ", styleDim, x.Fix, nil)
		}
	}
	p.line("  %s", p.strong("not judged"))
	return p.err
}

func (p *printer) changedFiles(changed []string) {
	p.line("")
	if n := len(changed); n > maxPlaces {
		changed = append(changed[:maxPlaces:maxPlaces], Count(n-maxPlaces, "more", "more"))
	}
	p.line("%s", p.strong("After a change of "+sanitize.Text(strings.Join(changed, ", "))))
}
