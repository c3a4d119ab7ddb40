package engine

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/types"

	"regola.example/regola/internal/seed"
)

// typed types a condition over a list of numbers and a text.
func typed(tb testing.TB, text string) *ast.AST {
	env, err := cel.NewEnv(cel.Variable("ns", cel.ListType(cel.IntType)), cel.Variable("s", cel.StringType), cel.Variable("m", cel.MapType(cel.StringType, cel.TimestampType)))
	require.NoError(tb, err)
	a, iss := env.Compile(text)
	require.NoError(tb, iss.Err(), text)
	return a.NativeRep()
}

var conditions = []string{
	`ns.exists(n, n > 3 && n != -7) ? s.startsWith("a\x00b") : size(ns) == 0`,
	`ns.map(n, n * 2).all(n, n in [1, 2.5, "x", null, true])`,
	`m["day"] < timestamp("2026-11-23T00:00:00Z") || type(s) == string`,
	`{"a": 1}["a"] == 1`, // a map has no short form
}

// TestCodec writes and reads conditions: they come back the same, with the
// types that running them needs.
func TestCodec(t *testing.T) {
	for i, text := range conditions {
		a := typed(t, text)
		data, err := encode(a, usedTypes(a))
		if i == len(conditions)-1 {
			assert.ErrorIs(t, err, errUncodable)
			continue
		}
		require.NoError(t, err, text)
		b := decode(data)
		require.NotNil(t, b, text)
		again, err := encode(b, usedTypes(b))
		require.NoError(t, err)
		assert.Equal(t, data, again, text)
		assert.Equal(t, types.BoolType, b.GetType(b.Expr().ID()))
		for id, r := range a.ReferenceMap() {
			assert.True(t, r.Equals(b.ReferenceMap()[id]), text)
		}
		for n := range data {
			assert.Nil(t, decode(data[:n]), "cut to %d bytes", n)
		}
	}
}

func FuzzDecode(f *testing.F) {
	for _, text := range conditions[:3] {
		a := typed(f, text)
		data, err := encode(a, usedTypes(a))
		require.NoError(f, err)
		f.Add(data)
	}
	f.Fuzz(func(_ *testing.T, data []byte) { decode(data) })
}

// TestTyped finds a condition by its text and the types of the fields of records that it
// names, and by nothing else.
func TestTyped(t *testing.T) {
	env := func(limit *types.Type) *Env {
		p, err := newProvider([]Record{{Name: "limit", Fields: map[string]*types.Type{"largest": limit}}})
		require.NoError(t, err)
		return &Env{provider: p}
	}
	const text = "x < limit.largest"
	e := env(types.IntType)
	kept := &Typed{asts: map[string][]byte{}}
	kept.add(e.keyOf(text, nil), typed(t, conditions[0]))
	kept.add(e.keyOf("y", types.IntType), typed(t, conditions[1]))
	got := NewTyped(func(key string) ([]byte, bool) { c, ok := kept.All()[key]; return c, ok })
	assert.NotNil(t, got.get(e.keyOf(text, nil)))
	assert.Nil(t, got.get(env(types.StringType).keyOf(text, nil)), "the limit is of another type")
	assert.Nil(t, got.get(env(nil).keyOf(text, nil)), "there is no such limit")
	assert.Nil(t, got.get(e.keyOf(text, types.IntType)))
	assert.NotNil(t, got.get(env(types.StringType).keyOf("y", types.IntType)), "it names no limit")
	var none *Typed
	assert.Nil(t, none.get("x"))
	assert.Nil(t, (&Typed{}).get("x"))
}

// TestCodecDamaged holds what is made of conditions with one byte changed: a dot for none,
// a letter for one that is read as another.
func TestCodecDamaged(t *testing.T) {
	var out strings.Builder
	for _, text := range conditions[:3] {
		a := typed(t, text)
		data, err := encode(a, usedTypes(a))
		require.NoError(t, err)
		for _, by := range []byte{1, 2, 0x40, 0x80, 0xff} {
			for i := range data {
				changed := slices.Clone(data)
				changed[i] ^= by
				b := decode(changed)
				if b == nil {
					out.WriteByte('.')
					continue
				}
				if again, err := encode(b, usedTypes(b)); err != nil {
					out.WriteByte('x')
				} else if string(again) == string(data) {
					out.WriteByte('=')
				} else {
					out.WriteByte("abcdefghijklmnopqrstuvw"[len(again)%23])
				}
			}
			out.WriteByte('\n')
		}
		for n := range data {
			assert.Nil(t, decode(data[:n]), "cut to %d", n)
		}
	}
	seed.Golden(t, "codec.txt", out.String())
}
