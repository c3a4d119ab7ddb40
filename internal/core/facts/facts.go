// Package facts holds the types of what was read from a release package.
// Facts carry no opinion. Each knows its place, and a fact that could not be
// read says why (see package place).
//
// Field names in rules and in JSON are those of the json tags.
package facts

import (
	"time"

	"regola.example/regola/internal/core/place"
)

// Package is one release package of either platform.
type Package struct {
	place.Mark `json:"-"`
	File       string   `json:"file"`              // the path as given
	Kind       string   `json:"kind"`              // aab, apk, apk-split, ipa, app, app-zip or archive
	Size       int64    `json:"size"`              // bytes of the file; of all files for a folder
	Entries    int64    `json:"entries"`           // number of files inside
	Names      []string `json:"-"`                 // paths of all files inside
	Android    *Android `json:"android,omitempty"` // set for aab and apk
	IOS        *IOS     `json:"ios,omitempty"`     // set for the others
}

// Store is the store a package is for: android or ios.
func (p *Package) Store() string {
	if p.Android != nil {
		return "android"
	}
	return "ios"
}

// ID is the app's id on its platform.
func (p *Package) ID() string {
	if p.Android != nil {
		return p.Android.ID
	}
	return p.IOS.ID
}

// Version is the version that people see.
func (p *Package) Version() string {
	if p.Android != nil {
		return p.Android.VersionName
	}
	return p.IOS.Version
}

// Text is a text with its translations.
type Text struct {
	Default string            `json:"default"`
	Locales map[string]string `json:"locales,omitempty"` // by BCP 47 tag, the default one left out
}

// IOS is what was read from an app bundle of the iOS platform.
type IOS struct {
	place.Mark      `json:"-"`
	Root            string           `json:"root"`            // the app's folder inside the package
	ID              string           `json:"id"`              // CFBundleIdentifier
	Name            string           `json:"name"`            // under the icon
	Version         string           `json:"version"`         // CFBundleShortVersionString
	Build           string           `json:"build"`           // CFBundleVersion
	Executable      string           `json:"executable"`      //
	InfoEncoding    string           `json:"info_encoding"`   // binary or xml
	MinOS           string           `json:"min_os"`          // MinimumOSVersion
	SDKName         string           `json:"sdk_name"`        // DTSDKName, such as iphoneos26.0
	SDK             *string          `json:"sdk"`             // version of the SDK, from the executable or else from SDKName
	Platforms       []string         `json:"platforms"`       // CFBundleSupportedPlatforms
	Families        []int64          `json:"families"`        // UIDeviceFamily: 1 phone, 2 tablet
	Encryption      *bool            `json:"encryption"`      // ITSAppUsesNonExemptEncryption; nil when absent
	EncryptionSaid  bool             `json:"encryption_said"` // the key is there
	Purposes        []*Purpose       `json:"purposes"`
	Slices          []*Slice         `json:"slices"` // of the main executable
	Libraries       []string         `json:"libraries"`
	WeakLibraries   []string         `json:"weak_libraries"`
	Icon            *IOSIcon         `json:"icon"`
	Nested          []*Nested        `json:"nested"` // extensions, frameworks, watch apps, app clips
	Locales         []string         `json:"locales"`
	LaunchScreen    bool             `json:"launch_screen"` // a storyboard or a launch-screen dictionary is named
	BackgroundModes []string         `json:"background_modes"`
	URLSchemes      []string         `json:"url_schemes"`
	ArbitraryLoads  bool             `json:"arbitrary_loads"` // transport security is switched off for all hosts
	PrivacyManifest bool             `json:"privacy_manifest"`
	Bundles         []*Bundle        `json:"bundles"`      // the app, its extensions, clips, watch apps and frameworks
	Resources       []*Bundle        `json:"resources"`    // bundles without code that have a privacy manifest
	Unexpanded      []string         `json:"unexpanded"`   // keys whose value a build variable was left in
	PackageType     string           `json:"package_type"` // CFBundlePackageType
	RequiresIOS     bool             `json:"requires_ios"` // LSRequiresIPhoneOS
	Orientations    []string         `json:"orientations"` // for tablets, or for all devices
	FullScreen      bool             `json:"full_screen"`  // UIRequiresFullScreen
	Capabilities    []string         `json:"capabilities"` // UIRequiredDeviceCapabilities
	QuerySchemes    []string         `json:"query_schemes"`
	TaskIDs         []string         `json:"task_ids"` // BGTaskSchedulerPermittedIdentifiers
	BonjourServices []string         `json:"bonjour_services"`
	Named           []*NamedFile     `json:"named_files"`     // fonts and interface files that the property list names
	HostExceptions  []*HostException `json:"host_exceptions"` // from transport security, by host
	DocumentTypes   []*DocumentType  `json:"document_types"`
	OpensInPlace    bool             `json:"opens_in_place_said"` // a key says how documents are opened
	BoundDomains    []string         `json:"bound_domains"`       // WKAppBoundDomains
	Executable755   bool             `json:"executable_mode"`     // the main executable has its execute permission
	StoreCopy       bool             `json:"store_copy"`          // marks show that the store delivered it
	Unpacked        int64            `json:"unpacked"`            // bytes of all files of the app
	Keys            []string         `json:"-"`                   // of the property list, at its top
	Binaries        []*Binary        `json:"binaries"`
}

// NamedFile is a file that the property list names.
type NamedFile struct {
	place.Mark `json:"-"`
	Kind       string `json:"kind"` // font, launch-screen, interface
	Key        string `json:"key"`
	Name       string `json:"name"`
	Present    bool   `json:"present"`
}

// HostException loosens transport security for one host.
type HostException struct {
	place.Mark `json:"-"`
	Host       string `json:"host"`
	Insecure   bool   `json:"insecure"` // unencrypted traffic is allowed
	MinTLS     string `json:"min_tls"`  // such as TLSv1.0; empty for the system's own
}

// DocumentType is a kind of document that the app opens.
type DocumentType struct {
	place.Mark `json:"-"`
	Name       string `json:"name"`
	Rank       string `json:"rank"` // LSHandlerRank; empty when not said
}

// Purpose is one purpose string, with its translations.
type Purpose struct {
	place.Mark `json:"-"`
	Key        string            `json:"key"`
	Text       string            `json:"text"`
	Locales    map[string]string `json:"locales,omitempty"` // from InfoPlist.strings, by language
}

// Slice is one architecture of the main executable.
type Slice struct {
	place.Mark `json:"-"`
	CPU        string `json:"cpu"`
	Bits       int64  `json:"bits"`
	Platform   string `json:"platform"`
	MinOS      string `json:"min_os"`
	SDK        string `json:"sdk"`
	Encrypted  bool   `json:"encrypted"`
	Text       int64  `json:"text"` // bytes of the text segment
	Bitcode    bool   `json:"bitcode"`
	Swift      bool   `json:"swift"`
	PIE        bool   `json:"pie"`       // it can be loaded anywhere
	FileType   string `json:"file_type"` // executable, library, bundle, object, or a number
	Stripped   bool   `json:"stripped"`  // no local symbols are left in
}

// IOSIcon is the app icon as the property list and the files show it.
type IOSIcon struct {
	place.Mark `json:"-"`
	Name       string      `json:"name"`    // CFBundleIconName, the set in the asset catalogue
	Catalog    bool        `json:"catalog"` // a compiled asset catalogue is there
	Files      []*IconFile `json:"files"`   // pictures that CFBundleIconFiles names
}

// Nested is a bundle inside the app.
type Nested struct {
	place.Mark      `json:"-"`
	Kind            string `json:"kind"` // extension, framework, watch-app, app-clip
	Path            string `json:"path"` // relative to the app
	ID              string `json:"id"`
	Version         string `json:"version"`
	Build           string `json:"build"`
	MinOS           string `json:"min_os"`
	Point           string `json:"point,omitempty"` // of an extension
	Executable      string `json:"executable"`
	PackageType     string `json:"package_type"`
	PrivacyManifest bool   `json:"privacy_manifest"`
}

// Binary is one executable with the names it uses. The names are many; they
// serve the evidence and are not printed.
type Binary struct {
	place.Mark `json:"-"`
	Path       string   `json:"path"`
	CPU        string   `json:"cpu"` // of the slice whose names were read
	Imports    []string `json:"-"`
	Selectors  []string `json:"-"`
}

// Bundle is a node of the app that has code: the app itself, an extension, a
// clip, a watch app or a framework.
type Bundle struct {
	place.Mark     `json:"-"`
	Kind           string           `json:"kind"` // app, extension, framework, watch-app, app-clip; resources for a bundle without code
	Path           string           `json:"path"` // relative to the app; "." for the app
	ID             string           `json:"id"`
	Executable     string           `json:"executable"`
	Slices         []*Slice         `json:"slices"`
	Signature      *CodeSignature   `json:"signature"`
	ProfilePresent bool             `json:"profile_present"`
	Profile        *Profile         `json:"profile"`
	Privacy        *PrivacyManifest `json:"privacy"`
	PrivacyPresent bool             `json:"privacy_present"`
	SealPresent    bool             `json:"seal_present"`
	SealFaults     []*SealFault     `json:"seal_faults"`
}

// CodeSignature is the signature of a bundle's executable.
type CodeSignature struct {
	place.Mark      `json:"-"`
	Identifier      string         `json:"identifier"`
	Team            string         `json:"team"`
	Adhoc           bool           `json:"adhoc"` // nobody signed it
	SHA256          bool           `json:"sha256"`
	Version         int64          `json:"version"` // of the code directory
	Signer          *Certificate   `json:"signer"`
	Entitlements    []*Entitlement `json:"entitlements"`
	EntitlementsDER bool           `json:"entitlements_der"`
	PagesVerified   bool           `json:"pages_verified"`
	Faults          []string       `json:"faults"`
}

// Entitlement is one entitlement, of a signature or of a profile.
type Entitlement struct {
	place.Mark `json:"-"`
	Key        string   `json:"key"`
	Values     []string `json:"values"` // one for a plain value
	True       bool     `json:"set"`
}

// Profile is an embedded provisioning profile.
type Profile struct {
	place.Mark   `json:"-"`
	Name         string         `json:"name"`
	Kind         string         `json:"kind"` // store, ad-hoc, development, enterprise
	Team         string         `json:"team"`
	AppID        string         `json:"app_id"`
	Platforms    []string       `json:"platforms"`
	Expires      time.Time      `json:"expires"`
	Devices      int64          `json:"devices"`
	Entitlements []*Entitlement `json:"entitlements"`
	HasSigner    *bool          `json:"has_signer"` // the code's signer is among its certificates
}

// PrivacyManifest is a bundle's privacy manifest.
type PrivacyManifest struct {
	place.Mark `json:"-"`
	Tracking   bool            `json:"tracking"`
	Domains    []string        `json:"domains"`
	Accessed   []*Accessed     `json:"accessed"`
	Collected  []*Collected    `json:"collected"`
	Faults     []*PrivacyFault `json:"faults"`
}

// Accessed is a category of calls that need a reason, as declared.
type Accessed struct {
	place.Mark `json:"-"`
	Category   string   `json:"category"`
	Reasons    []string `json:"reasons"`
}

// Collected is a kind of data that the bundle declares to collect.
type Collected struct {
	place.Mark `json:"-"`
	Type       string   `json:"type"`
	Linked     bool     `json:"linked"`
	Tracking   bool     `json:"tracking"`
	Purposes   []string `json:"purposes"`
}

// PrivacyFault is a fault of a privacy manifest's structure.
type PrivacyFault struct {
	place.Mark `json:"-"`
	Key        string `json:"key"`
	What       string `json:"what"`
}

// SealFault is a file that does not agree with the resource seal.
type SealFault struct {
	place.Mark `json:"-"`
	Path       string `json:"path"`
	What       string `json:"what"`
}
