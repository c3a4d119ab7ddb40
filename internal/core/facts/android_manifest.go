package facts

import "regola.example/regola/internal/core/fact"

// Manifest is what the Android manifest says: the base's, with what modules and
// splits add to its lists. The axml tags say which elements and attributes its fields are
// read from (package artifact/android). Source: the platform's documentation of the manifest.
type Manifest struct {
	fact.Mark          `json:"-"`
	ID                 string        `json:"id" axml:"@package,plain,needed"`                            // the manifest's package name
	Split              string        `json:"split,omitempty" axml:"@split,plain"`                        // of a split APK; empty for a base
	SplitRequired      bool          `json:"split_required" axml:"@isSplitRequired"`                     // the base does not run without its splits
	VersionCode        *int64        `json:"version_code" axml:"@versionCode,default=0,mask=0xffffffff"` // 0 when the manifest has none
	VersionCodeMajor   int64         `json:"version_code_major" axml:"@versionCodeMajor"`                // the upper half of a long version code; 0 when not set
	VersionName        string        `json:"version_name" axml:"@versionName"`                           //
	MinLevel           *int64        `json:"min_level" axml:"uses-sdk@minSdkVersion,default=1,codename"` // least API level; 1 when not declared
	MinLevelDeclared   bool          `json:"min_level_declared" axml:"uses-sdk@minSdkVersion,present"`   // the manifest declares it
	TargetLevel        *int64        `json:"target_level" axml:"uses-sdk@targetSdkVersion,codename"`     // the least level when not declared
	MaxLevel           int64         `json:"max_level,omitempty" axml:"uses-sdk@maxSdkVersion"`          // 0 when not declared
	LevelCodename      string        `json:"level_codename,omitempty"`                                   // of a preview platform, where a level is none
	CompileLevel       int64         `json:"compile_level,omitempty" axml:"@compileSdkVersion"`          // 0 when the build did not record it
	Debuggable         bool          `json:"debuggable" axml:"application@debuggable"`
	TestOnly           bool          `json:"test_only" axml:"application@testOnly"`
	HasCode            bool          `json:"has_code" axml:"application@hasCode,default=true"`
	Instrumented       bool          `json:"instrumented" axml:"instrumentation,present"` // an instrumentation element is left in
	AllowBackup        bool          `json:"allow_backup" axml:"application@allowBackup,default=true"`
	BackupRules        bool          `json:"backup_rules" axml:"application@fullBackupContent|application@dataExtractionRules,present"` // rules say what a backup holds
	Cleartext          bool          `json:"cleartext" axml:"application@usesCleartextTraffic"`                                         // unencrypted traffic is allowed to every host
	ExtractNative      bool          `json:"extract_native" axml:"application@extractNativeLibs,default=true"`
	NetworkConfig      string        `json:"network_config,omitempty" axml:"application@networkSecurityConfig"` // file of the network security configuration
	Network            *Network      `json:"network,omitempty"`                                                 // what that file says
	LegacyStorage      bool          `json:"legacy_storage" axml:"application@requestLegacyExternalStorage"`
	SharedUser         string        `json:"shared_user,omitempty" axml:"@sharedUserId"`
	Game               bool          `json:"game"` // the manifest calls it a game
	LocaleConfig       string        `json:"locale_config,omitempty" axml:"application@localeConfig"`
	BackOptOut         bool          `json:"back_opt_out" axml:"application@enableOnBackInvokedCallback,not"` // predictive back is switched off
	PageCompat         bool          `json:"page_compat" axml:"application@pageSizeCompat,is=5 enabled"`      // the compatibility mode for large pages is forced
	Banner             bool          `json:"banner" axml:"application@banner,present"`                        // a television banner is named
	Launcher           string        `json:"launcher"`                                                        // the activity that the home screen starts
	LauncherKind       string        `json:"launcher_kind"`                                                   // phone, television, or empty when there is none
	Permissions        []*Permission `json:"permissions" axml:"uses-permission[]|uses-permission-sdk-23[]|uses-permission-sdk-m[]"`
	DefinedPermissions []string      `json:"defined_permissions" axml:"permission[]@name"` // permissions that the app defines itself
	Features           []*Feature    `json:"features" axml:"uses-feature[]"`
	GLES               string        `json:"gles,omitempty"`                                                                     // least OpenGL ES version, such as 3.0
	GLTextures         []string      `json:"gl_textures" axml:"supports-gl-texture[]@name"`                                      // texture formats without which a device is shut out
	ExcludedScreens    []string      `json:"excluded_screens"`                                                                   // screen classes that the manifest excludes
	LeastWidth         int64         `json:"least_width" axml:"supports-screens@requiresSmallestWidthDp"`                        // of the screens that the app is offered to, in density-independent pixels; 0 for any
	LargestWidth       int64         `json:"largest_width" axml:"supports-screens@largestWidthLimitDp"`                          // of the screens that the app is offered to, in density-independent pixels; 0 for any
	UsesLibraries      []*Feature    `json:"uses_libraries" axml:"application/uses-library[]|application/uses-native-library[]"` // shared libraries of the device
	Components         []*Component  `json:"components" axml:"application/activity[]|application/activity-alias[]|application/service[]|application/receiver[]|application/provider[]"`
	Classes            []string      `json:"classes" axml:"application@name|application@backupAgent|application@appComponentFactory,class"` // that the application element names besides: itself, its backup agent, its component factory
	MetaData           []*MetaData   `json:"meta_data" axml:"application/meta-data[]"`
	Properties         []*MetaData   `json:"properties" axml:"application/property[]"`
	Queries            []string      `json:"queries" axml:"queries[]/package[]@name"` // packages that the app asks to see
	QueriesBroad       bool          `json:"queries_broad"`                           // it asks to see every app that can be started
	DeepLinkHosts      []string      `json:"deep_link_hosts"`
	AutoVerify         bool          `json:"auto_verify"`  // some deep link asks to be verified
	Placeholders       []*MetaData   `json:"placeholders"` // manifest values that a template left behind
	UnverifiedLinks    []*LinkFault  `json:"unverified_links"`
}

// LinkFault is a component whose filter asks for its web links to be verified, and lacks
// what the system verifies.
type LinkFault struct {
	fact.Mark `json:"-"`
	Component string   `json:"component"`
	Lacks     []string `json:"lacks"` // actions and categories
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
	Name             string `json:"name" axml:"@name"`
	MaxLevel         int64  `json:"max_level,omitempty" axml:"@maxSdkVersion"`                                      // last API level for which it is asked; 0 without an end
	From23           bool   `json:"from_23,omitempty" axml:",element=uses-permission-sdk-23 uses-permission-sdk-m"` // asked on API level 23 and later only
	NeverForLocation bool   `json:"never_for_location,omitempty" axml:"@usesPermissionFlags,flag=0x10000"`
	ImpliedBy        string `json:"implied_by,omitempty"` // not asked for itself: the system adds it to this one
	Module           string `json:"module,omitempty"`     // of a bundle or a split; empty for the base
}

// Feature is a device feature or a shared library that the app names.
type Feature struct {
	fact.Mark `json:"-"`
	Name      string `json:"name" axml:"@name"`
	Required  bool   `json:"required" axml:"@required,default=true"`
}

// Component is an activity, a service, a receiver or a provider.
type Component struct {
	fact.Mark        `json:"-"`
	Kind             string   `json:"kind" axml:",element"`                          // activity, activity-alias, service, receiver, provider
	Name             string   `json:"name" axml:"@name,class"`                       // full class name
	Target           string   `json:"target,omitempty" axml:"@targetActivity,class"` // of an alias
	Enabled          bool     `json:"enabled" axml:"@enabled,default=true"`
	Exported         bool     `json:"exported" axml:"@exported"`
	ExportedDeclared bool     `json:"exported_declared" axml:"@exported,present"`                               // the manifest says it, true or false
	Filtered         bool     `json:"filtered" axml:"intent-filter,present"`                                    // has an intent filter
	Permission       string   `json:"permission,omitempty" axml:"@permission|@readPermission|@writePermission"` // that a caller must hold; of a provider also to read or write
	Authorities      []string `json:"authorities,omitempty" axml:"@authorities,split=;"`
	Foreground       []string `json:"foreground,omitempty" axml:"@foregroundServiceType,words=foregroundServiceType"` // types of a foreground service
	Actions          []string `json:"actions,omitempty" axml:"intent-filter[]/action[]@name"`
	Categories       []string `json:"categories,omitempty" axml:"intent-filter[]/category[]@name"`
	SpecialUse       string   `json:"special_use,omitempty"`                                                   // what a foreground service of type specialUse is for
	Orientation      string   `json:"orientation,omitempty" axml:"@screenOrientation,words=screenOrientation"` // portrait or landscape when it is fixed
	Banner           bool     `json:"banner,omitempty" axml:"@banner,present"`                                 // a picture for television home screens
	Resizeable       bool     `json:"resizeable" axml:"@resizeableActivity,default=true"`
	Module           string   `json:"module,omitempty"`
	Undefined        bool     `json:"undefined,omitempty"` // no code file of the package defines its class, as far as they were read
}

// MetaData is one name and value for libraries to read.
type MetaData struct {
	fact.Mark `json:"-"`
	Name      string `json:"name" axml:"@name"`
	Value     string `json:"value" axml:"@value|@resource"`
}
