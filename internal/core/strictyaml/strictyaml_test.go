package strictyaml_test

import (
	"fmt"
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

// TestMeant holds which mistakes have one text that can be meant, and what is left to people.
func TestMeant(t *testing.T) {
	for doc, want := range map[string]string{
		"name: a\nfule: gas\n":                  "2:1 fule=fuel",
		"name: a\nfuel: woood\n":                "2:7 woood=wood",
		"name: a\nlit: Yes\n":                   "2:6 Yes=true",
		"name: a\nlit: maybe\n":                 "",
		"name: a\nsince: 2026/3/9\n":            "2:8 2026/3/9=2026-03-09",
		"name: a\nsince: 9.3.2026\n":            "", // of two ways to write a day, one would be wrong
		"name: a\nsince: 2026-02-30\n":          "",
		"name: kiln: the log # x\n":             "1:7 kiln: the log='kiln: the log'",
		"name: @kiln's\n":                       "1:7 @kiln's='@kiln''s'",
		"name: a\n\tfuel: gas\n":                "2:1 \t=  ",
		"name: a\n  fuel: gas\n":                "",
		"name: a\ndoor: {name: b, fule: gas}\n": "2:17 fule=fuel",
	} {
		var k kiln
		ps := strictyaml.Decode("k.yaml", []byte(doc), &k)
		require.NotEmpty(t, ps, doc)
		got := ""
		if e := ps[0].Edit; e != nil {
			got = fmt.Sprintf("%d:%d %s=%s", e.At.Line, e.At.Column, e.Was, e.Becomes)
		}
		assert.Equal(t, want, got, doc)
	}
}

func FuzzDecode(f *testing.F) {
	f.Add([]byte("name: a\nfuel: gas\ndoor: {name: b, shelves: [x]}\n"))
	f.Fuzz(func(t *testing.T, data []byte) {
		defer seed.Bounds(t, len(data))()
		var k kiln
		_ = strictyaml.Decode("k.yaml", data, &k)
	})
}
