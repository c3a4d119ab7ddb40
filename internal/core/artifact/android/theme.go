package android

import (
	"cmp"
	"strings"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/format/resource"
	"regola.example/regola/internal/core/place"
)

// Attributes of themes.
const (
	edgeOptOut = "windowOptOutEdgeToEdgeEnforcement"
	splashIcon = "windowSplashScreenAnimatedIcon"
)

// numbered is why a platform's attribute cannot be known in an APK.
const numbered = "an APK keeps the platform's theme attributes as numbers, and that of this one is not known here"

// theme reads the style that an element wears.
func (r *reader) theme(e *resource.Element, at place.Place, element string) {
	a := e.Attr("theme")
	if a == nil {
		return
	}
	t := &facts.Theme{Name: a.Value.AsString()}
	if r.themes[t.Name] {
		return
	}
	if r.themes == nil {
		r.themes = map[string]bool{}
	}
	r.themes[t.Name] = true
	t.SetSelf(key(at, element, "theme", a.Offset))
	r.out.Resources.Themes = append(r.out.Resources.Themes, t)
	if r.table == nil {
		fact.LoseAll(t, r.noTable, &t.Name)
		return
	}
	nameless := false
	said := map[string]bool{} // the nearest style decides
	for _, it := range resource.Inherited(r.table, a.Value.Ref, r.tree.Budget) {
		name := cmp.Or(resource.Public(it.Attr), strings.TrimPrefix(it.Name, "android:"))
		switch {
		case name == "" && it.Attr>>24 == 0x01:
			nameless = true
		case said[name]:
		case name == edgeOptOut:
			t.EdgeOptOut = it.Value.Kind == resource.Bool && it.Value.Int != 0
		case name == splashIcon:
			t.Splash = it.Value.AsString()
			for _, file := range r.resolve(it.Value) {
				if file.Value.Kind == resource.File {
					t.Splash = file.Value.Text
				}
			}
		}
		said[name] = name != ""
	}
	if nameless && t.Splash == "" {
		fact.Lose(t, &t.Splash, fact.Unread(numbered))
	}
}
