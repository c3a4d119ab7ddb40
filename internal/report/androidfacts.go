package report

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/facts"
)

func androidLabel(t *factsTable, label string, v any) {
	l := v.(*facts.Text)
	t.row(label, l.Default)
	const shown = 6
	others := slices.Sorted(maps.Keys(l.Locales))
	others = slices.DeleteFunc(others, func(lang string) bool { return l.Locales[lang] == l.Default })
	for _, lang := range others[:min(len(others), shown)] {
		t.row("  in "+lang, l.Locales[lang])
	}
	if more := len(others) - shown; more > 0 {
		t.row("", fmt.Sprintf("and in %d more languages", more))
	}
}

func features(required bool) func(t *factsTable, label string, v any) {
	return func(t *factsTable, label string, v any) {
		var names []string
		for _, f := range v.([]*facts.Feature) {
			if f.Required == required {
				names = append(names, f.Name)
			}
		}
		t.list(label, names)
	}
}

func androidPermissions(t *factsTable, _ string, v any) {
	permissions := v.(*facts.Manifest).Permissions
	if len(permissions) == 0 {
		t.row("none", "the manifest asks for none")
	}
	for _, p := range permissions {
		var extra []string
		if p.MaxLevel > 0 {
			extra = append(extra, fmt.Sprintf("up to level %d", p.MaxLevel))
		}
		if p.From23 {
			extra = append(extra, "from level 23")
		}
		if p.Module != "" {
			extra = append(extra, "module "+p.Module)
		}
		t.block(2, "", nil, strings.TrimSpace(p.Name+"  "+strings.Join(extra, ", ")), nil)
	}
}

func dexText(d *facts.Dex) (string, string) {
	name := d.Name
	if d.Module != "" && d.Module != "base" {
		name = d.Module + "/" + name
	}
	if g := d.Gone(); g != nil {
		return name, "not read: " + g.What
	}
	text := fmt.Sprintf("version %s, %s, %d method references", d.Version, Count(int(d.Classes), "class", "classes"), d.Methods)
	if !d.Checksum {
		text += ", checksum wrong"
	}
	return name, text
}

func components(t *factsTable, label string, v any) {
	byKind := map[string]int{}
	exported := 0
	for _, c := range v.([]*facts.Component) {
		byKind[c.Kind]++
		if c.Exported {
			exported++
		}
	}
	var parts []string
	for _, k := range []struct{ kind, many string }{{"activity", "activities"}, {"activity-alias", "aliases"}, {"service", "services"}, {"receiver", "receivers"}, {"provider", "providers"}} {
		if n := byKind[k.kind]; n > 0 {
			parts = append(parts, Count(n, k.kind, k.many))
		}
	}
	t.row(label, strings.Join(parts, ", ")+fmt.Sprintf("; %d exported", exported))
}

func androidLibraries(t *factsTable, _ string, v any) {
	n := v.(*facts.Native)
	if len(n.Architectures) == 0 {
		t.row("native code", "none")
	}
	for _, abi := range n.Architectures {
		t.row(abi.Name, fmt.Sprintf("%d bits, %s", abi.Bits, Count(len(abi.Libraries), "library", "libraries")))
		for _, l := range n.Libraries {
			if l.ABI == abi.Name {
				t.row("  "+l.Name, libraryText(l))
			}
		}
	}
}

func libraryText(l *facts.Library) string {
	if g := l.Gone(); g != nil {
		return "not read: " + g.What
	}
	text := fmt.Sprintf("%s, segments aligned to %s", size(l.Size), size(l.Align))
	if l.Symbols {
		text += ", symbols left in"
	}
	if !l.Fits {
		text += fmt.Sprintf(", made for %s with %d bits", l.Machine, l.Bits)
	}
	return text
}

func androidSigning(t *factsTable, _ string, v any) {
	s := v.(*facts.Signing)
	if len(s.Schemes) == 0 {
		t.row("signed", "no")
		return
	}
	t.list("schemes", s.Schemes)
	if c := s.Certificate; c != nil {
		t.row("certificate", c.Subject)
		t.row("key", fmt.Sprintf("%s, %d bits", c.Key, c.Bits))
		t.row("valid", fmt.Sprintf("%s to %s", day.Long(c.NotBefore), until(c)))
		t.row("SHA-256", c.Fingerprint)
	}
	if s.SideFile {
		t.row("scheme-4 file", "yes")
	}
	switch g := s.Gap("verified"); {
	case g != nil && s.Verified != nil:
		t.row("digests", "cannot be judged: "+g.What)
	case s.Verified != nil:
		t.row("digests", map[bool]string{true: "every one fits", false: "not all fit"}[*s.Verified])
	}
	for _, f := range s.Faults {
		t.row("fault", strings.TrimPrefix(f.Entry+" "+f.What, " "))
	}
}

func iconText(i *facts.Icon) string {
	if i.Name == "" {
		return "none"
	}
	var parts []string
	for _, f := range i.Files {
		if f.Width > 0 {
			parts = append(parts, fmt.Sprintf("%s %d px", f.Density, f.Width))
		}
	}
	for _, form := range []struct {
		has  bool
		name string
	}{{i.Adaptive, "adaptive"}, {i.Monochrome, "monochrome"}, {i.Round, "round"}} {
		if form.has {
			parts = append(parts, form.name)
		}
	}
	if len(parts) == 0 {
		return i.Name
	}
	return strings.Join(parts, ", ")
}
