package strictyaml_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/strictyaml"
	"regola.example/regola/internal/seed"
)

type kiln struct {
	fact.Mark    `json:"-"`
	Name         string   `json:"name" need:"what it is called"`
	Fuel         string   `json:"fuel" enum:"wood|gas|electric"`
	Cone         int64    `json:"cone"`
	Lit          *bool    `json:"lit"`
	Since        *day.Day `json:"since"`
	CategoryList []string `json:"shelves"`
	Door         *kiln    `json:"door"`
}

func TestDecode(t *testing.T) {
	var k kiln
	ps := strictyaml.Decode("k.yaml", []byte("name: 1.10\nfuel: gas\nlit: false\nsince: 2026-11-23\nshelves:\n  - top\n  - low\ncone:\n"), &k)
	require.Empty(t, ps)
	assert.Equal(t, "1.10", k.Name, "a text that looks like a number stays as it was typed")
	assert.False(t, *k.Lit)
	assert.Equal(t, "2026-11-23", k.Since.String())
	assert.Zero(t, k.Cone, "a key without a value is not answered")
	assert.Equal(t, place.Place{File: "k.yaml", Line: 2, Column: 1}, k.Field("fuel"))
	assert.Equal(t, place.Place{File: "k.yaml", Line: 7, Column: 5}, k.Field("shelves[1]"))
}

// TestProblems writes one mistake of each kind; each is reported with its place
// and its fix, all in one go.
func TestProblems(t *testing.T) {
	for name, c := range map[string]struct {
		doc, what, fix string
		line           int
	}{
		"unknown key":  {"name: a\nfule: gas\n", `unknown key "fule"`, `did you mean "fuel"?`, 2},
		"far key":      {"name: a\ntemperature: 9\n", `unknown key "temperature"`, "the keys here are", 2},
		"choice":       {"name: a\nfuel: woood\n", `"woood" is not a choice`, `did you mean "wood"?`, 2},
		"number":       {"name: a\ncone: six\n", `expected a whole number, found "six"`, "digits", 2},
		"truth":        {"name: a\nlit: maybe\n", `expected true or false, found "maybe"`, "true or false", 2},
		"list":         {"name: a\nshelves: top\n", `expected a list, found "top"`, "write a list", 2},
		"day":          {"name: a\nsince: soon\n", `expected a day, found "soon"`, "2026-11-23", 2},
		"missing":      {"fuel: gas\n", `the key "name" is missing`, "what it is called", 1},
		"twice":        {"name: a\nname: b\n", `the key "name" occurs twice`, "remove one", 2},
		"syntax":       {"name: a\n  fuel: gas\n", "not valid YAML", "indentation", 2},
		"tab":          {"name: a\ndoor:\n\tname: b\n", "not valid YAML", "indent with spaces", 3},
		"empty":        {"", "the document is empty", "first key", 1},
		"alias":        {"name: a\nshelves: &x [a]\ndoor: {name: b, shelves: *x}\n", "aliases are not allowed", "write the value out", 3},
		"wrong nested": {"name: a\ndoor: shut\n", `expected keys and values, found a single value`, "name, fuel", 2},
	} {
		var k kiln
		ps := strictyaml.Decode("k.yaml", []byte(c.doc), &k)
		if !assert.NotEmpty(t, ps, name) {
			continue
		}
		assert.Contains(t, ps[0].What, c.what, name)
		assert.Contains(t, ps[0].Fix, c.fix, name)
		assert.Equal(t, c.line, ps[0].At.Line, name)
	}
	var k kiln
	assert.Len(t, strictyaml.Decode("k.yaml", []byte("fule: gas\ncone: x\nlit: 7\n"), &k), 4, "all problems are reported at once")
}

func FuzzDecode(f *testing.F) {
	f.Add([]byte("name: a\nfuel: gas\ndoor: {name: b, shelves: [x]}\n"))
	f.Fuzz(func(t *testing.T, data []byte) {
		defer seed.Bounds(t, len(data))()
		var k kiln
		_ = strictyaml.Decode("k.yaml", data, &k)
	})
}
