// Package facts holds the types of what was read from a release package.
// Facts carry no opinion. Each knows its place, and a fact that could not be
// read says why (see package place).
//
// Field names in rules and in JSON are those of the json tags.
package facts

import "regola.example/regola/internal/core/place"

// Package is one release package of either platform.
type Package struct {
	place.Mark `json:"-"`
	File       string   `json:"file"`              // the path as given
	Kind       string   `json:"kind"`              // aab, apk, apk-split, ipa, app, app-zip or archive
	Size       int64    `json:"size"`              // bytes of the file; of all files for a folder
	Entries    int64    `json:"entries"`           // number of files inside
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

// Android is what was read from an APK or an app bundle.
type Android struct {
	place.Mark     `json:"-"`
	ID             string           `json:"id"`                       // the manifest's package name
	Split          string           `json:"split,omitempty"`          // of a split APK; empty for a base
	VersionCode    *int64           `json:"version_code"`             // nil when the manifest has none
	VersionName    string           `json:"version_name"`             //
	MinLevel       *int64           `json:"min_level"`                // least API level; 1 when not declared
	TargetLevel    *int64           `json:"target_level"`             // the least level when not declared
	MaxLevel       int64            `json:"max_level,omitempty"`      // 0 when not declared
	LevelCodename  string           `json:"level_codename,omitempty"` // of a preview platform, where a level is none
	CompileLevel   int64            `json:"compile_level,omitempty"`  // 0 when the build did not record it
	Debuggable     bool             `json:"debuggable"`
	TestOnly       bool             `json:"test_only"`
	HasCode        bool             `json:"has_code"`
	AllowBackup    bool             `json:"allow_backup"`
	Cleartext      bool             `json:"cleartext"` // unencrypted traffic is allowed, by the attribute or its default
	ExtractNative  bool             `json:"extract_native"`
	NetworkConfig  string           `json:"network_config,omitempty"` // file of the network security configuration
	Label          *Text            `json:"label"`                    // nil when it could not be resolved
	Icon           *Icon            `json:"icon"`
	Launcher       string           `json:"launcher"` // the activity that the home screen starts
	Permissions    []*Permission    `json:"permissions"`
	Features       []*Feature       `json:"features"`
	GLES           string           `json:"gles,omitempty"` // least OpenGL ES version, such as 3.0
	Components     []*Component     `json:"components"`
	MetaData       []*MetaData      `json:"meta_data"`
	Queries        []string         `json:"queries"` // packages that the app asks to see
	DeepLinkHosts  []string         `json:"deep_link_hosts"`
	AutoVerify     bool             `json:"auto_verify"` // some deep link asks to be verified
	Architectures  []*ABI           `json:"architectures"`
	CodeFiles      []string         `json:"code_files"` // classes*.dex, in the order in which they load
	Locales        []string         `json:"locales"`    // languages of the strings, the default one left out
	Modules        []*Module        `json:"modules"`    // of a bundle
	Bundle         *BundleConfig    `json:"bundle,omitempty"`
	SignatureFiles []string         `json:"signature_files"` // entries of a JAR signature
	SizeBy         map[string]int64 `json:"size_by"`         // compressed bytes by part: code, native, resources, assets, other
}

// Icon is the launcher icon.
type Icon struct {
	place.Mark `json:"-"`
	Name       string      `json:"name"`     // the attribute's value, as a reference or a path
	Adaptive   bool        `json:"adaptive"` // a form with foreground and background layers exists
	Monochrome bool        `json:"monochrome"`
	Round      bool        `json:"round"`
	Files      []*IconFile `json:"files"`
}

// IconFile is one picture of an icon.
type IconFile struct {
	place.Mark `json:"-"`
	Density    string `json:"density"` // mdpi … xxxhdpi, anydpi
	Path       string `json:"path"`
	Width      int64  `json:"width"`  // pixels; 0 for drawings
	Height     int64  `json:"height"` // pixels
	Alpha      bool   `json:"alpha"`
	Format     string `json:"format"` // by content: png, webp, jpeg, xml
}

// Permission is one permission that the app asks for.
type Permission struct {
	place.Mark `json:"-"`
	Name       string `json:"name"`
	MaxLevel   int64  `json:"max_level,omitempty"` // last API level for which it is asked; 0 without an end
	FromM      bool   `json:"from_23,omitempty"`   // asked on API level 23 and later only
	Module     string `json:"module,omitempty"`    // of a bundle; empty for the base
}

// Feature is a device feature that the app names.
type Feature struct {
	place.Mark `json:"-"`
	Name       string `json:"name"`
	Required   bool   `json:"required"`
}

// Component is an activity, a service, a receiver or a provider.
type Component struct {
	place.Mark   `json:"-"`
	Kind         string   `json:"kind"` // activity, activity-alias, service, receiver, provider
	Name         string   `json:"name"` // full class name
	Exported     bool     `json:"exported"`
	ExportedSaid bool     `json:"exported_said"` // the manifest says it, true or false
	Filtered     bool     `json:"filtered"`      // has an intent filter
	Permission   string   `json:"permission,omitempty"`
	Foreground   []string `json:"foreground,omitempty"` // types of a foreground service
	Actions      []string `json:"actions,omitempty"`
}

// MetaData is one name and value for libraries to read.
type MetaData struct {
	place.Mark `json:"-"`
	Name       string `json:"name"`
	Value      string `json:"value"`
}

// ABI is one processor architecture that the package brings native code for.
type ABI struct {
	place.Mark `json:"-"`
	Name       string   `json:"name"` // arm64-v8a …
	Bits       int64    `json:"bits"`
	Libraries  []string `json:"libraries"`
}

// Module is one module of a bundle.
type Module struct {
	place.Mark `json:"-"`
	Name       string `json:"name"`
	Delivery   string `json:"delivery"` // install-time, on-demand, fast-follow, conditional
	Kind       string `json:"kind"`     // base, feature, assets
	Size       int64  `json:"size"`     // compressed bytes
}

// BundleConfig is what BundleConfig.pb says.
type BundleConfig struct {
	place.Mark    `json:"-"`
	Version       string `json:"version"`        // of the tool that built the bundle
	PageAlignment string `json:"page_alignment"` // of native libraries: 4K, 16K, 64K, or empty
}

// IOS is what was read from an app bundle of the iOS platform.
type IOS struct {
	place.Mark      `json:"-"`
	Root            string     `json:"root"`            // the app's folder inside the package
	ID              string     `json:"id"`              // CFBundleIdentifier
	Name            string     `json:"name"`            // under the icon
	Version         string     `json:"version"`         // CFBundleShortVersionString
	Build           string     `json:"build"`           // CFBundleVersion
	Executable      string     `json:"executable"`      //
	InfoEncoding    string     `json:"info_encoding"`   // binary or xml
	MinOS           string     `json:"min_os"`          // MinimumOSVersion
	SDKName         string     `json:"sdk_name"`        // DTSDKName, such as iphoneos26.0
	SDK             *string    `json:"sdk"`             // version of the SDK, from the executable or else from SDKName
	Platforms       []string   `json:"platforms"`       // CFBundleSupportedPlatforms
	Families        []int64    `json:"families"`        // UIDeviceFamily: 1 phone, 2 tablet
	Encryption      *bool      `json:"encryption"`      // ITSAppUsesNonExemptEncryption; nil when absent
	EncryptionSaid  bool       `json:"encryption_said"` // the key is there
	Purposes        []*Purpose `json:"purposes"`
	Slices          []*Slice   `json:"slices"` // of the main executable
	Libraries       []string   `json:"libraries"`
	WeakLibraries   []string   `json:"weak_libraries"`
	Icon            *IOSIcon   `json:"icon"`
	Nested          []*Nested  `json:"nested"` // extensions, frameworks, watch apps, app clips
	Locales         []string   `json:"locales"`
	LaunchScreen    bool       `json:"launch_screen"` // a storyboard or a launch-screen dictionary is named
	BackgroundModes []string   `json:"background_modes"`
	URLSchemes      []string   `json:"url_schemes"`
	ArbitraryLoads  bool       `json:"arbitrary_loads"` // transport security is switched off for all hosts
	PrivacyManifest bool       `json:"privacy_manifest"`
	Profile         bool       `json:"profile"` // a provisioning profile is embedded
	Sealed          bool       `json:"sealed"`  // a resource seal is there
	Binaries        []*Binary  `json:"binaries"`
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
