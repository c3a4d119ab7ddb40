package check

import (
	"slices"
	"strings"

	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
	"cel.dev/cel-go/common/types/traits"

	"regola.example/regola/internal/core/engine"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/memory"
)

// androidFunctions look at the code and the manifest of Android packages.
func androidFunctions() []engine.Declared {
	manifests := memory.New[*facts.Manifest, *asked](4, nil)
	ofManifest := func(m *facts.Manifest) *asked { return manifests.Of(m, func() *asked { return askedBy(m) }) }
	return []engine.Declared{
		member("Code.calls(string) bool", "the Android code refers to a method of the platform: android.app.AlarmManager.canScheduleExactAlarms", "android_calls", []*types.Type{engine.TypeFor[facts.Code](), types.StringType}, types.BoolType, func(a []ref.Val) ref.Val {
			c, _ := a[0].Value().(*facts.Code)
			_, yes := callers(c, text(a[1]))
			return openOr(yes, fact.GapOf(c, &c.Calls), types.Bool(yes))
		}),
		member("Code.calls(string, list(string)) bool", "the same, by a class outside the packages of the list; a call whose caller is not known counts", "android_calls_outside", []*types.Type{engine.TypeFor[facts.Code](), types.StringType, textList}, types.BoolType, func(a []ref.Val) ref.Val {
			c, _ := a[0].Value().(*facts.Code)
			from, yes := callers(c, text(a[1]))
			except := list[string](a[2])
			yes = yes && (len(from) == 0 || slices.ContainsFunc(from, func(p string) bool {
				return !slices.ContainsFunc(except, func(e string) bool { return p == e || strings.HasPrefix(p, e+".") })
			}))
			return openOr(yes, fact.GapOf(c, &c.Calls), types.Bool(yes))
		}),
		member("Code.callers(string) list(string)", "the packages whose classes call a method of the platform", "android_callers", []*types.Type{engine.TypeFor[facts.Code](), types.StringType}, textList, func(a []ref.Val) ref.Val {
			c, _ := a[0].Value().(*facts.Code)
			from, _ := callers(c, text(a[1]))
			return adapt(from)
		}),
		member("Code.calls_below(string) bool", "the Android code refers to a method of a class below a package: org.apache.http", "android_calls_below", []*types.Type{engine.TypeFor[facts.Code](), types.StringType}, types.BoolType, func(a []ref.Val) ref.Val {
			c, _ := a[0].Value().(*facts.Code)
			prefix, yes := strings.ReplaceAll(text(a[1]), ".", "/")+"/", false
			for call := range c.Calls {
				yes = yes || strings.HasPrefix(call, prefix)
			}
			return openOr(yes, fact.GapOf(c, &c.Calls), types.Bool(yes))
		}),
		member("Manifest.asks(string) bool", "the Android manifest asks for the permission, on the levels that the app serves", "manifest_asks", []*types.Type{engine.TypeFor[facts.Manifest](), types.StringType}, types.BoolType, func(a []ref.Val) ref.Val {
			m, _ := a[0].Value().(*facts.Manifest)
			yes := slices.ContainsFunc(ofManifest(m).permissions[text(a[1])], func(p *facts.Permission) bool {
				return p.MaxLevel == 0 || m.MinLevel == nil || p.MaxLevel >= *m.MinLevel
			})
			return openOr(yes, fact.GapOf(m, &m.Permissions), types.Bool(yes))
		}),
		member("Manifest.asks(string, int) bool", "the same, on devices of one API level", "manifest_asks_level", []*types.Type{engine.TypeFor[facts.Manifest](), types.StringType, types.IntType}, types.BoolType, func(a []ref.Val) ref.Val {
			m, _ := a[0].Value().(*facts.Manifest)
			level, _ := a[2].Value().(int64)
			yes := slices.ContainsFunc(ofManifest(m).permissions[text(a[1])], func(p *facts.Permission) bool {
				return p.MaxLevel == 0 || p.MaxLevel >= level
			})
			return openOr(yes, fact.GapOf(m, &m.Permissions), types.Bool(yes))
		}),
		member("Manifest.feature(string) string", "required, optional, or empty when no uses-feature line names the device feature", "manifest_feature", []*types.Type{engine.TypeFor[facts.Manifest](), types.StringType}, types.StringType, func(a []ref.Val) ref.Val {
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
		plain("form_factor(Package, map(string, string)) string", "phone, television, watch, car or headset: what the map says of the first feature it names that the Android manifest requires; phone where there is none, and for iOS", "form_factor_package_map", []*types.Type{engine.TypeFor[facts.Package](), types.NewMapType(types.StringType, types.StringType)}, types.StringType, func(a []ref.Val) ref.Val {
			p, _ := a[0].Value().(*facts.Package)
			forms, _ := a[1].(traits.Mapper)
			if p.Android != nil && forms != nil {
				for _, f := range p.Android.Manifest.Features {
					if form, ok := forms.Find(types.String(f.Name)); ok && f.Required {
						return form
					}
				}
			}
			return types.String("phone")
		}),
	}
}
