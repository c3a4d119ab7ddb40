package check

import (
	"slices"
	"strings"

	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"

	"regola.example/regola/internal/core/engine"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/signs"
	"regola.example/regola/internal/core/tables"
)

// iosFunctions look at the code, the signatures and the bundles of iOS apps.
func iosFunctions() []engine.Declared {
	index := func(v ref.Val) *signs.Index { x, _ := v.Value().(*signs.Index); return x }
	in := func(args []ref.Val) (*signs.Code, *facts.Bundle) {
		b, _ := args[0].Value().(*facts.Bundle)
		return index(args[1]).In(b), b
	}
	return []engine.Declared{
		member("code.uses(list(Sign)) bool", "some code of the iOS app shows one of the signs; not known when it does not and not all names could be read", "code_uses", []*types.Type{codeType, signList}, types.BoolType, func(a []ref.Val) ref.Val {
			used := len(index(a[0]).Users(list[*tables.Sign](a[1]))) > 0
			return openOr(used, index(a[0]).Gap(), types.Bool(used))
		}),
		member("code.users(list(Sign)) list(Bundle)", "the bundles whose code shows one of the signs", "code_users", []*types.Type{codeType, signList}, types.NewListType(bundleType), func(a []ref.Val) ref.Val {
			var out []ref.Val
			for _, c := range index(a[0]).Users(list[*tables.Sign](a[1])) {
				out = append(out, adapt(c.Bundle))
			}
			if g := index(a[0]).Gap(); g != nil {
				out = append(out, engine.Unknown(*g)) // there may be more
			}
			return adapt(out)
		}),
		member("code.seen(list(Sign)) string", "the names by which it shows, in the first such bundle", "code_seen", []*types.Type{codeType, signList}, types.StringType, func(a []ref.Val) ref.Val {
			for _, c := range index(a[0]).Users(list[*tables.Sign](a[1])) {
				return types.String(c.Match(list[*tables.Sign](a[1])))
			}
			return openOr(false, index(a[0]).Gap(), types.String(""))
		}),
		member("code.hints(list(Sign)) bool", "any single name of the signs is used", "code_hints", []*types.Type{codeType, signList}, types.BoolType, func(a []ref.Val) ref.Val {
			used := index(a[0]).Hinted(list[*tables.Sign](a[1]))
			return openOr(used, index(a[0]).Gap(), types.Bool(used))
		}),
		member("code.exports(string) bool", "a binary of the app exports a symbol or class of that name: it is the app's own", "code_exports", []*types.Type{codeType, types.StringType}, types.BoolType, func(a []ref.Val) ref.Val {
			yes := index(a[0]).Exports(text(a[1]))
			return openOr(yes, index(a[0]).Gap(), types.Bool(yes))
		}),
		member("code.defines(list(string)) bool", "a class of one of the names is defined or imported", "code_defines", []*types.Type{codeType, textList}, types.BoolType, func(a []ref.Val) ref.Val {
			yes := index(a[0]).Defines(list[string](a[1]))
			return openOr(yes, index(a[0]).Gap(), types.Bool(yes))
		}),
		member("code.literals(string) list(string)", "string literals that match a regular expression", "code_literals", []*types.Type{codeType, types.StringType}, textList, func(a []ref.Val) ref.Val {
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
		member("Bundle.uses(code, list(Sign)) bool", "the code of this bundle shows one of the signs", "bundle_uses", []*types.Type{bundleType, codeType, signList}, types.BoolType, func(a []ref.Val) ref.Val {
			c, _ := in(a)
			if c == nil {
				return types.False
			}
			used := c.Match(list[*tables.Sign](a[2])) != ""
			return openOr(used, c.Gap(), types.Bool(used))
		}),
		member("Bundle.seen(code, list(Sign)) string", "the names by which it shows", "bundle_seen", []*types.Type{bundleType, codeType, signList}, types.StringType, func(a []ref.Val) ref.Val {
			c, _ := in(a)
			if c == nil {
				return types.String("")
			}
			return types.String(c.Match(list[*tables.Sign](a[2])))
		}),
		member("Signature.entitled(string) bool", "the code signature has the entitlement", "signature_entitled", []*types.Type{engine.TypeFor[facts.CodeSignature](), types.StringType}, types.BoolType, func(a []ref.Val) ref.Val {
			s, _ := a[0].Value().(*facts.CodeSignature)
			if g := fact.GapOf(s, &s.Entitlements); g != nil {
				return engine.Unknown(*g)
			}
			return types.Bool(slices.ContainsFunc(s.Entitlements, func(e *facts.Entitlement) bool { return e.Key == text(a[1]) }))
		}),
		member("Signature.values(string) list(string)", "the values of an entitlement of the code signature; empty when it has none", "signature_values", []*types.Type{engine.TypeFor[facts.CodeSignature](), types.StringType}, textList, func(a []ref.Val) ref.Val {
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
		member("Profile.grants(Entitlement) bool", "the provisioning profile allows an entitlement with these values", "profile_grants", []*types.Type{engine.TypeFor[facts.Profile](), engine.TypeFor[facts.Entitlement]()}, types.BoolType, func(a []ref.Val) ref.Val {
			p, _ := a[0].Value().(*facts.Profile)
			e, _ := a[1].Value().(*facts.Entitlement)
			if g := fact.GapOf(p, &p.Entitlements); g != nil {
				return engine.Unknown(*g)
			}
			return types.Bool(slices.ContainsFunc(p.Entitlements, func(o *facts.Entitlement) bool { return o.Key == e.Key && grants(o.Values, e.Values) }))
		}),
		member("Bundle.label() string", "the app, or the path of the bundle", "bundle_label", []*types.Type{bundleType}, types.StringType, func(a []ref.Val) ref.Val {
			b, _ := a[0].Value().(*facts.Bundle)
			if b.Path == "." {
				return types.String("the app")
			}
			return types.String(b.Path)
		}),
		member("Bundle.lead() string", "the path of the bundle and a colon, for the head of a text; nothing for the app", "bundle_lead", []*types.Type{bundleType}, types.StringType, func(a []ref.Val) ref.Val {
			b, _ := a[0].Value().(*facts.Bundle)
			if b.Kind == "app" {
				return types.String("")
			}
			return types.String(b.Path + ": ")
		}),
		member("Bundle.home() string", "the folder of the clip or the watch app that the bundle lies in; \".\" for those of the app", "bundle_home", []*types.Type{bundleType}, types.StringType, func(a []ref.Val) ref.Val {
			b, _ := a[0].Value().(*facts.Bundle)
			parts := strings.SplitN(b.Path, "/", 3)
			if len(parts) >= 2 && (parts[0] == "Watch" || parts[0] == "AppClips") {
				return types.String(parts[0] + "/" + parts[1])
			}
			return types.String(".")
		}),
		plain("framework(string) string", "the name of a framework of the iOS system, from the path under which it is linked; empty for anything else", "framework_string", []*types.Type{types.StringType}, types.StringType, func(a []ref.Val) ref.Val {
			name, ok := strings.CutPrefix(text(a[0]), "/System/Library/Frameworks/")
			name, _, inside := strings.Cut(name, ".framework")
			if !ok || !inside {
				name = ""
			}
			return types.String(name)
		}),
	}
}
