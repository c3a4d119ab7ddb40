// Package dossier loads and validates the description of a submission: the
// folder with dossier.yaml, listing/<locale>.yaml and pictures/. Every value
// keeps its file, line and column; all problems are told at once.
package dossier

import (
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/strictyaml"
)

// Format is the number of the dossier format that this program reads.
const Format = 1

// Dossier is dossier.yaml together with the listings beside it.
//
// A pointer that is nil is a question not answered; rules that need it are
// then not checked. Plain texts and lists that are empty are taken as empty.
type Dossier struct {
	place.Mark `json:"-"`
	Regola     int64           `json:"regola" need:"the number of the format: regola: 1"`
	App        App             `json:"app" need:"the block that names the app"`
	Packages   ByStore         `json:"packages"`
	Contact    Contact         `json:"contact"`
	Links      Links           `json:"links"`
	Answers    Answers         `json:"answers"`
	Review     Review          `json:"review"`
	Release    Release         `json:"release"`
	Products   []*Product      `json:"products"`
	Confirmed  []*Confirmation `json:"confirmed"`
	Waivers    []*Waiver       `json:"waivers"`
	Rulebooks  []string        `json:"rulebooks"`
	Catalogues []string        `json:"catalogues"`
	Root       string          `json:"-"` // the folder, as given
	Listing    []*Listing      `json:"-"` // sorted by locale, the default one first
}

// ByStore is one text for each store.
type ByStore struct {
	place.Mark `json:"-"`
	Android    string `json:"android"`
	IOS        string `json:"ios"`
}

// For is the text of a store.
func (b *ByStore) For(store string) string {
	if store == "android" {
		return b.Android
	}
	return b.IOS
}

// Where is the place of a store's text.
func (b *ByStore) Where(store string) place.Place { return b.Field(store) }

// App says what the app is.
type App struct {
	place.Mark    `json:"-"`
	Name          string     `json:"name" need:"the app's name"`
	Kind          string     `json:"kind" enum:"app|game"`
	DefaultLocale string     `json:"default_locale" need:"the language that stands in for all others, such as en-GB"`
	IDs           ByStore    `json:"ids"`
	Category      Categories `json:"category"`
	Tags          []string   `json:"tags"`
	Price         string     `json:"price"`
}

// Categories are the shelves on which the stores put the app.
type Categories struct {
	place.Mark `json:"-"`
	Android    string   `json:"android"`
	IOS        []string `json:"ios"`
}

// Contact is how users reach the makers.
type Contact struct {
	place.Mark `json:"-"`
	Email      string `json:"email"`
	Phone      string `json:"phone"`
	Website    string `json:"website"`
}

// Links are web pages that belong to the app.
type Links struct {
	place.Mark      `json:"-"`
	Privacy         string `json:"privacy"`
	Support         string `json:"support"`
	Marketing       string `json:"marketing"`
	AccountDeletion string `json:"account_deletion"`
}

// Answers is the one answer sheet from which each store's forms follow.
type Answers struct {
	place.Mark    `json:"-"`
	Ads           *bool             `json:"ads"`
	AdvertisingID AdvertisingID     `json:"advertising_id"`
	Accounts      Accounts          `json:"accounts"`
	Data          []*Data           `json:"data"`
	Security      Security          `json:"security"`
	Content       map[string]string `json:"content"`
	Audience      Audience          `json:"audience"`
	Encryption    Encryption        `json:"encryption"`
	Features      Features          `json:"features"`
	Restricted    []*Restricted     `json:"restricted"`
}

// AdvertisingID says whether the device's advertising id is used.
type AdvertisingID struct {
	place.Mark `json:"-"`
	Used       *bool    `json:"used"`
	Purposes   []string `json:"purposes"`
}

// Accounts says whether people make accounts and can delete them.
type Accounts struct {
	place.Mark      `json:"-"`
	CreatedInApp    *bool `json:"created_in_app"`
	DeletionOffered *bool `json:"deletion_offered"`
}

// Data is one kind of data that leaves the device.
type Data struct {
	place.Mark `json:"-"`
	Type       string   `json:"type" need:"the kind of data, such as email-address"`
	Purposes   []string `json:"purposes"`
	Shared     bool     `json:"shared"`
	Linked     bool     `json:"linked"`
	Tracking   bool     `json:"tracking"`
	Optional   bool     `json:"optional"`
	Ephemeral  bool     `json:"ephemeral"`
}

// Security says how data travels.
type Security struct {
	place.Mark         `json:"-"`
	EncryptedInTransit *bool `json:"encrypted_in_transit"`
}

// Audience is whom the app is for.
type Audience struct {
	place.Mark        `json:"-"`
	Ages              []string `json:"ages" enum:"0-5|6-8|9-12|13-15|16-17|18+"`
	AppealsToChildren *bool    `json:"appeals_to_children"`
}

// Encryption answers the export question.
type Encryption struct {
	place.Mark    `json:"-"`
	UsesNonExempt *bool  `json:"uses_non_exempt"`
	ComplianceRef string `json:"compliance_ref"` // of the papers, when non-exempt encryption is used
}

// Features are functions that bring duties of their own.
type Features struct {
	place.Mark `json:"-"`
	News       *bool    `json:"news"`
	Government *bool    `json:"government"`
	Health     []string `json:"health"`
	Finance    []string `json:"finance"`
}

// Restricted declares a sensitive permission or function: what for, and where
// it can be seen.
type Restricted struct {
	place.Mark `json:"-"`
	Use        string `json:"use" need:"the use, such as background-location"`
	Why        string `json:"why"`
	Video      string `json:"video"`
}

// Review is what the reviewer needs.
type Review struct {
	place.Mark `json:"-"`
	Contact    ReviewContact `json:"contact"`
	SignIn     SignIn        `json:"sign_in"`
	Notes      string        `json:"notes"`
}

// ReviewContact is the person whom the reviewer may call.
type ReviewContact struct {
	place.Mark `json:"-"`
	First      string `json:"first"`
	Last       string `json:"last"`
	Email      string `json:"email"`
	Phone      string `json:"phone"`
}

// SignIn is the demo account.
type SignIn struct {
	place.Mark `json:"-"`
	Needed     *bool  `json:"needed"`
	User       string `json:"user"`
	Password   string `json:"password"` // a reference such as env:NAME, never resolved
	Steps      string `json:"steps"`
}

// Release is what goes out, where and to whom.
type Release struct {
	place.Mark `json:"-"`
	Version    string   `json:"version"`
	First      *bool    `json:"first"` // the app was never released on this store
	Channel    string   `json:"channel" enum:"public|open-test|invited-test|team-test"`
	Countries  []string `json:"countries" like:"^([A-Z]{2}|all)$" hint:"two capital letters such as IT, or all"`
	Share      string   `json:"share" like:"^[0-9]{1,3}(\\.[0-9]+)?%$" hint:"a share of the users such as 20%"`
	Testing    Testing  `json:"testing"`
}

// Testing is the round before the release.
type Testing struct {
	place.Mark `json:"-"`
	Testers    *int64          `json:"testers"`
	From       *strictyaml.Day `json:"from"`
	Until      *strictyaml.Day `json:"until"`
	Notes      string          `json:"notes"`
}

// Product is something sold inside the app.
type Product struct {
	place.Mark `json:"-"`
	ID         string `json:"id" need:"the product's id"`
	Kind       string `json:"kind" need:"what it is: consumable, lasting or subscription" enum:"consumable|lasting|subscription"`
	Price      string `json:"price"`
}

// Confirmation says that something no file can show was done for a version.
type Confirmation struct {
	place.Mark `json:"-"`
	What       string         `json:"what" need:"what is confirmed, such as tested-on-device"`
	Version    string         `json:"version" need:"the version it was done for"`
	By         string         `json:"by" need:"who vouches for it"`
	On         strictyaml.Day `json:"on" need:"the day"`
}

// Waiver is a finding that the team accepts, until a day.
type Waiver struct {
	place.Mark `json:"-"`
	Rule       string         `json:"rule" need:"the rule's id"`
	At         string         `json:"at"` // part of the place; empty for every place
	Because    string         `json:"because" need:"the reason"`
	By         string         `json:"by" need:"who decided"`
	Until      strictyaml.Day `json:"until" need:"the last day; a waiver must expire"`
}

// Texts are the texts of one language.
type Texts struct {
	place.Mark   `json:"-"`
	Name         string   `json:"name"`
	Tagline      string   `json:"tagline"`   // a line under the name
	Pitch        string   `json:"pitch"`     // one or two sentences
	Highlight    string   `json:"highlight"` // what is new or on offer; changes without a release
	Description  string   `json:"description"`
	Keywords     []string `json:"keywords"`
	ReleaseNotes string   `json:"release_notes"`
}

// Listing is listing/<locale>.yaml.
type Listing struct {
	Texts
	Android *Texts `json:"android"` // where this store differs
	IOS     *Texts `json:"ios"`
	Locale  string `json:"-"` // from the file's name
	File    string `json:"-"`
}
