package facts

import (
	"time"

	"regola.example/regola/internal/core/place"
)

// IOS is what was read from an app bundle of the iOS platform.
type IOS struct {
	place.Mark       `json:"-"`
	Root             string            `json:"root"`            // the app's folder inside the package
	ID               string            `json:"id"`              // CFBundleIdentifier
	Name             string            `json:"name"`            // under the icon
	Version          string            `json:"version"`         // CFBundleShortVersionString
	Build            string            `json:"build"`           // CFBundleVersion
	Executable       string            `json:"executable"`      //
	InfoEncoding     string            `json:"info_encoding"`   // binary or xml
	MinOS            string            `json:"min_os"`          // MinimumOSVersion
	SDKName          string            `json:"sdk_name"`        // DTSDKName, such as iphoneos26.0
	SDK              *string           `json:"sdk"`             // version of the SDK, from the executable or else from SDKName
	Platforms        []string          `json:"platforms"`       // CFBundleSupportedPlatforms
	Families         []int64           `json:"families"`        // UIDeviceFamily: 1 phone, 2 tablet
	Encryption       *bool             `json:"encryption"`      // ITSAppUsesNonExemptEncryption; nil when absent
	EncryptionSaid   bool              `json:"encryption_said"` // the key is there
	Purposes         []*Purpose        `json:"purposes"`
	Slices           []*Slice          `json:"slices"` // of the main executable
	Libraries        []string          `json:"libraries"`
	WeakLibraries    []string          `json:"weak_libraries"`
	Icon             *IOSIcon          `json:"icon"`
	Nested           []*Nested         `json:"nested"` // extensions, frameworks, watch apps, app clips
	Locales          []string          `json:"locales"`
	LaunchScreen     bool              `json:"launch_screen"` // a storyboard or a launch-screen dictionary is named
	BackgroundModes  []string          `json:"background_modes"`
	URLSchemes       []string          `json:"url_schemes"`
	ArbitraryLoads   bool              `json:"arbitrary_loads"` // transport security is switched off for all hosts
	PrivacyManifest  bool              `json:"privacy_manifest"`
	Bundles          []*Bundle         `json:"bundles"`      // the app, its extensions, clips, watch apps and frameworks
	Resources        []*Bundle         `json:"resources"`    // bundles without code that have a privacy manifest
	Unexpanded       []string          `json:"unexpanded"`   // keys whose value a build variable was left in
	PackageType      string            `json:"package_type"` // CFBundlePackageType
	RequiresIOS      bool              `json:"requires_ios"` // LSRequiresIPhoneOS
	Orientations     []string          `json:"orientations"` // for tablets, or for all devices
	FullScreen       bool              `json:"full_screen"`  // UIRequiresFullScreen
	Capabilities     []string          `json:"capabilities"` // UIRequiredDeviceCapabilities
	QuerySchemes     []string          `json:"query_schemes"`
	TaskIDs          []string          `json:"task_ids"` // BGTaskSchedulerPermittedIdentifiers
	BonjourServices  []string          `json:"bonjour_services"`
	Named            []*NamedFile      `json:"named_files"`     // fonts and interface files that the property list names
	HostExceptions   []*HostException  `json:"host_exceptions"` // from transport security, by host
	DocumentTypes    []*DocumentType   `json:"document_types"`
	OpensInPlace     bool              `json:"opens_in_place_said"` // a key says how documents are opened
	BoundDomains     []string          `json:"bound_domains"`       // WKAppBoundDomains
	Executable755    bool              `json:"executable_mode"`     // the main executable has its execute permission
	SignatureFinal   bool              `json:"signature_final"`     // the signatures are those that the store sees; a build archive's are replaced
	Archive          *BuildArchive     `json:"archive"`             // what a build archive says of itself; nil for other packages
	StoreCopy        bool              `json:"store_copy"`          // marks show that the store delivered it
	Unpacked         int64             `json:"unpacked"`            // bytes of all files of the app
	Keys             []string          `json:"keys"`                // of the property list, at its top
	SwitchedOn       []string          `json:"switched_on"`         // keys whose value is true
	Texts            map[string]string `json:"texts"`               // of the keys whose value is a string
	InfoVersion      string            `json:"info_version"`        // CFBundleInfoDictionaryVersion
	Tools            *BuildTools       `json:"build_tools"`
	Turns            []string          `json:"turns"` // every orientation that any of the keys names
	ExportedTypes    []*ExportedType   `json:"exported_types"`
	AdNetworks       []string          `json:"ad_networks"` // SKAdNetworkItems
	Shortcuts        []*Shortcut       `json:"shortcuts"`   // on the home screen
	Endpoints        []*Endpoint       `json:"report_endpoints"`
	Accessories      []string          `json:"accessory_protocols"`
	Classes          []*NamedClass     `json:"named_classes"` // that the property lists name
	Services         []*ServiceFile    `json:"service_files"` // settings of services that name the app
	Alternates       []*IOSIcon        `json:"alternate_icons"`
	Catalogs         []*Catalog        `json:"catalogues"`         // compiled asset catalogues
	StringsFaults    []*StringsFault   `json:"strings_faults"`     // translations that cannot be read
	Untranslated     []*Untranslated   `json:"untranslated"`       // texts that a language lacks
	WrongTypes       []*WrongType      `json:"wrong_types"`        // keys of the property list whose value is of the wrong type
	ArchiveFaults    []*ArchiveFault   `json:"archive_faults"`     // oddities of the ZIP archive
	StartPages       []*StartPage      `json:"start_pages"`        // pages that a hybrid app loads instead of its own
	StrayManifests   []string          `json:"stray_manifests"`    // privacy manifests where nobody looks for them
	Beside           []string          `json:"beside"`             // names at the archive's root and in Payload, beside the app
	Loose            []*LooseCode      `json:"loose_code"`         // code that is no bundle's executable
	DebugInfo        []string          `json:"debug_info"`         // build ids for which debugging information comes along
	DebugInfoCarried bool              `json:"debug_info_carried"` // the package is of a kind that carries it
	MissingLibs      []*MissingLib     `json:"missing_libraries"`
	ResourceBundles  []*ResourceBundle `json:"resource_bundles"` // that name an executable
	Names            map[string]string `json:"names,omitempty"`  // under the icon, by language, where it differs from that of the property list
	CaseClashes      []string          `json:"case_clashes"`     // paths that differ from another one in letter case only
	Binaries         []*Binary         `json:"binaries"`
}

// BuildTools is what the build tools wrote about themselves.
type BuildTools struct {
	place.Mark      `json:"-"`
	Platform        string `json:"platform"`         // DTPlatformName
	PlatformVersion string `json:"platform_version"` // DTPlatformVersion
	Version         string `json:"version"`          // DTXcode: major*100 + minor*10 + patch
	Build           string `json:"build"`            // DTXcodeBuild
	SDKBuild        string `json:"sdk_build"`        // DTSDKBuild
	SystemBuild     string `json:"system_build"`     // BuildMachineOSBuild
}

// ExportedType is a kind of document that the app declares as its own.
type ExportedType struct {
	place.Mark `json:"-"`
	ID         string `json:"id"`
	Conforms   bool   `json:"conforms"` // it says what it is a kind of
}

// Shortcut is an action that the home screen offers.
type Shortcut struct {
	place.Mark `json:"-"`
	Type       string `json:"type"`
	Title      string `json:"title"`
}

// Endpoint is an address to which the system sends reports for the app.
type Endpoint struct {
	place.Mark `json:"-"`
	Key        string `json:"key"`
	URL        string `json:"url"`
}

// NamedClass is a class of the code that a property list names.
type NamedClass struct {
	place.Mark `json:"-"`
	Bundle     string `json:"bundle"` // path within the app; "." for the app itself
	Key        string `json:"key"`
	Name       string `json:"name"`
	Present    bool   `json:"present"` // the code defines it or takes it from the system
}

// ServiceFile is a property list of an online service that names the app it
// was made for.
type ServiceFile struct {
	place.Mark `json:"-"`
	Path       string `json:"path"`
	AppID      string `json:"app_id"` // BUNDLE_ID
	Scheme     string `json:"scheme"` // REVERSED_CLIENT_ID: the link by which a sign-in returns
}

// Catalog is a compiled asset catalogue.
type Catalog struct {
	place.Mark `json:"-"`
	Path       string   `json:"path"`
	Tool       string   `json:"tool"`
	Platform   string   `json:"platform"`
	MinOS      string   `json:"min_os"`
	Pictures   int64    `json:"pictures"`
	Readable   bool     `json:"readable"`
	Fault      string   `json:"fault"` // why it cannot be read
	Sets       []string `json:"-"`     // names, each once
}

// IconPicture is one size of an icon in an asset catalogue.
type IconPicture struct {
	place.Mark `json:"-"`
	File       string `json:"file"` // it was made from
	Width      int64  `json:"width"`
	Height     int64  `json:"height"` // pixels
	Idiom      string `json:"idiom"`  // phone, tablet, watch, marketing, universal …
	Appearance string `json:"appearance"`
	Kind       string `json:"kind"` // picture, vector, or other
	Opaque     bool   `json:"opaque"`
}

// StringsFault is a file of translations that cannot be read.
type StringsFault struct {
	place.Mark `json:"-"`
	Path       string `json:"path"`
	What       string `json:"what"`
}

// Untranslated is a table of texts that is shorter in one language.
type Untranslated struct {
	place.Mark `json:"-"`
	Path       string   `json:"path"`
	Language   string   `json:"language"`
	Missing    int64    `json:"missing"`
	Of         int64    `json:"of"`
	Some       []string `json:"some"` // a few of the missing keys
}

// LooseCode is compiled code that is no bundle's executable.
type LooseCode struct {
	place.Mark `json:"-"`
	Path       string `json:"path"`
	Kind       string `json:"kind"` // executable, library, static library, object …
}

// MissingLib is a library that code links and that neither the package nor
// the system has.
type MissingLib struct {
	place.Mark `json:"-"`
	Binary     string `json:"binary"`
	Library    string `json:"library"`
}

// NamedFile is a file that the property list names.
type NamedFile struct {
	place.Mark `json:"-"`
	Kind       string `json:"kind"` // font, launch-screen, launch-part (a picture or colour of it), interface
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
	place.Mark    `json:"-"`
	CPU           string `json:"cpu"`
	Bits          int64  `json:"bits"`
	Platform      string `json:"platform"`
	MinOS         string `json:"min_os"`
	SDK           string `json:"sdk"`
	Encrypted     bool   `json:"encrypted"`
	Text          int64  `json:"text"` // bytes of the text segment
	Bitcode       bool   `json:"bitcode"`
	Swift         bool   `json:"swift"`
	PIE           bool   `json:"pie"`            // it can be loaded anywhere
	FileType      string `json:"file_type"`      // executable, library, bundle, object, or a number
	UUID          string `json:"uuid"`           // of the build
	Encryptable   bool   `json:"encryptable"`    // there is room for the store's encryption
	ExtensionSafe bool   `json:"extension_safe"` // linked for use in extensions
	Stripped      bool   `json:"stripped"`       // no local symbols are left in
}

// IOSIcon is the app icon as the property list and the files show it.
type IOSIcon struct {
	place.Mark `json:"-"`
	Name       string         `json:"name"`          // CFBundleIconName, the set in the asset catalogue
	Catalog    bool           `json:"catalog"`       // a compiled asset catalogue is there
	Files      []*IconFile    `json:"files"`         // pictures that CFBundleIconFiles names
	Missing    []string       `json:"missing_files"` // names in CFBundleIconFiles that no picture bears
	Set        []*IconPicture `json:"set"`           // pictures of that name in the catalogue
}

// Nested is a bundle inside the app.
type Nested struct {
	place.Mark      `json:"-"`
	Kind            string   `json:"kind"` // extension, framework, watch-app, app-clip
	Path            string   `json:"path"` // relative to the app
	ID              string   `json:"id"`
	Version         string   `json:"version"`
	Build           string   `json:"build"`
	MinOS           string   `json:"min_os"`
	Point           string   `json:"point,omitempty"` // of an extension
	Executable      string   `json:"executable"`
	PackageType     string   `json:"package_type"`
	PrivacyManifest bool     `json:"privacy_manifest"`
	Name            string   `json:"name"` // CFBundleDisplayName
	Platforms       []string `json:"platforms"`
	Families        []int64  `json:"families"`
	NewStyle        bool     `json:"extension_kit"` // an extension of the newer kind
	EntryPoint      bool     `json:"entry_point"`   // a class or an interface file to start with is named
	OpenAccess      bool     `json:"open_access"`   // a keyboard asks for full access
	Activation      string   `json:"activation"`    // the rule by which a share or action extension is offered, when it is a text
	Intents         []string `json:"intents"`
	Clip            bool     `json:"clip"`             // NSAppClip
	PurposeKeys     []string `json:"purpose_keys"`     // purpose strings of its own property list
	Companion       string   `json:"companion"`        // WKCompanionAppBundleIdentifier
	WatchApp        bool     `json:"watch_app"`        // WKApplication or WKWatchKitApp
	RunsAlone       bool     `json:"runs_alone"`       // the watch app needs no phone
	Size            int64    `json:"size"`             // bytes of all its files
	Inner           bool     `json:"inner_frameworks"` // a framework or an extension has a Frameworks folder of its own
	Versions        bool     `json:"versions"`         // a framework has the layout of the desktop
	Icon            *IOSIcon `json:"icon"`             // of a watch app or clip
}

// Binary is one executable with the names it uses. The names are many; they
// serve the evidence and are not printed.
type Binary struct {
	place.Mark `json:"-"`
	Path       string   `json:"path"`
	CPU        string   `json:"cpu"` // of the slice whose names were read
	Libraries  []string `json:"libraries"`
	Weak       []string `json:"weak_libraries"`
	RPaths     []string `json:"search_paths"`
	Imported   int64    `json:"imported"` // number of names
	Exported   int64    `json:"exported"` // number of names
	Imports    []string `json:"-"`
	Exports    []string `json:"-"`
	Classes    []string `json:"-"`
	Selectors  []string `json:"-"`
	Literals   []string `json:"-"` // addresses and paths
}

// Bundle is a node of the app that has code: the app itself, an extension, a
// clip, a watch app or a framework.
type Bundle struct {
	place.Mark      `json:"-"`
	Kind            string           `json:"kind"` // app, extension, framework, watch-app, app-clip; resources for a bundle without code
	Path            string           `json:"path"` // relative to the app; "." for the app
	ID              string           `json:"id"`
	Executable      string           `json:"executable"`
	ExecutableFault string           `json:"executable_fault"` // why it cannot be read as one; empty when it can
	MinOS           string           `json:"min_os"`           // of its property list
	StaticLibrary   bool             `json:"static_library"`   // its executable is an archive of objects
	Slices          []*Slice         `json:"slices"`
	Signature       *CodeSignature   `json:"signature"`
	ProfilePresent  bool             `json:"profile_present"`
	Profile         *Profile         `json:"profile"`
	Privacy         *PrivacyManifest `json:"privacy"`
	PrivacyPresent  bool             `json:"privacy_present"`
	SealPresent     bool             `json:"seal_present"`
	SealFaults      []*SealFault     `json:"seal_faults"`
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
	Chain           []*Certificate `json:"chain"` // the certificates above the signer's that came along
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
	HasSigner    *bool          `json:"has_signer"`   // the code's signer is among its certificates
	Certificates []*Certificate `json:"certificates"` // with which it lets sign
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

// ResourceBundle is a bundle without code.
type ResourceBundle struct {
	place.Mark      `json:"-"`
	Path            string `json:"path"`
	ID              string `json:"id"`
	PackageType     string `json:"package_type"`
	Executable      string `json:"executable"` // that its property list names, as only bundles with code may
	PrivacyManifest bool   `json:"privacy_manifest"`
}

// BuildArchive is what a build archive says of itself.
type BuildArchive struct {
	place.Mark `json:"-"`
	App        bool     `json:"app"` // it says that it holds an app, so that it can be exported
	ID         string   `json:"id"`  // of the app, by the archive
	Version    string   `json:"version"`
	Build      string   `json:"build"`
	Products   []string `json:"products"` // what it holds beside apps
	Signed     []string `json:"signed"`   // prebuilt libraries whose maker's signature was recorded
}

// WrongType is a key of the property list whose value is of the wrong type.
type WrongType struct {
	place.Mark `json:"-"`
	Key        string `json:"key"`
	Type       string `json:"type"` // it has
	Want       string `json:"want"`
}

// StartPage is a page that a hybrid app is set to load instead of its own.
type StartPage struct {
	place.Mark `json:"-"`
	File       string `json:"file"` // the settings that say so
	URL        string `json:"url"`
	Cleartext  bool   `json:"cleartext"`
}
