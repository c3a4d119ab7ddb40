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
)

// FactsTable writes facts as a person reads them: what it is, for which
// systems, whom it reaches, what it asks for, what is inside. It walks the
// table of rows below; what could not be read stands at the end.
func FactsTable(w io.Writer, p *facts.Package, look Look) error {
	t := &factsTable{printer: printer{w: w, look: look}}
	t.line("%s  %s", t.strong(p.File), t.dim(fmt.Sprintf("%s, %s, %s", strings.ToUpper(p.Kind), size(p.Size), Count(int(p.Entries), "file", "files"))))
	section := ""
	for _, r := range factRows {
		v, ok := lookup(reflect.ValueOf(p), r.path)
		if !ok {
			continue
		}
		if r.section != section {
			section = r.section
			t.head(section)
		}
		r.show(t, r.label, v)
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

// factRows is what a person asks of a package, in this order. Paths are those
// of rules, without "pkg.".
var factRows = []factRow{
	{"identity", "package name", "android.manifest.id", plain},
	{"identity", "split", "android.manifest.split", plain},
	{"identity", "version", "android.manifest", of(func(m *facts.Manifest) string {
		return fmt.Sprintf("%s (code %s)", m.VersionName, optional(m.VersionCode))
	})},
	{"identity", "name", "android.resources.label", androidLabel},
	{"identity", "icon", "android.icon", of(iconText)},
	{"identity", "start screen", "android.resources.themes", each(func(th *facts.Theme) (string, string) { return "", th.Splash })},
	{"levels", "least", "android.manifest.min_level", plain},
	{"levels", "target", "android.manifest.target_level", plain},
	{"levels", "highest", "android.manifest.max_level", plain},
	{"levels", "compiled against", "android.manifest.compile_level", plain},
	{"levels", "preview", "android.manifest.level_codename", plain},
	{"levels", "debuggable", "android.manifest.debuggable", plain},
	{"levels", "for tests only", "android.manifest.test_only", plain},
	{"reach", "needs", "android.manifest.features", features(true)},
	{"reach", "can use", "android.manifest.features", features(false)},
	{"reach", "OpenGL ES", "android.manifest.gles", plain},
	{"reach", "languages", "android.resources.locales", plain},
	{"reach", "", "android.resources.strings", each(func(s *facts.LocaleStrings) (string, string) {
		if s.Missing == 0 {
			return "", ""
		}
		return "  " + s.Locale, fmt.Sprintf("lacks %d of %d texts", s.Missing, s.Count+s.Missing)
	})},
	{"reach", "links of", "android.manifest.deep_link_hosts", plain},
	{"reach", "sees packages", "android.manifest.queries", plain},
	{"reach", "shuts out screens", "android.manifest.excluded_screens", plain},
	{"permissions", "", "android.manifest", androidPermissions},
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
	{"libraries", "", "android.native", androidLibraries},
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
		if m.Gap("native_symbols") != nil {
			return ""
		}
		return Count(len(m.NativeSymbols), "library", "libraries")
	})},
	{"signing", "", "android.signing", androidSigning},
	{"sizes", "", "android.sizes.parts", func(t *factsTable, _ string, v any) {
		for _, k := range []string{"code", "native", "resources", "assets", "other"} {
			if n := v.(map[string]int64)[k]; n > 0 {
				t.row(k, size(n))
			}
		}
	}},

	{"identity", "bundle identifier", "ios.app.info.id", plain},
	{"identity", "version", "ios.app.info", of(func(i *facts.Info) string { return fmt.Sprintf("%s (build %s)", i.Version, i.Build) })},
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
	{"identity", "property list", "ios.app.info.encoding", plain},
	{"levels", "least system", "ios.app.info.min_os", plain},
	{"levels", "built with SDK", "ios.sdk", plain},
	{"levels", "named SDK", "ios.app.info.sdk_name", plain},
	{"levels", "build tools", "ios.app.info.build_tools", of(func(b *facts.BuildTools) string {
		return strings.Join(slices.DeleteFunc([]string{b.Version, b.Build, b.SDKBuild, b.SystemBuild}, func(s string) bool { return s == "" }), ", ")
	})},
	{"levels", "platforms", "ios.app.info.platforms", plain},
	{"reach", "devices", "ios.app.info.families", families},
	{"reach", "languages", "ios.translations.locales", plain},
	{"reach", "opens links", "ios.app.info.url_schemes", plain},
	{"reach", "in background", "ios.app.info.background_modes", plain},
	{"permissions", "", "ios.app.info", iosPurposes},
	{"permissions", "own encryption", "ios.app.info", of(func(i *facts.Info) string {
		if i.Encryption == nil {
			return "not answered"
		}
		return map[bool]string{true: "yes", false: "no"}[*i.Encryption]
	})},
	{"permissions", "any unencrypted", "ios.app.info.arbitrary_loads", plain},
	{"code", "", "ios.app.code.slices", each(func(s *facts.Slice) (string, string) {
		return s.CPU, fmt.Sprintf("%s, from %s, SDK %s", s.Platform, s.MinOS, s.SDK)
	})},
	{"code", "", "ios.nested", each(nestedText)},
	{"code", "names", "ios.bundles", each(func(b *facts.Bundle) (string, string) {
		c := &b.Code
		switch {
		case c.NamesGap() != nil:
			return "", c.Path + ": not read"
		case c.Gone() != nil:
			return "", ""
		}
		return "", fmt.Sprintf("%s: %s imported, %d exported", c.Path, Count(int(c.Imported), "name", "names"), c.Exported)
	})},
	{"code", "resources", "ios.resources", func(t *factsTable, label string, v any) {
		var paths []string
		for _, b := range v.([]*facts.Bundle) {
			paths = append(paths, b.Path)
		}
		t.list(label, paths)
	}},
	{"code", "loose code", "ios.layout.loose_code", each(func(l *facts.LooseCode) (string, string) { return "", l.Path + ": " + l.Kind })},
	{"code", "missing", "ios.layout.missing_libraries", each(func(m *facts.MissingLib) (string, string) { return "", m.Binary + " needs " + m.Library })},
	{"libraries", "of the system", "ios.app.code", linked(true)},
	{"libraries", "brought along", "ios.app.code", linked(false)},
	{"signing", "", "ios.bundles", func(t *factsTable, _ string, v any) {
		for _, b := range v.([]*facts.Bundle) {
			name := b.Path
			if b.Kind == "app" {
				name = "the app"
			}
			t.block(2, "", nil, name, nil)
			t.bundle(b)
		}
	}},
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
	var reasons []string
	paths := map[string][]string{}
	for _, g := range fact.Gaps(p, "pkg") {
		if g.Kind == fact.NotGiven && (strings.HasSuffix(g.Path, ".profile") || strings.HasSuffix(g.Path, ".privacy")) || strings.Contains(g.Path, ".resources[") && g.Kind == fact.NotGiven {
			continue // shown above
		}
		if paths[g.What] == nil {
			reasons = append(reasons, g.What)
		}
		paths[g.What] = append(paths[g.What], strings.TrimPrefix(strings.TrimPrefix(g.Path, "pkg."), "android."))
	}
	if len(reasons) == 0 {
		return
	}
	slices.Sort(reasons)
	t.head("not read")
	for _, why := range reasons {
		t.block(2, "", nil, why, nil)
		t.block(4, "", nil, strings.Join(paths[why], ", "), styleDim)
	}
}

type factsTable struct{ printer }

// keyWidth is the column of names.
const keyWidth = 20

func (t *factsTable) head(name string) {
	t.line("")
	if !strings.Contains(name, "/") {
		name = strings.ToUpper(name)
	}
	t.line("%s", t.strong(name))
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
