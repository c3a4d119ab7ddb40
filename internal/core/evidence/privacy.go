package evidence

import (
	"maps"
	"path"
	"slices"
	"strings"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/signs"
	"regola.example/regola/internal/core/tables"
)

// Reason is one category of calls that a bundle's code uses and that needs a
// declared reason.
type Reason struct {
	fact.Mark `json:"-"`
	Bundle    string            `json:"bundle"` // path within the app; "." for the app itself
	Kind      string            `json:"kind"`   // app, extension, framework …
	Category  string            `json:"category"`
	Name      string            `json:"name"`     // what it is about
	Because   []string          `json:"because"`  // the names that were seen
	Declared  bool              `json:"declared"` // the bundle's manifest gives a reason
	Listed    bool              `json:"listed"`   // the bundle is on the store's list of commonly used code
	Reasons   []string          `json:"reasons"`  // the reasons given
	Choices   []string          `json:"choices"`  // the codes that the category knows
	Meanings  map[string]string `json:"meanings"` // of these codes
}

// BadReason is a declaration that names an unknown category or reason.
type BadReason struct {
	fact.Mark `json:"-"`
	Bundle    string `json:"bundle"`
	What      string `json:"what"`
	Library   bool   `json:"library"` // it names a reason for libraries, which an app's own manifest may have taken over
}

// Unused is a purpose string that no code calls for.
type Unused struct {
	fact.Mark `json:"-"`
	Key       string `json:"key"`
	Resource  string `json:"resource"`
}

// Collected is one kind of data that privacy manifests declare to collect: the
// union over the app and everything in it.
type Collected struct {
	fact.Mark    `json:"-"`
	Type         string              `json:"type"`          // identifier of privacy manifests
	Names        []string            `json:"names"`         // what a dossier may call it
	Bundles      []string            `json:"bundles"`       // whose manifests declare it
	Linked       bool                `json:"linked"`        // any of them links it to the person
	Tracking     bool                `json:"tracking"`      // any of them tracks with it
	Purposes     []string            `json:"purposes"`      // identifiers
	PurposeNames map[string][]string `json:"purpose_names"` // what a dossier may call each purpose
}

// collected makes the union of what privacy manifests declare to collect, and
// finds what is not known.
func (e *Evidence) collected(app *facts.IOS, t *tables.Set) {
	names, purposes := map[string][]string{}, map[string][]string{}
	for _, n := range slices.Sorted(maps.Keys(t.DataTypes)) {
		for _, id := range t.DataTypes[n] {
			names[id] = append(names[id], n)
		}
	}
	for _, n := range slices.Sorted(maps.Keys(t.DataPurposes)) {
		purposes[t.DataPurposes[n]] = append(purposes[t.DataPurposes[n]], n)
	}
	byType := map[string]*Collected{}
	for _, b := range slices.Concat(app.Bundles, app.Resources) {
		if b.PrivacyPresent && b.Privacy == nil {
			fact.Lose(e, &e.Collected, privacyGap(b))
			fact.Lose(e, &e.BadCollected, privacyGap(b))
		}
		if b.Privacy == nil {
			continue
		}
		seen := map[string]bool{}
		for _, c := range b.Privacy.Collected {
			bad := func(what string) {
				x := &BadReason{Bundle: b.Path, What: what}
				x.SetSelf(c.Self())
				e.BadCollected = append(e.BadCollected, x)
			}
			switch {
			case c.Type == "": // a fault of the structure
				continue
			case names[c.Type] == nil:
				bad("the kind of data " + c.Type + " is not known")
				continue
			case seen[c.Type]:
				bad("the kind of data " + c.Type + " occurs twice")
			}
			seen[c.Type] = true
			u := byType[c.Type]
			if u == nil {
				u = &Collected{Type: c.Type, Names: names[c.Type], PurposeNames: map[string][]string{}}
				u.SetSelf(c.Self())
				byType[c.Type] = u
				e.Collected = append(e.Collected, u)
			}
			if !slices.Contains(u.Bundles, b.Path) {
				u.Bundles = append(u.Bundles, b.Path)
			}
			u.Linked, u.Tracking = u.Linked || c.Linked, u.Tracking || c.Tracking
			for _, p := range c.Purposes {
				if purposes[p] == nil {
					bad("the purpose " + p + " of " + c.Type + " is not known")
				} else if u.PurposeNames[p] == nil {
					u.Purposes, u.PurposeNames[p] = append(u.Purposes, p), purposes[p]
				}
			}
		}
	}
}

// reasons holds what each binary uses against what its bundle declares.
func (e *Evidence) reasons(app *facts.IOS, t *tables.Set, code *signs.Index) {
	e.badReasons(app, t)
	if g := code.Gap(); g != nil {
		fact.Lose(e, &e.Reasons, *g)
		return
	}
	for _, b := range app.Bundles {
		own := code.In(b)
		if own == nil {
			continue
		}
		declared := map[string][]string{}
		if b.Privacy != nil {
			for _, a := range b.Privacy.Accessed {
				declared[a.Category] = append(declared[a.Category], a.Reasons...)
			}
		}
		if b.Kind != "resources" {
			// What static libraries declare in their resource bundles speaks for
			// the code that they are linked into.
			for _, res := range app.Resources {
				if res.Privacy == nil || b.Kind != "app" && !strings.HasPrefix(res.Path, b.Path+"/") {
					continue
				}
				for _, a := range res.Privacy.Accessed {
					declared[a.Category] = append(declared[a.Category], a.Reasons...)
				}
			}
		}
		for _, c := range t.Reasons {
			because, shared := uses(c, own)
			if len(because) == 0 {
				continue
			}
			r := &Reason{Bundle: b.Path, Kind: b.Kind, Category: c.Category, Name: c.Name, Because: because, Reasons: declared[c.Category]}
			_, r.Declared = declared[c.Category]
			if shared && !r.Declared {
				// Every name seen belongs to another category too: either will do.
				for _, o := range t.Reasons {
					if _, ok := declared[o.Category]; ok && o.Category != c.Category && slices.ContainsFunc(o.Either, func(s string) bool { return own.Symbol(s) }) {
						r.Declared = true
					}
				}
			}
			r.Listed = b.Kind == "framework" && listed(t, b.Path)
			r.Meanings = map[string]string{}
			for code, meaning := range c.Codes {
				if b.Kind == "framework" || !slices.Contains(c.ForLibraries, code) {
					r.Choices, r.Meanings[code] = append(r.Choices, code), meaning
				}
			}
			slices.Sort(r.Choices)
			if g := unreadManifest(app, b); g != nil && !r.Declared {
				fact.Lose(r, &r.Declared, *g)
			}
			r.SetSelf(fact.PlaceOf(b, &b.Privacy))
			e.Reasons = append(e.Reasons, r)
		}
	}
}

// listed tells whether a framework is on the list of commonly used code.
func listed(t *tables.Set, dir string) bool {
	name := strings.TrimSuffix(path.Base(dir), ".framework")
	return slices.ContainsFunc(t.SDKs, func(s *tables.SDK) bool { return s.Listed && slices.Contains(s.Frameworks, name) })
}

// unreadManifest is why a manifest that could declare a bundle's reasons is not
// known, though it is there; nil when all are.
func unreadManifest(app *facts.IOS, b *facts.Bundle) *fact.Gap {
	from := []*facts.Bundle{b}
	if b.Kind == "app" {
		from = append(from, app.Resources...)
	}
	for _, x := range from {
		if x.PrivacyPresent && x.Privacy == nil {
			g := privacyGap(x)
			return &g
		}
	}
	return nil
}

// privacyGap is why a manifest that is there is not known.
func privacyGap(b *facts.Bundle) fact.Gap {
	return fact.Gap{Kind: fact.NotRead, What: b.Path + ": " + fact.ReasonOf(b, &b.Privacy), At: fact.PlaceOf(b, &b.Privacy)}
}

// uses lists the names of a category that a binary uses. shared is true when
// each of them belongs to another category as well.
func uses(c *tables.Reason, own *signs.Code) (because []string, shared bool) {
	shared = true
	for _, s := range c.Symbols {
		if own.Symbol(s) {
			because = append(because, s)
			shared = shared && slices.Contains(c.Either, s)
		}
	}
	for _, p := range c.Prefixes {
		if own.Prefix(p) != "" {
			because, shared = append(because, p+"…"), false
		}
	}
	for _, k := range c.Classes {
		if own.Class(k) {
			because, shared = append(because, k), false
		}
	}
	for _, m := range c.Methods {
		if own.Class(m.Class) && own.Method(m.Selector) {
			because, shared = append(because, m.Class+" "+m.Selector), false
		}
	}
	return because, shared
}

// badReasons finds declared categories and codes that are not known.
func (e *Evidence) badReasons(app *facts.IOS, t *tables.Set) {
	known := map[string]*tables.Reason{}
	for _, c := range t.Reasons {
		known[c.Category] = c
	}
	for _, b := range slices.Concat(app.Bundles, app.Resources) {
		if b.PrivacyPresent && b.Privacy == nil {
			fact.Lose(e, &e.BadReasons, privacyGap(b))
		}
		if b.Privacy == nil {
			continue
		}
		seen := map[string]bool{}
		for _, a := range b.Privacy.Accessed {
			bad := func(what string) {
				x := &BadReason{Bundle: b.Path, What: what}
				x.SetSelf(a.Self())
				e.BadReasons = append(e.BadReasons, x)
			}
			c := known[a.Category]
			switch {
			case c == nil:
				bad("the category " + a.Category + " is not known")
				continue
			case seen[a.Category]:
				bad("the category " + a.Category + " occurs twice")
			case len(a.Reasons) == 0:
				bad("no reason is given for " + a.Category)
			}
			seen[a.Category] = true
			for _, code := range a.Reasons {
				if _, ok := c.Codes[code]; !ok {
					bad("the reason " + code + " does not belong to " + a.Category)
				} else if b.Kind == "app" && slices.Contains(c.ForLibraries, code) {
					bad("the reason " + code + " is for third-party libraries, not for an app")
					e.BadReasons[len(e.BadReasons)-1].Library = true
				}
			}
		}
	}
}

// unusedPurposes finds purpose strings that no sign in the code calls for. It
// speaks only of keys that the catalogue has signs for.
func (e *Evidence) unusedPurposes(app *facts.IOS, t *tables.Set, code *signs.Index) {
	called := map[string]bool{}
	for _, p := range e.Purposes {
		called[p.Key] = true
	}
	for _, p := range app.App.Info.Purposes {
		i := slices.IndexFunc(t.Purposes, func(c *tables.Purpose) bool { return c.Key == p.Key && c.Confidence == "high" })
		if i < 0 || called[p.Key] {
			continue
		}
		// A key that stands in for another is used when that one is.
		instead := slices.ContainsFunc(t.Purposes, func(c *tables.Purpose) bool {
			return called[c.Key] && (slices.Contains(c.Instead, p.Key) || slices.Contains(c.Explains, p.Key))
		})
		if code.Hinted(t.Purposes[i].Signs) {
			continue
		}
		if instead {
			continue
		}
		u := &Unused{Key: p.Key, Resource: t.Purposes[i].Resource}
		u.SetSelf(p.Self())
		e.PurposesUnused = append(e.PurposesUnused, u)
	}
}
