package report

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/tables"
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

// androidBuild says what kind of build it is: what marks one that is not meant
// for release, or that none of these marks is there.
func androidBuild(t *factsTable, label string, v any) {
	a := v.(*facts.Android)
	m := &a.Manifest
	debug := a.Signing != nil && a.Signing.Certificate != nil && slices.ContainsFunc(t.by.Debug, func(p *tables.Pattern) bool { return p.Pattern.Match(a.Signing.Certificate.Subject) })
	var marks []string
	for _, mark := range []struct {
		is   bool
		text string
	}{
		{m.Debuggable, "debuggable"},
		{m.TestOnly, "for tests only"},
		{m.Instrumented, "instrumented"},
		{m.LevelCodename != "", "for the preview " + m.LevelCodename},
		{debug, "signed with a debug key"},
		{a.Signing != nil && a.Signing.Gone() == nil && len(a.Signing.Schemes) == 0, "not signed"},
	} {
		if mark.is {
			marks = append(marks, mark.text)
		}
	}
	if len(marks) == 0 {
		marks = []string{"release"}
	}
	t.list(label, marks)
}

// androidSizes says how much a device downloads first, and of what.
func androidSizes(s *facts.Sizes) string {
	text := size(s.Download) + " to download"
	var parts []string
	for _, k := range []string{"code", "native", "resources", "assets", "other"} {
		if n := s.Parts[k]; n > 0 {
			parts = append(parts, k+" "+size(n))
		}
	}
	if len(parts) > 0 {
		text += "; " + strings.Join(parts, ", ")
	}
	return text
}

func androidCertificate(t *factsTable, _ string, v any) {
	if c := v.(*facts.Signing).Certificate; c != nil {
		t.certificate(c)
	}
}

// certificate writes whose it is, until when, and its digest on one line, in
// the form in which the stores show it.
func (t *factsTable) certificate(c *facts.Certificate) {
	t.row("certificate", fmt.Sprintf("%s, %s with %d bits, until %s", c.Subject, c.Key, c.Bits, until(c)))
	var pairs []string
	for i := 0; i+2 <= len(c.Fingerprint); i += 2 {
		pairs = append(pairs, strings.ToUpper(c.Fingerprint[i:i+2]))
	}
	t.line("  %s", t.dim("SHA-256"))
	t.line("  %s", strings.Join(pairs, ":"))
}

// most is how many items of a long list are shown.
const most = 12

// androidLanguages lists the languages in which the app speaks. Libraries bring
// their own texts in many more: those stand in one line.
func androidLanguages(t *factsTable, label string, v any) {
	r := v.(*facts.Resources)
	var own, part, brought []string
	var lacks []*facts.LocaleStrings
	for _, lang := range r.Locales {
		if t.by.Brought[lang] != "" {
			brought = append(brought, lang)
			continue
		}
		i := slices.IndexFunc(r.Strings, func(s *facts.LocaleStrings) bool { return s.Locale == lang })
		if i < 0 || r.Strings[i].Missing <= r.Strings[i].Count {
			own = append(own, lang)
			if i >= 0 && r.Strings[i].Missing > 0 {
				lacks = append(lacks, r.Strings[i])
			}
		} else {
			part = append(part, lang)
		}
	}
	t.list(label, own)
	for _, s := range lacks {
		t.row("  "+s.Locale, fmt.Sprintf("lacks %d of %d texts", s.Missing, s.Count+s.Missing))
	}
	if len(part) > most {
		part = append(part[:most:most], fmt.Sprintf("and %d more", len(part)-most))
	}
	t.list("less than half", part)
	if len(brought) > most {
		brought = append(brought[:most:most], fmt.Sprintf("and %d more", len(brought)-most))
	}
	t.list("of libraries", brought)
}

// sensitive says what the store or the system makes of a permission.
func (t *factsTable) sensitive(name string) string {
	p := t.by.Permissions[name]
	switch {
	case p == nil:
		return ""
	case p.Declaration != "":
		return "to declare: " + p.Declaration
	case p.Protection == "dangerous":
		return "people are asked"
	case p.Protection == "appop" || p.Protection == "signature-appop":
		return "people switch it on in the settings"
	case strings.HasPrefix(p.Protection, "signature"):
		return "not for apps"
	}
	return ""
}

func androidPermissions(t *factsTable, _ string, v any) {
	permissions := v.(*facts.Manifest).Permissions
	if len(permissions) == 0 {
		t.row("none", "the manifest asks for none")
	}
	widest := 0
	for _, p := range permissions {
		widest = max(widest, len(p.Name))
	}
	for _, p := range permissions {
		var extra []string
		if s := t.sensitive(p.Name); s != "" {
			extra = append(extra, s)
		}
		if p.ImpliedBy != "" {
			extra = append(extra, "added for "+p.ImpliedBy)
		}
		if p.MaxLevel > 0 {
			extra = append(extra, fmt.Sprintf("up to level %d", p.MaxLevel))
		}
		if p.From23 {
			extra = append(extra, "from level 23")
		}
		if p.Module != "" {
			extra = append(extra, "module "+p.Module)
		}
		t.open()
		if len(extra) == 0 {
			t.block(2, "", nil, p.Name, nil)
			continue
		}
		t.block(2, pad(p.Name, min(widest, 60))+"  ", nil, strings.Join(extra, ", "), styleDim)
	}
}

// exported lists the components that other apps can start or ask.
func exported(t *factsTable, _ string, v any) {
	m := v.(*facts.Manifest)
	n := 0
	for _, c := range m.Components {
		if !c.Exported || !c.Enabled {
			continue
		}
		if n++; n > most {
			continue
		}
		text := c.Name
		switch {
		case c.Permission != "":
			text += ", with " + c.Permission
		case c.Name == m.Launcher:
			text += ", the start"
		}
		t.row(c.Kind, text)
	}
	if n > most {
		t.row("", fmt.Sprintf("and %d more", n-most))
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
	for _, c := range v.([]*facts.Component) {
		byKind[c.Kind]++
	}
	var parts []string
	for _, k := range []struct{ kind, many string }{{"activity", "activities"}, {"activity-alias", "aliases"}, {"service", "services"}, {"receiver", "receivers"}, {"provider", "providers"}} {
		if n := byKind[k.kind]; n > 0 {
			parts = append(parts, Count(n, k.kind, k.many))
		}
	}
	t.row(label, strings.Join(parts, ", "))
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
	for _, sg := range s.Signers {
		if s.Certificate != nil && sg.Certificate != nil && sg.Certificate.Fingerprint != s.Certificate.Fingerprint {
			t.row("scheme "+sg.Scheme, "by another certificate, "+sg.Certificate.Subject)
		}
	}
	if s.SideFile {
		t.row("scheme-4 file", "yes")
	}
	switch g := fact.GapOf(s, &s.Verified); {
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
