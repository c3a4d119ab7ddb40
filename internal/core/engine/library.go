package engine

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
	"cel.dev/cel-go/common/types/traits"
	"github.com/rivo/uniseg"

	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/memory"
	"regola.example/regola/internal/core/textual"
)

// Function documents a function that conditions may call.
type Function struct{ Signature, Doc string }

// Declared is a function that conditions may call: what it does, and its declaration.
type Declared struct {
	Function
	option cel.EnvOption
}

// Declare declares a function. Its name is that in the signature, such as
// "host(string) string", or behind the full stop of a member's, "code.uses(list(Sign)) bool".
func Declare(signature, doc string, overloads ...cel.FunctionOpt) Declared {
	name, _, _ := strings.Cut(signature, "(")
	name = name[strings.LastIndexByte(name, '.')+1:]
	return Declared{Function{signature, doc}, cel.Function(name, overloads...)}
}

// Functions are the functions that conditions may call beyond those of CEL itself and its
// string extensions.
func Functions() []Declared {
	text := func(signature, doc string, f func(string) ref.Val, result *types.Type) Declared {
		name, _, _ := strings.Cut(signature, "(")
		return Declare(signature, doc, cel.Overload(name+"_string", []*cel.Type{cel.StringType}, result,
			cel.UnaryBinding(func(v ref.Val) ref.Val { return f(string(v.(types.String))) })))
	}
	truth := func(signature, doc string, f func(string) bool) Declared {
		return text(signature, doc, func(s string) ref.Val { return types.Bool(f(s)) }, cel.BoolType)
	}
	return []Declared{
		text("characters(string) int", "number of characters as a reader counts them (grapheme clusters)", func(s string) ref.Val { return types.Int(uniseg.GraphemeClusterCount(s)) }, cel.IntType),
		Declare("version_cmp(string, string) int", "-1, 0 or 1: versions compared number by number, 1.10 after 1.9, 1.2 equal to 1.2.0", cel.Overload("version_cmp_string_string", []*cel.Type{cel.StringType, cel.StringType}, cel.IntType,
			cel.BinaryBinding(func(a, b ref.Val) ref.Val {
				return types.Int(textual.CompareVersions(string(a.(types.String)), string(b.(types.String))))
			}))),
		Declare("is_version(string, int) bool", "digits and full stops only, at most that many numbers", cel.Overload("is_version_string_int", []*cel.Type{cel.StringType, cel.IntType}, cel.BoolType,
			cel.BinaryBinding(func(a, n ref.Val) ref.Val {
				return types.Bool(textual.IsVersion(string(a.(types.String)), int(n.(types.Int))))
			}))),
		truth("is_web_link(string) bool", "an absolute http or https address with a host that has a dot", textual.IsWebLink),
		truth("is_email(string) bool", "one @, a name before it and a host with a dot behind it", textual.IsEmail),
		truth("is_phone(string) bool", "a plus sign, the country code and at least six digits", textual.IsPhone),
		truth("has_emoji(string) bool", "a picture sign (emoji); signs of typography such as check marks do not count", func(s string) bool { return textual.HasEmoji(s, false) }),
		truth("has_signs(string) bool", "a picture sign (emoji), or one of typography such as a star or a check mark", func(s string) bool { return textual.HasEmoji(s, true) }),
		truth("is_placeholder(string) bool", "a text that a template left behind: TODO, lorem ipsum, $(NAME), ${NAME}, a lone -", textual.IsPlaceholder),
		Declare("keyword_line(string, int) string", "the first line of a text that is a list of so many or more words between commas; empty when none is", cel.Overload("keyword_line_string_int", []*cel.Type{cel.StringType, cel.IntType}, cel.StringType,
			cel.BinaryBinding(func(s, n ref.Val) ref.Val {
				return types.String(textual.KeywordLine(string(s.(types.String)), int(n.(types.Int))))
			}))),
		Declare("shared_word(string, int) string", "a word that so many or more parts of a list have; empty for none", cel.Overload("shared_word_string_int", []*cel.Type{cel.StringType, cel.IntType}, cel.StringType,
			cel.BinaryBinding(func(s, n ref.Val) ref.Val {
				return types.String(textual.SharedWord(string(s.(types.String)), int(n.(types.Int))))
			}))),
		Declare("head(string, int) string", "the first characters of a text, as a reader counts them, without a blank at the end", cel.Overload("head_string_int", []*cel.Type{cel.StringType, cel.IntType}, cel.StringType,
			cel.BinaryBinding(func(s, n ref.Val) ref.Val {
				return types.String(textual.Head(string(s.(types.String)), int(n.(types.Int))))
			}))),
		text("host(string) string", "the host of a web address, in small letters, without www. and port; empty when it has none", func(s string) ref.Val { return types.String(textual.Host(s)) }, cel.StringType),
		Declare("share_word(string, string) bool", "two names belong together: one is in the other, or a word of three letters or more of one is; true when one is empty", cel.Overload("share_word_string_string", []*cel.Type{cel.StringType, cel.StringType}, cel.BoolType,
			cel.BinaryBinding(func(a, b ref.Val) ref.Val {
				return types.Bool(textual.ShareWord(string(a.(types.String)), string(b.(types.String))))
			}))),
		text("oddities(string) list(string)", "what would not be seen, or looks broken, in a text: spaces at its ends, control and invisible characters, replaced or doubly encoded letters, HTML", func(s string) ref.Val { return odd.Of(s, func() ref.Val { return Adapt(textual.Oddities(s)) }) }, cel.ListType(cel.StringType)),
		text("tidy(string) string", "a text without what oddities finds, as far as only one text can be meant", func(s string) ref.Val { return types.String(textual.Tidy(s)) }, cel.StringType),
		text("canonical(string) string", "a language tag as it is usually written: en-GB for en-UK and en_gb", func(s string) ref.Val { return types.String(textual.Canonical(s)) }, cel.StringType),
		text("language(string) string", "the English name of a language tag: Italian for it, British English for en-GB", func(s string) ref.Val { return types.String(textual.LanguageName(s)) }, cel.StringType),
		Declare("repeated(list(string)) list(string)", "the texts that occur more than once, each once", cel.Overload("repeated_list", []*cel.Type{cel.ListType(cel.StringType)}, cel.ListType(cel.StringType), cel.UnaryBinding(repeated))),
		Declare("distinct(list(string)) list(string)", "the texts, each once, in their order", cel.Overload("distinct_list", []*cel.Type{cel.ListType(cel.StringType)}, cel.ListType(cel.StringType), cel.UnaryBinding(distinct))),
		Declare("missing(list(string), list(string)) list(string)", "the texts of the first list that the second lacks", cel.Overload("missing_list_list", []*cel.Type{cel.ListType(cel.StringType), cel.ListType(cel.StringType)}, cel.ListType(cel.StringType),
			cel.BinaryBinding(func(l, r ref.Val) ref.Val {
				list, gap := texts(l)
				if gap != nil {
					return gap
				}
				others, gap := texts(r)
				if gap != nil {
					return gap
				}
				there := map[string]bool{}
				for _, s := range others {
					there[s] = true
				}
				out := []string{}
				for _, s := range list {
					if !there[s] {
						out = append(out, s)
					}
				}
				return Adapt(out)
			}))),
		Declare("wasted(list(string), string) list(string)", "the keywords of a list that waste room, with the reason: twice, already in the text, of one or two letters, with spaces around them", cel.Overload("wasted_list_string", []*cel.Type{cel.ListType(cel.StringType), cel.StringType}, cel.ListType(cel.StringType),
			cel.BinaryBinding(func(l, text ref.Val) ref.Val {
				list, gap := texts(l)
				if gap != nil {
					return gap
				}
				return Adapt(textual.Wasted(list, string(text.(types.String))))
			}))),
		Declare("speaks(list(string), string) bool", "a tag of the list is of the same language as the tag, whatever the region", cel.Overload("speaks_list_string", []*cel.Type{cel.ListType(cel.StringType), cel.StringType}, cel.BoolType,
			cel.BinaryBinding(func(l, tag ref.Val) ref.Val {
				list, gap := texts(l)
				if gap != nil {
					return gap
				}
				want := string(tag.(types.String))
				return types.Bool(slices.ContainsFunc(list, func(s string) bool { return textual.SameLanguage(s, want) }))
			}))),
		Declare("plural(int, string, string) string", "a number with its noun: 1 kiln, 2 kilns", cel.Overload("plural_int_string_string", []*cel.Type{cel.IntType, cel.StringType, cel.StringType}, cel.StringType,
			cel.FunctionBinding(func(a ...ref.Val) ref.Val {
				noun := a[2]
				if a[0] == types.Int(1) {
					noun = a[1]
				}
				return types.String(fmt.Sprintf("%d %s", a[0].Value(), noun.Value()))
			}))),
		Declare("same_language(string, string) bool", "two language tags of one language, whatever the region: en-GB and en, iw and he", cel.Overload("same_language_string_string", []*cel.Type{cel.StringType, cel.StringType}, cel.BoolType,
			cel.BinaryBinding(func(a, b ref.Val) ref.Val {
				return types.Bool(textual.SameLanguage(string(a.(types.String)), string(b.(types.String))))
			}))),
		Declare("same_writing(string, string) bool", "two language tags of one language and script: zh-CN and zh-Hans, but not zh-TW", cel.Overload("same_writing_string_string", []*cel.Type{cel.StringType, cel.StringType}, cel.BoolType,
			cel.BinaryBinding(func(a, b ref.Val) ref.Val {
				return types.Bool(textual.SameWriting(string(a.(types.String)), string(b.(types.String))))
			}))),
		Declare("[int].sum() int", "the sum of a list of whole numbers", cel.MemberOverload("list_int_sum", []*cel.Type{cel.ListType(cel.IntType)}, cel.IntType, cel.UnaryBinding(sum))),
		Declare("megabytes(int) string", "a number of bytes for people, such as 11.4 MB; a MB has 1,048,576 bytes", cel.Overload("megabytes_int", []*cel.Type{cel.IntType}, cel.StringType,
			cel.UnaryBinding(func(v ref.Val) ref.Val {
				return types.String(fmt.Sprintf("%.1f MB", float64(v.(types.Int))/(1<<20)))
			}))),
		Declare("answered(value) bool", "true; not known where the value is not, so that a rule can ask for it", cel.Overload("answered_any", []*cel.Type{cel.DynType}, cel.BoolType,
			cel.UnaryBinding(func(ref.Val) ref.Val { return types.True }))),
		Declare("given(value) bool", "whether the value is known; never itself unknown, so that a rule can pass over what this store does not ask", cel.Overload("given_any", []*cel.Type{cel.DynType}, cel.BoolType,
			cel.OverloadIsNonStrict(), cel.UnaryBinding(func(v ref.Val) ref.Val { return types.Bool(!types.IsUnknown(v)) }))),
		Declare("day(timestamp) string", "a day in words: 31 August 2026", cel.Overload("day_timestamp", []*cel.Type{cel.TimestampType}, cel.StringType,
			cel.UnaryBinding(func(v ref.Val) ref.Val { return types.String(day.Long(v.Value().(time.Time))) }))),
		Declare("days(timestamp, timestamp) int", "calendar days from the first to the last, both counted", cel.Overload("days_timestamp_timestamp", []*cel.Type{cel.TimestampType, cel.TimestampType}, cel.IntType,
			cel.BinaryBinding(func(l, r ref.Val) ref.Val {
				return types.Int(r.Value().(time.Time).Sub(l.Value().(time.Time)).Hours()/24 + 1)
			}))),
	}
}

// odd remembers what is odd in texts: a condition and its message ask for it, for every
// store.
var odd = memory.New(2<<20, func(text string, _ ref.Val) int64 { return int64(len(text)) })

// sum adds up a list of numbers; an unknown one makes the sum unknown.
func sum(v ref.Val) ref.Val {
	list, total := v.(traits.Lister), int64(0)
	for it := list.Iterator(); it.HasNext() == types.True; {
		switch n := it.Next().(type) {
		case types.Int:
			total += int64(n)
		default:
			return n
		}
	}
	return types.Int(total)
}

// texts takes the texts of a list, or the first that is not known.
func texts(v ref.Val) ([]string, ref.Val) {
	if native, ok := v.Value().([]string); ok {
		return native, nil
	}
	var out []string
	for it := v.(traits.Lister).Iterator(); it.HasNext() == types.True; {
		item := it.Next()
		s, ok := item.(types.String)
		if !ok {
			return nil, item
		}
		out = append(out, string(s))
	}
	return out, nil
}

// repeated lists the texts that occur more than once. A text that is not known
// makes the list unknown.
func repeated(v ref.Val) ref.Val {
	list, gap := texts(v)
	if gap != nil {
		return gap
	}
	count := map[string]int{}
	out := []string{}
	for _, s := range list {
		if count[s]++; count[s] == 2 {
			out = append(out, s)
		}
	}
	return Adapt(out)
}

// distinct lists each text once.
func distinct(v ref.Val) ref.Val {
	list, gap := texts(v)
	if gap != nil {
		return gap
	}
	seen := map[string]bool{}
	out := []string{}
	for _, s := range list {
		if !seen[s] {
			seen[s] = true
			out = append(out, s)
		}
	}
	return Adapt(out)
}
