package check

import (
	"slices"
	"strings"
	"time"

	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
	"cel.dev/cel-go/common/types/traits"

	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/didyoumean"
	"regola.example/regola/internal/core/engine"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/imagehash"
	"regola.example/regola/internal/core/memory"
	"regola.example/regola/internal/core/rating"
	"regola.example/regola/internal/core/tables"
	"regola.example/regola/internal/core/testers"
)

// packageFunctions look at files, texts and tables.
func packageFunctions() []engine.Declared {
	known := memory.New[mapKey, keysOf](4, nil)
	return []engine.Declared{
		member("Package.like(list(Pattern)) list(File)", "the files whose path matches one of the patterns", "package_like", []*types.Type{engine.TypeFor[facts.Package](), patternList}, types.NewListType(engine.TypeFor[facts.File]()), func(a []ref.Val) ref.Val {
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
		member("Package.has_file(string) bool", "a file whose path within the app matches a regular expression", "package_has_file", []*types.Type{engine.TypeFor[facts.Package](), types.StringType}, types.BoolType, func(a []ref.Val) ref.Val {
			p, _ := a[0].Value().(*facts.Package)
			root := ""
			if p.IOS != nil && p.IOS.Root != "" {
				root = p.IOS.Root + "/"
			}
			return types.Bool(slices.ContainsFunc(p.Files, func(f *facts.File) bool {
				return tables.Regexp(text(a[1])).Match(strings.TrimPrefix(f.Path, root))
			}))
		}),
		member("Package.why(File, list(Pattern)) string", "what the first pattern says that a file's path matches", "package_why", []*types.Type{engine.TypeFor[facts.Package](), engine.TypeFor[facts.File](), patternList}, types.StringType, func(a []ref.Val) ref.Val {
			p, _ := a[0].Value().(*facts.Package)
			f, _ := a[1].Value().(*facts.File)
			if row := firstMatch(patternRoot(p)+f.Path, list[*tables.Pattern](a[2])); row != nil {
				return types.String(row.Why)
			}
			return types.String("")
		}),
		plain("fits(string, string) bool", "a text matches a regular expression that a table holds; it is prepared once", "fits_string_string", []*types.Type{types.StringType, types.StringType}, types.BoolType, func(a []ref.Val) ref.Val {
			return types.Bool(tables.Regexp(text(a[1])).Match(text(a[0])))
		}),
		plain("present(List, int, timestamp) int", "how many testers of the list were in the test for so many days in a row, up to a day", "present_list_int", []*types.Type{engine.TypeFor[testers.List](), types.IntType, types.TimestampType}, types.IntType, func(a []ref.Val) ref.Val {
			l, _ := a[0].Value().(*testers.List)
			days, _ := a[1].Value().(int64)
			on, _ := a[2].Value().(time.Time)
			return types.Int(l.Present(days, day.Day{Time: on}))
		}),
		member("string.why(list(Pattern)) string", "what the first pattern says that the text matches; empty when none does", "string_why", []*types.Type{types.StringType, patternList}, types.StringType, func(a []ref.Val) ref.Val {
			if row := firstMatch(text(a[0]), list[*tables.Pattern](a[1])); row != nil {
				return types.String(row.Why)
			}
			return types.String("")
		}),
		plain("bundle_name(string) string", "the name of a bundle from its path: KilnKit of Frameworks/KilnKit.framework", "bundle_name_string", []*types.Type{types.StringType}, types.StringType, func(a []ref.Val) ref.Val {
			name := text(a[0])[strings.LastIndexByte(text(a[0]), '/')+1:]
			if at := strings.LastIndexByte(name, '.'); at > 0 {
				name = name[:at]
			}
			return types.String(name)
		}),
		plain("likeness(string, string) int", "how far two pictures show the same, by their fingerprints, from 0 to 100", "likeness_string_string", []*types.Type{types.StringType, types.StringType}, types.IntType, func(a []ref.Val) ref.Val {
			return types.Int(imagehash.Likeness(text(a[0]), text(a[1])))
		}),
		member("rating.said(string) string", "the answer to a question about the content, also where the line others gives it; empty for one that the store does not ask after these answers", "rating_said", []*types.Type{engine.TypeFor[rating.Rating](), types.StringType}, types.StringType, func(a []ref.Val) ref.Val {
			r, _ := a[0].Value().(*rating.Rating)
			answer, ok := r.Said(text(a[1]))
			if !ok {
				return engine.Unknown(fact.Gap{Kind: fact.NotAnswered, Path: "answers.content." + text(a[1]), What: "the dossier does not answer answers.content." + text(a[1]), At: r.Self()})
			}
			return types.String(answer)
		}),
		plain("misspelt(string, list(string)) string", "the name that was probably meant: one letter added, dropped or changed, or two swapped; empty when none", "misspelt_string_list", []*types.Type{types.StringType, textList}, types.StringType, func(a []ref.Val) ref.Val {
			return types.String(didyoumean.ByOneEdit(text(a[0]), list[string](a[1])))
		}),
		plain("keys(map) list(string)", "the keys of a map with texts as keys", "keys_map", []*types.Type{types.NewMapType(types.StringType, types.DynType)}, textList, func(a []ref.Val) ref.Val {
			m, ok := a[0].(traits.Mapper)
			if !ok {
				return types.NewErr("keys() takes a map")
			}
			return adapt(sortedKeys(m, known))
		}),
	}
}
