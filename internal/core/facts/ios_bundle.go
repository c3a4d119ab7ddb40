package facts

import "regola.example/regola/internal/core/fact"

// Bundle is the app, or a bundle inside it. One that has no code is of the kind
// resources.
type Bundle struct {
	fact.Mark       `json:"-"`
	Kind            string           `json:"kind"`             // app, extension, framework, watch-app, app-clip, resources
	Path            string           `json:"path"`             // relative to the app; "." for the app
	Size            int64            `json:"size"`             // bytes of all its files
	InnerFrameworks bool             `json:"inner_frameworks"` // a framework or an extension has a Frameworks folder of its own
	DesktopLayout   bool             `json:"desktop_layout"`   // a framework has the layout of the desktop
	Info            Info             `json:"info"`
	Code            BundleCode       `json:"code"`
	Signature       *CodeSignature   `json:"signature"`
	ProfilePresent  bool             `json:"profile_present"`
	Profile         *Profile         `json:"profile"`
	PrivacyPresent  bool             `json:"privacy_present"`
	Privacy         *PrivacyManifest `json:"privacy"`
	Seal            Seal             `json:"seal"`
	Icon            *IOSIcon         `json:"icon"` // of an app, watch app or clip
	AlternateIcons  []*IOSIcon       `json:"alternate_icons"`

	// Host is the app, clip, extension or watch app that it lies in, the app for itself; set
	// by Alias.
	Host *Bundle `json:"-" alias:"host" derived:"yes"`
}
