// Package evidence draws from the facts, with the help of tables, what a
// package implies about declarations, as far as that takes several steps: third-party
// code, purpose strings, reasons, wording. What takes one step is a
// condition of a rule. Every piece says what it rests on.
package evidence

import (
	"maps"
	"slices"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/origin"
	"regola.example/regola/internal/core/signs"
	"regola.example/regola/internal/core/tables"
)

// Evidence is what one package implies.
type Evidence struct {
	fact.Mark         `json:"-"`
	SDKs              []*SDK            `json:"sdks"`               // third-party code that was recognised
	Brought           map[string]string `json:"brought"`            // Android permission → the SDK that is known to bring it
	Purposes          []*Purpose        `json:"purposes"`           // purpose strings that the code calls for
	ExtensionPurposes []*Purpose        `json:"extension_purposes"` // purpose strings that code of extensions calls for, as far as their own property lists lack them
	PurposesUnused    []*Unused         `json:"purposes_unused"`    // purpose strings that no code calls for
	Wording           []*Wording        `json:"wording"`            // purpose strings that say too little
	Reasons           []*Reason         `json:"reasons"`            // calls that need a declared reason, by bundle and category
	BadReasons        []*BadReason      `json:"bad_reasons"`        // declared reasons that are not known
	Collected         []*Collected      `json:"collected"`          // kinds of data that privacy manifests declare, over the whole app
	BadCollected      []*BadReason      `json:"bad_collected"`      // declared kinds of data or purposes that are not known
	Languages         []string          `json:"languages"`          // in which the app itself speaks, as far as that is known
	LibraryLanguages  []*Language       `json:"library_languages"`  // that only third-party code brings
	Functions         []*Function       `json:"functions"`          // what the package can do, as far as declarations ask
	Data              []*Data           `json:"data"`               // kinds of data that something in the package points to
	Texts             []*CodeText       `json:"texts"`              // texts of code and plain files that say something about the app
}

// Language is a language in which only third-party code has texts.
type Language struct {
	fact.Mark `json:"-"`
	Locale    string `json:"locale"`
	By        string `json:"by"`   // whose the texts are
	Sign      string `json:"sign"` // what shows it
}

// SDK is third-party code that was recognised in the package.
type SDK struct {
	fact.Mark     `json:"-"`
	ID            string   `json:"id"`             // class prefix or framework name
	Kind          string   `json:"kind"`           // what it does
	Version       string   `json:"version"`        // where it says so
	Seen          string   `json:"seen"`           // the sign
	ByName        bool     `json:"by_name"`        // recognised by the names of its code alone, which could be the app's own
	Ads           bool     `json:"ads"`            // it shows advertising
	AdvertisingID bool     `json:"advertising_id"` // it reads the advertising id
	Listed        bool     `json:"listed"`         // on the iOS store's list of commonly used code
	Manifest      bool     `json:"manifest"`       // it brings a privacy manifest, where it is a framework
	Data          []string `json:"data"`           // kinds of data that it usually sends
	Tracking      bool     `json:"tracking"`       // its data is joined with that of other companies
	Off           string   `json:"off"`            // the switch that turns it off for good; empty when none does
}

// Purpose is one purpose string that the code calls for.
type Purpose struct {
	fact.Mark  `json:"-"`
	Key        string `json:"key"`
	Resource   string `json:"resource"`
	Because    string `json:"because"`    // the names that were seen
	Binary     string `json:"binary"`     // where
	Given      bool   `json:"given"`      // the property list has the text, or one that stands for it
	Confidence string `json:"confidence"` // of the catalogue's entry
	Impact     string `json:"impact"`     // of its absence
}

// Of draws the evidence from a package. code is that of an iOS app, nil for
// any other.
func Of(pkg *facts.Package, code *signs.Index, t *tables.Set) *Evidence {
	e := &Evidence{Brought: map[string]string{}}
	if pkg.Android != nil {
		e.androidSDKs(pkg, t)
	}
	if pkg.IOS != nil {
		e.iosSDKs(pkg, t, code)
		e.purposes(pkg.IOS, t, code)
		e.reasons(pkg.IOS, t, code)
		e.collected(pkg.IOS, t)
		e.wording(pkg.IOS, t)
	}
	e.texts(pkg, t, code)
	e.functions(pkg, t, code)
	e.data(pkg, t)
	e.languages(pkg, t)
	return e
}

// languages parts the languages of the app from those that third-party code brings.
func (e *Evidence) languages(pkg *facts.Package, t *tables.Set) {
	if pkg.Android != nil {
		if g := fact.GapOf(&pkg.Android.Resources, &pkg.Android.Resources.Locales); g != nil {
			fact.Lose(e, &e.Languages, *g)
			fact.Lose(e, &e.LibraryLanguages, *g)
			return
		}
	}
	own, brought := origin.Of(pkg, t).Locales()
	e.Languages = slices.DeleteFunc(own, func(l string) bool { return l == "Base" })
	for _, l := range slices.Sorted(maps.Keys(brought)) {
		one := &Language{Locale: l, By: brought[l].By, Sign: brought[l].Sign}
		if pkg.Android != nil {
			one.SetSelf(pkg.Android.Resources.Self().In(l))
		}
		e.LibraryLanguages = append(e.LibraryLanguages, one)
	}
}

func set(names []string) map[string]bool {
	m := make(map[string]bool, len(names))
	for _, n := range names {
		m[n] = true
	}
	return m
}
