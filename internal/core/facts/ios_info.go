package facts

import "regola.example/regola/internal/core/fact"

// Info is the property list of a bundle, Info.plist. Source: the platform's
// documentation of information property list keys. The plist tags say which keys fill a
// field; artifact/ios reads them.
type Info struct {
	fact.Mark            `json:"-"`
	ID                   string            `json:"id" plist:"CFBundleIdentifier"`
	Name                 string            `json:"name" plist:"CFBundleDisplayName|CFBundleName"` // under the icon
	Version              string            `json:"version" plist:"CFBundleShortVersionString"`
	Build                string            `json:"build" plist:"CFBundleVersion"`
	Executable           string            `json:"executable" plist:"CFBundleExecutable"`
	Encoding             string            `json:"encoding"` // binary or xml
	MinOS                string            `json:"min_os" plist:"MinimumOSVersion"`
	SDKName              string            `json:"sdk_name" plist:"DTSDKName"` // DTSDKName, such as iphoneos26.0
	Platforms            []string          `json:"platforms" plist:"CFBundleSupportedPlatforms"`
	Families             []int64           `json:"families" plist:"UIDeviceFamily,one"`                               // UIDeviceFamily: 1 phone, 2 tablet
	Encryption           *bool             `json:"encryption" plist:"ITSAppUsesNonExemptEncryption"`                  // ITSAppUsesNonExemptEncryption; nil when absent
	EncryptionDeclared   bool              `json:"encryption_declared" plist:"ITSAppUsesNonExemptEncryption,present"` // the key is there
	Purposes             []*Purpose        `json:"purposes"`
	LaunchScreen         bool              `json:"launch_screen" plist:"UILaunchStoryboardName|UILaunchScreen|UILaunchScreens|UILaunchStoryboardName~ipad|UILaunchStoryboardName~iphone,present"` // a storyboard or a launch-screen dictionary is named
	BackgroundModes      []string          `json:"background_modes" plist:"UIBackgroundModes"`
	WatchModes           []string          `json:"watch_modes,omitempty" plist:"WKBackgroundModes"` // background modes of a watch app
	URLSchemes           []string          `json:"url_schemes" plist:"CFBundleURLTypes[].CFBundleURLSchemes"`
	ArbitraryLoads       bool              `json:"arbitrary_loads" plist:"NSAppTransportSecurity.NSAllowsArbitraryLoads"` // transport security is switched off for all hosts
	Unexpanded           []string          `json:"unexpanded"`                                                            // keys whose value a build variable was left in
	PackageType          string            `json:"package_type" plist:"CFBundlePackageType"`
	RequiresIOS          bool              `json:"requires_ios" plist:"LSRequiresIPhoneOS"`
	Orientations         []string          `json:"orientations" plist:"UISupportedInterfaceOrientations~ipad|UISupportedInterfaceOrientations"` // for tablets, or for all devices
	Twice                []string          `json:"twice,omitempty"`                                                                             // keys that the property list holds more than once
	MediaLoads           bool              `json:"media_loads" plist:"NSAppTransportSecurity.NSAllowsArbitraryLoadsForMedia"`                   // unencrypted media from every host
	WebLoads             bool              `json:"web_loads" plist:"NSAppTransportSecurity.NSAllowsArbitraryLoadsInWebContent"`                 // unencrypted pages in web views
	Stub                 bool              `json:"stub" plist:"LSApplicationLaunchProhibited|ITSWatchOnlyContainer"`                            // the app only carries a messages extension or a watch app
	DevelopmentRegion    string            `json:"development_region" plist:"CFBundleDevelopmentRegion"`                                        // the language of the texts that are not translated
	FullScreen           bool              `json:"full_screen" plist:"UIRequiresFullScreen|UIRequiresFullScreen~ipad"`
	Capabilities         []string          `json:"capabilities" plist:"UIRequiredDeviceCapabilities,set"`
	QuerySchemes         []string          `json:"query_schemes" plist:"LSApplicationQueriesSchemes"`
	TaskIDs              []string          `json:"task_ids" plist:"BGTaskSchedulerPermittedIdentifiers"`
	BonjourServices      []string          `json:"bonjour_services" plist:"NSBonjourServices"`
	HostExceptions       []*HostException  `json:"host_exceptions" plist:"NSAppTransportSecurity.NSExceptionDomains"` // from transport security, by host
	DocumentTypes        []*DocumentType   `json:"document_types" plist:"CFBundleDocumentTypes"`
	OpensInPlaceDeclared bool              `json:"opens_in_place_declared"` // a key says how documents are opened
	BoundDomains         []string          `json:"bound_domains" plist:"WKAppBoundDomains"`
	Keys                 []string          `json:"keys"`        // of the property list, at its top
	SwitchedOn           []string          `json:"switched_on"` // keys whose value is true
	Texts                map[string]string `json:"texts"`       // of the keys whose value is a string
	InfoVersion          string            `json:"info_version" plist:"CFBundleInfoDictionaryVersion"`
	BuildTools           *BuildTools       `json:"build_tools"`
	AllOrientations      []string          `json:"all_orientations" plist:"UISupportedInterfaceOrientations~*"` // every orientation that any of the keys names
	ExportedTypes        []*ExportedType   `json:"exported_types" plist:"UTExportedTypeDeclarations"`
	AdNetworks           []string          `json:"ad_networks" plist:"SKAdNetworkItems[].SKAdNetworkIdentifier,one"`
	Shortcuts            []*Shortcut       `json:"shortcuts" plist:"UIApplicationShortcutItems"` // on the home screen
	ReportEndpoints      []*Endpoint       `json:"report_endpoints"`
	AccessoryProtocols   []string          `json:"accessory_protocols" plist:"UISupportedExternalAccessoryProtocols"`
	Point                string            `json:"point,omitempty" plist:"EXAppExtensionAttributes.EXExtensionPointIdentifier|NSExtension.NSExtensionPointIdentifier"` // of an extension
	ExtensionKit         bool              `json:"extension_kit" plist:"EXAppExtensionAttributes,present"`                                                             // an extension of the newer kind
	EntryPoint           bool              `json:"entry_point" plist:"NSExtension.NSExtensionPrincipalClass|NSExtension.NSExtensionMainStoryboard,present"`            // a class or an interface file to start with is named
	OpenAccess           bool              `json:"open_access" plist:"NSExtension.NSExtensionAttributes.RequestsOpenAccess"`                                           // a keyboard asks for full access
	Activation           string            `json:"activation" plist:"NSExtension.NSExtensionAttributes.NSExtensionActivationRule,text"`                                // the rule by which a share or action extension is offered, when it is a text
	Intents              []string          `json:"intents" plist:"NSExtension.NSExtensionAttributes.IntentsSupported"`
	Clip                 bool              `json:"clip" plist:"NSAppClip,present"`
	PurposeKeys          []string          `json:"purpose_keys"` // purpose strings of its own property list
	Companion            string            `json:"companion" plist:"WKCompanionAppBundleIdentifier"`
	WatchApp             bool              `json:"watch_app" plist:"WKApplication|WKWatchKitApp"`
	RunsAlone            bool              `json:"runs_alone" plist:"WKRunsIndependentlyOfCompanionApp|WKWatchOnly"` // the watch app needs no phone
}

// BuildTools is what the build tools wrote about themselves.
type BuildTools struct {
	fact.Mark       `json:"-"`
	Platform        string `json:"platform" plist:"DTPlatformName"`
	PlatformVersion string `json:"platform_version" plist:"DTPlatformVersion"`
	Version         string `json:"version" plist:"DTXcode"` // DTXcode: major*100 + minor*10 + patch
	Build           string `json:"build" plist:"DTXcodeBuild"`
	SDKBuild        string `json:"sdk_build" plist:"DTSDKBuild"`
	SystemBuild     string `json:"system_build" plist:"BuildMachineOSBuild"`
}

// Purpose is one purpose string, with its translations.
type Purpose struct {
	fact.Mark `json:"-"`
	Bundle    string            `json:"bundle,omitempty"` // its path in the app; empty for the app's own
	Key       string            `json:"key"`
	Text      string            `json:"text"`
	Locales   map[string]string `json:"locales,omitempty"` // from InfoPlist.strings, by language
}

// HostException loosens transport security for one host.
type HostException struct {
	fact.Mark `json:"-"`
	Host      string `json:"host" plist:","`
	Insecure  bool   `json:"insecure" plist:"NSExceptionAllowsInsecureHTTPLoads|NSThirdPartyExceptionAllowsInsecureHTTPLoads|NSTemporaryExceptionAllowsInsecureHTTPLoads"` // unencrypted traffic is allowed
	MinTLS    string `json:"min_tls" plist:"NSTemporaryExceptionMinimumTLSVersion|NSThirdPartyExceptionMinimumTLSVersion|NSExceptionMinimumTLSVersion"`                    // such as TLSv1.0; empty for the system's own
}

// DocumentType is a kind of document that the app opens.
type DocumentType struct {
	fact.Mark `json:"-"`
	Name      string `json:"name" plist:"CFBundleTypeName"`
	Rank      string `json:"rank" plist:"LSHandlerRank"` // LSHandlerRank; empty when not said
}

// ExportedType is a kind of document that the app declares as its own.
type ExportedType struct {
	fact.Mark `json:"-"`
	ID        string `json:"id" plist:"UTTypeIdentifier"`
	Conforms  bool   `json:"conforms" plist:"UTTypeConformsTo,present"` // it says what it is a kind of
}

// Shortcut is an action that the home screen offers.
type Shortcut struct {
	fact.Mark `json:"-"`
	Type      string `json:"type" plist:"UIApplicationShortcutItemType"`
	Title     string `json:"title" plist:"UIApplicationShortcutItemTitle"`
}

// Endpoint is an address to which the system sends reports for the app.
type Endpoint struct {
	fact.Mark `json:"-"`
	Key       string `json:"key"`
	URL       string `json:"url"`
}

// WrongType is a key of a bundle's property list whose value is of another type than the
// platform reads. What it would say is unknown.
type WrongType struct {
	fact.Mark `json:"-"`
	Bundle    string `json:"bundle"` // its path in the app; "." for the app
	Key       string `json:"key"`
	Type      string `json:"type"` // it has
	Want      string `json:"want"`
}

// Families are the kinds of devices that UIDeviceFamily numbers.
var Families = map[int64]string{1: "phone", 2: "tablet", 3: "television", 4: "watch", 7: "headset"}
