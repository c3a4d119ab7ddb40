package facts

import "regola.example/regola/internal/core/fact"

// Info is the property list of a bundle, Info.plist. Source: the platform's
// documentation of information property list keys.
type Info struct {
	fact.Mark            `json:"-"`
	ID                   string            `json:"id"`                  // CFBundleIdentifier
	Name                 string            `json:"name"`                // under the icon
	Version              string            `json:"version"`             // CFBundleShortVersionString
	Build                string            `json:"build"`               // CFBundleVersion
	Executable           string            `json:"executable"`          //
	Encoding             string            `json:"encoding"`            // binary or xml
	MinOS                string            `json:"min_os"`              // MinimumOSVersion
	SDKName              string            `json:"sdk_name"`            // DTSDKName, such as iphoneos26.0
	Platforms            []string          `json:"platforms"`           // CFBundleSupportedPlatforms
	Families             []int64           `json:"families"`            // UIDeviceFamily: 1 phone, 2 tablet
	Encryption           *bool             `json:"encryption"`          // ITSAppUsesNonExemptEncryption; nil when absent
	EncryptionDeclared   bool              `json:"encryption_declared"` // the key is there
	Purposes             []*Purpose        `json:"purposes"`
	LaunchScreen         bool              `json:"launch_screen"` // a storyboard or a launch-screen dictionary is named
	BackgroundModes      []string          `json:"background_modes"`
	URLSchemes           []string          `json:"url_schemes"`
	ArbitraryLoads       bool              `json:"arbitrary_loads"`    // transport security is switched off for all hosts
	Unexpanded           []string          `json:"unexpanded"`         // keys whose value a build variable was left in
	PackageType          string            `json:"package_type"`       // CFBundlePackageType
	RequiresIOS          bool              `json:"requires_ios"`       // LSRequiresIPhoneOS
	Orientations         []string          `json:"orientations"`       // for tablets, or for all devices
	Twice                []string          `json:"twice,omitempty"`    // keys that the property list holds more than once
	MediaLoads           bool              `json:"media_loads"`        // unencrypted media from every host
	Stub                 bool              `json:"stub"`               // the app only carries a messages extension or a watch app
	DevelopmentRegion    string            `json:"development_region"` // the language of the texts that are not translated
	FullScreen           bool              `json:"full_screen"`        // UIRequiresFullScreen
	Capabilities         []string          `json:"capabilities"`       // UIRequiredDeviceCapabilities
	QuerySchemes         []string          `json:"query_schemes"`
	TaskIDs              []string          `json:"task_ids"` // BGTaskSchedulerPermittedIdentifiers
	BonjourServices      []string          `json:"bonjour_services"`
	HostExceptions       []*HostException  `json:"host_exceptions"` // from transport security, by host
	DocumentTypes        []*DocumentType   `json:"document_types"`
	OpensInPlaceDeclared bool              `json:"opens_in_place_declared"` // a key says how documents are opened
	BoundDomains         []string          `json:"bound_domains"`           // WKAppBoundDomains
	Keys                 []string          `json:"keys"`                    // of the property list, at its top
	SwitchedOn           []string          `json:"switched_on"`             // keys whose value is true
	Texts                map[string]string `json:"texts"`                   // of the keys whose value is a string
	InfoVersion          string            `json:"info_version"`            // CFBundleInfoDictionaryVersion
	BuildTools           *BuildTools       `json:"build_tools"`
	AllOrientations      []string          `json:"all_orientations"` // every orientation that any of the keys names
	ExportedTypes        []*ExportedType   `json:"exported_types"`
	AdNetworks           []string          `json:"ad_networks"` // SKAdNetworkItems
	Shortcuts            []*Shortcut       `json:"shortcuts"`   // on the home screen
	ReportEndpoints      []*Endpoint       `json:"report_endpoints"`
	AccessoryProtocols   []string          `json:"accessory_protocols"`
	WrongTypes           []*WrongType      `json:"wrong_types"`     // keys of the property list whose value is of the wrong type
	Point                string            `json:"point,omitempty"` // of an extension
	ExtensionKit         bool              `json:"extension_kit"`   // an extension of the newer kind
	EntryPoint           bool              `json:"entry_point"`     // a class or an interface file to start with is named
	OpenAccess           bool              `json:"open_access"`     // a keyboard asks for full access
	Activation           string            `json:"activation"`      // the rule by which a share or action extension is offered, when it is a text
	Intents              []string          `json:"intents"`
	Clip                 bool              `json:"clip"`         // NSAppClip
	PurposeKeys          []string          `json:"purpose_keys"` // purpose strings of its own property list
	Companion            string            `json:"companion"`    // WKCompanionAppBundleIdentifier
	WatchApp             bool              `json:"watch_app"`    // WKApplication or WKWatchKitApp
	RunsAlone            bool              `json:"runs_alone"`   // the watch app needs no phone
}

// BuildTools is what the build tools wrote about themselves.
type BuildTools struct {
	fact.Mark       `json:"-"`
	Platform        string `json:"platform"`         // DTPlatformName
	PlatformVersion string `json:"platform_version"` // DTPlatformVersion
	Version         string `json:"version"`          // DTXcode: major*100 + minor*10 + patch
	Build           string `json:"build"`            // DTXcodeBuild
	SDKBuild        string `json:"sdk_build"`        // DTSDKBuild
	SystemBuild     string `json:"system_build"`     // BuildMachineOSBuild
}

// Purpose is one purpose string, with its translations.
type Purpose struct {
	fact.Mark `json:"-"`
	Key       string            `json:"key"`
	Text      string            `json:"text"`
	Locales   map[string]string `json:"locales,omitempty"` // from InfoPlist.strings, by language
}

// HostException loosens transport security for one host.
type HostException struct {
	fact.Mark `json:"-"`
	Host      string `json:"host"`
	Insecure  bool   `json:"insecure"` // unencrypted traffic is allowed
	MinTLS    string `json:"min_tls"`  // such as TLSv1.0; empty for the system's own
}

// DocumentType is a kind of document that the app opens.
type DocumentType struct {
	fact.Mark `json:"-"`
	Name      string `json:"name"`
	Rank      string `json:"rank"` // LSHandlerRank; empty when not said
}

// ExportedType is a kind of document that the app declares as its own.
type ExportedType struct {
	fact.Mark `json:"-"`
	ID        string `json:"id"`
	Conforms  bool   `json:"conforms"` // it says what it is a kind of
}

// Shortcut is an action that the home screen offers.
type Shortcut struct {
	fact.Mark `json:"-"`
	Type      string `json:"type"`
	Title     string `json:"title"`
}

// Endpoint is an address to which the system sends reports for the app.
type Endpoint struct {
	fact.Mark `json:"-"`
	Key       string `json:"key"`
	URL       string `json:"url"`
}

// WrongType is a key of the property list whose value is of the wrong type.
type WrongType struct {
	fact.Mark `json:"-"`
	Key       string `json:"key"`
	Type      string `json:"type"` // it has
	Want      string `json:"want"`
}
