package facts

import "regola.example/regola/internal/core/fact"

// AppBundle is what an app bundle has beyond an APK.
type AppBundle struct {
	fact.Mark  `json:"-"`
	Config     *BundleConfig `json:"config"`
	Duplicates []*Duplicate  `json:"duplicates"` // paths that two modules fill differently
	Modules    []*Module     `json:"modules"`    // of a bundle
	Metadata   *Metadata     `json:"metadata"`
}

// Module is one module of a bundle.
type Module struct {
	fact.Mark        `json:"-"`
	Name             string   `json:"name"`
	Delivery         string   `json:"delivery"` // install-time, on-demand, fast-follow, conditional
	Kind             string   `json:"kind"`     // base, feature, assets, model
	ID               string   `json:"id" axml:"@package,plain"`
	VersionCode      *int64   `json:"version_code" axml:"@versionCode,mask=0xffffffff,needed"`
	SplitName        string   `json:"split_name" axml:"@split,plain"` // the manifest's split attribute
	Title            string   `json:"title"`
	TitleInModule    bool     `json:"title_in_module,omitempty"` // it is in the module's own table, not in the base's
	DeliveryDeclared bool     `json:"delivery_declared"`         // a distribution element says it
	HasCode          bool     `json:"has_code"`
	HasResources     bool     `json:"has_resources"`
	ABIs             []string `json:"abis"`
	Conditions       []string `json:"conditions"` // under which a conditional module is installed
	Instant          bool     `json:"instant"`
	Size             int64    `json:"size"` // compressed bytes
}

// BundleConfig is what BundleConfig.pb says.
type BundleConfig struct {
	fact.Mark     `json:"-"`
	Version       string   `json:"version"`        // of the tool that built the bundle
	PageAlignment string   `json:"page_alignment"` // of native libraries: 4K, 16K, 64K, or empty
	StoredNative  bool     `json:"stored_native"`  // native libraries are not compressed on the device
	SplitBy       []string `json:"split_by"`       // dimensions that are named: abi, density, language, texture …
	NotSplitBy    []string `json:"not_split_by"`   // dimensions that are switched off
	Type          int64    `json:"type"`           // 0 regular, 1 system module, 2 assets only
}

// Duplicate is a path that two modules of a bundle fill with different contents.
type Duplicate struct {
	fact.Mark `json:"-"`
	Path      string   `json:"path"`
	Modules   []string `json:"modules"`
}

// Metadata is what accompanies a release without going to devices.
type Metadata struct {
	fact.Mark     `json:"-"`
	Mapping       bool     `json:"mapping"`        // from shortened names to real ones
	NativeSymbols []string `json:"native_symbols"` // libraries that have symbols there, by ABI and name
	Dependencies  bool     `json:"dependencies"`   // the list of third-party libraries
	Files         []string `json:"files"`
}
