package rulebooks_test

import (
	"context"
	"encoding/json"
	"os"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.yaml.in/yaml/v3"

	"regola.example/regola/internal/core/artifact"
	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/strictyaml"
	"regola.example/regola/internal/core/submission"
	"regola.example/regola/internal/core/tables"
	"regola.example/regola/rulebooks"
)

// form is one kind of app, by what it differs in from the demo's sound package.
type form struct {
	Name, Store string
	Changes     []struct {
		Set, Add string // a path; add appends to the list there
		To       any
		Like     string // the item that an added one is a copy of
		With     map[string]any
	}
}

var step = regexp.MustCompile(`^(\w+)(?:\[(\d+)\])?$`)

// at follows a path through decoded JSON, to where its last step is kept.
func at(t *testing.T, v any, path string) (get func() any, put func(any)) {
	for name := range strings.SplitSeq(path, ".") {
		if get != nil {
			v = get()
		}
		m := step.FindStringSubmatch(name)
		require.NotNil(t, m, path)
		o, ok := v.(map[string]any)
		require.True(t, ok, "%s: %s is in nothing", path, name)
		get, put = func() any { return o[m[1]] }, func(x any) { o[m[1]] = x }
		if m[2] != "" {
			i, _ := strconv.Atoi(m[2])
			list, _ := o[m[1]].([]any)
			require.Less(t, i, len(list), path)
			get, put = func() any { return list[i] }, func(x any) { list[i] = x }
		}
	}
	return get, put
}

// apply makes an app of the form out of the base.
func (f *form) apply(t *testing.T, base *facts.Package) *facts.Package {
	data, err := json.Marshal(base)
	require.NoError(t, err)
	var doc map[string]any
	require.NoError(t, json.Unmarshal(data, &doc))
	copied := func(v any) (out any) {
		data, err := json.Marshal(v)
		require.NoError(t, err)
		require.NoError(t, json.Unmarshal(data, &out))
		return out
	}
	for _, c := range f.Changes {
		if c.Set != "" {
			_, put := at(t, doc, c.Set)
			put(c.To)
			continue
		}
		get, put := at(t, doc, c.Add)
		item := c.To
		if c.Like != "" {
			from, _ := at(t, doc, c.Like)
			item = copied(from())
		}
		for path, v := range c.With {
			_, put := at(t, item, path)
			put(v)
		}
		list, _ := get().([]any)
		put(append(list, item))
	}
	data, err = yaml.Marshal(doc)
	require.NoError(t, err)
	data = regexp.MustCompile(`"?(\d{4}-\d\d-\d\d)T[\d:]+Z"?`).ReplaceAll(data, []byte("$1"))
	p := &facts.Package{}
	require.Empty(t, strictyaml.Decode(f.Name+".yaml", data, p))
	if p.IOS != nil {
		for _, b := range p.IOS.Bundles {
			for _, like := range base.IOS.Bundles {
				if b.Code.Path == like.Code.Path {
					b.Code = like.Code // JSON does not carry the names that code uses
				}
			}
		}
		p.IOS.Alias()
	}
	return p
}

// TestForms judges a typical sound app of every form: every rule holds.
func TestForms(t *testing.T) {
	data, err := os.ReadFile("testdata/forms/sound.yaml")
	require.NoError(t, err)
	var forms []*form
	require.NoError(t, yaml.Unmarshal(data, &forms))
	stores, err := rulebooks.BuiltIn.Stores()
	require.NoError(t, err)
	set, err := rulebooks.BuiltIn.Tables()
	require.NoError(t, err)
	more, err := os.ReadFile("../demo/sound/sdks.yaml")
	require.NoError(t, err)
	own, ps := tables.Parse("sdks.yaml", more)
	require.Empty(t, ps)
	set = set.Clone()
	set.Add(own)
	on, _ := day.Parse("2026-11-23")
	for _, s := range stores {
		file := map[string]string{"android": "terrafuoco.aab", "ios": "Terrafuoco.ipa"}[s.ID]
		base, err := artifact.Open(t.Context(), "../demo/sound/build/"+file, artifact.Options{Digests: true})
		require.NoError(t, err)
		books, err := rulebooks.BuiltIn.Books(s)
		require.NoError(t, err)
		typed := rulebooks.BuiltIn.Typed(s)
		require.NotNil(t, typed, "run scripts/docs")
		env, ps := check.NewEnv(books, set, typed)
		require.Empty(t, ps)
		judge := check.NewJudge(s)
		for _, b := range books {
			for _, r := range b.Rules {
				judge.Add(env.Prepare(r))
			}
		}
		for _, f := range forms {
			if f.Store != s.ID {
				continue
			}
			t.Run(f.Store+" "+f.Name, func(t *testing.T) {
				d, ps := dossier.Load("../demo/sound", stores, set.Vocabularies())
				require.Empty(t, ps)
				d.Listing[0].Clip = dossier.Clip{Title: "Terrafuoco", Line: "The kiln beside you", Action: "open"}
				sub := submission.New(submission.Sources{Store: s, Package: f.apply(t, base), Dossier: d, Tables: set.On(on)})
				verdicts, err := judge.Verdicts(context.Background(), sub, check.Options{Day: on})
				require.NoError(t, err)
				for _, v := range verdicts {
					for _, fault := range v.Faults {
						assert.Fail(t, v.Rule.ID, fault.Say)
					}
					assert.NotEqual(t, check.NotRead, v.State, "%s %v", v.Rule.ID, v.Gaps)
				}
			})
		}
	}
}
