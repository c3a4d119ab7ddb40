package check

import (
	"reflect"
	"slices"
	"strings"
	"sync"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
	"cel.dev/cel-go/common/types/traits"

	"regola.example/regola/internal/core/engine"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/motif"
	"regola.example/regola/internal/core/rating"
	"regola.example/regola/internal/core/signs"
	"regola.example/regola/internal/core/spell"
	"regola.example/regola/internal/core/submission"
	"regola.example/regola/internal/core/tables"
)

// Functions documents the functions over packages and tables, beyond those of
// the engine.
var Functions = []engine.Function{
	{Signature: "code.uses(list(Sign)) bool", Doc: "some code of the iOS app shows one of the signs; not known when it does not and not all names could be read"},
	{Signature: "code.users(list(Sign)) list(Bundle)", Doc: "the bundles whose code shows one of the signs"},
	{Signature: "code.seen(list(Sign)) string", Doc: "the names by which it shows, in the first such bundle"},
	{Signature: "code.hints(list(Sign)) bool", Doc: "any single name of the signs is used"},
	{Signature: "code.exports(string) bool", Doc: "a binary of the app exports a symbol or class of that name: it is the app's own"},
	{Signature: "code.defines(list(string)) bool", Doc: "a class of one of the names is defined or imported"},
	{Signature: "code.literals(string) list(string)", Doc: "string literals that match a regular expression"},
	{Signature: "Bundle.uses(code, list(Sign)) bool", Doc: "the code of this bundle shows one of the signs"},
	{Signature: "Bundle.seen(code, list(Sign)) string", Doc: "the names by which it shows"},
	{Signature: "Signature.entitled(string) bool", Doc: "the code signature has the entitlement"},
	{Signature: "Signature.values(string) list(string)", Doc: "the values of an entitlement of the code signature; empty when it has none"},
	{Signature: "Profile.grants(Entitlement) bool", Doc: "the provisioning profile allows an entitlement with these values"},
	{Signature: "Bundle.label() string", Doc: "the app, or the path of the bundle"},
	{Signature: "Bundle.lead() string", Doc: "the path of the bundle and a colon, for the head of a text; nothing for the app"},
	{Signature: "Bundle.home() string", Doc: "the folder of the clip or the watch app that the bundle lies in; \".\" for those of the app"},
	{Signature: "Bundle.home() string", Doc: "the watch app or clip that a bundle lies in or is; a full stop for the app"},
	{Signature: "Code.calls(string) bool", Doc: "the Android code refers to a method of the platform: android.app.AlarmManager.canScheduleExactAlarms"},
	{Signature: "Code.calls(string, list(string)) bool", Doc: "the same, by a class outside the packages of the list; a call whose caller is not known counts"},
	{Signature: "Code.callers(string) list(string)", Doc: "the packages whose classes call a method of the platform"},
	{Signature: "Code.calls_below(string) bool", Doc: "the Android code refers to a method of a class below a package: org.apache.http"},
	{Signature: "Manifest.asks(string) bool", Doc: "the Android manifest asks for the permission, on the levels that the app serves"},
	{Signature: "Manifest.asks(string, int) bool", Doc: "the same, on devices of one API level"},
	{Signature: "Manifest.feature(string) string", Doc: "required, optional, or empty when no uses-feature line names the device feature"},
	{Signature: "Package.like(list(Pattern)) list(File)", Doc: "the files whose path matches one of the patterns"},
	{Signature: "Package.why(File, list(Pattern)) string", Doc: "what the first pattern says that a file's path matches"},
	{Signature: "Package.has_file(string) bool", Doc: "a file whose path within the app matches a regular expression"},
	{Signature: "string.why(list(Pattern)) string", Doc: "what the first pattern says that the text matches; empty when none does"},
	{Signature: "framework(string) string", Doc: "the name of a framework of the iOS system, from the path under which it is linked; empty for anything else"},
	{Signature: "bundle_name(string) string", Doc: "the name of a bundle from its path: KilnKit of Frameworks/KilnKit.framework"},
	{Signature: "form_factor(Package) string", Doc: "phone, television, watch, car or headset, by what the Android manifest requires; phone for iOS"},
	{Signature: "likeness(string, string) int", Doc: "how far two pictures show the same, by their fingerprints, from 0 to 100"},
	{Signature: "rating.said(string) string", Doc: "the answer to a question about the content, also where the line others gives it; empty for one that the store does not ask after these answers"},
	{Signature: "misspelt(string, list(string)) string", Doc: "the name that was probably meant: one letter added, dropped or changed, or two swapped; empty when none"},
	{Signature: "keys(map) list(string)", Doc: "the keys of a map with texts as keys"},
}

// codeOf is the variable code.
func codeOf(s *submission.Submission) any {
	switch {
	case s.Code != nil:
		return s.Code
	case s.Pkg == nil && fact.GapOf(s, &s.Pkg) != nil:
		return engine.Unknown(*fact.GapOf(s, &s.Pkg))
	}
	return engine.Unknown(fact.Gap{Kind: fact.NotGiven, Path: codeVar, What: "there is no iOS app"})
}

// The types of the functions' arguments.
var (
	signList    = types.NewListType(engine.TypeFor[tables.Sign]())
	patternList = types.NewListType(engine.TypeFor[tables.Pattern]())
	textList    = types.NewListType(types.StringType)
	codeType    = engine.TypeFor[signs.Index]()
	bundleType  = engine.TypeFor[facts.Bundle]()
)

// member declares a member function. The engine hands it only known values.
func member(name, id string, args []*types.Type, result *types.Type, f func(args []ref.Val) ref.Val) cel.EnvOption {
	return cel.Function(name, cel.MemberOverload(id, args, result, cel.FunctionBinding(func(vals ...ref.Val) ref.Val { return f(vals) })))
}

func plain(name, id string, args []*types.Type, result *types.Type, f func(args []ref.Val) ref.Val) cel.EnvOption {
	return cel.Function(name, cel.Overload(id, args, result, cel.FunctionBinding(func(vals ...ref.Val) ref.Val { return f(vals) })))
}

// list takes the Go values of a list. What is no T is left out.
func list[T any](v ref.Val) []T {
	if native, ok := v.Value().([]T); ok {
		return native
	}
	l, ok := v.(traits.Lister)
	if !ok {
		return nil
	}
	var out []T
	for it := l.Iterator(); it.HasNext() == types.True; {
		if x, ok := it.Next().Value().(T); ok {
			out = append(out, x)
		}
	}
	return out
}

func text(v ref.Val) string { s, _ := v.Value().(string); return s }

// adapter shows Go values to CEL.
func adapt(v any) ref.Val { return engine.Adapt(v) }

// openOr gives a result, or what is not known when it is not decided.
func openOr(decided bool, gap *fact.Gap, v ref.Val) ref.Val {
	if !decided && gap != nil {
		return engine.Unknown(*gap)
	}
	return v
}

// memo keeps what was computed of the last few values that were asked about: a
// rule asks about one manifest for each of its thousands of items.
type memo[K comparable, V any] struct {
	mu   sync.Mutex
	keys [4]K
	vals [4]V
	next int
}

func (m *memo[K, V]) of(key K, compute func() V) V {
	m.mu.Lock()
	defer m.mu.Unlock()
	if i := slices.Index(m.keys[:], key); i >= 0 {
		return m.vals[i]
	}
	v := compute()
	m.keys[m.next], m.vals[m.next] = key, v
	m.next = (m.next + 1) % len(m.keys)
	return v
}

// asked is what a manifest asks for, by name.
type asked struct {
	permissions map[string][]*facts.Permission
	features    map[string]bool // whether one of the name is required
}

func askedBy(m *facts.Manifest) *asked {
	a := &asked{map[string][]*facts.Permission{}, map[string]bool{}}
	for _, p := range m.Permissions {
		a.permissions[p.Name] = append(a.permissions[p.Name], p)
	}
	for _, f := range m.Features {
		a.features[f.Name] = a.features[f.Name] || f.Required
	}
	return a
}

func functions() []cel.EnvOption {
	index := func(v ref.Val) *signs.Index { x, _ := v.Value().(*signs.Index); return x }
	in := func(args []ref.Val) (*signs.Code, *facts.Bundle) {
		b, _ := args[0].Value().(*facts.Bundle)
		return index(args[1]).In(b), b
	}
	known := &keyLists{}
	manifests := &memo[*facts.Manifest, *asked]{}
	ofManifest := func(m *facts.Manifest) *asked { return manifests.of(m, func() *asked { return askedBy(m) }) }
	return []cel.EnvOption{
		member("uses", "code_uses", []*types.Type{codeType, signList}, types.BoolType, func(a []ref.Val) ref.Val {
			used := len(index(a[0]).Users(list[*tables.Sign](a[1]))) > 0
			return openOr(used, index(a[0]).Gap(), types.Bool(used))
		}),
		member("users", "code_users", []*types.Type{codeType, signList}, types.NewListType(bundleType), func(a []ref.Val) ref.Val {
			var out []ref.Val
			for _, c := range index(a[0]).Users(list[*tables.Sign](a[1])) {
				out = append(out, adapt(c.Bundle))
			}
			if g := index(a[0]).Gap(); g != nil {
				out = append(out, engine.Unknown(*g)) // there may be more
			}
			return adapt(out)
		}),
		member("seen", "code_seen", []*types.Type{codeType, signList}, types.StringType, func(a []ref.Val) ref.Val {
			for _, c := range index(a[0]).Users(list[*tables.Sign](a[1])) {
				return types.String(c.Match(list[*tables.Sign](a[1])))
			}
			return openOr(false, index(a[0]).Gap(), types.String(""))
		}),
		member("hints", "code_hints", []*types.Type{codeType, signList}, types.BoolType, func(a []ref.Val) ref.Val {
			used := index(a[0]).Hinted(list[*tables.Sign](a[1]))
			return openOr(used, index(a[0]).Gap(), types.Bool(used))
		}),
		member("exports", "code_exports", []*types.Type{codeType, types.StringType}, types.BoolType, func(a []ref.Val) ref.Val {
			yes := index(a[0]).Exports(text(a[1]))
			return openOr(yes, index(a[0]).Gap(), types.Bool(yes))
		}),
		member("defines", "code_defines", []*types.Type{codeType, textList}, types.BoolType, func(a []ref.Val) ref.Val {
			yes := index(a[0]).Defines(list[string](a[1]))
			return openOr(yes, index(a[0]).Gap(), types.Bool(yes))
		}),
		member("literals", "code_literals", []*types.Type{codeType, types.StringType}, textList, func(a []ref.Val) ref.Val {
			var out []string
			for _, c := range index(a[0]).Codes {
				for _, l := range c.Bundle.Code.Literals {
					if tables.Regexp(text(a[1])).Match(l) && !slices.Contains(out, l) {
						out = append(out, l)
					}
				}
			}
			return openOr(len(out) > 0, index(a[0]).Gap(), adapt(out))
		}),
		member("uses", "bundle_uses", []*types.Type{bundleType, codeType, signList}, types.BoolType, func(a []ref.Val) ref.Val {
			c, _ := in(a)
			if c == nil {
				return types.False
			}
			used := c.Match(list[*tables.Sign](a[2])) != ""
			return openOr(used, c.Gap(), types.Bool(used))
		}),
		member("seen", "bundle_seen", []*types.Type{bundleType, codeType, signList}, types.StringType, func(a []ref.Val) ref.Val {
			c, _ := in(a)
			if c == nil {
				return types.String("")
			}
			return types.String(c.Match(list[*tables.Sign](a[2])))
		}),
		member("entitled", "signature_entitled", []*types.Type{engine.TypeFor[facts.CodeSignature](), types.StringType}, types.BoolType, func(a []ref.Val) ref.Val {
			s, _ := a[0].Value().(*facts.CodeSignature)
			if g := fact.GapOf(s, &s.Entitlements); g != nil {
				return engine.Unknown(*g)
			}
			return types.Bool(slices.ContainsFunc(s.Entitlements, func(e *facts.Entitlement) bool { return e.Key == text(a[1]) }))
		}),
		member("values", "signature_values", []*types.Type{engine.TypeFor[facts.CodeSignature](), types.StringType}, textList, func(a []ref.Val) ref.Val {
			s, _ := a[0].Value().(*facts.CodeSignature)
			if g := fact.GapOf(s, &s.Entitlements); g != nil {
				return engine.Unknown(*g)
			}
			for _, e := range s.Entitlements {
				if e.Key == text(a[1]) {
					return adapt(e.Values)
				}
			}
			return adapt([]string{})
		}),
		member("grants", "profile_grants", []*types.Type{engine.TypeFor[facts.Profile](), engine.TypeFor[facts.Entitlement]()}, types.BoolType, func(a []ref.Val) ref.Val {
			p, _ := a[0].Value().(*facts.Profile)
			e, _ := a[1].Value().(*facts.Entitlement)
			if g := fact.GapOf(p, &p.Entitlements); g != nil {
				return engine.Unknown(*g)
			}
			return types.Bool(slices.ContainsFunc(p.Entitlements, func(o *facts.Entitlement) bool { return o.Key == e.Key && grants(o.Values, e.Values) }))
		}),
		member("label", "bundle_label", []*types.Type{bundleType}, types.StringType, func(a []ref.Val) ref.Val {
			b, _ := a[0].Value().(*facts.Bundle)
			if b.Path == "." {
				return types.String("the app")
			}
			return types.String(b.Path)
		}),
		member("lead", "bundle_lead", []*types.Type{bundleType}, types.StringType, func(a []ref.Val) ref.Val {
			b, _ := a[0].Value().(*facts.Bundle)
			if b.Kind == "app" {
				return types.String("")
			}
			return types.String(b.Path + ": ")
		}),
		member("home", "bundle_home", []*types.Type{bundleType}, types.StringType, func(a []ref.Val) ref.Val {
			b, _ := a[0].Value().(*facts.Bundle)
			parts := strings.SplitN(b.Path, "/", 3)
			if len(parts) >= 2 && (parts[0] == "Watch" || parts[0] == "AppClips") {
				return types.String(parts[0] + "/" + parts[1])
			}
			return types.String(".")
		}),
		member("calls", "android_calls", []*types.Type{engine.TypeFor[facts.Code](), types.StringType}, types.BoolType, func(a []ref.Val) ref.Val {
			c, _ := a[0].Value().(*facts.Code)
			_, yes := callers(c, text(a[1]))
			return openOr(yes, fact.GapOf(c, &c.Calls), types.Bool(yes))
		}),
		member("calls", "android_calls_outside", []*types.Type{engine.TypeFor[facts.Code](), types.StringType, textList}, types.BoolType, func(a []ref.Val) ref.Val {
			c, _ := a[0].Value().(*facts.Code)
			from, yes := callers(c, text(a[1]))
			except := list[string](a[2])
			yes = yes && (len(from) == 0 || slices.ContainsFunc(from, func(p string) bool {
				return !slices.ContainsFunc(except, func(e string) bool { return p == e || strings.HasPrefix(p, e+".") })
			}))
			return openOr(yes, fact.GapOf(c, &c.Calls), types.Bool(yes))
		}),
		member("callers", "android_callers", []*types.Type{engine.TypeFor[facts.Code](), types.StringType}, textList, func(a []ref.Val) ref.Val {
			c, _ := a[0].Value().(*facts.Code)
			from, _ := callers(c, text(a[1]))
			return adapt(from)
		}),
		member("calls_below", "android_calls_below", []*types.Type{engine.TypeFor[facts.Code](), types.StringType}, types.BoolType, func(a []ref.Val) ref.Val {
			c, _ := a[0].Value().(*facts.Code)
			prefix, yes := strings.ReplaceAll(text(a[1]), ".", "/")+"/", false
			for call := range c.Calls {
				yes = yes || strings.HasPrefix(call, prefix)
			}
			return openOr(yes, fact.GapOf(c, &c.Calls), types.Bool(yes))
		}),
		member("asks", "manifest_asks", []*types.Type{engine.TypeFor[facts.Manifest](), types.StringType}, types.BoolType, func(a []ref.Val) ref.Val {
			m, _ := a[0].Value().(*facts.Manifest)
			yes := slices.ContainsFunc(ofManifest(m).permissions[text(a[1])], func(p *facts.Permission) bool {
				return p.MaxLevel == 0 || m.MinLevel == nil || p.MaxLevel >= *m.MinLevel
			})
			return openOr(yes, fact.GapOf(m, &m.Permissions), types.Bool(yes))
		}),
		member("asks", "manifest_asks_level", []*types.Type{engine.TypeFor[facts.Manifest](), types.StringType, types.IntType}, types.BoolType, func(a []ref.Val) ref.Val {
			m, _ := a[0].Value().(*facts.Manifest)
			level, _ := a[2].Value().(int64)
			yes := slices.ContainsFunc(ofManifest(m).permissions[text(a[1])], func(p *facts.Permission) bool {
				return p.MaxLevel == 0 || p.MaxLevel >= level
			})
			return openOr(yes, fact.GapOf(m, &m.Permissions), types.Bool(yes))
		}),
		member("feature", "manifest_feature", []*types.Type{engine.TypeFor[facts.Manifest](), types.StringType}, types.StringType, func(a []ref.Val) ref.Val {
			m, _ := a[0].Value().(*facts.Manifest)
			required, ok := ofManifest(m).features[text(a[1])]
			said := ""
			switch {
			case required:
				said = "required"
			case ok:
				said = "optional"
			}
			return openOr(ok, fact.GapOf(m, &m.Features), types.String(said))
		}),
		member("like", "package_like", []*types.Type{engine.TypeFor[facts.Package](), patternList}, types.NewListType(engine.TypeFor[facts.File]()), func(a []ref.Val) ref.Val {
			p, _ := a[0].Value().(*facts.Package)
			rows := list[*tables.Pattern](a[1])
			prefix := patternRoot(p)
			var out []*facts.File
			for _, f := range p.Files {
				if firstMatch(prefix+f.Path, rows) != nil {
					out = append(out, f)
				}
			}
			return adapt(out)
		}),
		member("has_file", "package_has_file", []*types.Type{engine.TypeFor[facts.Package](), types.StringType}, types.BoolType, func(a []ref.Val) ref.Val {
			p, _ := a[0].Value().(*facts.Package)
			root := ""
			if p.IOS != nil && p.IOS.Root != "" {
				root = p.IOS.Root + "/"
			}
			return types.Bool(slices.ContainsFunc(p.Files, func(f *facts.File) bool {
				return tables.Regexp(text(a[1])).Match(strings.TrimPrefix(f.Path, root))
			}))
		}),
		member("why", "package_why", []*types.Type{engine.TypeFor[facts.Package](), engine.TypeFor[facts.File](), patternList}, types.StringType, func(a []ref.Val) ref.Val {
			p, _ := a[0].Value().(*facts.Package)
			f, _ := a[1].Value().(*facts.File)
			if row := firstMatch(patternRoot(p)+f.Path, list[*tables.Pattern](a[2])); row != nil {
				return types.String(row.Why)
			}
			return types.String("")
		}),
		member("why", "string_why", []*types.Type{types.StringType, patternList}, types.StringType, func(a []ref.Val) ref.Val {
			if row := firstMatch(text(a[0]), list[*tables.Pattern](a[1])); row != nil {
				return types.String(row.Why)
			}
			return types.String("")
		}),
		plain("framework", "framework_string", []*types.Type{types.StringType}, types.StringType, func(a []ref.Val) ref.Val {
			name, ok := strings.CutPrefix(text(a[0]), "/System/Library/Frameworks/")
			name, _, inside := strings.Cut(name, ".framework")
			if !ok || !inside {
				name = ""
			}
			return types.String(name)
		}),
		plain("bundle_name", "bundle_name_string", []*types.Type{types.StringType}, types.StringType, func(a []ref.Val) ref.Val {
			name := text(a[0])[strings.LastIndexByte(text(a[0]), '/')+1:]
			if at := strings.LastIndexByte(name, '.'); at > 0 {
				name = name[:at]
			}
			return types.String(name)
		}),
		plain("form_factor", "form_factor_package", []*types.Type{engine.TypeFor[facts.Package]()}, types.StringType, func(a []ref.Val) ref.Val {
			p, _ := a[0].Value().(*facts.Package)
			return types.String(formFactor(p))
		}),
		plain("likeness", "likeness_string_string", []*types.Type{types.StringType, types.StringType}, types.IntType, func(a []ref.Val) ref.Val {
			return types.Int(motif.Likeness(text(a[0]), text(a[1])))
		}),
		member("said", "rating_said", []*types.Type{engine.TypeFor[rating.Rating](), types.StringType}, types.StringType, func(a []ref.Val) ref.Val {
			r, _ := a[0].Value().(*rating.Rating)
			answer, ok := r.Said(text(a[1]))
			if !ok {
				return engine.Unknown(fact.Gap{Kind: fact.NotAnswered, Path: "answers.content." + text(a[1]), What: "the dossier does not answer answers.content." + text(a[1]), At: r.Self()})
			}
			return types.String(answer)
		}),
		plain("misspelt", "misspelt_string_list", []*types.Type{types.StringType, textList}, types.StringType, func(a []ref.Val) ref.Val {
			return types.String(spell.OneOff(text(a[0]), list[string](a[1])))
		}),
		plain("keys", "keys_map", []*types.Type{types.NewMapType(types.StringType, types.DynType)}, textList, func(a []ref.Val) ref.Val {
			m, ok := a[0].(traits.Mapper)
			if !ok {
				return types.NewErr("keys() takes a map")
			}
			return adapt(known.of(m))
		}),
	}
}

// callers are the packages whose classes call a method, and whether any does.
func callers(c *facts.Code, method string) (packages []string, called bool) {
	at := strings.LastIndexByte(method, '.')
	if at < 0 {
		return nil, false
	}
	from, called := c.Calls[strings.ReplaceAll(method[:at], ".", "/")+method[at:]]
	for _, p := range from {
		packages = append(packages, strings.ReplaceAll(p, "/", "."))
	}
	return packages, called
}

// grants tells whether a profile's values of an entitlement allow those of a
// signature: each is there, or under one that ends in an asterisk.
func grants(allowed, asked []string) bool {
	for _, v := range asked {
		if !slices.ContainsFunc(allowed, func(w string) bool {
			prefix, any := strings.CutSuffix(w, "*")
			return w == v || any && strings.HasPrefix(v, prefix)
		}) {
			return false
		}
	}
	return true
}

// patternRoot stands before the paths of a package whose app folder itself was
// given: patterns expect its name.
func patternRoot(p *facts.Package) string {
	if p.IOS != nil && p.IOS.Root == "" {
		return "An.app/"
	}
	return ""
}

// keyLists remembers the sorted keys of the maps that it was asked for last:
// rules hold each item of a list against one table.
type keyLists struct {
	mu   sync.Mutex
	last [4]struct {
		m    any // kept, so that its address stays its own
		keys []string
	}
	next int
}

func (k *keyLists) of(m traits.Mapper) []string {
	k.mu.Lock()
	defer k.mu.Unlock()
	native := reflect.ValueOf(m.Value())
	if native.Kind() == reflect.Map {
		for _, l := range k.last {
			if v := reflect.ValueOf(l.m); v.IsValid() && v.Type() == native.Type() && v.Pointer() == native.Pointer() && v.Len() == native.Len() {
				return l.keys
			}
		}
	}
	var out []string
	for it := m.Iterator(); it.HasNext() == types.True; {
		out = append(out, text(it.Next()))
	}
	slices.Sort(out)
	if native.Kind() == reflect.Map {
		k.last[k.next].m, k.last[k.next].keys = m.Value(), out
		k.next = (k.next + 1) % len(k.last)
	}
	return out
}

// firstMatch is the first pattern that a path matches, or nil.
func firstMatch(path string, rows []*tables.Pattern) *tables.Pattern {
	for _, p := range rows {
		if p.Pattern.Match(path) && (p.Except == "" || !strings.HasSuffix(path, "/"+p.Except)) {
			return p
		}
	}
	return nil
}

// formFactor is the kind of device that an Android package is for, by the
// features that its manifest requires.
func formFactor(p *facts.Package) string {
	if p.Android == nil {
		return "phone"
	}
	for _, f := range p.Android.Manifest.Features {
		if !f.Required {
			continue
		}
		switch f.Name {
		case "android.hardware.type.watch":
			return "watch"
		case "android.software.leanback", "android.hardware.type.television":
			return "television"
		case "android.hardware.type.automotive":
			return "car"
		case "android.software.xr.api.spatial", "android.software.xr.api.openxr", "android.hardware.xr.input.controller":
			return "headset"
		}
	}
	return "phone"
}
