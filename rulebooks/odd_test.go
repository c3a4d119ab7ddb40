package rulebooks_test

import (
	"fmt"
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

// fill puts odd values into everything below v.
func fill(v reflect.Value, rng *rand.Rand, depth, many int) {
	switch v.Kind() {
	case reflect.Pointer:
		if depth > 0 && rng.IntN(8) > 0 {
			v.Set(reflect.New(v.Type().Elem()))
			fill(v.Elem(), rng, depth, many)
		}
	case reflect.Struct:
		if v.Type() == reflect.TypeFor[fact.Mark]() || v.Type() == reflect.TypeFor[day.Day]() || v.Type().String() == "time.Time" {
			return
		}
		for i := range v.NumField() {
			if f := v.Type().Field(i); f.IsExported() && f.Tag.Get("derived") == "" {
				fill(v.Field(i), rng, depth-1, many)
			}
		}
	case reflect.Slice:
		if depth <= 0 {
			return
		}
		n := rng.IntN(4)
		if many > 0 && rng.IntN(6) == 0 {
			n = many
		}
		out := reflect.MakeSlice(v.Type(), n, n)
		for i := range n {
			if e := out.Index(i); e.Kind() == reflect.Pointer { // lists hold no nil
				e.Set(reflect.New(e.Type().Elem()))
				fill(e.Elem(), rng, depth-1, 0)
			} else {
				fill(e, rng, depth-1, 0)
			}
		}
		v.Set(out)
	case reflect.Map:
		v.Set(reflect.MakeMap(v.Type()))
		for range rng.IntN(3) {
			e := reflect.New(v.Type().Elem()).Elem()
			fill(e, rng, depth-1, 0)
			k := reflect.New(v.Type().Key()).Elem()
			fill(k, rng, depth-1, 0)
			v.SetMapIndex(k, e)
		}
	case reflect.String:
		s := odd[rng.IntN(len(odd))]
		if many == 0 && rng.IntN(50) == 0 {
			s = strings.Repeat("long.", 5000)
		}
		if many > 0 {
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
			rng := rand.New(rand.NewPCG(uint64(round), 7))
			many := 0
			if round%10 == 9 {
				many = 1000
			}
			s := &submission.Submission{Store: st.ID, Tables: set.On(on), Pkg: &facts.Package{}}
			if st.Platform == store.IOS {
				s.Pkg.IOS = &facts.IOS{}
				fill(reflect.ValueOf(s.Pkg.IOS).Elem(), rng, 7, many)
				s.Pkg.IOS.Alias()
				s.Code = signs.Of(s.Pkg.IOS)
			} else {
				s.Pkg.Android = &facts.Android{}
				fill(reflect.ValueOf(s.Pkg.Android).Elem(), rng, 7, many)
			}
			s.Evidence = evidence.Of(s.Pkg, s.Code, s.Tables)
			s.App, s.Contact, s.Links, s.Answers, s.Review, s.Release = &submission.App{}, &dossier.Contact{}, &dossier.Links{}, &dossier.Answers{}, &dossier.Review{}, &dossier.Release{}
			for _, part := range []any{s.App, s.Contact, s.Links, s.Answers, s.Review, s.Release, &s.Products, &s.Listing} {
				fill(reflect.ValueOf(part).Elem(), rng, 5, many)
			}
			s.Prepare()
			for _, p := range programs {
				for _, g := range p.Run(check.See(s, on), nil).Gaps {
					if strings.Contains(g.What, "could not be evaluated") {
						failed[p.Rule.ID] = g.What
					}
				}
			}
		}
		assert.Empty(t, failed)
	}
}
