package report

import (
	"fmt"
	"io"
	"maps"
	"reflect"
	"slices"
	"strings"

	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/tables"
)

// Background is what stands beside facts, so that they can be read at a
// glance: what a store takes today, and what a permission is.
type Background struct {
	Notes       map[string]string             // by path, such as android.manifest.target_level
	Permissions map[string]*tables.Permission // by name
	Debug       []*tables.Pattern             // certificates of development tools, by their subject
	Brought     map[string]string             // languages that only third-party code brings → whose they are
}

// FactsTable writes facts as a person reads them: first what a release is known
// by, then whom it reaches, what it asks for, what is inside. It walks the
// table of rows below; what could not be read stands at the end.
func FactsTable(w io.Writer, p *facts.Package, by Background, look Style) error {
	t := &factsTable{printer: printer{w: w, look: look}, by: by}
	t.line("%s  %s", t.strong(p.File), t.dim(fmt.Sprintf("%s, %s, %s", strings.ToUpper(p.Kind), size(p.Size), Count(int(p.Entries), "file", "files"))))
	t.line("")
	section := ""
	for _, r := range factRows {
		v, ok := lookup(reflect.ValueOf(p), r.path)
		if !ok {
			continue
		}
		t.opened = r.section == section
		section = r.section
		t.section = section
		t.note = by.Notes[r.path]
		r.show(t, r.label, v)
		if !t.opened {
			section = "" // nothing was written: the next row opens it
		}
	}
	t.gaps(p)
	return t.err
}

// factRow is one row of the table: where the fact is, and how it is shown. A
// row whose fact is not there, or not known, is left out. show gets a pointer
// to a struct, or a plain value.
type factRow struct {
	section, label, path string
	show                 func(t *factsTable, label string, v any)
}

// factRows is what a person asks of a package, in this order: the section
// without a name stands on top. Paths are those of rules, without "pkg.".
var factRows = []factRow{
	{"", "package name", "android.manifest.id", plain},
	{"", "split", "android.manifest.split", plain},
	{"", "version", "android.manifest", of(func(m *facts.Manifest) string {
		return fmt.Sprintf("%s (code %s)", m.VersionName, optional(m.VersionCode))
	})},
	{"", "build", "android", androidBuild},
	{"", "target level", "android.manifest.target_level", plain},
	{"", "least level", "android.manifest.min_level", plain},
	{"", "highest level", "android.manifest.max_level", plain},
	{"", "compiled against", "android.manifest.compile_level", plain},
	{"", "architectures", "android.native.architectures", func(t *factsTable, label string, v any) {
		var names []string
		for _, a := range v.([]*facts.ABI) {
			names = append(names, a.Name)
		}
		t.list(label, names)
	}},
	{"", "size", "android.sizes", of(androidSizes)},
	{"", "certificate", "android.signing", androidCertificate},

	{"identity", "name", "android.resources.label", androidLabel},
	{"identity", "icon", "android.icon", of(iconText)},
	{"identity", "start screen", "android.resources.themes", each(func(th *facts.Theme) (string, string) { return "", th.Splash })},
	{"reach", "needs", "android.manifest.features", features(true)},
	{"reach", "can use", "android.manifest.features", features(false)},
	{"reach", "OpenGL ES", "android.manifest.gles", plain},
	{"reach", "languages", "android.resources", androidLanguages},
	{"reach", "links of", "android.manifest.deep_link_hosts", plain},
	{"reach", "sees packages", "android.manifest.queries", plain},
	{"reach", "shuts out screens", "android.manifest.excluded_screens", plain},
	{"permissions", "", "android.manifest", androidPermissions},
	{"open to other apps", "", "android.manifest", exported},
	{"code", "", "android.code.dex", each(dexText)},
	{"code", "starts with", "android.manifest.launcher", plain},
	{"code", "components", "android.manifest.components", components},
	{"code", "foreground", "android.manifest.components", each(func(c *facts.Component) (string, string) {
		if len(c.Foreground) == 0 {
			return "", ""
		}
		return "foreground", c.Name + ": " + strings.Join(c.Foreground, ", ")
	})},
	{"code", "short names", "android.code.short_names", func(t *factsTable, label string, v any) {
		if n := v.(int64); n > 0 {
			t.row(label, fmt.Sprintf("%d %% of the classes", n))
		}
	}},
	{"code", "compilers", "android.code.compilers", plain},
	{"code", "backup allowed", "android.manifest.allow_backup", plain},
	{"code", "unencrypted traffic", "android.manifest.cleartext", plain},
	{"code", "network config", "android.manifest.network_config", plain},
	{"native libraries", "", "android.native", androidLibraries},
	{"splits", "", "android.splits", each(func(s *facts.Split) (string, string) {
		return s.Name, strings.Join(append([]string{s.File}, s.Faults...), "; ")
	})},
	{"bundle", "", "android.bundle.modules", each(func(m *facts.Module) (string, string) {
		return m.Name, fmt.Sprintf("%s, %s, %s", m.Kind, m.Delivery, size(m.Size))
	})},
	{"bundle", "built with", "android.bundle.config.version", plain},
	{"bundle", "page alignment", "android.bundle.config.page_alignment", plain},
	{"bundle", "not split by", "android.bundle.config.not_split_by", plain},
	{"bundle", "mapping file", "android.bundle.metadata.mapping", always("present", "none")},
	{"bundle", "native symbols", "android.bundle.metadata", of(func(m *facts.Metadata) string {
		if fact.GapOf(m, &m.NativeSymbols) != nil {
			return ""
		}
		return Count(len(m.NativeSymbols), "library", "libraries")
	})},
	{"signing", "", "android.signing", androidSigning},
	{"private keys", "", "android.private_keys", each(func(k *facts.KeyFile) (string, string) { return "", k.Path })},

	{"", "bundle identifier", "ios.app.info.id", plain},
	{"", "version", "ios.app.info", of(func(i *facts.Info) string { return fmt.Sprintf("%s (build %s)", i.Version, i.Build) })},
	{"", "build", "ios", of(iosBuild)},
	{"", "built with SDK", "ios.sdk", plain},
	{"", "least system", "ios.app.info.min_os", plain},
	{"", "devices", "ios.app.info.families", families},
	{"", "architectures", "ios.app.code.slices", func(t *factsTable, label string, v any) {
		var names []string
		for _, s := range v.([]*facts.Slice) {
			names = append(names, strings.TrimSuffix(s.CPU+", "+s.Platform, ", ios"))
		}
		t.row(label, strings.Join(names, "; "))
	}},
	{"", "size", "ios.unpacked", func(t *factsTable, label string, v any) { t.row(label, size(v.(int64))+" unpacked") }},
	{"", "profile", "ios.app.profile", of(profileText)},
	{"", "certificate", "ios.app.signature.signer", func(t *factsTable, _ string, v any) { t.certificate(v.(*facts.Certificate)) }},

	{"identity", "name", "ios.app.info.name", plain},
	{"identity", "", "ios.translations.names", func(t *factsTable, _ string, v any) {
		names := v.(map[string]string)
		for _, lang := range slices.Sorted(maps.Keys(names)) {
			t.row("  in "+lang, names[lang])
		}
	}},
	{"identity", "icon", "ios.app.icon", of(iosIcon)},
	{"identity", "icon set", "ios.app.icon", of(iconSet)},
	{"identity", "alternate icon", "ios.app.alternate_icons", each(func(i *facts.IOSIcon) (string, string) { return "", i.Name })},
	{"identity", "launch screen", "ios.app.info.launch_screen", always("yes", "none")},
	{"identity", "built by", "ios.app.info", of(iosTools)},
	{"reach", "needs", "ios.app.info.capabilities", plain},
	{"reach", "orientations", "ios.app.info.all_orientations", func(t *factsTable, label string, v any) {
		var names []string
		for _, o := range v.([]string) {
			names = append(names, strings.TrimPrefix(o, "UIInterfaceOrientation"))
		}
		t.list(label, names)
	}},
	{"reach", "languages", "ios.translations.locales", plain},
	{"reach", "opens links", "ios.app.info.url_schemes", plain},
	{"reach", "opens documents", "ios.app.info.document_types", func(t *factsTable, label string, v any) {
		var names []string
		for _, d := range v.([]*facts.DocumentType) {
			names = append(names, d.Name)
		}
		t.list(label, names)
	}},
	{"reach", "looks for apps", "ios.app.info.query_schemes", plain},
	{"reach", "in background", "ios.app.info.background_modes", plain},
	{"permissions", "", "ios.app.info", iosPurposes},
	{"permissions", "own encryption", "ios.app.info", of(func(i *facts.Info) string {
		if i.Encryption == nil {
			return "not answered"
		}
		return map[bool]string{true: "yes", false: "no"}[*i.Encryption]
	})},
	{"traffic", "unencrypted", "ios.app.info.arbitrary_loads", always("to every host", "")},
	{"traffic", "host", "ios.app.info.host_exceptions", each(func(h *facts.HostException) (string, string) {
		var loose []string
		if h.Insecure {
			loose = append(loose, "unencrypted")
		}
		if h.MinTLS != "" {
			loose = append(loose, "from "+h.MinTLS)
		}
		return "", strings.TrimSuffix(h.Host+": "+strings.Join(loose, ", "), ": ")
	})},
	{"privacy manifests", "", "ios.bundles", privacyManifests},
	{"inside", "", "ios.nested", each(nestedText)},
	{"inside", "resources", "ios.resources", func(t *factsTable, label string, v any) {
		var paths []string
		for _, b := range v.([]*facts.Bundle) {
			paths = append(paths, b.Path)
		}
		t.list(label, paths)
	}},
	{"inside", "loose code", "ios.layout.loose_code", each(func(l *facts.LooseCode) (string, string) { return "", l.Path + ": " + l.Kind })},
	{"inside", "missing", "ios.layout.missing_libraries", each(func(m *facts.MissingLib) (string, string) { return "", m.Binary + " needs " + m.Library })},
	{"inside", "of the system", "ios.app.code", linked(true)},
	{"inside", "brought along", "ios.app.code", linked(false)},
	{"signing", "", "ios.bundles", iosSigning},
	{"private keys", "", "ios.private_keys", each(func(k *facts.KeyFile) (string, string) { return "", k.Path })},
}

// lookup follows a path through the facts. A value that is empty, or not
// known, is not there.
func lookup(v reflect.Value, path string) (any, bool) {
	for name := range strings.SplitSeq(path, ".") {
		for v.Kind() == reflect.Pointer {
			if v.IsNil() {
				return nil, false
			}
			v = v.Elem()
		}
		if m := fact.Of(v.Addr().Interface()); m != nil && m.Gap(name) != nil {
			return nil, false
		}
		found := false
		for _, f := range reflect.VisibleFields(v.Type()) {
			if fact.RuleName(f) == name {
				v, found = v.FieldByIndex(f.Index), true
				break
			}
		}
		if !found {
			panic("report: there is no fact " + path) // held by a test
		}
	}
	switch v.Kind() {
	case reflect.Pointer:
		if v.IsNil() {
			return nil, false
		}
		if v.Elem().Kind() != reflect.Struct {
			return v.Elem().Interface(), true
		}
		return v.Interface(), true
	case reflect.Struct:
		return v.Addr().Interface(), true
	case reflect.Slice, reflect.Map:
		return v.Interface(), v.Len() > 0
	}
	return v.Interface(), true
}

// plain shows a plain value: a text, a number above zero, yes, or a list.
func plain(t *factsTable, label string, v any) {
	switch v := v.(type) {
	case string:
		t.row(label, v)
	case int64:
		if v != 0 {
			t.row(label, fmt.Sprint(v))
		}
	case bool:
		if v {
			t.row(label, "yes")
		}
	case []string:
		t.list(label, v)
	default:
		panic(fmt.Sprintf("report: %T needs a form of its own", v)) // held by a test
	}
}

// always shows a truth both ways.
func always(yes, no string) func(t *factsTable, label string, v any) {
	return func(t *factsTable, label string, v any) {
		t.row(label, map[bool]string{true: yes, false: no}[v.(bool)])
	}
}

// of shows a struct in one row.
func of[T any](text func(*T) string) func(t *factsTable, label string, v any) {
	return func(t *factsTable, label string, v any) { t.row(label, text(v.(*T))) }
}

// each shows every item of a list in a row, under a label of its own or that
// of the row. An item without a text is left out.
func each[T any](text func(*T) (label, text string)) func(t *factsTable, label string, v any) {
	return func(t *factsTable, label string, v any) {
		for _, it := range v.([]*T) {
			own, value := text(it)
			if own == "" {
				own = label
			}
			t.row(own, value)
		}
	}
}

// gaps writes what is not known, each reason once with all that it holds for.
func (t *factsTable) gaps(p *facts.Package) {
	var reasons, open []string
	paths := map[string][]string{}
	for _, g := range fact.Gaps(p, "pkg") {
		switch {
		case g.Kind == fact.NotGiven:
			continue // a part that such a package does not have
		case g.Kind == fact.NotAsked:
			if !slices.Contains(open, g.What) {
				open = append(open, g.What)
			}
			continue
		}
		if paths[g.What] == nil {
			reasons = append(reasons, g.What)
		}
		paths[g.What] = append(paths[g.What], strings.TrimPrefix(strings.TrimPrefix(g.Path, "pkg."), "android."))
	}
	slices.Sort(reasons)
	t.section, t.opened = "not read", len(reasons) == 0
	t.open()
	for _, why := range reasons {
		t.block(2, "", nil, why, nil)
		t.block(4, "", nil, strings.Join(paths[why], ", "), styleDim)
	}
	if len(open) > 0 {
		t.line("")
		t.block(0, "", nil, strings.Join(open, "; "), styleDim)
	}
}

type factsTable struct {
	printer
	by      Background
	section string
	opened  bool   // the section's heading is written
	note    string // what stands beside the next row
}

// keyWidth is the column of names.
const keyWidth = 20

func (t *factsTable) head(name string) {
	t.line("")
	if !strings.Contains(name, "/") {
		name = strings.ToUpper(name)
	}
	t.line("%s", t.strong(name))
}

// open writes the heading of the section before its first row.
func (t *factsTable) open() {
	if !t.opened && t.section != "" {
		t.head(t.section)
	}
	t.opened = true
}

// row writes a name and its value, and what stands beside it; an empty value is
// left out.
func (t *factsTable) row(name, value string) {
	if value == "" {
		return
	}
	t.open()
	if len(name) >= keyWidth {
		t.block(2, "", nil, name, styleDim)
		name = ""
	}
	if t.note != "" {
		value += " · " + t.note
		t.note = ""
	}
	t.block(2, pad(name+" ", keyWidth), styleDim, value, nil)
}

func (t *factsTable) list(name string, values []string) {
	if len(values) > 0 {
		t.row(name, strings.Join(values, ", "))
	}
}

func optional[T any](v *T) string {
	if v == nil {
		return "not known"
	}
	return fmt.Sprint(*v)
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

func until(c *facts.Certificate) string { return day.Long(c.NotAfter) }
