package alike_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"regola.example/regola/internal/core/alike"
)

func TestGroups(t *testing.T) {
	icon, other := strings.Repeat("5a5", 64), strings.Repeat("00f", 32)+strings.Repeat("f00", 32)
	long := "Keeps the log of every firing of your kiln, with curves, cones and glazes, and finds each pot again in a moment."
	var s alike.Set
	for _, a := range []*alike.App{
		{Dossier: "a", Store: "ios", ID: "org.a", Icons: []string{icon}, Names: map[string]string{"en": "Kiln Log"}, Description: map[string]string{"en": long, "fr": long + long}, Screenshots: []string{"1", "2", "3"}},
		{Dossier: "b", Store: "ios", ID: "org.b", Icons: []string{icon}, Names: map[string]string{"en": "kiln log!"}, Description: map[string]string{"de": "  " + strings.ToUpper(long)}, Screenshots: []string{"2", "3"}},
		{Dossier: "c", Store: "ios", ID: "org.c", Icons: []string{other}, Names: map[string]string{"en": "Glazes"}, Description: map[string]string{"en": "Glazes."}, Screenshots: []string{"3", "9"}},
		{Dossier: "d", Store: "ios", ID: "org.a", Icons: []string{icon}, Names: map[string]string{"en": "Kiln Log"}, Description: map[string]string{"fr": long + long, "en": long}},
		{Dossier: "h", Store: "ios", ID: "org.c", Names: map[string]string{"en": "Shelves"}},
		{Dossier: "e", Store: "android", ID: "org.e", Icons: []string{icon}, Description: map[string]string{"en": "Glazes."}},
		{Dossier: "f", Store: "android", ID: "", Names: map[string]string{"en": "!!!"}},
		{Dossier: "g", Store: "android", ID: "", Names: map[string]string{"en": "?"}, Description: map[string]string{"en": "Glazes."}},
	} {
		s.Add(a)
	}
	var got []string
	for _, g := range s.Groups() {
		got = append(got, g.Kind+" "+g.Store+" "+g.What+": "+strings.Join(g.Dossiers, ", "))
	}
	assert.Equal(t, []string{"id ios org.c: c, h", "icon ios : a, b, d", "description ios : a, b, d", "screenshots ios : a, b", "name ios Kiln Log: a, b, d"}, got)
	assert.Empty(t, new(alike.Set).Groups())
}
