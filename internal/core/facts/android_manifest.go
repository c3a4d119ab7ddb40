package facts

import "regola.example/regola/internal/core/fact"

// Manifest is what the Android manifest says: the base's, with what modules and
// splits add to its lists. Source: the platform's documentation of the manifest.
type Manifest struct {
	fact.Mark          `json:"-"`
	ID                 string        `json:"id"`                       // the manifest's package name
	Split              string        `json:"split,omitempty"`          // of a split APK; empty for a base
	SplitRequired      bool          `json:"split_required"`           // the base does not run without its splits
	VersionCode        *int64        `json:"version_code"`             // 0 when the manifest has none
	VersionCodeMajor   int64         `json:"version_code_major"`       // the upper half of a long version code; 0 when not set
	VersionName        string        `json:"version_name"`             //
	MinLevel           *int64        `json:"min_level"`                // least API level; 1 when not declared
	MinLevelDeclared   bool          `json:"min_level_declared"`       // the manifest declares it
	TargetLevel        *int64        `json:"target_level"`             // the least level when not declared
	MaxLevel           int64         `json:"max_level,omitempty"`      // 0 when not declared
	LevelCodename      string        `json:"level_codename,omitempty"` // of a preview platform, where a level is none
	CompileLevel       int64         `json:"compile_level,omitempty"`  // 0 when the build did not record it
	Debuggable         bool          `json:"debuggable"`
	TestOnly           bool          `json:"test_only"`
	HasCode            bool          `json:"has_code"`
	Instrumented       bool          `json:"instrumented"` // an instrumentation element is left in
	AllowBackup        bool          `json:"allow_backup"`
	BackupRules        bool          `json:"backup_rules"` // rules say what a backup holds
	Cleartext          bool          `json:"cleartext"`    // unencrypted traffic is allowed to every host
	ExtractNative      bool          `json:"extract_native"`
	NetworkConfig      string        `json:"network_config,omitempty"` // file of the network security configuration
	Network            *Network      `json:"network,omitempty"`        // what that file says
	LegacyStorage      bool          `json:"legacy_storage"`
	SharedUser         string        `json:"shared_user,omitempty"`
	Game               bool          `json:"game"` // the manifest calls it a game
	LocaleConfig       string        `json:"locale_config,omitempty"`
	BackOptOut         bool          `json:"back_opt_out"`  // predictive back is switched off
	PageCompat         bool          `json:"page_compat"`   // the compatibility mode for large pages is forced
	Banner             bool          `json:"banner"`        // a television banner is named
	Launcher           string        `json:"launcher"`      // the activity that the home screen starts
	LauncherKind       string        `json:"launcher_kind"` // phone, television, or empty when there is none
	Permissions        []*Permission `json:"permissions"`
	DefinedPermissions []string      `json:"defined_permissions"` // permissions that the app defines itself
	Features           []*Feature    `json:"features"`
	GLES               string        `json:"gles,omitempty"`   // least OpenGL ES version, such as 3.0
	GLTextures         []string      `json:"gl_textures"`      // texture formats without which a device is shut out
	ExcludedScreens    []string      `json:"excluded_screens"` // screen classes that the manifest excludes
	UsesLibraries      []*Feature    `json:"uses_libraries"`   // shared libraries of the device
	Components         []*Component  `json:"components"`
	Classes            []string      `json:"classes"` // that the application element names besides: itself, its backup agent, its component factory
	MetaData           []*MetaData   `json:"meta_data"`
	Properties         []*MetaData   `json:"properties"`
	Queries            []string      `json:"queries"`       // packages that the app asks to see
	QueriesBroad       bool          `json:"queries_broad"` // it asks to see every app that can be started
	DeepLinkHosts      []string      `json:"deep_link_hosts"`
	AutoVerify         bool          `json:"auto_verify"`  // some deep link asks to be verified
	Placeholders       []*MetaData   `json:"placeholders"` // manifest values that a template left behind
}

// Network is the network security configuration.
type Network struct {
	fact.Mark   `json:"-"`
	Cleartext   bool     `json:"cleartext"`    // unencrypted traffic is allowed to every host
	Hosts       []string `json:"hosts"`        // hosts to which it is allowed
	UserTrusted bool     `json:"user_trusted"` // certificates that the user added are trusted outside debugging
}

// Permission is one permission that the app asks for.
type Permission struct {
	fact.Mark        `json:"-"`
	Name             string `json:"name"`
	MaxLevel         int64  `json:"max_level,omitempty"` // last API level for which it is asked; 0 without an end
	From23           bool   `json:"from_23,omitempty"`   // asked on API level 23 and later only
	NeverForLocation bool   `json:"never_for_location,omitempty"`
	ImpliedBy        string `json:"implied_by,omitempty"` // not asked for itself: the system adds it to this one
	Module           string `json:"module,omitempty"`     // of a bundle or a split; empty for the base
}

// Feature is a device feature or a shared library that the app names.
type Feature struct {
	fact.Mark `json:"-"`
	Name      string `json:"name"`
	Required  bool   `json:"required"`
}

// Component is an activity, a service, a receiver or a provider.
type Component struct {
	fact.Mark        `json:"-"`
	Kind             string   `json:"kind"`             // activity, activity-alias, service, receiver, provider
	Name             string   `json:"name"`             // full class name
	Target           string   `json:"target,omitempty"` // of an alias
	Enabled          bool     `json:"enabled"`
	Exported         bool     `json:"exported"`
	ExportedDeclared bool     `json:"exported_declared"`    // the manifest says it, true or false
	Filtered         bool     `json:"filtered"`             // has an intent filter
	Permission       string   `json:"permission,omitempty"` // that a caller must hold; of a provider also to read or write
	Authorities      []string `json:"authorities,omitempty"`
	Foreground       []string `json:"foreground,omitempty"` // types of a foreground service
	Actions          []string `json:"actions,omitempty"`
	Categories       []string `json:"categories,omitempty"`
	SpecialUse       string   `json:"special_use,omitempty"` // what a foreground service of type specialUse is for
	Orientation      string   `json:"orientation,omitempty"` // portrait or landscape when it is fixed
	Banner           bool     `json:"banner,omitempty"`      // a picture for television home screens
	Resizeable       bool     `json:"resizeable"`
	Module           string   `json:"module,omitempty"`
}

// MetaData is one name and value for libraries to read.
type MetaData struct {
	fact.Mark `json:"-"`
	Name      string `json:"name"`
	Value     string `json:"value"`
}
