package facts

import (
	"path"

	"regola.example/regola/internal/core/fact"
)

// IOS is what was read from an app of the iOS platform.
type IOS struct {
	fact.Mark      `json:"-"`
	Root           string        `json:"root"`      // the app's folder inside the package
	SDK            *string       `json:"sdk"`       // version of the SDK, from the executable or else from the property list
	Bundles        []*Bundle     `json:"bundles"`   // the app first, then its extensions, frameworks, clips and watch apps
	Resources      []*Bundle     `json:"resources"` // bundles without code
	Translations   Translations  `json:"translations"`
	References     References    `json:"references"`
	Layout         Layout        `json:"layout"`
	Catalogues     []*Catalog    `json:"catalogues"` // compiled asset catalogues
	Debug          DebugInfo     `json:"debug"`
	SignatureFinal bool          `json:"signature_final"`      // the signatures are those that the store sees; a build archive's are replaced
	Archive        *BuildArchive `json:"archive"`              // what a build archive says of itself; nil for other packages
	StoreCopy      bool          `json:"store_copy"`           // marks show that the store delivered it
	Unpacked       int64         `json:"unpacked"`             // bytes of all files of the app
	Packed         int64         `json:"packed"`               // the same, compressed, without what lies beside the app
	WrongTypes     []*WrongType  `json:"wrong_types"`          // keys of property lists whose value is of the wrong type
	PrivateKeys    []*KeyFile    `json:"private_keys"`         // files that hold a private key in PEM form
	TextFiles      []*TextFile   `json:"-" alias:"text_files"` // plain files of the app with addresses, paths or what looks like a secret

	// Shorter names for rules; set by Alias.
	App      *Bundle    `json:"-" alias:"app" derived:"yes"`      // the first of the bundles
	Nested   []*Bundle  `json:"-" alias:"nested" derived:"yes"`   // all others
	Apps     []*Bundle  `json:"-" alias:"apps" derived:"yes"`     // what people open on the phone: the app and its clips
	Programs []*Bundle  `json:"-" alias:"programs" derived:"yes"` // what runs as a process of its own: all but frameworks
	Purposes []*Purpose `json:"-" alias:"purposes" derived:"yes"` // of all programs
}

// Alias sets the shorter names. Whoever fills the bundles must call it.
func (a *IOS) Alias() {
	a.App, a.Nested = nil, nil
	for _, b := range a.Bundles {
		if b.Kind == "app" && a.App == nil {
			a.App = b
		} else {
			a.Nested = append(a.Nested, b)
		}
	}
	if a.App == nil {
		a.App = &Bundle{Kind: "app", Path: "."}
	}
	a.Apps, a.Programs, a.Purposes = nil, nil, nil
	programs := map[string]*Bundle{}
	for _, b := range append([]*Bundle{a.App}, a.Nested...) {
		if b.Kind == "framework" {
			continue
		}
		if b == a.App || b.Kind == "app-clip" {
			a.Apps = append(a.Apps, b)
		}
		a.Programs = append(a.Programs, b)
		a.Purposes = append(a.Purposes, b.Info.Purposes...)
		programs[b.Path] = b
	}
	a.App.Host = a.App
	for _, b := range a.Nested {
		b.Host = a.App
		for dir := path.Dir(b.Path); dir != "." && dir != "/"; dir = path.Dir(dir) {
			if host := programs[dir]; host != nil && host != a.App {
				b.Host = host
				break
			}
		}
	}
}
