package main_test

import (
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// mostCraft is how many remarks a sound submission may have, in each store.
const mostCraft = 3

// TestSubmissions holds that the sound submissions of testdata/submissions.yaml pass, and
// that the one fault of each spoilt one is found.
func TestSubmissions(t *testing.T) {
	var cases []struct {
		Name, Store, Want           string
		Says                        string // a sentence for every description
		Edit, Write, Package, Spoil words
	}
	decodeCases(t, "testdata/submissions.yaml", &cases)
	require.GreaterOrEqual(t, len(cases), 30)
	sound := filepath.Join(demo(t), "sound")
	for _, c := range cases {
		t.Run(c.Name, func(t *testing.T) {
			t.Parallel()
			dir := unrecorded(t, sound)
			if len(c.Package) > 0 {
				variant(t, filepath.Join(dir, "build/variant.aab"), 1400, c.Package...)
				edit(t, filepath.Join(dir, "dossier.yaml"), "android: build/terrafuoco.aab", "android: build/variant.aab",
					"confirmed:\n", "waivers:\n  - {rule: android/signature-intact, because: a test made it, by: Ada Forni, until: 2026-12-31}\n\nconfirmed:\n")
			}
			(&step{Edit: c.Edit, Write: c.Write}).take(t, dir, "sound")
			if c.Says != "" {
				for _, page := range []string{"de", "en-GB", "it"} {
					edit(t, filepath.Join(dir, "listing", page+".yaml"), "description: |\n", "description: |\n  "+c.Says+"\n")
				}
			}
			args := []string{"check", "--on", on}
			if c.Store != "" {
				args = append(args, "--store", c.Store)
			}
			out, stderr, exit := regola(t, dir, args...)
			require.Zero(t, exit, "%s%s", out, stderr)
			stores := 2
			if c.Store != "" {
				stores = 1
			}
			assert.Equal(t, stores, strings.Count(out, " PASSES "), out)
			brief, _, _ := regola(t, dir, append(args, "--brief")...)
			assert.LessOrEqual(t, strings.Count(brief, ": craft: "), mostCraft*stores, brief)
			edit(t, filepath.Join(dir, c.Spoil[0]), c.Spoil[1:]...)
			brief, stderr, _ = regola(t, dir, append(args, "--brief")...)
			text, _, _ := regola(t, dir, args...)
			assert.Contains(t, strings.Join(strings.Fields(brief+text+stderr), " "), c.Want, "spoilt: %s%s", brief, text)
		})
	}
}
