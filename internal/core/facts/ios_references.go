package facts

import "regola.example/regola/internal/core/fact"

// References are the files and classes that property lists and settings name.
type References struct {
	fact.Mark  `json:"-"`
	Files      []*NamedFile   `json:"files"`       // fonts and interface files that the property list names
	Classes    []*NamedClass  `json:"classes"`     // that the property lists name
	Services   []*ServiceFile `json:"services"`    // settings of services that name the app
	StartPages []*StartPage   `json:"start_pages"` // pages that a hybrid app loads instead of its own
}

// NamedFile is a file that the property list names.
type NamedFile struct {
	fact.Mark `json:"-"`
	Bundle    string `json:"bundle,omitempty"` // path of the app clip that names it; empty for the app
	Kind      string `json:"kind"`             // font, launch-screen, launch-part (a picture or colour of it), interface
	Key       string `json:"key"`
	Name      string `json:"name"`
	Present   bool   `json:"present"`
}

// NamedClass is a class of the code that a property list names.
type NamedClass struct {
	fact.Mark `json:"-"`
	Bundle    string `json:"bundle"` // path within the app; "." for the app itself
	Key       string `json:"key"`
	Name      string `json:"name"`
	Present   bool   `json:"present"` // the code defines it or takes it from the system
}

// ServiceFile is a property list of an online service that names the app it
// was made for.
type ServiceFile struct {
	fact.Mark `json:"-"`
	Path      string `json:"path"`
	AppID     string `json:"app_id"` // BUNDLE_ID
	Scheme    string `json:"scheme"` // REVERSED_CLIENT_ID: the link by which a sign-in returns
}

// StartPage is a page that a hybrid app is set to load instead of its own.
type StartPage struct {
	fact.Mark `json:"-"`
	File      string `json:"file"` // the settings that say so
	URL       string `json:"url"`
	Cleartext bool   `json:"cleartext"`
}
