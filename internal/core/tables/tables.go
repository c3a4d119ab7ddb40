// Package tables holds the reference data that rules and the evidence look
// things up in: permissions, third-party code, names of the systems. The
// contents are data, rulebooks/tables/ and further files that a dossier names.
// Rows carry dates: a rule sees those that are in force on its day.
//
// A table whose rows have a Go type is a field of Known. Any other key of a
// file is a table without a type, whose rows rules see as they are written.
package tables

import (
	"regola.example/regola/internal/core/fact"
)

// Known is the tables whose rows have a type.
type Known struct {
	Permissions             map[string]*Permission       `json:"permissions"`
	Restricted              map[string]*Restricted       `json:"restricted"`        // uses that need a declaration
	ForegroundTypes         map[string]*Foreground       `json:"foreground_types"`  // of services, with what each needs
	ImpliedFeatures         []*ImpliedFeature            `json:"implied_features"`  // that permissions make required
	LoanBarred              []*Barred                    `json:"loan_barred"`       // permissions that loan apps may not ask for
	CompatLibraries         []string                     `json:"compat_libraries"`  // packages of libraries that call the platform for whoever asks them
	CodeLevels              map[string]int64             `json:"code_levels"`       // formats of code files, with the first API level that reads each
	PlatformForms           map[string]string            `json:"platform_forms"`    // platforms of iOS bundles, with the kind of device that runs each
	CountryGroups           map[string][]string          `json:"country_groups"`    // words that stand for several countries
	Territories             map[string]string            `json:"territories"`       // codes that belong to the storefront of another country
	NotOffered              []*NotOffered                `json:"not_offered"`       // where a store offers nothing
	Regional                []*Regional                  `json:"regional"`          // what countries ask of apps
	FormFactors             map[string]string            `json:"form_factors"`      // features of Android manifests, with the kind of device that requires each
	Densities               map[string]int64             `json:"densities"`         // screen densities, in dots per inch
	Words                   map[string][]*Word           `json:"words"`             // vocabularies of the dossier
	ContentQuestions        []*ContentQuestion           `json:"content_questions"` // which store asks what about the content
	RatingSchemes           []*RatingScheme              `json:"rating_schemes"`    // who rates where, with which labels
	RatingRows              []*RatingRow                 `json:"rating_rows"`       // what an answer leads to at least
	RatingNotices           []*RatingNotice              `json:"rating_notices"`    // what stands beside the label
	Purposes                []*Purpose                   `json:"purposes"`
	SDKs                    []*SDK                       `json:"sdks"`
	FunctionSigns           []*FunctionSign              `json:"function_signs"`           // what a package can do, as far as declarations ask
	ResourceFamilies        []*ResourceFamily            `json:"resource_families"`        // beginnings of resource names by which libraries' are known
	DataNames               map[string]string            `json:"data_names"`               // the kind that stands for an identifier of privacy manifests, where several do
	BackendNames            *BackendNames                `json:"backend_names"`            // how the backend of an app is read
	DataForms               []*DataForm                  `json:"data_forms"`               // how answers on data go over into a store's form
	PurposeData             map[string][]string          `json:"purpose_data"`             // kinds of data of which a purpose string speaks
	KindPurposes            map[string][]string          `json:"kind_purposes"`            // purposes for which code of a kind usually takes data
	Reasons                 []*Reason                    `json:"reasons"`                  // calls of the iOS platform whose use needs a declared reason
	PublicLibraries         []string                     `json:"public_libraries"`         // of the Android system, to which an app may link
	ClosedCalls             []string                     `json:"closed_calls"`             // Android calls that read identifiers closed to apps of today
	DebugCertificates       []*Pattern                   `json:"debug_certificates"`       // subjects of certificates that development tools make
	DevelopmentCertificates []*Pattern                   `json:"development_certificates"` // subjects of certificates that do not serve for distribution
	DistributionMarks       []string                     `json:"distribution_marks"`       // extensions of certificates that sign for the iOS store
	DevelopmentMarks        []string                     `json:"development_marks"`        // extensions of those that do not
	BundlePlaces            map[string]string            `json:"bundle_places"`            // regular expressions over the paths of nested bundles, by kind
	ExternalPurchases       map[string]string            `json:"external_purchases"`       // keys of the property list, with the entitlement of each
	ShrinkerMarks           []string                     `json:"shrinker_marks"`           // beginnings of the marks that shrinkers leave in code
	PictureClasses          []*PictureClass              `json:"picture_classes"`          // which pictures and films each store takes
	PictureNeeds            []*PictureNeed               `json:"picture_needs"`            // of which classes a page needs pictures
	Phrases                 []*Phrase                    `json:"phrases"`                  // of a page's texts that stores turn away
	Brings                  map[string]map[string]string `json:"brings"`                   // how something changed (added, changed, lowered, removed) → what changed → what it brings
	DataWords               []string                     `json:"data_words"`               // by which a privacy page speaks of data, in small letters
	Disclosures             map[string][]string          `json:"disclosures"`              // words by which a description says what a store asks it to say
	FrequentWords           map[string][]string          `json:"frequent_words"`           // of languages, by which a text is recognised
	LimitTitles             map[string]string            `json:"limit_titles"`             // what each limit of the rulebooks is, in words
	PolicyUses              []*PolicyUse                 `json:"policy_uses"`              // what the policy wants of uses that no form is for
	CoreData                map[string]string            `json:"core_data"`                // the kind of data that third-party code of a kind always sends
	ScriptLetters           map[string]string            `json:"script_letters"`           // that only one of two scripts of a language has, by the script's code
	NearLanguages           map[string][]string          `json:"near_languages"`           // too alike to be told apart by trigrams, by the name of their group
	PageTexts               []*PageText                  `json:"page_texts"`               // how a store's page shows texts
	Locales                 []*Locale                    `json:"locales"`                  // the language codes of each store
	Junk                    []*Pattern                   `json:"junk"`                     // files that do not belong into a release
	Leftovers               []*Pattern                   `json:"leftovers"`                // files that the iOS store refuses inside an app
	BuildFiles              []*Pattern                   `json:"build_files"`              // files that serve the building of an iOS app
	DebugParts              []*Pattern                   `json:"debug_parts"`              // files that only debug builds of an iOS app have
	FileKinds               []*FileKind                  `json:"file_kinds"`               // what the files of a package are, for a weighing
	Devices                 []*Device                    `json:"devices"`                  // for which a download is estimated
	WeighBounds             map[string]int64             `json:"weigh_bounds"`             // from which sizes a hint is worth giving
	WeighLimits             []*WeighLimit                `json:"weigh_limits"`             // limits of the stores that sizes are held against

	// Of the iOS platform.
	PrivateNames       []*PrivateName      `json:"private_names"`        // names of the system that apps may not use
	CodeTexts          []*CodeText         `json:"code_texts"`           // texts of code and plain files that say something about the app
	Frameworks         map[string]string   `json:"frameworks"`           // of the system, with the first system version that has each
	BackgroundModes    []*Use              `json:"background_modes"`     // with the code that serves each
	Entitlements       []*Use              `json:"entitlements"`         // with the code that needs each
	ClosedInExtensions []*Use              `json:"closed_in_extensions"` // calls that extensions may not make
	ClosedInClips      []string            `json:"closed_in_clips"`      // frameworks that do nothing in clips
	Keyboards          *Use                `json:"keyboards"`            // the extension point of keyboards, with the calls that switch to the next one
	Runtimes           []*Runtime          `json:"runtimes"`             // that need more than their code
	Signs              map[string][]*Sign  `json:"signs"`                // of code that single rules ask about, by name
	Wording            *Wording            `json:"wording"`              // how purpose strings are looked at
	DataTypes          map[string][]string `json:"data_types"`           // kinds of data of a dossier, with their identifiers in privacy manifests
	DataPurposes       map[string]string   `json:"data_purposes"`        // purposes of a dossier, with their identifier in privacy manifests
}

// Word is one word that a dossier may use.
type Word struct {
	fact.Mark `json:"-"`
	Dated
	Word   string   `json:"word" need:"the word"`
	What   string   `json:"what"`   // what it means
	Values []string `json:"values"` // the answers that it takes; empty for none
}

// FileKind is a kind of files in packages, by their path.
type FileKind struct {
	fact.Mark `json:"-"`
	Dated
	Platform  string `json:"platform" enum:"android|ios"` // empty for both
	Pattern   Regexp `json:"pattern" need:"a regular expression over the path"`
	Kind      string `json:"kind" need:"its name"`
	What      string `json:"what" need:"the kind, in words"`
	Delivered bool   `json:"delivered"` // devices get it
}

// Device is a kind of phone or tablet, as far as it decides what it downloads.
type Device struct {
	fact.Mark `json:"-"`
	Dated
	ID        string   `json:"id" need:"its name"`
	Platform  string   `json:"platform" need:"android or ios" enum:"android|ios"`
	What      string   `json:"what" need:"the device, in words"`
	ABIs      []string `json:"abis"`      // architectures, the preferred first
	Density   string   `json:"density"`   // of an Android screen, such as xxhdpi
	Scale     string   `json:"scale"`     // of an iOS screen, such as 3x
	Languages []string `json:"languages"` // beside the default one
	Level     int64    `json:"level"`     // API level
}

// WeighLimit is a limit of a store that a size is held against.
type WeighLimit struct {
	fact.Mark `json:"-"`
	Dated
	Store string `json:"store" need:"the store's id"`
	Kind  string `json:"kind"` // of packages; empty for all
	Of    string `json:"of" need:"the size" enum:"download|installed|package"`
	Limit string `json:"limit" need:"the limit of the store's rulebooks"`
	What  string `json:"what" need:"what is bound, in words"`
}

// FunctionSign is something that a package can do, and how it shows.
type FunctionSign struct {
	fact.Mark `json:"-"`
	Dated
	ID                 string   `json:"id" need:"its name"`
	What               string   `json:"what" need:"the function, in words"`
	SDKKinds           []string `json:"sdk_kinds"`           // kinds of third-party code
	Permissions        []string `json:"permissions"`         // of Android
	PermissionPrefixes []string `json:"permission_prefixes"` // beginnings of them
	Services           []string `json:"services"`            // permissions that guard a service of the app
	Categories         []string `json:"categories"`          // of intent filters
	Metadata           []string `json:"metadata"`            // of the manifest
	AndroidClasses     []string `json:"android_classes"`     // that a code file defines
	Entitlements       []string `json:"entitlements"`        // of the code signature
	Modes              []string `json:"modes"`               // of the background
	Keys               []string `json:"keys"`                // of the property list
	Signs              []*Sign  `json:"signs"`               // of iOS code
	Files              Regexp   `json:"files"`               // paths
	Texts              Regexp   `json:"texts"`               // string literals of iOS code
	Confidence         string   `json:"confidence" need:"how sure the signs are" enum:"high|medium|low"`
}

// BackendNames is how the backend of an app is read.
type BackendNames struct {
	fact.Mark    `json:"-"`
	Exposed      []string  `json:"exposed"`        // schemas that clients reach, where the dossier names none
	Anonymous    []string  `json:"anonymous"`      // roles of everybody
	SignedIn     []string  `json:"signed_in"`      // roles of people who are signed in
	Server       []string  `json:"server"`         // roles of the maker's own code
	Caller       Regexp    `json:"caller"`         // how an expression names whoever asks
	SignedInTest Regexp    `json:"signed_in_test"` // how it asks only whether somebody is signed in
	Editable     Regexp    `json:"editable"`       // parts of a token that people fill in themselves
	Clock        Regexp    `json:"clock"`          // how it asks for the time
	Dynamic      Regexp    `json:"dynamic"`        // how a body puts SQL together
	OwnerField   Regexp    `json:"owner_field"`    // columns that name whose row it is
	Rights       Regexp    `json:"rights"`         // columns that decide what a person may do
	Personal     []*Column `json:"personal"`       // columns of personal data
}

// Column is a name of columns, with the kind of data that it stands for.
type Column struct {
	fact.Mark `json:"-"`
	Column    Regexp `json:"column" need:"the names, as a regular expression"`
	Kind      string `json:"kind" need:"the kind of data"`
}

// DataForm is how kinds of data and purposes of a dossier go over into the form of
// a store.
type DataForm struct {
	fact.Mark `json:"-"`
	Dated
	Store          string              `json:"store" need:"the store's id"`
	Asks           []string            `json:"asks"`            // what it asks about a kind: shared, required, kept, linked, tracking
	KeptOnly       bool                `json:"kept_only"`       // it asks only for what is kept longer than a request takes
	TrackingShares bool                `json:"tracking_shares"` // what is used for tracking counts as shared
	Kinds          map[string][]string `json:"kinds"`           // where a kind is asked for under other names
	Purposes       map[string]string   `json:"purposes"`        // where a purpose is asked for under another name
}

// When is answers about the content: for each question, those that count.
type When map[string][]string

// ContentQuestion is a question about the content, as one or both stores ask it.
type ContentQuestion struct {
	fact.Mark `json:"-"`
	Dated
	Question string   `json:"question" need:"a word of the vocabulary content"`
	Stores   []string `json:"stores" need:"the stores that ask it"`
	If       When     `json:"if"` // it is asked after these answers only
	Or       When     `json:"or"` // or these
}

// RatingScheme is who rates apps in some countries, and by which labels.
type RatingScheme struct {
	fact.Mark `json:"-"`
	Dated
	ID         string         `json:"id" need:"its name in rating_rows"`
	Store      string         `json:"store" need:"the store whose apps it rates"`
	Region     string         `json:"region" need:"where, in words"`
	By         string         `json:"by"`         // the board, or whose label it is
	Everywhere bool           `json:"everywhere"` // one label holds in every country
	Games      bool           `json:"games"`      // games only
	Countries  []string       `json:"countries"`  // those that it is for; empty for all others
	Labels     []*RatingLabel `json:"labels" need:"its labels, lowest first"`
}

// RatingLabel is one label of a scheme.
type RatingLabel struct {
	fact.Mark `json:"-"`
	Is        string `json:"is" need:"the label"`
	Age       int64  `json:"age"` // what it means, in years
}

// RatingRow is what some answers lead to, in each scheme.
type RatingRow struct {
	fact.Mark `json:"-"`
	Dated
	ID         string              `json:"id" need:"its name"`
	If         When                `json:"if" need:"the answers; every question must have one of those listed"`
	Or         When                `json:"or"` // a second set, enough by itself
	Then       map[string]string   `json:"then" need:"the least label, by scheme"`
	Range      map[string][]string `json:"range"`   // lowest and highest label that is plausible, by scheme
	Refuses    []string            `json:"refuses"` // stores that refuse such content
	Sure       []string            `json:"sure"`    // schemes where the label is firmer than the confidence
	Confidence string              `json:"confidence" enum:"high|medium|low"`
}

// RatingNotice is a line beside the label.
type RatingNotice struct {
	fact.Mark `json:"-"`
	Dated
	ID     string   `json:"id" need:"its name"`
	What   string   `json:"what" need:"the line, in words"`
	If     When     `json:"if" need:"the answers that lead to it"`
	Stores []string `json:"stores" need:"the stores that show it"`
}

// Restricted is a use that needs a declaration.
type Restricted struct {
	fact.Mark `json:"-"`
	Dated
	What   string `json:"what" need:"the use, in words"`
	Target int64  `json:"target"` // the target level from which it is asked; 0 for every
	Video  bool   `json:"video"`  // a video is wanted
	Impact string `json:"impact" need:"what the store does without it" enum:"blocked|rejected|reach"`
}

// Foreground is a type of foreground service. Permissions are written without
// their prefix android.permission.
type Foreground struct {
	fact.Mark `json:"-"`
	Dated
	Permission  string   `json:"permission" need:"the permission of the type"`
	Needs       []string `json:"needs"`        // one of these permissions must be held
	NeedsPrefix string   `json:"needs_prefix"` // or one that begins so
	Feature     string   `json:"feature"`      // or this device feature declared
	BootBarred  bool     `json:"boot_barred"`  // it may not be started when the device starts
}

// ImpliedFeature is a device feature that a permission makes required.
type ImpliedFeature struct {
	fact.Mark `json:"-"`
	Dated
	Permission string `json:"permission" need:"the permission"`
	Feature    string `json:"feature" need:"the feature"`
	Below      int64  `json:"below"` // at target levels below this only; 0 for every
}

// Barred is a list of permissions, without their prefix, that are barred from a day on.
type Barred struct {
	fact.Mark `json:"-"`
	Dated
	Permissions []string `json:"permissions" need:"the permissions"`
}

// Wording is how a purpose string is looked at. A text that begins like a
// request must go on with a clause that says what for.
type Wording struct {
	fact.Mark       `json:"-"`
	Request         Regexp     `json:"request" need:"a regular expression for the beginning of a request"`
	Clause          Regexp     `json:"clause" need:"a regular expression for a clause that says what for"`
	Faults          []*Pattern `json:"faults"`           // texts that are known to be turned down
	LeastCharacters int64      `json:"least_characters"` // below it a text is too short
	LeastWords      int64      `json:"least_words"`
	LeastDense      int64      `json:"least_dense"`   // characters, in scripts without blanks and in Korean
	DenseRequest    Regexp     `json:"dense_request"` // a bare request in such a script
}

// PrivateName is a name of the iOS system that apps may not use.
type PrivateName struct {
	fact.Mark `json:"-"`
	Dated
	Name  string  `json:"name" need:"the name, without a leading underscore of symbols"`
	Kind  string  `json:"kind" need:"what it names" enum:"symbol|class|selector"`
	Why   string  `json:"why" need:"what it does, and what to use instead"`
	Signs []*Sign `json:"-" alias:"signs" derived:"yes"` // of its use
}

// Use is a key of the platform with the signs of code that goes with it.
type Use struct {
	fact.Mark `json:"-"`
	Dated
	Key   string  `json:"key" need:"the identifier"`
	What  string  `json:"what" need:"what the code does, in words"`
	Signs []*Sign `json:"signs"`
	Hints []*Sign `json:"hints"` // that it is used, though they would do without
}

// Runtime is a runtime that needs more than its code: scripts, data.
type Runtime struct {
	fact.Mark `json:"-"`
	Dated
	ID         string   `json:"id" need:"class prefix or framework name"`
	Frameworks []string `json:"frameworks"`
	Classes    []string `json:"classes"`
	Needs      Regexp   `json:"needs" need:"a regular expression over paths inside the app"`
	Part       string   `json:"part" need:"what is needed, in words"`
	Why        string   `json:"why" need:"what happens without it"`
}

// Reason is a category of calls whose use needs a declared reason.
type Reason struct {
	fact.Mark `json:"-"`
	Dated
	Category     string            `json:"category" need:"the identifier"`
	Name         string            `json:"name" need:"what it is about, in words"`
	Symbols      []string          `json:"symbols"` // functions and constants, without the leading underscore
	Classes      []string          `json:"classes"`
	Methods      []*Method         `json:"methods"`
	Prefixes     []string          `json:"prefixes"`      // beginnings of imported symbols of Swift
	Either       []string          `json:"either"`        // symbols that another category's declaration covers as well
	Codes        map[string]string `json:"codes"`         // reason codes and their meaning
	ForLibraries []string          `json:"for_libraries"` // codes that only third-party code may give
}

// Method is a method of a class. Its name alone may be the app's own.
type Method struct {
	fact.Mark `json:"-"`
	Class     string `json:"class"`
	Selector  string `json:"selector"`
}

// Pattern is a regular expression over paths inside a package.
type Pattern struct {
	fact.Mark `json:"-"`
	Dated
	Pattern Regexp `json:"pattern" need:"a regular expression"`
	Why     string `json:"why" need:"what such a file is"`
	Except  string `json:"except"` // a file name that is fine
}

// CodeText is a string literal that says something about the code which holds it.
type CodeText struct {
	fact.Mark `json:"-"`
	Dated
	Kind    string `json:"kind" need:"what kind of text it is, such as private-link"`
	Pattern Regexp `json:"pattern" need:"a regular expression"`
	Why     string `json:"why" need:"what it is, in words"`
	Fix     string `json:"fix" need:"what to do about it"`
	Impact  string `json:"impact" need:"what the store would do" enum:"refused|rejected|craft"`
	Own     bool   `json:"own"`   // it says something in code that is not known to be third-party code
	Shown   int    `json:"shown"` // of a secret, how many bytes findings show; 0 for all
}

// Permission is one Android permission. Source: the platform's permission
// reference and the store's policies on sensitive permissions.
type Permission struct {
	fact.Mark `json:"-"`
	Dated
	FirstLevel  int64    `json:"first_level"` // first API level
	LastLevel   int64    `json:"last_level"`  // last API level at which it serves; 0 without an end
	Protection  string   `json:"protection"`  // normal, dangerous, appop, signature …
	Declaration string   `json:"declaration"` // the declaration it brings; empty for none
	DataTypes   []string `json:"data_types"`  // kinds of data that it opens
	Feature     string   `json:"feature"`     // device feature that it implies
	Confidence  string   `json:"confidence" enum:"high|medium|low"`
}

// NotOffered are countries in which a store offers nothing, or nothing that is paid for.
type NotOffered struct {
	fact.Mark `json:"-"`
	Dated
	Store     string   `json:"store" need:"the store's id"`
	Countries []string `json:"countries" need:"their codes"`
	Paid      bool     `json:"paid"` // only what is paid for
	Why       string   `json:"why" need:"the reason"`
}

// Regional is what countries ask of apps from a day on.
type Regional struct {
	fact.Mark `json:"-"`
	Dated
	ID        string   `json:"id" need:"a word for it"`
	Countries []string `json:"countries" need:"their codes"`
	For       string   `json:"for" need:"the apps that it concerns, in words"`
	What      string   `json:"what" need:"what is asked"`
	AskedBy   []string `json:"asked_by"` // the stores that ask about it; none where only the law does
	// Which apps it concerns, as far as answers tell; a part that is empty concerns all.
	Kind       string `json:"kind" enum:"|app|game"`
	Below      int64  `json:"below"`                                       // those whose audience begins below this age, in years; 0 for all
	Ads        bool   `json:"ads"`                                         // those that show advertising
	Health     bool   `json:"health"`                                      // those with functions on health
	Sells      bool   `json:"sells"`                                       // those that cost money, or in which something is sold
	Content    string `json:"content"`                                     // those that have this content, by the key of the questions on it
	Impact     string `json:"impact" enum:"|blocked|rejected|reach|craft"` // what a store does without it; only where one asks
	Confidence string `json:"confidence" enum:"high|medium|low"`
}

// Purpose is one purpose string of the iOS platform and the signs in a binary
// that it is needed. A sign is a set of names that must all occur.
type Purpose struct {
	fact.Mark `json:"-"`
	Dated
	Key        string   `json:"key" need:"the property-list key"`
	Resource   string   `json:"resource" need:"what is protected, in words"`
	Signs      []*Sign  `json:"signs"`
	Instead    []string `json:"instead"`                        // keys that also satisfy the need
	Explains   []string `json:"explains"`                       // keys that are not idle where this one is needed
	Below      string   `json:"below"`                          // needed only when the least system version is below this
	Impact     string   `json:"impact" enum:"refused|rejected"` // of its absence; refused when nothing is written
	Confidence string   `json:"confidence" enum:"high|medium|low"`
}

// Sign is a set of names that must all be used by one binary.
type Sign struct {
	fact.Mark `json:"-"`
	Classes   []string `json:"classes"`   // Objective-C classes that are imported
	Symbols   []string `json:"symbols"`   // imported functions and constants
	Selectors []string `json:"selectors"` // method names
	Prefixes  []string `json:"prefixes"`  // beginnings of imported symbols, as Swift makes them: $s, then each part after its length
}

// SDK is third-party code, recognised by its technical identifiers, and what
// an ordinary integration of it does.
type SDK struct {
	fact.Mark `json:"-"`
	Dated
	ID            string   `json:"id" need:"class prefix or framework name"`
	Kind          string   `json:"kind" need:"what it does, such as ads or crash-reports"`
	Classes       []string `json:"classes"`        // Android class prefixes, of whole segments
	Components    []string `json:"components"`     // of a merged Android manifest
	Metadata      []string `json:"metadata"`       // names of meta-data in the manifest
	Files         []string `json:"files"`          // in an Android package
	Frameworks    []string `json:"frameworks"`     // iOS framework names
	IOSClasses    []string `json:"ios_classes"`    // prefixes of Objective-C class names
	IOSFiles      []string `json:"ios_files"`      // in an iOS app
	PlistKeys     []string `json:"plist_keys"`     // in the property list
	Off           []string `json:"off"`            // meta-data or keys of the property list that switch it off for good when they are true
	System        bool     `json:"system"`         // the iOS names are the system's own
	Data          []string `json:"data"`           // kinds of data that leave the device
	Ads           bool     `json:"ads"`            // it shows advertising
	AdvertisingID bool     `json:"advertising_id"` // it reads the advertising id
	Tracking      bool     `json:"tracking"`       // its data is joined with that of other companies
	Listed        bool     `json:"listed"`         // on the iOS store's list of commonly used code
	Brings        []string `json:"brings"`         // permissions that its manifest merges in
	Confidence    string   `json:"confidence" enum:"high|medium|low"`
}

// PolicyUse is what a store's policy wants of an app with a permission, or with a service
// that the system binds, for which there is no form to declare it in.
type PolicyUse struct {
	fact.Mark  `json:"-"`
	Permission string `json:"permission" need:"the permission, asked for or held by who may bind"`
	What       string `json:"what" need:"what it is, in words"`
	Wants      string `json:"wants" need:"what the policy wants, as what the app does"`
	Confidence string `json:"confidence" enum:"high|medium|low"`
}

// ResourceFamily is a beginning of resource names that one piece of third-party code uses.
type ResourceFamily struct {
	fact.Mark `json:"-"`
	Prefix    string `json:"prefix" need:"the beginning of the names"`
	By        string `json:"by" need:"whose they are"`
}

// PictureClass is a set of pictures or films that a store takes: screenshots of
// one kind of device, its previews, the icon, the feature graphic.
type PictureClass struct {
	fact.Mark `json:"-"`
	Dated
	Store      string   `json:"store" need:"the store's id"`
	ID         string   `json:"id" need:"its name within the store, which is that of its folder or file" like:"^[a-z][a-z0-9.-]*$" hint:"small letters, digits, full stops and hyphens"`
	Slot       string   `json:"slot" need:"what it is for" enum:"screenshot|preview|icon|feature|banner|product"`
	Sizes      []string `json:"sizes" like:"^[0-9]+x[0-9]+$" hint:"width x height in pixels, such as 1290x2796"` // empty: the bounds count
	Turned     bool     `json:"turned"`                                                                          // the sizes hold on their side, too
	Named      bool     `json:"named"`                                                                           // only what lies in its folder, or has its name, belongs here
	Shortest   int64    `json:"shortest"`                                                                        // bound of a side, in pixels
	Longest    int64    `json:"longest"`
	Ratio      string   `json:"ratio" like:"^[0-9]+:[0-9]+$" hint:"two numbers, such as 2:1"`    // the longer side against the shorter, at most
	Aspects    []string `json:"aspects" like:"^[0-9]+:[0-9]+$" hint:"two numbers, such as 16:9"` // width against height
	ScaledFrom []string `json:"scaled_from"`                                                     // the classes whose pictures the store shows where this one has none
	Confidence string   `json:"confidence" enum:"high|medium|low"`
	Takes
}

// Takes is what a class of pictures takes beside sizes.
type Takes struct {
	fact.Mark `json:"-"`
	What      string   `json:"what"`   // its name in words
	Device    string   `json:"device"` // the kind of device; empty for icons and graphics
	Least     int64    `json:"least"`  // pictures of a language, where there are any
	Most      int64    `json:"most"`
	Formats   []string `json:"formats"` // png, jpeg, mp4, mov
	Alpha     string   `json:"alpha" enum:"never|always"`
	Bytes     int64    `json:"bytes"`      // at most
	Seconds   []int64  `json:"seconds"`    // least and most, of a film
	FrameRate int64    `json:"frame_rate"` // at most, frames a second
	Codecs    []string `json:"codecs"`     // by their sample entries
}

// PictureNeed is classes of which a store page needs pictures of one, when the
// app runs on a kind of device.
type PictureNeed struct {
	fact.Mark `json:"-"`
	Dated
	Store      string   `json:"store" need:"the store's id"`
	Device     string   `json:"device"` // phone, tablet, watch, television, car, headset, messages; empty for every app
	Any        []string `json:"any" need:"classes, of which one is enough"`
	What       string   `json:"what" need:"what is needed, in words"`
	Impact     string   `json:"impact" need:"what it costs when there is none" enum:"refused|blocked|rejected|reach|craft"`
	Confidence string   `json:"confidence" enum:"high|medium|low"`
}

// Phrase is words of a store page that stores turn away.
type Phrase struct {
	fact.Mark `json:"-"`
	Dated
	Kind      string   `json:"kind" need:"what kind of words it is, such as ranking"`
	What      string   `json:"what" need:"what it is, in words"`
	Stores    []string `json:"stores"`    // that turn it away; empty for all
	Languages []string `json:"languages"` // of the text, without region; empty for all
	Pattern   Regexp   `json:"pattern"`   // a regular expression; or stems in its place
	// Stems are words, or words that follow each other, without regard to capitals; a star
	// at the end of one lets it go on. In languages without blanks they are parts of the text.
	Stems     []string `json:"stems"`
	Near      []string `json:"near"`   // one of these stands within four words; empty for no such need
	Apart     []string `json:"apart"`  // none of these stands within four words
	Fields    []string `json:"fields"` // texts in which it is looked for, or short for all but the long ones; empty for all
	Certainty string   `json:"certainty" enum:"|high|medium|low"`
}

// PageText is a text of a store page, and how much of it is seen at once.
type PageText struct {
	fact.Mark `json:"-"`
	Dated
	Store      string `json:"store" need:"the store's id"`
	Text       string `json:"text" need:"the key in listing/<locale>.yaml"`
	Needed     string `json:"needed" enum:"every|default"` // in every language of the page, or in the default one; empty for an optional text
	Shown      int64  `json:"shown"`                       // characters before the text is cut, or hidden behind a tap; 0 for all
	Confidence string `json:"confidence" enum:"high|medium|low"`
}

// Locale is a language code under which a store keeps texts and pictures.
type Locale struct {
	fact.Mark `json:"-"`
	Dated
	Store      string   `json:"store" need:"the store's id"`
	Code       string   `json:"code" need:"the code"`
	Also       []string `json:"also"` // other spellings that people write and that mean it
	Confidence string   `json:"confidence" enum:"high|medium|low"`
}
