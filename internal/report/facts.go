package report

import (
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"

	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/place"
)

// FactsTable writes facts as a person reads them: what it is, for which
// systems, whom it reaches, what it asks for, what is inside.
func FactsTable(w io.Writer, p *facts.Package, look Look) error {
	t := &factsTable{printer: printer{w: w, look: look}}
	t.line("%s  %s", t.strong(Visible(p.File)), t.dim(fmt.Sprintf("%s, %s, %s", strings.ToUpper(p.Kind), size(p.Size), count(int(p.Entries), "file", "files"))))
	if p.Android != nil {
		t.android(p.Android)
	}
	if p.IOS != nil {
		t.ios(p.IOS)
	}
	_, unread := place.Places(p, "pkg")
	maps.DeleteFunc(unread, func(path, _ string) bool { // told above
		return strings.HasSuffix(path, ".profile") || strings.HasSuffix(path, ".privacy")
	})
	if len(unread) > 0 {
		t.head("not read")
		// Each reason once, with all that it holds for.
		var reasons []string
		paths := map[string][]string{}
		for _, path := range slices.Sorted(maps.Keys(unread)) {
			why := unread[path]
			if paths[why] == nil {
				reasons = append(reasons, why)
			}
			paths[why] = append(paths[why], strings.TrimPrefix(strings.TrimPrefix(path, "pkg."), "android."))
		}
		for _, why := range reasons {
			t.block(2, "", nil, why, nil)
			t.block(4, "", nil, strings.Join(paths[why], ", "), styleDim)
		}
	}
	return t.err
}

type factsTable struct{ printer }

// keyWidth is the column of names.
const keyWidth = 20

func (t *factsTable) head(name string) {
	t.line("")
	if !strings.Contains(name, "/") {
		name = strings.ToUpper(name)
	}
	t.line("%s", t.strong(Visible(name)))
}

// row writes a name and its value; an empty value is left out.
func (t *factsTable) row(name, value string) {
	if value == "" {
		return
	}
	if len(name) >= keyWidth {
		t.block(2, "", nil, name, styleDim)
		name = ""
	}
	t.block(2, pad(name+" ", keyWidth), styleDim, value, nil)
}

func (t *factsTable) list(name string, values []string) {
	if len(values) > 0 {
		t.row(name, strings.Join(values, ", "))
	}
}

func (t *factsTable) yes(name string, v bool) {
	if v {
		t.row(name, "yes")
	}
}

func optional[T any](v *T) string {
	if v == nil {
		return "not known"
	}
	return fmt.Sprint(*v)
}

func (t *factsTable) android(a *facts.Android) {
	t.head("identity")
	t.row("package name", a.ID)
	t.row("split", a.Split)
	t.row("version", fmt.Sprintf("%s (code %s)", a.VersionName, optional(a.VersionCode)))
	if a.Label != nil {
		t.row("name", a.Label.Default)
		const shown = 6
		others := slices.Sorted(maps.Keys(a.Label.Locales))
		others = slices.DeleteFunc(others, func(l string) bool { return a.Label.Locales[l] == a.Label.Default })
		for _, l := range others[:min(len(others), shown)] {
			t.row("  in "+l, a.Label.Locales[l])
		}
		if more := len(others) - shown; more > 0 {
			t.row("", fmt.Sprintf("and in %d more languages", more))
		}
	}
	if a.Icon != nil && a.Unread("icon") == "" {
		t.row("icon", iconText(a.Icon))
	}
	for _, th := range a.Themes {
		if th.Splash != "" {
			t.row("start screen", th.Splash)
		}
	}
	t.head("levels")
	t.row("least", optional(a.MinLevel))
	t.row("target", optional(a.TargetLevel))
	if a.MaxLevel > 0 {
		t.row("highest", fmt.Sprint(a.MaxLevel))
	}
	if a.CompileLevel > 0 {
		t.row("compiled against", fmt.Sprint(a.CompileLevel))
	}
	t.row("preview", a.LevelCodename)
	t.yes("debuggable", a.Debuggable)
	t.yes("for tests only", a.TestOnly)
	t.head("reach")
	var needs, wants []string
	for _, f := range a.Features {
		if f.Required {
			needs = append(needs, f.Name)
		} else {
			wants = append(wants, f.Name)
		}
	}
	t.list("needs", needs)
	t.list("can use", wants)
	t.row("OpenGL ES", a.GLES)
	t.list("languages", a.Locales)
	for _, s := range a.Strings {
		if s.Missing > 0 {
			t.row("  "+s.Locale, fmt.Sprintf("lacks %d of %d texts", s.Missing, s.Count+s.Missing))
		}
	}
	t.list("links of", a.DeepLinkHosts)
	t.list("sees packages", a.Queries)
	t.list("shuts out screens", a.Screens)
	t.head("permissions")
	if len(a.Permissions) == 0 {
		t.row("none", "the manifest asks for none")
	}
	for _, p := range a.Permissions {
		var extra []string
		if p.MaxLevel > 0 {
			extra = append(extra, fmt.Sprintf("up to level %d", p.MaxLevel))
		}
		if p.FromM {
			extra = append(extra, "from level 23")
		}
		if p.Module != "" {
			extra = append(extra, "module "+p.Module)
		}
		t.block(2, "", nil, strings.TrimSpace(p.Name+"  "+strings.Join(extra, ", ")), nil)
	}
	t.androidCode(a)
	t.androidLibraries(a)
	if len(a.Splits) > 0 {
		t.head("splits")
		for _, s := range a.Splits {
			t.row(s.Name, strings.Join(append([]string{s.File}, s.Faults...), "; "))
		}
	}
	if len(a.Modules) > 0 {
		t.head("bundle")
		for _, m := range a.Modules {
			t.row(m.Name, fmt.Sprintf("%s, %s, %s", m.Kind, m.Delivery, size(m.Size)))
		}
		if a.Bundle != nil {
			t.row("built with", a.Bundle.Version)
			t.row("page alignment", a.Bundle.PageAlignment)
			t.list("not split by", a.Bundle.NotSplitBy)
		}
		if m := a.Metadata; m != nil {
			t.row("mapping file", map[bool]string{true: "present", false: "none"}[m.Mapping])
			t.row("native symbols", count(len(m.NativeSymbols), "library", "libraries"))
		}
	}
	t.androidSigning(a)
	t.head("sizes")
	for _, k := range []string{"code", "native", "resources", "assets", "other"} {
		if n := a.SizeBy[k]; n > 0 {
			t.row(k, size(n))
		}
	}
}

func (t *factsTable) androidCode(a *facts.Android) {
	t.head("code")
	for _, d := range a.Dex {
		name := d.Name
		if d.Module != "" && d.Module != "base" {
			name = d.Module + "/" + name
		}
		if why := d.Unread("version"); why != "" {
			t.row(name, "not read: "+why)
			continue
		}
		text := fmt.Sprintf("version %s, %s, %d method references", d.Version, count(int(d.Classes), "class", "classes"), d.Methods)
		if !d.Checksum {
			text += ", checksum wrong"
		}
		t.row(name, text)
	}
	t.row("starts with", a.Launcher)
	byKind := map[string]int{}
	exported := 0
	for _, c := range a.Components {
		byKind[c.Kind]++
		if c.Exported {
			exported++
		}
	}
	var parts []string
	for _, k := range []struct{ kind, many string }{{"activity", "activities"}, {"activity-alias", "aliases"}, {"service", "services"}, {"receiver", "receivers"}, {"provider", "providers"}} {
		if n := byKind[k.kind]; n > 0 {
			parts = append(parts, count(n, k.kind, k.many))
		}
	}
	if len(parts) > 0 {
		t.row("components", strings.Join(parts, ", ")+fmt.Sprintf("; %d exported", exported))
	}
	for _, c := range a.Components {
		if len(c.Foreground) > 0 {
			t.row("foreground", c.Name+": "+strings.Join(c.Foreground, ", "))
		}
	}
	if a.Code != nil {
		t.yes("shrunk", a.Code.Shrunk)
	}
	t.yes("backup allowed", a.AllowBackup)
	t.yes("unencrypted traffic", a.Cleartext)
	t.row("network config", a.NetworkConfig)
}

func (t *factsTable) androidLibraries(a *facts.Android) {
	t.head("libraries")
	if len(a.Architectures) == 0 {
		t.row("native code", "none")
	}
	for _, abi := range a.Architectures {
		t.row(abi.Name, fmt.Sprintf("%d bits, %s", abi.Bits, count(len(abi.Libraries), "library", "libraries")))
		for _, l := range a.Libraries {
			if l.ABI != abi.Name {
				continue
			}
			text := fmt.Sprintf("%s, segments aligned to %s", size(l.Size), size(l.Align))
			if why := l.Unread("align"); why != "" {
				text = "not read: " + why
			}
			if l.Symbols {
				text += ", symbols left in"
			}
			if !l.Fits && l.Unread("fits") == "" {
				text += fmt.Sprintf(", made for %s with %d bits", l.Machine, l.Bits)
			}
			t.row("  "+l.Name, text)
		}
	}
}

func (t *factsTable) androidSigning(a *facts.Android) {
	t.head("signing")
	s := a.Signing
	if s == nil || len(s.Schemes) == 0 {
		t.row("signed", "no")
		return
	}
	t.list("schemes", s.Schemes)
	if c := s.Certificate; c != nil {
		t.row("certificate", c.Subject)
		t.row("key", fmt.Sprintf("%s, %d bits", c.Key, c.Bits))
		t.row("valid", fmt.Sprintf("%s to %s", c.NotBefore.Format("2 January 2006"), c.NotAfter.Format("2 January 2006")))
		t.row("SHA-256", c.Fingerprint)
		t.yes("debug certificate", c.Debug)
	}
	t.yes("scheme-4 file", s.SideFile)
	switch why := s.Unread("verified"); {
	case why != "" && s.Verified != nil:
		t.row("digests", "cannot be judged: "+why)
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
	if i.Adaptive {
		parts = append(parts, "adaptive")
	}
	if i.Monochrome {
		parts = append(parts, "monochrome")
	}
	if i.Round {
		parts = append(parts, "round")
	}
	if len(parts) == 0 {
		return i.Name
	}
	return strings.Join(parts, ", ")
}

func (t *factsTable) ios(a *facts.IOS) {
	t.head("identity")
	t.row("bundle identifier", a.ID)
	t.row("version", fmt.Sprintf("%s (build %s)", a.Version, a.Build))
	t.row("name", a.Name)
	for _, lang := range slices.Sorted(maps.Keys(a.Names)) {
		t.row("  in "+lang, a.Names[lang])
	}
	if a.Icon != nil {
		var sizes []string
		for _, f := range a.Icon.Files {
			sizes = append(sizes, fmt.Sprintf("%d px", f.Width))
		}
		icon := strings.Join(append([]string{a.Icon.Name}, sizes...), ", ")
		t.row("icon", strings.TrimPrefix(icon, ", "))
		t.iconSet("icon set", a.Icon)
	}
	for _, alt := range a.Alternates {
		t.row("alternate icon", alt.Name)
	}
	t.row("property list", a.InfoEncoding)
	t.head("levels")
	t.row("least system", a.MinOS)
	t.row("built with SDK", optional(a.SDK))
	t.row("named SDK", a.SDKName)
	if b := a.Tools; b != nil {
		t.row("build tools", strings.Join(slices.DeleteFunc([]string{b.Version, b.Build, b.SDKBuild, b.SystemBuild}, func(s string) bool { return s == "" }), ", "))
	}
	t.list("platforms", a.Platforms)
	t.head("reach")
	var families []string
	for _, f := range a.Families {
		name := map[int64]string{1: "phone", 2: "tablet", 3: "television", 4: "watch", 7: "headset"}[f]
		if name == "" {
			name = fmt.Sprint(f)
		}
		families = append(families, name)
	}
	t.list("devices", families)
	t.list("languages", a.Locales)
	t.list("opens links", a.URLSchemes)
	t.list("in background", a.BackgroundModes)
	t.head("permissions")
	if len(a.Purposes) == 0 {
		t.row("none", "the property list has no purpose string")
	}
	for _, p := range a.Purposes {
		text := p.Text
		if len(p.Locales) > 0 {
			text += "  (also " + strings.Join(slices.Sorted(maps.Keys(p.Locales)), ", ") + ")"
		}
		t.block(2, "", nil, p.Key, styleDim)
		t.block(4, "", nil, text, nil)
	}
	enc := "not answered"
	if a.Encryption != nil {
		enc = map[bool]string{true: "yes", false: "no"}[*a.Encryption]
	}
	t.row("own encryption", enc)
	t.yes("any unencrypted", a.ArbitraryLoads)
	t.head("code")
	for _, s := range a.Slices {
		t.row(s.CPU, fmt.Sprintf("%s, from %s, SDK %s", s.Platform, s.MinOS, s.SDK))
	}
	for _, n := range a.Nested {
		text := fmt.Sprintf("%s %s (%s)", n.ID, n.Version, n.Build)
		if n.Point != "" {
			text += ", " + n.Point
		}
		t.row(n.Kind, n.Path+": "+text)
	}
	for _, b := range a.Binaries {
		if b.Unread("imported") != "" {
			t.row("names", b.Path+": not read")
			continue
		}
		t.row("names", fmt.Sprintf("%s: %s imported, %d exported", b.Path, count(int(b.Imported), "name", "names"), b.Exported))
	}
	var resources []string
	for _, b := range a.ResourceBundles {
		resources = append(resources, b.Path)
	}
	t.list("resources", resources)
	for _, l := range a.Loose {
		t.row("loose code", l.Path+": "+l.Kind)
	}
	for _, m := range a.MissingLibs {
		t.row("missing", m.Binary+" needs "+m.Library)
	}
	t.head("libraries")
	var own, system []string
	for _, l := range append(slices.Clone(a.Libraries), a.WeakLibraries...) {
		switch {
		case strings.HasPrefix(l, "/System/Library/Frameworks/"):
			system = append(system, strings.TrimSuffix(l[strings.LastIndexByte(l, '/')+1:], ".framework"))
		case strings.HasPrefix(l, "/usr/lib/"):
			system = append(system, l[len("/usr/lib/"):])
		default:
			own = append(own, l)
		}
	}
	t.list("of the system", system)
	t.list("brought along", own)
	t.head("signing")
	for _, b := range a.Bundles {
		name := b.Path
		if b.Kind == "app" {
			name = "the app"
		}
		t.block(2, "", nil, name, nil)
		t.bundle(b)
	}
}

// iconSet writes which pictures of an icon are in the asset catalogue.
func (t *factsTable) iconSet(label string, icon *facts.IOSIcon) {
	if !icon.Catalog || icon.Unread("set") != "" {
		return
	}
	// Sizes by device and look; only the large picture must be opaque.
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
		parts = []string{"none of that name in the asset catalogue"}
	}
	t.row(label, strings.Join(parts, "; "))
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
			t.row("  issued by", c.Subject+", until "+c.NotAfter.Format("2 January 2006"))
		}
		label := "  entitlements"
		for _, e := range b.Signature.Entitlements {
			text := e.Key
			if !e.True {
				text += " = " + strings.Join(e.Values, ", ")
			}
			t.row(label, text)
			label = ""
		}
		t.list("  fault", b.Signature.Faults)
	}
	for _, f := range b.SealFaults {
		t.row("  fault", f.Path+" "+f.What)
	}
	if p := b.Profile; p != nil {
		text := fmt.Sprintf("%s, for %s, until %s", p.Kind, p.AppID, p.Expires.Format("2 January 2006"))
		if p.Devices > 0 {
			text += fmt.Sprintf(", on %s", count(int(p.Devices), "device", "devices"))
		}
		if len(p.Certificates) != 1 {
			text += ", with " + count(len(p.Certificates), "certificate", "certificates")
		}
		t.row("  profile", text)
	} else if b.Kind != "framework" {
		t.row("  profile", "none")
	}
	if m := b.Privacy; m != nil {
		var cats []string
		for _, c := range m.Accessed {
			cats = append(cats, strings.TrimPrefix(c.Category, "NSPrivacyAccessedAPICategory"))
		}
		t.row("  privacy manifest", strings.TrimSuffix("reasons for "+strings.Join(cats, ", "), "reasons for ")+fmt.Sprintf(" (%s collected)", count(len(m.Collected), "kind of data", "kinds of data")))
	} else {
		t.row("  privacy manifest", "none")
	}
}

// size writes bytes for people, in units of 1024.
func size(n int64) string {
	switch {
	case n < 1<<10:
		return fmt.Sprintf("%d bytes", n)
	case n < 1<<20:
		return fmt.Sprintf("%.1f KiB", float64(n)/(1<<10))
	case n < 1<<30:
		return fmt.Sprintf("%.1f MiB", float64(n)/(1<<20))
	}
	return fmt.Sprintf("%.2f GiB", float64(n)/(1<<30))
}
