package report

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/facts"
)

func iosIcon(i *facts.IOSIcon) string {
	var sizes []string
	for _, f := range i.Files {
		sizes = append(sizes, fmt.Sprintf("%d px", f.Width))
	}
	return strings.TrimPrefix(strings.Join(append([]string{i.Name}, sizes...), ", "), ", ")
}

// iconSet says which pictures of an icon are in the asset catalogue: sizes by
// device and appearance. Only the large picture must be opaque.
func iconSet(icon *facts.IOSIcon) string {
	if !icon.Catalog || icon.Gap("set") != nil {
		return ""
	}
	var order, parts []string
	sizes := map[string][]string{}
	for _, p := range icon.Set {
		name := p.Idiom
		if p.Appearance != "any" {
			name += ", " + p.Appearance
		}
		if sizes[name] == nil {
			order = append(order, name)
		}
		text := fmt.Sprint(p.Width)
		if p.Kind != "picture" {
			text = p.Kind
		} else if p.Width == 1024 && !p.Opaque {
			text += " (transparent)"
		}
		if !slices.Contains(sizes[name], text) {
			sizes[name] = append(sizes[name], text)
		}
	}
	for _, name := range order {
		parts = append(parts, name+": "+strings.Join(sizes[name], " "))
	}
	if len(parts) == 0 {
		return "none of that name in the asset catalogue"
	}
	return strings.Join(parts, "; ")
}

func families(t *factsTable, label string, v any) {
	var names []string
	for _, f := range v.([]int64) {
		name := map[int64]string{1: "phone", 2: "tablet", 3: "television", 4: "watch", 7: "headset"}[f]
		if name == "" {
			name = fmt.Sprint(f)
		}
		names = append(names, name)
	}
	t.list(label, names)
}

func iosPurposes(t *factsTable, _ string, v any) {
	purposes := v.(*facts.Info).Purposes
	if len(purposes) == 0 {
		t.row("none", "the property list has no purpose string")
	}
	for _, p := range purposes {
		text := p.Text
		if len(p.Locales) > 0 {
			text += "  (also " + strings.Join(slices.Sorted(maps.Keys(p.Locales)), ", ") + ")"
		}
		t.block(2, "", nil, p.Key, styleDim)
		t.block(4, "", nil, text, nil)
	}
}

func nestedText(b *facts.Bundle) (string, string) {
	i := &b.Info
	text := fmt.Sprintf("%s %s (%s)", i.ID, i.Version, i.Build)
	if g := i.Gone(); g != nil {
		text = "not read: " + g.What
	} else if i.Point != "" {
		text += ", " + i.Point
	}
	return b.Kind, b.Path + ": " + text
}

// linked lists the libraries of the system, or the others, that the app links.
func linked(system bool) func(t *factsTable, label string, v any) {
	return func(t *factsTable, label string, v any) {
		c := v.(*facts.BundleCode)
		var names []string
		for _, l := range slices.Concat(c.Libraries, c.WeakLibraries) {
			name, ofSystem := l, true
			switch {
			case strings.HasPrefix(l, "/System/Library/Frameworks/"):
				name = strings.TrimSuffix(l[strings.LastIndexByte(l, '/')+1:], ".framework")
			case strings.HasPrefix(l, "/usr/lib/"):
				name = l[len("/usr/lib/"):]
			default:
				ofSystem = false
			}
			if ofSystem == system {
				names = append(names, name)
			}
		}
		t.list(label, names)
	}
}

// bundle writes how one bundle is signed, and what it declares.
func (t *factsTable) bundle(b *facts.Bundle) {
	switch s := b.Signature; {
	case s == nil:
		t.row("  signature", "not read: "+b.Unread("signature"))
	case s.Adhoc:
		t.row("  signature", "by nobody (ad hoc)")
	default:
		text := "team " + s.Team
		if s.Signer != nil {
			text += ", by " + s.Signer.Subject
		}
		t.row("  signature", text)
	}
	if b.Signature != nil {
		for _, c := range b.Signature.Chain {
			t.row("  issued by", c.Subject+", until "+until(c))
		}
		label := "  entitlements"
		for _, e := range b.Signature.Entitlements {
			text := e.Key
			if !e.Set {
				text += " = " + strings.Join(e.Values, ", ")
			}
			t.row(label, text)
			label = ""
		}
		t.list("  fault", b.Signature.Faults)
	}
	for _, f := range b.Seal.Faults {
		t.row("  fault", f.Path+" "+f.What)
	}
	if p := b.Profile; p != nil {
		text := fmt.Sprintf("%s, for %s, until %s", p.Kind, p.AppID, day.Long(p.Expires))
		if p.Devices > 0 {
			text += fmt.Sprintf(", on %s", Count(int(p.Devices), "device", "devices"))
		}
		if len(p.Certificates) != 1 {
			text += ", with " + Count(len(p.Certificates), "certificate", "certificates")
		}
		t.row("  profile", text)
		t.row("  fault", p.SignatureFault)
	} else if b.Kind != "framework" {
		t.row("  profile", "none")
	}
	if m := b.Privacy; m != nil {
		var cats []string
		for _, c := range m.Accessed {
			cats = append(cats, strings.TrimPrefix(c.Category, "NSPrivacyAccessedAPICategory"))
		}
		t.row("  privacy manifest", strings.TrimSuffix("reasons for "+strings.Join(cats, ", "), "reasons for ")+fmt.Sprintf(" (%s collected)", Count(len(m.Collected), "kind of data", "kinds of data")))
	} else {
		t.row("  privacy manifest", "none")
	}
}
