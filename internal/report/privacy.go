package report

import (
	"io"
	"maps"
	"slices"
	"strings"

	"regola.example/regola/internal/core/evidence"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
)

// PrivacyTable writes what the code uses, what the manifests declare and what
// is missing, bundle by bundle, and the union over the app.
func PrivacyTable(w io.Writer, p *facts.Package, e *evidence.Evidence, look Style) error {
	t := &factsTable{printer: printer{w: w, look: look}, opened: true}
	t.line("%s", t.strong(p.File))
	if p.IOS != nil {
		t.iosPrivacy(p.IOS, e)
	}
	if len(e.SDKs) > 0 {
		t.head("third-party code")
		for _, s := range e.SDKs {
			text := s.Kind + ", " + s.Seen
			if len(s.Data) > 0 {
				text += "; usually sends " + strings.Join(s.Data, ", ")
			}
			t.block(2, "", nil, s.ID, nil)
			t.block(4, "", nil, text, styleDim)
		}
	} else if p.Android != nil {
		t.line("")
		t.line("No third-party code was recognised.")
	}
	return t.err
}

func (t *factsTable) iosPrivacy(a *facts.IOS, e *evidence.Evidence) {
	missing := 0
	for _, r := range e.Reasons {
		if !r.Declared {
			missing++
		}
	}
	t.line("")
	switch {
	case fact.ReasonOf(e, &e.Reasons) != "":
		t.block(0, "", nil, "What the code uses is not known: "+fact.ReasonOf(e, &e.Reasons), nil)
	case missing > 0:
		t.line("%s", t.look.paint(styleImpact["refused"], Count(missing, "declaration is missing", "declarations are missing")))
		t.block(0, "", nil, `"regola privacy PACKAGE --manifest FILE" writes a manifest to complete`+bundleHint(e), styleDim)
	default:
		t.line("%s", t.look.paint(styleGood, "Every required reason is declared."))
	}
	var quiet []string
	for _, b := range slices.Concat(a.Bundles, a.Resources) {
		name := bundleName(b)
		if !slices.ContainsFunc(e.Reasons, func(r *evidence.Reason) bool { return r.Bundle == b.Path }) && (b.Privacy == nil && !b.PrivacyPresent || b.Privacy != nil && len(b.Privacy.Accessed)+len(b.Privacy.Faults) == 0) {
			quiet = append(quiet, name)
			continue
		}
		t.head(name)
		if b.Privacy == nil {
			t.row("manifest", fact.ReasonOf(b, &b.Privacy))
		}
		used := map[string]bool{}
		for _, r := range e.Reasons {
			if r.Bundle != b.Path {
				continue
			}
			used[r.Category] = true
			state := "declared, " + strings.Join(r.Reasons, ", ")
			switch {
			case !r.Declared:
				state = "missing: declare the reason that fits"
			case len(r.Reasons) == 0:
				state = "declared in another category"
			}
			t.block(2, "", nil, r.Name+": "+strings.Join(r.Because, ", "), nil)
			style := styleGood
			if !r.Declared {
				style = styleImpact["refused"]
			}
			t.block(4, "", nil, state, style)
			if !r.Declared {
				for _, code := range r.Choices {
					t.block(6, code+"  ", styleDim, r.Meanings[code], nil)
				}
			}
		}
		if b.Privacy == nil {
			continue
		}
		for _, x := range b.Privacy.Accessed {
			if !used[x.Category] {
				t.block(2, "", nil, x.Category+": declared, and no use was seen", styleDim)
			}
		}
		for _, f := range b.Privacy.Faults {
			t.block(2, "", nil, f.Key+" "+f.What, styleImpact["refused"])
		}
	}
	if len(quiet) > 0 {
		t.line("")
		t.block(0, "", nil, "Nothing to declare in: "+strings.Join(quiet, ", "), styleDim)
	}
	t.head("all together")
	domains := map[string]bool{}
	tracking := false
	for _, b := range slices.Concat(a.Bundles, a.Resources) {
		if b.Privacy != nil {
			tracking = tracking || b.Privacy.Tracking
			for _, d := range b.Privacy.Domains {
				domains[d] = true
			}
		}
	}
	t.row("tracking", map[bool]string{true: "yes", false: "no"}[tracking])
	t.list("tracking domains", slices.Sorted(maps.Keys(domains)))
	if len(e.Collected) == 0 {
		t.row("collected", "nothing is declared")
	}
	for _, c := range e.Collected {
		text := strings.TrimPrefix(c.Type, "NSPrivacyCollectedDataType")
		if c.Linked {
			text += ", linked to the person"
		}
		if c.Tracking {
			text += ", for tracking"
		}
		for _, p := range c.Purposes {
			text += ", " + strings.TrimPrefix(p, "NSPrivacyCollectedDataTypePurpose")
		}
		names := slices.Clone(c.Bundles)
		for i := range names {
			if names[i] == "." {
				names[i] = "the app"
			}
		}
		t.row("collected", text+" ("+strings.Join(names, ", ")+")")
	}
	for _, b := range e.BadCollected {
		t.row("not known", b.What)
	}
}

// PrivacyDocument is the JSON form of what the code uses and what privacy
// manifests declare.
type PrivacyDocument struct {
	Regola    int64                 `json:"regola"`  // version of this form
	Missing   int64                 `json:"missing"` // reasons that are not declared
	Reasons   []*evidence.Reason    `json:"reasons"`
	Collected []*evidence.Collected `json:"collected"`
	SDKs      []*evidence.SDK       `json:"sdks"`
	Gaps      []ReasonNote          `json:"gaps"` // what is not known, and why
}

// NewPrivacyDocument puts the evidence on privacy into its JSON form.
func NewPrivacyDocument(e *evidence.Evidence) *PrivacyDocument {
	d := &PrivacyDocument{Regola: FormatNumber, Reasons: []*evidence.Reason{}, Collected: []*evidence.Collected{}, SDKs: []*evidence.SDK{}, Gaps: []ReasonNote{}}
	d.Reasons, d.Collected, d.SDKs = append(d.Reasons, e.Reasons...), append(d.Collected, e.Collected...), append(d.SDKs, e.SDKs...)
	for _, r := range e.Reasons {
		if !r.Declared {
			d.Missing++
		}
	}
	for _, g := range fact.Gaps(e, "evidence") {
		d.Gaps = append(d.Gaps, ReasonNote{string(g.Kind), g.Path, g.What, g.At})
	}
	return d
}

// bundleHint says how to write the manifest of another bundle than the app.
func bundleHint(e *evidence.Evidence) string {
	for _, r := range e.Reasons {
		if !r.Declared && r.Bundle != "." {
			return ", for another bundle than the app with --bundle " + r.Bundle
		}
	}
	return ""
}
