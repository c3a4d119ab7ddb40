package facts

import (
	"time"

	"regola.example/regola/internal/core/place"
)

// Android is what was read from an APK or an app bundle.
type Android struct {
	place.Mark    `json:"-"`
	ID            string                            `json:"id"`                       // the manifest's package name
	Split         string                            `json:"split,omitempty"`          // of a split APK; empty for a base
	Splits        []*Split                          `json:"splits"`                   // splits that were given together with this base
	SplitRequired bool                              `json:"split_required"`           // the base does not run without its splits
	VersionCode   *int64                            `json:"version_code"`             // 0 when the manifest has none
	VersionMajor  int64                             `json:"version_code_major"`       // the upper half of a long version code; 0 when not set
	VersionName   string                            `json:"version_name"`             //
	MinLevel      *int64                            `json:"min_level"`                // least API level; 1 when not declared
	MinLevelSaid  bool                              `json:"min_level_said"`           // the manifest declares it
	TargetLevel   *int64                            `json:"target_level"`             // the least level when not declared
	MaxLevel      int64                             `json:"max_level,omitempty"`      // 0 when not declared
	LevelCodename string                            `json:"level_codename,omitempty"` // of a preview platform, where a level is none
	CompileLevel  int64                             `json:"compile_level,omitempty"`  // 0 when the build did not record it
	Debuggable    bool                              `json:"debuggable"`
	TestOnly      bool                              `json:"test_only"`
	HasCode       bool                              `json:"has_code"`
	Instrumented  bool                              `json:"instrumented"` // an instrumentation element is left in
	AllowBackup   bool                              `json:"allow_backup"`
	BackupRules   bool                              `json:"backup_rules"` // rules say what a backup holds
	Cleartext     bool                              `json:"cleartext"`    // unencrypted traffic is allowed to every host
	ExtractNative bool                              `json:"extract_native"`
	NetworkConfig string                            `json:"network_config,omitempty"` // file of the network security configuration
	Network       *Network                          `json:"network,omitempty"`        // what that file says
	LegacyStorage bool                              `json:"legacy_storage"`
	SharedUser    string                            `json:"shared_user,omitempty"`
	Game          bool                              `json:"game"` // the manifest calls it a game
	LocaleConfig  string                            `json:"locale_config,omitempty"`
	BackOptOut    bool                              `json:"back_opt_out"` // predictive back is switched off
	PageCompat    bool                              `json:"page_compat"`  // the compatibility mode for large pages is forced
	Banner        bool                              `json:"banner"`       // a television banner is named
	Label         *Text                             `json:"label"`        // nil when it could not be resolved
	Icon          *Icon                             `json:"icon"`
	Themes        []*Theme                          `json:"themes"`        // that the manifest names, each once
	LabelID       uint32                            `json:"-"`             // resource id of the label; 0 for a literal
	Texts         func(id uint32) map[string]string `json:"-"`             // texts of a string resource by language, for joining splits
	Launcher      string                            `json:"launcher"`      // the activity that the home screen starts
	LauncherKind  string                            `json:"launcher_kind"` // phone, television, or empty when there is none
	Permissions   []*Permission                     `json:"permissions"`
	Defined       []string                          `json:"defined_permissions"` // permissions that the app defines itself
	Features      []*Feature                        `json:"features"`
	GLES          string                            `json:"gles,omitempty"`   // least OpenGL ES version, such as 3.0
	GLTextures    []string                          `json:"gl_textures"`      // texture formats without which a device is shut out
	Screens       []string                          `json:"screens_shut_out"` // screen classes that the manifest excludes
	UsesLibraries []*Feature                        `json:"uses_libraries"`   // shared libraries of the device
	Components    []*Component                      `json:"components"`
	MetaData      []*MetaData                       `json:"meta_data"`
	Properties    []*MetaData                       `json:"properties"`
	Queries       []string                          `json:"queries"`       // packages that the app asks to see
	QueriesBroad  bool                              `json:"queries_broad"` // it asks to see every app that can be started
	DeepLinkHosts []string                          `json:"deep_link_hosts"`
	AutoVerify    bool                              `json:"auto_verify"`  // some deep link asks to be verified
	Placeholders  []*MetaData                       `json:"placeholders"` // manifest values that a template left behind
	Architectures []*ABI                            `json:"architectures"`
	Libraries     []*Library                        `json:"libraries"`
	CodeFiles     []string                          `json:"code_files"` // classes*.dex, in the order in which they load
	Dex           []*Dex                            `json:"dex"`
	Code          *Code                             `json:"code"`
	Locales       []string                          `json:"locales"` // languages of the strings, the default one left out
	Strings       []*LocaleStrings                  `json:"strings"`
	Orphans       []string                          `json:"strings_without_default"`
	Versions      map[string]string                 `json:"versions"`   // of libraries that leave a version file behind, by group and name
	Duplicates    []*Duplicate                      `json:"duplicates"` // paths that two modules fill differently
	Densities     []string                          `json:"densities"`  // of the pictures under res/
	Modules       []*Module                         `json:"modules"`    // of a bundle
	Bundle        *BundleConfig                     `json:"bundle,omitempty"`
	Metadata      *Metadata                         `json:"metadata"`
	Signing       *Signing                          `json:"signing"`
	Archive       *Archive                          `json:"archive"`
	Download      int64                             `json:"download"` // estimate of what one device downloads first, in compressed bytes
	SizeBy        map[string]int64                  `json:"size_by"`  // compressed bytes by part: code, native, resources, assets, other
}

// Split is one split APK that was given together with its base.
type Split struct {
	place.Mark `json:"-"`
	Name       string   `json:"name"`
	File       string   `json:"file"`
	Faults     []string `json:"faults"` // in what it does not fit the base
}

// Network is the network security configuration.
type Network struct {
	place.Mark  `json:"-"`
	Cleartext   bool     `json:"cleartext"`    // unencrypted traffic is allowed to every host
	Hosts       []string `json:"hosts"`        // hosts to which it is allowed
	UserTrusted bool     `json:"user_trusted"` // certificates that the user added are trusted outside debugging
}

// Icon is the launcher icon.
type Icon struct {
	place.Mark `json:"-"`
	Name       string      `json:"name"`     // the attribute's value, as a reference or a path
	Adaptive   bool        `json:"adaptive"` // a form with foreground and background layers exists
	Foreground bool        `json:"foreground"`
	Background bool        `json:"background"`
	Monochrome bool        `json:"monochrome"`
	Round      bool        `json:"round"`
	Fill       string      `json:"fill"`    // colour of the background layer, as #aarrggbb; empty when it is a picture
	Strokes    []string    `json:"strokes"` // colours of the lines that the background layer draws, each once
	Files      []*IconFile `json:"files"`
}

// Theme is a style that the app or an activity wears, with what it extends.
type Theme struct {
	place.Mark `json:"-"`
	Name       string `json:"name"`             // as the manifest names it
	EdgeOptOut bool   `json:"edge_opt_out"`     // it asks not to be drawn behind the system's bars
	Splash     string `json:"splash,omitempty"` // the picture of the start screen, by its file or resource
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
	Colors     int64  `json:"colors"` // distinct ones, counted up to 3; 0 when not counted
}

// Permission is one permission that the app asks for.
type Permission struct {
	place.Mark       `json:"-"`
	Name             string `json:"name"`
	MaxLevel         int64  `json:"max_level,omitempty"` // last API level for which it is asked; 0 without an end
	FromM            bool   `json:"from_23,omitempty"`   // asked on API level 23 and later only
	NeverForLocation bool   `json:"never_for_location,omitempty"`
	Module           string `json:"module,omitempty"` // of a bundle or a split; empty for the base
}

// Feature is a device feature or a shared library that the app names.
type Feature struct {
	place.Mark `json:"-"`
	Name       string `json:"name"`
	Required   bool   `json:"required"`
}

// Component is an activity, a service, a receiver or a provider.
type Component struct {
	place.Mark   `json:"-"`
	Kind         string   `json:"kind"`             // activity, activity-alias, service, receiver, provider
	Name         string   `json:"name"`             // full class name
	Target       string   `json:"target,omitempty"` // of an alias
	Enabled      bool     `json:"enabled"`
	Exported     bool     `json:"exported"`
	ExportedSaid bool     `json:"exported_said"`        // the manifest says it, true or false
	Filtered     bool     `json:"filtered"`             // has an intent filter
	Permission   string   `json:"permission,omitempty"` // that a caller must hold; of a provider also to read or write
	Authorities  []string `json:"authorities,omitempty"`
	Foreground   []string `json:"foreground,omitempty"` // types of a foreground service
	Actions      []string `json:"actions,omitempty"`
	Categories   []string `json:"categories,omitempty"`
	SpecialUse   string   `json:"special_use,omitempty"` // what a foreground service of type specialUse is for
	Orientation  string   `json:"orientation,omitempty"` // portrait or landscape when it is fixed
	Resizeable   bool     `json:"resizeable"`
	Module       string   `json:"module,omitempty"`
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

// Library is one native library.
type Library struct {
	place.Mark `json:"-"`
	Path       string   `json:"path"`
	Name       string   `json:"name"`
	ABI        string   `json:"abi"` // the folder it lies in
	Module     string   `json:"module,omitempty"`
	Machine    string   `json:"machine"` // by its header: arm64, arm, x86, x86_64 …
	Bits       int64    `json:"bits"`    // by its header
	Fits       bool     `json:"fits"`    // header and folder agree
	Align      int64    `json:"align"`   // smallest alignment of a load segment, in bytes
	Congruent  bool     `json:"congruent"`
	Stored     bool     `json:"stored"`  // not compressed in the archive
	Offset     int64    `json:"offset"`  // of its bytes in the archive; 0 when not known
	Size       int64    `json:"size"`    // bytes
	Symbols    bool     `json:"symbols"` // a symbol table is left in
	Debug      int64    `json:"debug"`   // bytes of debugging information
	Sections   bool     `json:"sections"`
	TextRel    bool     `json:"text_relocations"`
	WriteExec  bool     `json:"write_exec"`
	Needed     []string `json:"needed"`
	BuildID    string   `json:"build_id,omitempty"`
}

// Dex is one file of compiled code.
type Dex struct {
	place.Mark `json:"-"`
	Name       string `json:"name"`
	Module     string `json:"module,omitempty"`
	Version    string `json:"version"`  // of the format: 035 …
	Methods    int64  `json:"methods"`  // references
	Fields     int64  `json:"fields"`   // references
	Classes    int64  `json:"classes"`  // defined
	Checksum   bool   `json:"checksum"` // the sums in its header fit
	Size       int64  `json:"size"`     // bytes
}

// Code is all compiled code together.
type Code struct {
	place.Mark `json:"-"`
	Classes    int64            `json:"classes"`
	Methods    int64            `json:"methods"`
	Shrunk     bool             `json:"shrunk"`            // a shrinker left its mark, or names are short throughout
	Compilers  []string         `json:"compilers"`         // marks of compilers and shrinkers, as they left them
	ShortNames int64            `json:"short_names"`       // share of classes whose name has one or two letters, in percent
	Missing    []string         `json:"missing"`           // components that the manifest names and no file defines
	PrivateKey bool             `json:"private_key"`       // a private key in PEM form is among the strings
	ExactCheck bool             `json:"calls_exact_check"` // it asks whether exact alarms are allowed
	Packages   map[string]int64 `json:"-"`                 // class packages that are defined or referred to, with slashes → number of types
	Calls      map[string]bool  `json:"-"`                 // methods of the platform that are referred to, as class.method
}

// LocaleStrings says how complete a language is.
type LocaleStrings struct {
	place.Mark `json:"-"`
	Locale     string   `json:"locale"`
	Count      int64    `json:"count"`
	Missing    int64    `json:"missing"` // strings of the default language that it lacks
	Names      []string `json:"names"`   // some of them
}

// Module is one module of a bundle.
type Module struct {
	place.Mark   `json:"-"`
	Name         string   `json:"name"`
	Delivery     string   `json:"delivery"` // install-time, on-demand, fast-follow, conditional
	Kind         string   `json:"kind"`     // base, feature, assets, model
	ID           string   `json:"id"`
	VersionCode  *int64   `json:"version_code"`
	SplitName    string   `json:"split_name"` // the manifest's split attribute
	Title        string   `json:"title"`
	DeliverySaid bool     `json:"delivery_said"` // a distribution element says it
	HasCode      bool     `json:"has_code"`
	HasResources bool     `json:"has_resources"`
	ABIs         []string `json:"abis"`
	Conditions   []string `json:"conditions"` // under which a conditional module is installed
	Instant      bool     `json:"instant"`
	Size         int64    `json:"size"` // compressed bytes
}

// BundleConfig is what BundleConfig.pb says.
type BundleConfig struct {
	place.Mark    `json:"-"`
	Version       string   `json:"version"`        // of the tool that built the bundle
	PageAlignment string   `json:"page_alignment"` // of native libraries: 4K, 16K, 64K, or empty
	StoredNative  bool     `json:"stored_native"`  // native libraries are not compressed on the device
	SplitBy       []string `json:"split_by"`       // dimensions that are named: abi, density, language, texture …
	NotSplitBy    []string `json:"not_split_by"`   // dimensions that are switched off
	Type          int64    `json:"type"`           // 0 regular, 1 system module, 2 assets only
}

// Duplicate is a path that two modules of a bundle fill with different contents.
type Duplicate struct {
	place.Mark `json:"-"`
	Path       string   `json:"path"`
	Modules    []string `json:"modules"`
}

// Metadata is what accompanies a release without going to devices.
type Metadata struct {
	place.Mark    `json:"-"`
	Mapping       bool     `json:"mapping"`        // from shortened names to real ones
	NativeSymbols []string `json:"native_symbols"` // libraries that have symbols there, by ABI and name
	Dependencies  bool     `json:"dependencies"`   // the list of third-party libraries
	Files         []string `json:"files"`
}

// Signing is how the package is signed and whether that holds.
type Signing struct {
	place.Mark  `json:"-"`
	Schemes     []string          `json:"schemes"`     // jar, 2, 3, 3.1
	Announced   []string          `json:"announced"`   // schemes that the JAR signature says were applied too
	Certificate *Certificate      `json:"certificate"` // of the newest scheme; nil when unsigned
	Signers     []*Signer         `json:"signers"`
	SideFile    bool              `json:"side_file"` // a scheme-4 file lies beside the package
	Verified    *bool             `json:"verified"`  // every digest was verified and fits; nil when not asked for
	Faults      []*SignatureFault `json:"faults"`
	StoreCopy   bool              `json:"store_copy"` // marks show that the store delivered it
}

// Signer is one certificate and the scheme it signs by.
type Signer struct {
	place.Mark  `json:"-"`
	Scheme      string       `json:"scheme"`
	Certificate *Certificate `json:"certificate"`
	Algorithms  []string     `json:"algorithms"`
	Rotated     bool         `json:"rotated"` // a proof of rotation is there
	MinLevel    int64        `json:"min_level,omitempty"`
}

// Certificate is a signer's certificate.
type Certificate struct {
	place.Mark  `json:"-"`
	Subject     string    `json:"subject"`
	Key         string    `json:"key"`
	Bits        int64     `json:"bits"`
	Algorithm   string    `json:"algorithm"` // with which the certificate itself was signed
	NotBefore   time.Time `json:"not_before"`
	NotAfter    time.Time `json:"not_after"`
	Fingerprint string    `json:"fingerprint"` // SHA-256
	Debug       bool      `json:"debug"`
}

// SignatureFault is a place where signature and contents do not agree.
type SignatureFault struct {
	place.Mark `json:"-"`
	Scheme     string `json:"scheme"`
	Entry      string `json:"entry"` // empty when the package as a whole is meant
	What       string `json:"what"`
}

// Archive is the ZIP archive itself.
type Archive struct {
	place.Mark  `json:"-"`
	Faults      []*ArchiveFault `json:"faults"`
	Unaligned   []*Unaligned    `json:"unaligned"`    // stored entries that do not begin at a multiple of 4
	TableStored bool            `json:"table_stored"` // the resource table is not compressed
}

// ArchiveFault is an oddity of the archive.
type ArchiveFault struct {
	place.Mark `json:"-"`
	Kind       string `json:"kind"`
	Entry      string `json:"entry"`
	What       string `json:"what"`
}

// Unaligned is a stored entry that begins at an odd place.
type Unaligned struct {
	place.Mark `json:"-"`
	Entry      string `json:"entry"`
	Offset     int64  `json:"offset"`
}
