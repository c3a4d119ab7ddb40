package engine_test

import (
	"fmt"
	"reflect"
	"testing"

	"cel.dev/cel-go/common/types"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/engine"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/seed"
)

type kiln struct {
	fact.Mark `json:"-"`
	Name      string            `json:"name"`
	Heat      int64             `json:"heat"`
	Share     float64           `json:"share"`
	Since     *day.Day          `json:"since"`
	Cold      *bool             `json:"cold"`
	Words     []string          `json:"words"`
	Below     []*kiln           `json:"below"`
	By        map[string]string `json:"by"`
	Inner     inner             `json:"inner"`
	Shown     string            `json:"-" alias:"shown"`
}

type inner struct {
	fact.Mark `json:"-"`
	Torn      string `json:"torn"`
}

type limits map[string]any

func (l limits) Get(name string) any { return l[name] }

func tree(t *testing.T) (*kiln, *engine.Env) {
	since, err := day.Parse("2026-03-01")
	require.NoError(t, err)
	k := &kiln{Name: "Terrafuoco", Heat: 1240, Share: 0.5, Since: &since, Words: []string{"kiln", "glaze", "kiln", "Ofen"}, By: map[string]string{"it": "Forno"},
		Below: []*kiln{{Name: "one", Heat: 3}, {Name: "two", Heat: 4}}, Shown: "alias"}
	k.SetSelf(place.Place{File: "kiln.yaml", Line: 1, Column: 1})
	fact.Put(k, &k.Name, place.Place{File: "kiln.yaml", Line: 2, Column: 7})
	k.Below[1].SetSelf(place.Place{File: "kiln.yaml", Line: 9, Column: 3})
	fact.Lose(&k.Inner, &k.Inner.Torn, fact.Gap{Kind: fact.NotRead, What: "it is torn", At: place.Place{File: "a.apk", Entry: "x", Key: "y", Offset: 7}})
	fact.Lose(k.Below[0], &k.Below[0].Words, fact.Unasked("not asked"))
	fact.Stamp(k, "", fact.NotAnswered)
	env, err := engine.NewEnv(reflect.TypeFor[kiln](), engine.Options{
		Records:   []engine.Record{{Name: "limit", Fields: map[string]*types.Type{"most": types.IntType, "words": types.NewListType(types.StringType), "none": types.StringType}, Hint: "limits are written elsewhere"}},
		Variables: map[string]*types.Type{"on": types.TimestampType},
	})
	require.NoError(t, err)
	return k, env
}

// expressions are conditions of all kinds; each line of the outcomes says what one gives.
var expressions = []string{
	"name", "heat + 1", "heat > 1000 && share < 0.6", "since < on", "day(since)", "days(since, on)", "days(on, since)", "days(on, on)", "cold", "cold || heat > 1", "cold && heat > 1", "!cold",
	"inner.torn", `inner.torn == "x" || name != ""`, `inner.torn == "x"`, "below.map(b, b.name)", "below.filter(b, b.heat > 3).map(b, b.name)", "below[0].words", `below.all(b, "x" in b.words)`, `below.exists(b, b.heat == 4)`,
	"words.size()", `"kiln" in words`, `by["it"]`, `by["de"]`, `"it" in by`, "shown", "limit.most", "limit.words", "limit.none", "limit.none == name", "words[9]", "heat / (heat - 1240)",
	`characters("Töpfe👩‍🚀")`, `characters("")`, `version_cmp("1.10", "1.9")`, `version_cmp("1.2", "1.2.0")`, `version_cmp("1.2", "1.2.1")`, `version_cmp("", "0")`, `version_cmp("1.a", "1.b")`, `version_cmp("2", "10")`,
	`is_version("1.2.3", 3)`, `is_version("1.2.3.4", 3)`, `is_version("1..2", 3)`, `is_version("", 3)`, `is_version("1.a", 3)`, `is_version("01", 1)`, `is_version("1.", 3)`,
	`is_web_link("https://terrafuoco.example/x")`, `is_web_link("http://a.b")`, `is_web_link("ftp://a.b")`, `is_web_link("https://localhost")`, `is_web_link("https://")`, `is_web_link("a.b")`, `is_web_link("https://a.b.")`, `is_web_link(" https://a.b")`, `is_web_link("HTTPS://A.B")`,
	`is_email("a@b.example")`, `is_email("a@b")`, `is_email("@b.example")`, `is_email("a@b@c.example")`, `is_email("a b@c.example")`, `is_email("a@.example")`, `is_email("")`,
	`is_phone("+391234567")`, `is_phone("+3912345")`, `is_phone("+39123456")`, `is_phone("+39 123 456-7")`, `is_phone("391234567")`, `is_phone("+39x234567")`, `is_phone("+")`, `is_phone("+123456")`, `is_phone("+12345")`,
	"megabytes(0)", "megabytes(1048576)", "megabytes(11953766)", "megabytes(1073741824)", "megabytes(52428)", "megabytes(52429)",
	`wasted(["kiln", "Kiln", "ab", "glaze ", "terra"], "Terra Fuoco")`, `wasted(["glaze"], "kiln")`, `wasted(["töpfe", "topf", "pots", "pot"], "")`, `wasted([], "")`,
	`host("https://www.Kiln.example:8080/a")`, `host("kiln.example")`, `host("https://[::1]/")`, `host("")`, `share_word("Terrafuoco", "Terrafuoco srl")`, `share_word("ab cd", "cd ef")`, `share_word("kiln log", "log of kilns")`, `share_word("", "x")`, `share_word("Kiln", "Glaze")`, `share_word("Kiln App", "app")`,
	`keyword_line("a, b, c, d, e, f, g, h, i, j, k, l", 12)`, `keyword_line("a, b, c, d, e, f, g, h, i, j, k", 12)`, `keyword_line("x\na, b, c, d, e, f, g, h, i, j, k, l, m", 12)`, `keyword_line("one two three four five, b, c, d, e, f, g, h, i, j, k, l", 12)`,
	`oddities("plain")`, `oddities(" a ")`, `oddities("a\u200bb")`, `oddities("a\ufffdb")`, `oddities("TÃ¶pfe")`, `oddities("<b>a</b>")`, `oddities("a &amp; b")`, `oddities("a < b > c")`, `oddities("a\u0001b")`, `oddities("")`,
	`is_placeholder("TODO")`, `is_placeholder("todo list")`, `is_placeholder("Lorem ipsum dolor")`, `is_placeholder("$(NAME)")`, `is_placeholder("a ${X} b")`, `is_placeholder("-")`, `is_placeholder("kiln - log")`, `is_placeholder("")`, `is_placeholder("xxx")`, `is_placeholder("TBD")`, `is_placeholder("{{name}}")`,
	`language("it")`, `language("en-GB")`, `language("zh-Hans")`, `language("xx-yy-zz-")`, `language("")`, `language("sr-Latn")`, `[1, 2, 3].sum()`, `[0].filter(x, x > 1).sum()`,
	`repeated(["a", "b", "a", "a", ""])`, `distinct(["b", "a", "b"])`, `missing(["a", "b"], ["b"])`, `missing([], ["b"])`, `speaks(["en-GB", "it"], "en")`, `speaks(["it"], "en")`, `speaks(["pt-BR"], "pt-PT")`, `speaks(["iw"], "he")`,
	`plural(1, "kiln", "kilns")`, `plural(0, "kiln", "kilns")`, `plural(2, "kiln", "kilns")`, `canonical("en_gb")`, `canonical("en-UK")`, `canonical("iw")`, `canonical("zh-hans-cn")`, `canonical("?")`, `same_language("en-GB", "en")`, `same_language("iw", "he")`, `same_language("en", "de")`, `same_language("zh-Hans", "zh-Hant")`,
	"answered(cold)", "answered(name)", "answered(inner.torn)", `repeated(below.map(b, b.inner.torn))`, `repeated(words)`, `distinct(words)`, `missing(words, limit.words)`,
	// Mistakes.
	"nam", "below[0].nme", "limit.mist", "heat + name", "has(name)", "it", "name ==", "charakters(name)", `name.matches("(")`, "limit", "1 +", `name.matches("^T")`, `"x".matches(name)`, "below.map(b, b.cold)",
}

// texts are templates.
var texts = []string{
	"plain", "{name} has {heat}", "{{", "{name", "}", "{words}", "{below}", "{since}", "{share}", "{cold}", "{inner.torn}", "{heat > 3}", "{by}", "{below.map(b, b.name)}", "{it}", "a } b", "{limit.most} {limit.none}", "{'{'}", "{name.lowerAscii()}",
}

// targets are places.
var targets = []string{"name", "heat", "below[1]", "below[1].name", "below[1].heat", "inner.torn", "inner", "below", "name + name", "limit.most", "nam", "words[0]", `by["it"]`, "below[7]", "since"}

// TestOutcomes holds what conditions, texts and places give over a tree with gaps.
func TestOutcomes(t *testing.T) {
	k, env := tree(t)
	on, err := day.Parse("2026-11-25")
	require.NoError(t, err)
	scope := func() *engine.Scope {
		return &engine.Scope{Root: k, Vars: map[string]any{"on": on.Time, "limit": limits{"most": 7, "words": []string{"glaze"}, "none": fact.Gap{Kind: fact.NotInForce, Path: "limit.none", What: "it has no value on that day"}}}, Meter: &engine.Meter{Left: 10_000}}
	}
	out := []any{engine.Fields(reflect.TypeOf(k).Elem())}
	line := func(format string, args ...any) { out = append(out, fmt.Sprintf(format, args...)) }
	source := func(text string) engine.Source {
		return engine.Source{Text: text, At: place.Place{File: "rules.yaml", Line: 10, Column: 9}, For: "house/x: expect"}
	}
	for _, text := range expressions {
		x, ps := env.Compile(source(text), nil, nil)
		if len(ps) > 0 {
			line("%s: %v, fix: %s", text, ps, ps[0].Fix)
			continue
		}
		s := scope()
		v, err := x.Eval(s)
		line("%s: %s uses %v reads %v costs %d", text, engine.TypeName(x.Type), x.Uses, x.Selects(), 10_000-s.Meter.Left)
		switch {
		case err != nil:
			line("  error: %v", err)
		case v.Known():
			line("  %v, true %v, %d items", v.Val.Value(), v.True(), len(v.Items()))
		}
		for _, g := range v.Gaps {
			line("  gap %+v", g)
		}
	}
	for _, text := range texts {
		x, ps := env.CompileText(source(text), nil)
		if len(ps) > 0 {
			line("text %s: %v", text, ps)
			continue
		}
		written, err := x.Write(scope())
		line("text %s: %q %v uses %v", text, written, err, x.Uses())
	}
	for _, text := range targets {
		x, ps := env.CompileTarget(source(text), nil)
		if len(ps) > 0 {
			line("target %s: %v", text, ps)
			continue
		}
		path, at := x.Locate(scope())
		line("target %s: %s %+v", text, path, at)
	}
	_, ps := env.Compile(source("name"), types.BoolType, nil)
	line("wanted: %v", ps)
	x, ps := env.Compile(source(`it.heat > 3 && it.name == "two"`), types.BoolType, engine.TypeFor[kiln]())
	require.Empty(t, ps)
	for _, it := range k.Below {
		s := scope()
		s.It = it
		v, err := x.Eval(s)
		line("it: %v %v", v.True(), err)
	}
	s := scope()
	s.Meter.Left = 0
	_, err = x.Eval(s)
	line("no meter: %v", err)
	endless, ps := env.Compile(source("words.all(a, words.all(b, words.all(c, words.all(d, words.all(e, words.all(f, words.all(g, words.all(h, words.all(i, words.all(j, true))))))))))"), types.BoolType, nil)
	require.Empty(t, ps)
	_, err = endless.Eval(&engine.Scope{Root: k})
	line("too much: %v", err)
	var r seed.Record
	r.Whole("tree", out, nil)
	seed.Golden(t, "outcomes.txt", r.String())
}
