package dossier

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"regola.example/regola/internal/core/place"
)

func TestFields(t *testing.T) {
	for path, want := range map[string]struct{ own, act string }{
		"links.privacy":                       {"links.privacy", "host"},
		"answers.ads":                         {"answers.ads", "answer"},
		"answers.encryption.kind":             {"answers.encryption.kind", "declare"},
		"answers.encryption.france":           {"answers.encryption.france", "hand in"},
		"answers.restricted":                  {"answers.restricted", "declare"},
		"answers.regulated.mandate":           {"answers.regulated.mandate", "hand in"},
		"answers.content":                     {"answers.content", "answer"},
		"answers.content.gore":                {"answers.content.gore", "answer"},
		"app.id":                              {"app.ids", "answer"},
		"texts":                               {"listing", "hand in"},
		"wording":                             {"listing", "hand in"},
		"rating":                              {"answers.content", "answer"},
		"listing.tagline":                     {"listing.tagline", "hand in"},
		"pictures":                            {"pictures", "hand in"},
		"products.texts.name":                 {"products.texts.name", "hand in"},
		"review.sign_in.password.given":       {"review.sign_in.password.given", "answer"},
		"pkg.android.manifest.version_code.x": {"pkg.android.manifest.version_code.x", "answer"},
	} {
		assert.Equal(t, want.own, Own(path), path)
		assert.Equal(t, want.act, ActAt(Own(path)), path)
	}
	assert.Equal(t, Question("review.sign_in.password"), Question("review.sign_in.password.given"), "a part of a secret is no question of its own")
	assert.Empty(t, Question("pkg.android"))
	Walk(func(f *Field) { assert.NotEmpty(t, f.Doc, "%s: what does it say?", f.Path) })
}

func TestFileKeys(t *testing.T) {
	for path, want := range map[string]bool{
		"packages.android": true, "packages.": false, "pictures[].folder": true, "pictures[].store": false, "rulebooks[]": true, "tables[]": true,
		"backend.schema": true, "backend.rules": true, "backend.public[]": false, "release.testing.list": true, "products[].picture": true, "base": false,
	} {
		assert.Equal(t, want, isFile(path), path)
	}
	assert.Equal(t, map[string]string{"waivers": "rule", "confirmed": "what", "postponed": "rule"}, joinKeys())
}

func TestTextsEach(t *testing.T) {
	x := &Texts{Name: "Terrafuoco", Pitch: "Every firing", Keywords: []string{"kiln", "glaze"}, Video: "https://terrafuoco.example/film"}
	got, order := map[string]string{}, []string{}
	x.Each("|", func(key, text string) {
		if order = append(order, key); text != "" {
			got[key] = text
		}
	})
	assert.Equal(t, map[string]string{"name": "Terrafuoco", "pitch": "Every firing", "keywords": "kiln|glaze"}, got, "an address is nothing that people read")
	assert.Equal(t, []string{"name", "tagline", "pitch", "highlight", "description", "release_notes", "keywords"}, order)
	assert.Equal(t, "kiln, glaze", x.Text("keywords"))
	assert.Empty(t, x.Text("video"))
}

// TestLocate finds the line of each hit, also where two lines are equal.
func TestLocate(t *testing.T) {
	source := []string{"name: Terrafuoco", "description: |", "  Works like on paper.", "", "  Works like on paper.", "  Töpfe, too", "pitch: >-", "  one", "  two", "", "  one", "highlight: \"a\\tb\""}
	l := &Listing{source: map[string][]string{"en.yaml": source}}
	at := func(line int) place.Place { return place.Place{File: "en.yaml", Line: line, Column: 1} }
	literal := "Works like on paper.\n\nWorks like on paper.\nTöpfe, too\n"
	for _, c := range []struct {
		line         int
		text         string
		offset       int
		want, column int
	}{
		{1, "Terrafuoco", 5, 1, 12}, {2, literal, 6, 3, 9}, {2, literal, 22 + 6, 5, 9}, {2, literal, len(literal) - 4, 6, 10},
		{7, "one two\none", 8, 8, 3}, {7, "one\none", 4, 11, 3}, {12, "a\tb", 2, 12, 1}, {99, "a", 0, 99, 1}, {2, literal, 21, 2, 1},
	} {
		got := l.Locate(at(c.line), c.text, c.offset)
		assert.Equal(t, []int{c.want, c.column}, []int{got.Line, got.Column}, "%q at %d", c.text, c.offset)
	}
	assert.Equal(t, place.Place{File: "it.yaml", Line: 3}, l.Locate(place.Place{File: "it.yaml", Line: 3}, "x", 0))
}
