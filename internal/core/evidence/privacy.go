package evidence

import (
	"maps"
	"slices"
	"strings"

	"regola.example/regola/internal/core/catalogue"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/place"
)

// Reason is one category of calls that a bundle's code uses and that needs a
// declared reason.
type Reason struct {
	place.Mark `json:"-"`
	Bundle     string            `json:"bundle"` // path within the app; "." for the app itself
	Kind       string            `json:"kind"`   // app, extension, framework …
	Category   string            `json:"category"`
	Name       string            `json:"name"`     // what it is about
	Because    []string          `json:"because"`  // the names that were seen
	Declared   bool              `json:"declared"` // the bundle's manifest gives a reason
	Reasons    []string          `json:"reasons"`  // the reasons given
	Choices    []string          `json:"choices"`  // the codes that the category knows
	Meanings   map[string]string `json:"meanings"` // of these codes
}

// BadReason is a declaration that names an unknown category or reason.
type BadReason struct {
	place.Mark `json:"-"`
	Bundle     string `json:"bundle"`
	What       string `json:"what"`
}

// Unused is a purpose string that no code calls for.
type Unused struct {
	place.Mark `json:"-"`
	Key        string `json:"key"`
	Resource   string `json:"resource"`
}

// Collected is one kind of data that privacy manifests declare to collect: the
// union over the app and everything in it.
type Collected struct {
	place.Mark `json:"-"`
	Type       string              `json:"type"`          // identifier of privacy manifests
	Names      []string            `json:"names"`         // what a dossier may call it
	Bundles    []string            `json:"bundles"`       // whose manifests declare it
	Linked     bool                `json:"linked"`        // any of them links it to the person
	Tracking   bool                `json:"tracking"`      // any of them tracks with it
	Purposes   []string            `json:"purposes"`      // identifiers
	AsPurposes map[string][]string `json:"purpose_names"` // what a dossier may call each purpose
}

// collected makes the union of what privacy manifests declare to collect, and
// finds what is not known.
func (e *Evidence) collected(app *facts.IOS, cat *catalogue.Catalogue) {
	names, purposes := map[string][]string{}, map[string][]string{}
	for _, n := range slices.Sorted(maps.Keys(cat.DataTypes)) {
		for _, id := range cat.DataTypes[n] {
			names[id] = append(names[id], n)
		}
	}
	for _, n := range slices.Sorted(maps.Keys(cat.DataPurposes)) {
		purposes[cat.DataPurposes[n]] = append(purposes[cat.DataPurposes[n]], n)
	}
	byType := map[string]*Collected{}
	for _, b := range slices.Concat(app.Bundles, app.Resources) {
		if b.PrivacyPresent && b.Privacy == nil {
			for _, f := range []string{"collected", "bad_collected"} {
				e.SetUnread(f, b.Path+": "+b.Unread("privacy"))
			}
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
				bad("the kind of data " + c.Type + " stands twice")
			}
			seen[c.Type] = true
			u := byType[c.Type]
			if u == nil {
				u = &Collected{Type: c.Type, Names: names[c.Type], AsPurposes: map[string][]string{}}
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
				} else if u.AsPurposes[p] == nil {
					u.Purposes, u.AsPurposes[p] = append(u.Purposes, p), purposes[p]
				}
			}
		}
	}
}

// reasons holds what each binary uses against what its bundle declares.
func (e *Evidence) reasons(app *facts.IOS, cat *catalogue.Catalogue, all []*code, open string) {
	e.badReasons(app, cat)
	if open != "" {
		e.SetUnread("reasons", open)
		return
	}
	for _, b := range app.Bundles {
		own := of(all, b)
		if own == nil {
			continue
		}
		declared := map[string][]string{}
		if b.Privacy != nil {
			for _, a := range b.Privacy.Accessed {
				declared[a.Category] = append(declared[a.Category], a.Reasons...)
			}
		}
		if b.Kind == "app" {
			// What static libraries declare in their resource bundles speaks for
			// code that is linked into the app.
			for _, res := range app.Resources {
				if res.Privacy == nil {
					continue
				}
				for _, a := range res.Privacy.Accessed {
					declared[a.Category] = append(declared[a.Category], a.Reasons...)
				}
			}
		}
		for _, c := range cat.Reasons {
			because, shared := uses(c, own)
			if len(because) == 0 {
				continue
			}
			r := &Reason{Bundle: b.Path, Kind: b.Kind, Category: c.Category, Name: c.Name, Because: because, Reasons: declared[c.Category]}
			_, r.Declared = declared[c.Category]
			if shared && !r.Declared {
				// Every name seen belongs to another category too: either will do.
				for _, o := range cat.Reasons {
					if _, ok := declared[o.Category]; ok && o.Category != c.Category && slices.ContainsFunc(o.Either, func(s string) bool { return own.symbol(s) }) {
						r.Declared = true
					}
				}
			}
			r.Meanings = map[string]string{}
			for code, meaning := range c.Codes {
				if b.Kind == "framework" || !slices.Contains(c.ForLibraries, code) {
					r.Choices, r.Meanings[code] = append(r.Choices, code), meaning
				}
			}
			slices.Sort(r.Choices)
			if why := unreadManifest(app, b); why != "" && !r.Declared {
				r.SetUnread("declared", why)
			}
			r.SetSelf(b.Field("privacy"))
			e.Reasons = append(e.Reasons, r)
		}
	}
}

// unreadManifest is why a manifest that could declare a bundle's reasons is not
// known, though it is there; empty when all are.
func unreadManifest(app *facts.IOS, b *facts.Bundle) string {
	from := []*facts.Bundle{b}
	if b.Kind == "app" {
		from = append(from, app.Resources...)
	}
	for _, x := range from {
		if x.PrivacyPresent && x.Privacy == nil {
			return x.Path + ": " + x.Unread("privacy")
		}
	}
	return ""
}

// uses lists the names of a category that a binary uses. shared is true when
// each of them belongs to another category as well.
func uses(c *catalogue.Reason, own *code) (because []string, shared bool) {
	shared = true
	for _, s := range c.Symbols {
		if own.symbol(s) {
			because = append(because, s)
			shared = shared && slices.Contains(c.Either, s)
		}
	}
	for _, p := range c.Prefixes {
		if own.prefix(p) != "" {
			because, shared = append(because, p+"…"), false
		}
	}
	for _, k := range c.Classes {
		if own.class(k) {
			because, shared = append(because, k), false
		}
	}
	for _, m := range c.Methods {
		if own.class(m.Class) && own.method(m.Selector) {
			because, shared = append(because, m.Class+" "+m.Selector), false
		}
	}
	return because, shared
}

// badReasons finds declared categories and codes that are not known.
func (e *Evidence) badReasons(app *facts.IOS, cat *catalogue.Catalogue) {
	known := map[string]*catalogue.Reason{}
	for _, c := range cat.Reasons {
		known[c.Category] = c
	}
	for _, b := range slices.Concat(app.Bundles, app.Resources) {
		if b.PrivacyPresent && b.Privacy == nil {
			for _, f := range []string{"bad_reasons"} {
				e.SetUnread(f, b.Path+": "+b.Unread("privacy"))
			}
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
				bad("the category " + a.Category + " stands twice")
			case len(a.Reasons) == 0:
				bad("no reason is given for " + a.Category)
			}
			seen[a.Category] = true
			for _, code := range a.Reasons {
				if _, ok := c.Codes[code]; !ok {
					bad("the reason " + code + " does not belong to " + a.Category)
				} else if b.Kind == "app" && slices.Contains(c.ForLibraries, code) {
					bad("the reason " + code + " is for third-party libraries, not for an app")
				}
			}
		}
	}
}

// unusedPurposes finds purpose strings that no sign in the code calls for. It
// speaks only of keys that the catalogue has signs for.
func (e *Evidence) unusedPurposes(app *facts.IOS, cat *catalogue.Catalogue, all []*code) {
	called := map[string]bool{}
	for _, p := range e.Purposes {
		called[p.Key] = true
	}
	for _, p := range app.Purposes {
		i := slices.IndexFunc(cat.Purposes, func(c *catalogue.Purpose) bool { return c.Key == p.Key && c.Confidence == "high" })
		if i < 0 || called[p.Key] {
			continue
		}
		// A key that stands in for another is used when that one is.
		instead := slices.ContainsFunc(cat.Purposes, func(c *catalogue.Purpose) bool { return called[c.Key] && slices.Contains(c.Instead, p.Key) })
		if hinted(cat.Purposes[i].Signs, all) {
			continue
		}
		if instead || strings.Contains(p.Key, "Always") && called["NSLocationWhenInUseUsageDescription"] {
			continue
		}
		u := &Unused{Key: p.Key, Resource: cat.Purposes[i].Resource}
		u.SetSelf(p.Self())
		e.PurposesUnused = append(e.PurposesUnused, u)
	}
}

// hinted reports whether any single name of any sign is used: too little to
// demand a purpose string, enough not to call one a leftover.
func hinted(signs []*catalogue.Sign, all []*code) bool {
	for _, c := range all {
		for _, s := range signs {
			if slices.ContainsFunc(s.Classes, c.class) || slices.ContainsFunc(s.Symbols, c.symbol) || slices.ContainsFunc(s.Selectors, c.method) ||
				slices.ContainsFunc(s.Prefixes, func(p string) bool { return c.prefix(p) != "" }) {
				return true
			}
		}
	}
	return false
}
