package rulebooks_test

import (
	"fmt"
	"hash/fnv"
	"math/rand/v2"
	"reflect"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/evidence"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/signs"
	"regola.example/regola/internal/core/store"
	"regola.example/regola/internal/core/submission"
	"regola.example/regola/rulebooks"
)

// odd are texts that nobody expects where a name, a version or a path is.
var odd = []string{"", "@x", "@rpath/", "classesx.dex", "classes-copy.dex", "classes99999999999999999999.dex", "..", ".", "/", "a.b.c.d.e", "\x00", "\u202e",
	"9999999999999999999999", "-1", "1..2", "${X}", "🏺", "[", "(", "%d", "app", "extension", "framework", "activity", "service", "aab", "ipa", "android.permission.CAMERA", "audio", "UIKit"}

// filler puts odd values into everything below a value. What a field gets depends on the
// round and its path alone, so that a new field changes nothing for the others.
type filler struct {
	round int
	many  int // the length of a few lists, or 0
}

func (f filler) fill(v reflect.Value, path string, depth int) {
	h := fnv.New64a()
	fmt.Fprint(h, f.round, path)
	rng := rand.New(rand.NewPCG(h.Sum64(), 7))
	short := filler{round: f.round}
	switch v.Kind() {
	case reflect.Pointer:
		if depth > 0 && rng.IntN(8) > 0 {
			v.Set(reflect.New(v.Type().Elem()))
			f.fill(v.Elem(), path+"*", depth)
		}
	case reflect.Struct:
		if v.Type() == reflect.TypeFor[fact.Mark]() || v.Type() == reflect.TypeFor[day.Day]() || v.Type().String() == "time.Time" {
			return
		}
		for i := range v.NumField() {
			if field := v.Type().Field(i); field.IsExported() && field.Tag.Get("derived") == "" {
				f.fill(v.Field(i), path+"."+field.Name, depth-1)
			}
		}
	case reflect.Slice:
		if depth <= 0 {
			return
		}
		n := rng.IntN(4)
		// One long list is what a rule must stand; work over the product of two may be refused.
		if f.many > 0 && rng.IntN(12) == 0 {
			n = f.many
		}
		out := reflect.MakeSlice(v.Type(), n, n)
		for i := range n {
			at := fmt.Sprintf("%s[%d]", path, i)
			if e := out.Index(i); e.Kind() == reflect.Pointer { // lists hold no nil
				e.Set(reflect.New(e.Type().Elem()))
				short.fill(e.Elem(), at, depth-1)
			} else {
				short.fill(e, at, depth-1)
			}
		}
		v.Set(out)
	case reflect.Map:
		v.Set(reflect.MakeMap(v.Type()))
		for i := range rng.IntN(3) {
			e := reflect.New(v.Type().Elem()).Elem()
			short.fill(e, fmt.Sprintf("%s{%d}", path, i), depth-1)
			k := reflect.New(v.Type().Key()).Elem()
			short.fill(k, fmt.Sprintf("%s{%d}key", path, i), depth-1)
			v.SetMapIndex(k, e)
		}
	case reflect.String:
		s := odd[rng.IntN(len(odd))]
		if f.many == 0 && rng.IntN(50) == 0 {
			s = strings.Repeat("long.", 5000)
		}
		if f.many > 0 {
			s = fmt.Sprint("n", rng.IntN(1<<20))
		}
		v.SetString(s)
	case reflect.Bool:
		v.SetBool(rng.IntN(2) == 0)
	case reflect.Int64:
		v.SetInt([]int64{0, 1, 24, 35, 1 << 40}[rng.IntN(5)])
	}
}

// TestOddFacts drives every built-in rule over facts that no reader would give
// on purpose: a rule may be broken or not judged, but none may fail.
func TestOddFacts(t *testing.T) {
	set, err := rulebooks.BuiltIn.Tables()
	require.NoError(t, err)
	stores, err := rulebooks.BuiltIn.Stores()
	require.NoError(t, err)
	on, err := day.Parse("2026-11-23")
	require.NoError(t, err)
	rounds := 40
	if testing.Short() {
		rounds = 10
	}
	for _, st := range stores {
		books, err := rulebooks.BuiltIn.Books(st)
		require.NoError(t, err)
		env, ps := check.NewEnv(books, set, nil)
		require.Empty(t, ps)
		var programs []*check.Program
		for _, b := range books {
			for _, r := range b.Rules {
				programs = append(programs, env.Prepare(r))
			}
		}
		failed := map[string]string{}
		for round := range rounds {
			f := filler{round: round}
			if round%10 == 9 {
				f.many = 1000
			}
			s := &submission.Submission{Store: st.ID, Tables: set.On(on), Pkg: &facts.Package{}}
			if st.Platform == store.IOS {
				s.Pkg.IOS = &facts.IOS{}
				f.fill(reflect.ValueOf(s.Pkg.IOS).Elem(), "ios", 7)
				s.Pkg.IOS.Alias()
				s.Code = signs.Of(s.Pkg.IOS)
			} else {
				s.Pkg.Android = &facts.Android{}
				f.fill(reflect.ValueOf(s.Pkg.Android).Elem(), "android", 7)
			}
			s.Evidence = evidence.Of(s.Pkg, s.Code, s.Tables)
			s.App, s.Contact, s.Links, s.Answers, s.Review, s.Release = &submission.App{}, &dossier.Contact{}, &dossier.Links{}, &dossier.Answers{}, &dossier.Review{}, &dossier.Release{}
			for _, part := range []any{s.App, s.Contact, s.Links, s.Answers, s.Review, s.Release, &s.Products, &s.Listing} {
				f.fill(reflect.ValueOf(part).Elem(), reflect.TypeOf(part).String(), 5)
			}
			s.Prepare()
			for _, p := range programs {
				for _, g := range p.Run(check.NewEvalContext(s, on), nil).Gaps {
					if strings.Contains(g.What, "could not be evaluated") {
						failed[p.Rule.ID] = g.What
					}
				}
			}
		}
		assert.Empty(t, failed)
	}
}
