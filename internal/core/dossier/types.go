// Package dossier loads and validates the description of a submission: the
// folder with dossier.yaml, listing/<locale>.yaml and pictures/. Every value
// keeps its file, line and column; all problems are reported at once.
package dossier

import (
	"maps"
	"reflect"
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"

	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/late"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/strictyaml"
)

// Format is the number of the dossier format that this program reads.
const Format = 1

// Dossier is dossier.yaml together with the listings beside it.
//
// A pointer that is nil is a question not answered, and so is an empty text or list
// with the tag asked; rules that need it are then not checked. Other texts and lists
// that are empty are taken as empty. The tag free marks what may always be left out,
// also where there is no dossier at all.
//
// Beside the tags of strictyaml, a field is declared by
//
//	doc:"…"    what it says, in words: the question that people are asked
//	act:"…"    what people do for it: answer (the default), declare, host or hand in; of a
//	           block, for all its keys
//	seen:"…"   the paths under which rules see it, where that is not its own
//	read:"…"   the package of the calculation that reads it, where no rule does
//	file:"yes" it names files, relative to the dossier that holds it
//	join:"…"   of a list: items of a base are added, but those with a value of this key
//	           that is there already
//	draft:"no" it is left out of a draft, since nobody answers it for a first check
//	text:"…"   of a listing: people read it on the page, as line, prose or words
type Dossier struct {
	fact.Mark `json:"-"`
	Regola    int64                  `json:"regola" need:"the number of the format: regola: 1" doc:"the number of the format: 1" draft:"no" read:"dossier"`
	Base      string                 `json:"base" free:"yes" doc:"the folder of a dossier whose answers, texts, pictures and waivers hold where this one says nothing, such as ../common" read:"dossier"`
	App       App                    `json:"app" need:"the block that names the app" doc:"what the app is"`
	Packages  PerStore[PackageFiles] `json:"packages" doc:"the release package for each store, or a list of them for several kinds of devices, relative to this folder; a pattern such as build/*.aab may match one file" file:"yes" read:"run"`
	Account   Account                `json:"account" doc:"the publisher's account"`
	Contact   Contact                `json:"contact" doc:"how people reach the makers"`
	Links     Links                  `json:"links" doc:"web pages of the app" act:"host"`
	Answers   Answers                `json:"answers" doc:"one answer sheet for every store"`
	Review    Review                 `json:"review" doc:"what the reviewer needs"`
	Release   Release                `json:"release" doc:"what goes out, where and to whom"`
	Tests     Tests                  `json:"tests" doc:"what is in test beside the release; each test holds what differs from it" draft:"no"`
	Products  []*Product             `json:"products" doc:"what is sold in the app" act:"hand in"`
	Pages     []*Page                `json:"pages" doc:"further pages of a store, for some countries or a campaign; their texts lie in listing/<id>/<locale>.yaml"`
	Events    []*Event               `json:"events" doc:"what happens in the app for a few days and is shown on the iOS store's page"`
	Pictures  []*Pictures            `json:"pictures" doc:"the pictures of the store page, in the folder pictures or in those named here" draft:"no" act:"hand in" read:"pictures"`
	Backend   Backend                `json:"backend" doc:"who reaches what in the app's backend" read:"run"`
	Confirmed []*Confirmation        `json:"confirmed" doc:"what was done for a version and no file can show" draft:"no" join:"what" read:"check"`
	Waivers   []*Waiver              `json:"waivers" doc:"findings that the team accepts" draft:"no" join:"rule" read:"check"`
	Postponed []*Postponed           `json:"postponed" doc:"what regola next puts behind everything else until a day; no verdict changes" draft:"no" join:"rule" read:"check"`
	Rulebooks []string               `json:"rulebooks" doc:"files of rules of your own, in this folder" draft:"no" file:"yes" read:"run"`
	Tables    []string               `json:"tables" doc:"files of reference data of your own, in this folder" draft:"no" file:"yes" read:"run"`
	Root      string                 `json:"-"` // the folder, as given
	bases     []string               // the folders of the dossiers on which it stands
	changed   map[string][]byte      // other contents of files, by their cleaned paths
	releases  map[string]*Release    // by the store's key, where values of release are written for each store
	Listing   []*Listing             `json:"-"` // sorted by locale, the default one first
}

// PerStore is one value for each store, by the key under which the dossier
// speaks of the store.
type PerStore[T any] struct {
	fact.Mark
	values map[string]T
}

// DecodeNode implements strictyaml.NodeDecoder.
func (p *PerStore[T]) DecodeNode(d *strictyaml.Decoder, n *yaml.Node) {
	p.SetSelf(d.Place(n))
	if n.Kind != yaml.MappingNode {
		d.Fail(n, "write one line a store: "+strings.Join(d.Keys, ", "), "expected keys and values")
		return
	}
	p.values = map[string]T{}
	for i := 0; i+1 < len(n.Content); i += 2 {
		key, val := n.Content[i], n.Content[i+1]
		if !slices.Contains(d.Keys, key.Value) {
			d.UnknownKey(key, d.Keys)
			continue
		}
		if p.HasField(key.Value) {
			d.Fail(key, "remove one of the two", "the key %q occurs twice", key.Value)
			continue
		}
		p.Put(key.Value, d.Place(key))
		var v T
		if _, shelves := any(v).(CategoryList); shelves {
			d.Value(val, reflect.ValueOf(&v).Elem(), "")
			for _, n := range append(val.Content, val) {
				if n.Kind == yaml.ScalarNode {
					// Which of the two an app may have follows from its kind, and is judged.
					d.Word(n, CategoryWords(key.Value)[0], CategoryWords(key.Value)[1:]...)
				}
			}
		} else {
			d.Value(val, reflect.ValueOf(&v).Elem(), "")
		}
		p.values[key.Value] = v
	}
}

// Of makes a value for one key, for those who build a dossier in code.
func Of[T any](key string, v T) PerStore[T] { return PerStore[T]{values: map[string]T{key: v}} }

// For is the value of the first of a store's keys that is there, and that key.
func (p *PerStore[T]) For(keys []string) (v T, key string, ok bool) {
	for _, k := range keys {
		if v, ok = p.values[k]; ok {
			return v, k, true
		}
	}
	return v, "", false
}

// All lists the values of all stores.
func (p *PerStore[T]) All() []T { return slices.Collect(maps.Values(p.values)) }

// Empty tells whether no store has a value.
func (p *PerStore[T]) Empty() bool { return len(p.values) == 0 }

// Where is the place of a store's value, or where it would be.
func (p *PerStore[T]) Where(keys []string) place.Place {
	if _, k, ok := p.For(keys); ok {
		return p.Field(k)
	}
	return p.Self()
}

// PerStoreValue is the type of the values, for schemas.
func (p *PerStore[T]) PerStoreValue() reflect.Type { return reflect.TypeFor[T]() }

// CategoryList are one category or several.
type CategoryList []string

// CategoryWords are the vocabularies of a store's categories: those of apps, and those
// of games where a store has them apart.
func CategoryWords(store string) []string {
	return []string{"categories_" + store, "categories_" + store + "_game"}
}

// DecodeNode implements strictyaml.NodeDecoder: a single text is a list of one.
func (c *CategoryList) DecodeNode(d *strictyaml.Decoder, n *yaml.Node) {
	if n.Kind == yaml.ScalarNode {
		*c = CategoryList{n.Value}
		return
	}
	var list []string
	d.Value(n, reflect.ValueOf(&list).Elem(), "")
	*c = list
}

// PackageFiles are the packages of one store: one, or one for each kind of device.
type PackageFiles []*PackageFile

// PackageFile is one package.
type PackageFile struct {
	fact.Mark
	Name   string // the file or pattern; once it was found, the file, relative to the dossier's folder
	Absent string // why it is not there yet; empty when it is
}

// DecodeNode implements strictyaml.NodeDecoder: a single text is a list of one.
func (p *PackageFiles) DecodeNode(d *strictyaml.Decoder, n *yaml.Node) {
	items := []*yaml.Node{n}
	if n.Kind == yaml.SequenceNode {
		items = n.Content
	}
	for _, item := range items {
		f := &PackageFile{}
		f.SetSelf(d.Place(item))
		d.Value(item, reflect.ValueOf(&f.Name).Elem(), "")
		*p = append(*p, f)
	}
}

// App says what the app is.
type App struct {
	fact.Mark     `json:"-"`
	Name          string                 `json:"name" need:"the app's name" doc:"the app's name, for reports" read:"check"`
	Kind          string                 `json:"kind" enum:"app|game" doc:"app or game"`
	DefaultLocale string                 `json:"default_locale" need:"the default language, such as en-GB" doc:"the default language, such as en-GB"`
	IDs           PerStore[string]       `json:"ids" doc:"the id that is registered with each store" seen:"app.id"`
	Category      PerStore[CategoryList] `json:"category" words:"categories" doc:"the category in each store; the iOS store takes a second one"`
	Genres        []string               `json:"genres" words:"genres" doc:"of a game in the iOS store: one or two genres"`
	Tags          []string               `json:"tags" doc:"words by which the Android store groups the app"`
	Copyright     string                 `json:"copyright" doc:"the year and the owner of the rights, such as 2026 Terrafuoco Example; shown in the iOS store"`
	Brand         Brand                  `json:"brand" doc:"names that texts may, and may not, use" read:"phrases"`
	Keys          Keys                   `json:"keys" doc:"the certificates of the keys that sign for the Android store"`
	Price         string                 `json:"price" like:"^(free|[0-9]+([.][0-9]{1,2})? [A-Z]{3})$" hint:"free, or an amount with its currency such as 4.99 EUR" doc:"free, or an amount with its currency such as 4.99 EUR"`
}

// Keys are SHA-256 fingerprints of the certificates with which an app is signed.
type Keys struct {
	fact.Mark `json:"-"`
	Upload    string `json:"upload" free:"yes" like:"^([0-9A-Fa-f]{2}:){31}[0-9A-Fa-f]{2}$|^[0-9A-Fa-f]{64}$" hint:"32 bytes in hexadecimal, with or without colons" doc:"the SHA-256 of the certificate with which the makers sign what they hand in"`
	Store     string `json:"store" free:"yes" like:"^([0-9A-Fa-f]{2}:){31}[0-9A-Fa-f]{2}$|^[0-9A-Fa-f]{64}$" hint:"32 bytes in hexadecimal, with or without colons" doc:"the SHA-256 of the certificate that people get, where the store holds the key"`
}

// Brand is names that texts may use, and names that they may not.
type Brand struct {
	fact.Mark `json:"-"`
	Own       []string `json:"own" most:"500" doc:"names and phrases of your own, which are no claims wherever they occur"`
	Never     []string `json:"never" most:"500" doc:"names that no text may use, such as those of competitors"`
}

// Account is the publisher's account, on which testing periods and documents
// depend.
type Account struct {
	fact.Mark `json:"-"`
	Name      string   `json:"name" free:"yes" doc:"the maker's name as the page shows it"`
	Kind      string   `json:"kind" asked:"yes" enum:"person|organization" doc:"who holds the account: a person or an organization"`
	Since     *day.Day `json:"since" free:"yes" doc:"the day on which the account was opened"`
	// Registered is what the platform's verification of makers asks.
	Registered *bool `json:"registered" doc:"whether the makers are verified with the Android platform, and the app's id and keys are registered there"`
}

// Contact is how users reach the makers.
type Contact struct {
	fact.Mark `json:"-"`
	Email     string `json:"email" doc:"the address that people write to; it is shown on the page"`
	Phone     string `json:"phone" free:"yes" doc:"a phone number with + and country code"`
	Website   string `json:"website" free:"yes" doc:"the web site of the makers"`
}

// Links are web pages that belong to the app.
type Links struct {
	fact.Mark       `json:"-"`
	Privacy         string `json:"privacy" doc:"the web page with the privacy policy"`
	Support         string `json:"support" doc:"the web page where people find help"`
	Marketing       string `json:"marketing" free:"yes" doc:"the web page about the app"`
	Terms           string `json:"terms" free:"yes" doc:"the web page with the terms of use, which subscriptions need"`
	AccountDeletion string `json:"account_deletion" free:"yes" doc:"the web page where people delete their account"`
	DataDeletion    string `json:"data_deletion" free:"yes" doc:"the web page where people ask for the deletion of data and keep their account"`
	PrivacyChoices  string `json:"privacy_choices" free:"yes" doc:"the web page where people manage what is kept of them, shown in the iOS store"`
	ChildSafety     string `json:"child_safety" free:"yes" doc:"the web page with your standards against the sexual abuse of children"`
	Publisher       string `json:"publisher" free:"yes" doc:"the web page that names the publisher of a news app, with contact and authors"`
}

// Answers is the one answer sheet from which each store's forms follow. A list
// that is left out is not answered; one that is empty says none.
type Answers struct {
	fact.Mark     `json:"-"`
	Ads           *bool             `json:"ads" doc:"whether the app shows advertising"`
	AdvertisingID AdvertisingID     `json:"advertising_id" doc:"the device's advertising id" act:"declare"`
	Accounts      Accounts          `json:"accounts" doc:"accounts of the app's users"`
	Data          []*Data           `json:"data" asked:"yes" doc:"the kinds of data that leave the device"`
	Security      Security          `json:"security" doc:"how data travels"`
	Content       map[string]string `json:"content" asked:"yes" words:"content" doc:"what is in the app, for its rating" seen:"answers.content rating"`
	Audience      Audience          `json:"audience" doc:"whom the app is for" act:"declare"`
	Encryption    Encryption        `json:"encryption" doc:"the export question" act:"declare"`
	Moderation    Moderation        `json:"moderation" doc:"what is done about content and messages of people" act:"declare"`
	Children      Children          `json:"children" doc:"what protects children, where an age below 13 is aimed at" act:"declare"`
	Rights        Rights            `json:"rights" doc:"content of others in the app" act:"declare"`
	Regional      Regional          `json:"regional" doc:"what single countries ask for" act:"hand in"`
	Accessibility []string          `json:"accessibility" free:"yes" words:"accessibility" doc:"features for people with disabilities that were tested, shown in the iOS store"`
	Regulated     Regulated         `json:"regulated" doc:"fields with rules of their own" act:"declare"`
	Restricted    []*Restricted     `json:"restricted" asked:"yes" doc:"sensitive permissions and functions that need a declaration" act:"declare"`
}

// AdvertisingID says whether the device's advertising id is used.
type AdvertisingID struct {
	fact.Mark `json:"-"`
	Used      *bool    `json:"used" doc:"whether the app, or code in it, uses the advertising id"`
	Purposes  []string `json:"purposes" words:"advertising_uses" doc:"what for"`
}

// Accounts says whether people make accounts and can delete them.
type Accounts struct {
	fact.Mark       `json:"-"`
	CreatedInApp    *bool    `json:"created_in_app" doc:"whether people can make an account in the app"`
	DeletionOffered *bool    `json:"deletion_offered" doc:"whether they can delete it in the app"`
	Ways            []string `json:"ways" asked:"yes" words:"sign_in_ways" doc:"how people sign in; an empty list where nobody does, and then nothing more on it is asked"`
	Elsewhere       *bool    `json:"elsewhere" doc:"whether people sign in with an account that they got elsewhere, such as from an employer"`
	DataDeletion    string   `json:"data_deletion" asked:"yes" enum:"yes|no|automatic" doc:"whether people can have data deleted and keep the account: yes, no, or automatic within 90 days"`
}

// Data is one kind of data that leaves the device.
type Data struct {
	fact.Mark `json:"-"`
	Kind      string   `json:"kind" need:"the kind of data, such as email-address" words:"data_types" doc:"the kind of data, such as email-address"`
	Purposes  []string `json:"purposes" words:"purposes" doc:"what for"`
	Shared    *bool    `json:"shared" doc:"whether it goes to other companies"`
	Linked    *bool    `json:"linked" doc:"whether it is linked to the person"`
	Tracking  *bool    `json:"tracking" doc:"whether it is joined with data of other companies, for advertising"`
	Optional  *bool    `json:"optional" doc:"whether people can refuse"`
	Stored    *bool    `json:"stored" doc:"whether it is kept longer than it takes to answer the request"`

	CollectedBy   []string `json:"collected_by" doc:"who collects it: app, or identifiers of third-party code; empty for the app"`
	SharedFor     []string `json:"shared_for" words:"purposes" doc:"what others get it for, where that differs from purposes"`
	SharedBecause string   `json:"shared_because" words:"share_reasons" doc:"why handing it on does not count as sharing"`
	Occasional    bool     `json:"occasional" doc:"true when people give it now and then, of their own will and plainly, such as in feedback"`
	Decimals      string   `json:"decimals" like:"^[0-7]$" hint:"a digit from 0 to 7" doc:"of a location: decimal places of degrees that leave the device"`
}

// Security says how data travels.
type Security struct {
	fact.Mark          `json:"-"`
	EncryptedInTransit *bool `json:"encrypted_in_transit" doc:"whether all data travels encrypted"`
}

// Audience is whom the app is for.
type Audience struct {
	fact.Mark         `json:"-"`
	From              *int64 `json:"from" doc:"the least age of the people whom the app is for, in years"`
	To                *int64 `json:"to" doc:"the highest age, in years; 99 for no end"`
	AppealsToChildren *bool  `json:"appeals_to_children" doc:"whether its looks could draw children who are not meant"`
}

// Moderation is what is done about what people send one another.
type Moderation struct {
	fact.Mark `json:"-"`
	Terms     *bool `json:"terms" doc:"whether people accept terms before they send anything"`
	Report    *bool `json:"report" doc:"whether content and people can be reported in the app"`
	Block     *bool `json:"block" doc:"whether people can be blocked"`
	Filter    *bool `json:"filter" doc:"whether what is objectionable is filtered before others see it"`
	OddsShown *bool `json:"odds_shown" doc:"whether the odds of paid random items are shown before buying"`
}

// Children is what protects children.
type Children struct {
	fact.Mark    `json:"-"`
	AgeScreen    *bool `json:"age_screen" doc:"whether a neutral question for the age stands before what is not for children"`
	Gate         *bool `json:"gate" doc:"whether links out of the app and purchases stand behind a gate that only adults pass"`
	AdsCertified *bool `json:"ads_certified" doc:"whether all advertising comes by code that is certified for children"`
}

// Rights is about content of others.
type Rights struct {
	fact.Mark  `json:"-"`
	ThirdParty *bool `json:"third_party" doc:"whether the app has, shows or opens content of others"`
	Held       *bool `json:"held" doc:"whether you have the rights to it in every country of the release"`
}

// Regional is what single countries ask for.
type Regional struct {
	fact.Mark   `json:"-"`
	Trader      *bool    `json:"trader" doc:"whether you act as a trader in the European Union"`
	ChinaFiling string   `json:"china_filing" free:"yes" doc:"the number of the app's filing in mainland China"`
	ChinaGame   string   `json:"china_game" free:"yes" doc:"the number of a game's approval in mainland China"`
	KoreaGame   string   `json:"korea_game" free:"yes" doc:"the number of a game's certificate in South Korea"`
	GamblingIn  []string `json:"gambling_in" free:"yes" like:"^[A-Z]{2}$" hint:"two capital letters such as IT" doc:"the countries for which you hold a licence for gambling"`
	Met         []string `json:"met" asked:"yes" words:"regional" doc:"what single countries ask of apps and this one meets, by the ids of \"regola tables regional\""`
	FinanceIn   []string `json:"finance_in" free:"yes" like:"^[A-Z]{2}$" hint:"two capital letters such as IT" doc:"the countries for which you hold a licence for crypto-currency or loans"`
}

// Encryption answers the export question.
type Encryption struct {
	fact.Mark     `json:"-"`
	UsesNonExempt *bool  `json:"uses_non_exempt" doc:"whether the app uses encryption that export rules do not exempt"`
	ComplianceRef string `json:"compliance_ref" doc:"the code of the approved export documents" act:"hand in"`
	Kind          string `json:"kind" enum:"none|system|standard|own" doc:"which encryption there is: none; system, only what the platform offers; standard, published algorithms beside it; own, algorithms of your own"`
	France        *bool  `json:"france" doc:"whether the declaration for France was made" act:"hand in"`
}

// Regulated is fields with rules of their own.
type Regulated struct {
	fact.Mark  `json:"-"`
	News       *bool    `json:"news" doc:"whether it is a news app"`
	Government *bool    `json:"government" doc:"whether it is made by or for a government"`
	Health     []string `json:"health" asked:"yes" words:"health" doc:"functions on health; an empty list for none"`
	Finance    []string `json:"finance" asked:"yes" words:"finance" doc:"functions on money; an empty list for none"`

	OfficialInformation bool   `json:"official_information" doc:"true when it gives information of authorities and is not official"`
	MedicalDevice       string `json:"medical_device" asked:"yes" enum:"no|approved" doc:"whether it is a medical device with an approval"`
	Mandate             string `json:"mandate" free:"yes" doc:"of a government app: the document that shows the mandate" act:"hand in"`
}

// Restricted declares a sensitive permission or function: what for, and where
// it can be seen.
type Restricted struct {
	fact.Mark `json:"-"`
	Use       string `json:"use" need:"the use, such as background-location" words:"restricted" doc:"the use, such as background-location"`
	Why       string `json:"why" doc:"what the app does with it"`
	Video     string `json:"video" doc:"the web address of a short video that shows it"`
}

// Review is what the reviewer needs.
type Review struct {
	fact.Mark `json:"-"`
	Contact   ReviewContact `json:"contact" doc:"whom the reviewer may call"`
	SignIn    SignIn        `json:"sign_in" doc:"the demo account"`
	Notes     string        `json:"notes" free:"yes" doc:"what the reviewer must know"`
}

// ReviewContact is the person whom the reviewer may call.
type ReviewContact struct {
	fact.Mark `json:"-"`
	First     string `json:"first" doc:"first name of the person whom the reviewer may call"`
	Last      string `json:"last" doc:"last name of the person whom the reviewer may call"`
	Email     string `json:"email" doc:"e-mail address of the person whom the reviewer may call"`
	Phone     string `json:"phone" doc:"phone number of the person whom the reviewer may call, with + and country code"`
}

// SignIn is the demo account.
type SignIn struct {
	fact.Mark `json:"-"`
	Needed    *bool    `json:"needed" doc:"whether the app cannot be seen whole without signing in"`
	User      string   `json:"user" doc:"the demo account's user name"`
	Password  Secret   `json:"password" doc:"the password of the demo account, as a reference such as env:NAME, never itself"`
	Steps     string   `json:"steps" free:"yes" doc:"how to sign in, when it is not plain"`
	Expires   string   `json:"expires" free:"yes" like:"^[0-9]{4}-[0-9]{2}-[0-9]{2}$" hint:"a day such as 2026-12-31" doc:"the last day on which the demo account works; left out when it does not end"`
	Others    []*Entry `json:"others" doc:"further accounts, such as one of each role: for, user, password, steps"`
}

// Entry is a further account for the reviewer, with what it opens.
type Entry struct {
	fact.Mark `json:"-"`
	For       string `json:"for" need:"what this account opens, such as a role" doc:"what this account opens, such as a role"`
	User      string `json:"user" doc:"its user name"`
	Password  Secret `json:"password" doc:"its password, as a reference such as env:NAME, never itself"`
	Steps     string `json:"steps" doc:"how to sign in with it, when it is not plain"`
}

// Release is what goes out, where and to whom.
type Release struct {
	fact.Mark `json:"-"`
	Version   string   `json:"version" doc:"the version that people see"`
	First     *bool    `json:"first" doc:"whether the app was never released in this store"`
	Channel   string   `json:"channel" enum:"public|open-test|invited-test|team-test" hint:"apps without a place in the search, for one company, or for orders ahead, are judged as public" doc:"to whom the release goes: everybody, an open test, an invited test, or the own team; everybody when it is left out" read:"submission"`
	Countries []string `json:"countries" seen:"release.countries countries" like:"^(-?[A-Z]{2,8}|all)$" hint:"two capital letters such as IT, a group such as EU, all, or an exception such as -CN" doc:"the countries in which it is offered: two letters each such as IT, groups such as EU, or all; -CN leaves one out"`
	Share     string   `json:"share" free:"yes" like:"^[0-9]{1,3}([.][0-9]+)?%$" hint:"a share of the users such as 20%" doc:"the share of the users that gets it first, such as 20%"`
	Testing   Testing  `json:"testing" doc:"the round before the release"`
	Planned   string   `json:"planned" free:"yes" like:"^[0-9]{4}-[0-9]{2}-[0-9]{2}$" hint:"a day such as 2026-12-31" doc:"the day on which it is to be out"`
	Phased    bool     `json:"phased" doc:"true when the iOS store hands it out over a week"`

	Name       string       `json:"name" free:"yes" doc:"the name of the release in the Android store, which the makers alone see"`
	Priority   int64        `json:"priority" free:"yes" doc:"how urgent the update is, from 0 to 5, which the app can ask the Android store for"`
	Extensions []*Extension `json:"extensions" free:"yes" doc:"longer terms that a store granted"`
}

// Extension is a longer term that a store granted on request.
type Extension struct {
	fact.Mark `json:"-"`
	What      string   `json:"what" need:"what it is for" enum:"target-level|page-size|billing" doc:"what it is for: target-level, page-size or billing"`
	Until     *day.Day `json:"until" need:"its last day" doc:"its last day"`
}

// Testing is the round before the release.
type Testing struct {
	fact.Mark `json:"-"`
	Testers   *int64   `json:"testers" doc:"how many people test"`
	From      *day.Day `json:"from" doc:"the first day of the round"`
	Until     *day.Day `json:"until" doc:"its last day"`
	Notes     string   `json:"notes" free:"yes" doc:"what testers are to look at"`
	About     string   `json:"about" free:"yes" doc:"what the app is and does, for testers who come without the page"`
	Feedback  string   `json:"feedback" free:"yes" doc:"the address to which testers write"`
	Cap       int64    `json:"cap" free:"yes" doc:"how many people an open test takes at most"`
	List      string   `json:"list" doc:"a file of testers, one address a line or CSV, in this folder" file:"yes" read:"run"`
}

// Tests are the rounds that run beside the release, or before it.
type Tests struct {
	fact.Mark `json:"-"`
	Team      *Test `json:"team" doc:"the test with the own team"`
	Invited   *Test `json:"invited" doc:"the test with people who were invited"`
	Open      *Test `json:"open" doc:"the test that everybody may join"`
}

// Test is one round. What it does not say is as in the release.
type Test struct {
	fact.Mark `json:"-"`
	Store     string                 `json:"store" doc:"the one store in which it runs; empty for all" read:"submission"`
	Packages  PerStore[PackageFiles] `json:"packages" doc:"the packages that are tested" file:"yes" read:"run"`
	Version   string                 `json:"version" doc:"the version that testers see" seen:"release.version"`
	Testers   string                 `json:"testers" doc:"a file of testers, one address a line or CSV, in this folder" file:"yes" seen:"testers.count"`
	From      *day.Day               `json:"from" doc:"the first day of the round" seen:"release.testing.from"`
	Until     *day.Day               `json:"until" doc:"its last day" seen:"release.testing.until"`
	Feedback  string                 `json:"feedback" doc:"the address to which testers write" seen:"release.testing.feedback"`
	About     string                 `json:"about" doc:"what the app is and does, for testers who come without the page" seen:"release.testing.about"`
	LookAt    string                 `json:"look_at" doc:"what testers are to look at" seen:"release.testing.notes"`
	Cap       int64                  `json:"cap" doc:"how many people an open test takes at most" seen:"release.testing.cap"`
}

// Product is something sold inside the app.
type Product struct {
	fact.Mark `json:"-"`
	ID        string `json:"id" need:"the product's id" doc:"the product's id"`
	Kind      string `json:"kind" need:"what it is: consumable, lasting, subscription or non-renewing" enum:"consumable|lasting|subscription|non-renewing" doc:"consumable, lasting, subscription, or non-renewing for a time that does not renew itself"`
	Price     string `json:"price" like:"^[0-9]+([.][0-9]{1,2})? [A-Z]{3}$" hint:"an amount with its currency such as 4.99 EUR" doc:"an amount with its currency such as 4.99 EUR"`

	Period  string         `json:"period" enum:"1w|4w|1m|2m|3m|4m|6m|8m|12m" doc:"of a subscription: how long it lasts, in weeks or months"`
	Group   string         `json:"group" doc:"of a subscription: the group within which people change from one to another, in the iOS store"`
	Texts   []*ProductText `json:"texts" doc:"its texts, one entry a language"`
	Picture string         `json:"picture" doc:"a picture of the purchase for the reviewer of the iOS store, in this folder" file:"yes"`
	Sent    *bool          `json:"sent" doc:"whether it is sent along with this version"`
	Plans   []*Plan        `json:"plans" doc:"of a subscription: the plans in which the Android store sells it"`
}

// Plan is one way in which the Android store sells a subscription.
type Plan struct {
	fact.Mark `json:"-"`
	ID        string `json:"id" need:"the plan's id" doc:"the plan's id"`
	Kind      string `json:"kind" need:"how it is paid" enum:"renewing|prepaid|installments" doc:"how it is paid: renewing, prepaid or installments"`
	Trial     int64  `json:"trial" doc:"days for nothing at its beginning; 0 for none"`
}

// ProductText is what the page says of a product in one language.
type ProductText struct {
	fact.Mark   `json:"-"`
	Locale      string `json:"locale" need:"the language, such as en-GB" doc:"the language, such as en-GB"`
	Name        string `json:"name" doc:"the product's name"`
	Description string `json:"description" doc:"what people get"`
}

// Page is a further page of one store, which some people see in the place of the
// usual one. A text that it does not have is that of the usual page.
type Page struct {
	fact.Mark `json:"-"`
	ID        string     `json:"id" need:"the page's id, which names its folder listing/<id>" like:"^[a-z0-9]+(-[a-z0-9]+)*$" hint:"small letters, digits and hyphens such as winter-sale" doc:"the page's id, which names its folder listing/<id>" read:"dossier"`
	Store     string     `json:"store" need:"the store whose page it is" doc:"the store whose page it is" read:"submission"`
	Countries []string   `json:"countries" like:"^[A-Z]{2}$" hint:"two capital letters such as IT" doc:"the countries that see it; empty for a page that only a link shows"`
	Listing   []*Listing `json:"-"`
}

// Event is something that happens in the app for a few days.
type Event struct {
	fact.Mark `json:"-"`
	ID        string       `json:"id" need:"the event's id" doc:"the event's id"`
	From      *day.Day     `json:"from" doc:"its first day"`
	Until     *day.Day     `json:"until" doc:"its last day"`
	Link      string       `json:"link" doc:"the address that opens it in the app"`
	Texts     []*EventText `json:"texts" doc:"its texts, one entry a language"`
}

// EventText is what the page says of an event in one language.
type EventText struct {
	fact.Mark `json:"-"`
	Locale    string `json:"locale" need:"the language, such as en-GB" doc:"the language, such as en-GB"`
	Name      string `json:"name" doc:"the event's name"`
	Short     string `json:"short" doc:"one line"`
	Long      string `json:"long" doc:"the text of its own page"`
}

// Pictures is a further folder of pictures, such as one of screenshots as a
// simulator leaves them.
type Pictures struct {
	fact.Mark `json:"-"`
	Folder    string `json:"folder" need:"the folder, relative to this one" doc:"the folder, relative to this one" file:"yes"`
	Store     string `json:"store" doc:"the store for which its pictures are; every store when it is left out"`
	Language  string `json:"language" doc:"their language, where no folder below says it"`
}

// Backend says where the backend's rules are written, and who its roles are.
type Backend struct {
	fact.Mark `json:"-"`
	Schema    string   `json:"schema" doc:"a schema dump of the database, as pg_dump --schema-only writes it, in this folder" file:"yes"`
	Rules     string   `json:"rules" doc:"a file of collections and rules of Regola's own form (regola schema backend), in this folder" file:"yes"`
	Exposed   []string `json:"exposed" doc:"the schemas of the database that clients reach"`
	Anonymous []string `json:"anonymous" doc:"the roles of the database that stand for everybody"`
	SignedIn  []string `json:"signed_in" doc:"the roles that stand for people who are signed in"`
	Server    []string `json:"server" doc:"the roles of your own servers"`
	Public    []string `json:"public" doc:"tables that everybody is meant to read"`
}

// Confirmation says that something no file can show was done for a version.
type Confirmation struct {
	fact.Mark `json:"-"`
	What      string  `json:"what" need:"what is confirmed, such as tested-on-device" doc:"what is confirmed, such as tested-on-device"`
	Version   string  `json:"version" need:"the version it was done for" doc:"the version it was done for"`
	By        string  `json:"by" need:"who vouches for it" doc:"who vouches for it"`
	On        day.Day `json:"on" need:"the day" doc:"the day"`
}

// Waiver is a finding that the team accepts, until a day.
type Waiver struct {
	fact.Mark `json:"-"`
	Rule      string  `json:"rule" need:"the rule's id" doc:"the rule's id"`
	At        string  `json:"at" doc:"the place: a file, an archive entry, a key or a field, whole; empty for every place"`
	Because   string  `json:"because" need:"the reason" doc:"the reason"`
	By        string  `json:"by" need:"who decided" doc:"who decided"`
	Until     day.Day `json:"until" need:"the last day; a waiver must expire" doc:"the last day, at most a year ahead"`
}

// Postponed is something to do that the team does later: it stands behind the rest of the work
// until a day, and holds the release up as before.
type Postponed struct {
	fact.Mark `json:"-"`
	Rule      string  `json:"rule" need:"the rule's id" doc:"the rule that asks for it"`
	Because   string  `json:"because" need:"the reason" doc:"the reason"`
	Until     day.Day `json:"until" need:"the day on which it is looked at again" doc:"the last day on which it waits, at most a year ahead"`
}

// Texts are the texts of one language.
type Texts struct {
	fact.Mark    `json:"-"`
	Name         string            `json:"name" also:"title" doc:"the name on the page" text:"line"`
	Tagline      string            `json:"tagline" also:"subtitle" doc:"a line under the name, in the iOS store" text:"line"`
	Pitch        string            `json:"pitch" also:"short_description summary" doc:"one or two sentences, in the Android store" text:"line"`
	Highlight    string            `json:"highlight" doc:"what is new or on offer; changes without a release" text:"line"`
	Description  string            `json:"description" doc:"the long text" text:"prose"`
	ReleaseNotes string            `json:"release_notes" also:"changelog" doc:"what is new in this version" text:"prose"`
	Keywords     []string          `json:"keywords" commas:"yes" doc:"words for the search, in the iOS store: a list, or a text with commas" text:"words"`
	Video        string            `json:"video" doc:"the web address of a video of the app, in the Android store"`
	AltTexts     map[string]string `json:"alt_texts" doc:"for the pictures' file names, what each shows, for people who cannot see them"`
	Links        PageLinks         `json:"links" doc:"web pages in this language, where they differ from links in dossier.yaml"`
	Clip         Clip              `json:"clip" doc:"the card of the app clip, in the iOS store"`
}

// PageLinks are web pages in one language.
type PageLinks struct {
	fact.Mark `json:"-"`
	Privacy   string `json:"privacy" doc:"the privacy policy in this language"`
	Support   string `json:"support" doc:"the help page in this language"`
	Marketing string `json:"marketing" doc:"the page about the app in this language"`
}

// Clip is the card that is shown before an app clip opens.
type Clip struct {
	fact.Mark `json:"-"`
	Title     string `json:"title" doc:"its title"`
	Line      string `json:"line" doc:"the line under it"`
	Action    string `json:"action" enum:"open|view|play" doc:"what its button says: open, view or play"`
}

// Listing is listing/<locale>.yaml.
type Listing struct {
	Texts
	Own    map[string]*Texts    `json:"-" rest:"stores"` // where a store differs, by its key
	Locale string               `json:"-"`               // from the file's name
	File   string               `json:"-"`
	source map[string][]string  // lines of the files that hold it
	doc    *strictyaml.Document // while it is read
}

// For lays a store's own texts over the common ones. The second value tells
// for each text which of the two holds.
func (l *Listing) For(keys []string) Texts {
	t := l.Texts
	t.Mark = fact.Mark{}
	t.SetSelf(l.Self())
	var own *Texts
	for _, k := range keys {
		if own = l.Own[k]; own != nil {
			break
		}
	}
	v := reflect.ValueOf(&t).Elem()
	for _, f := range reflect.VisibleFields(v.Type()) {
		name := fact.FieldName(f)
		if name == "" {
			continue
		}
		t.Put(name, l.Field(name))
		if f.Type.Kind() == reflect.Struct {
			if own != nil {
				overlay(v.FieldByIndex(f.Index), reflect.ValueOf(own).Elem().FieldByIndex(f.Index))
			}
			continue
		}
		if own != nil {
			if x := reflect.ValueOf(own).Elem().FieldByIndex(f.Index); !x.IsZero() {
				v.FieldByIndex(f.Index).Set(x)
				t.Put(name, own.Field(name))
			}
		}
	}
	return t
}

// overlay lays the texts of a block that are there over another, with their places.
func overlay(dst, src reflect.Value) {
	to, from := fact.Of(dst.Addr().Interface()), fact.Of(src.Addr().Interface())
	for _, f := range reflect.VisibleFields(dst.Type()) {
		if name := fact.FieldName(f); name != "" && !src.FieldByIndex(f.Index).IsZero() {
			dst.FieldByIndex(f.Index).Set(src.FieldByIndex(f.Index))
			to.Put(name, from.Field(name))
		}
	}
}

// Secret is a text that nobody sees: it is printed nowhere, whatever prints
// the struct that holds it. Rules see where it comes from, not what it is.
type Secret struct {
	fact.Mark `json:"-"`
	Given     bool   `json:"given"`   // something is written
	Literal   bool   `json:"literal"` // the secret itself is written, in the place of a reference
	Ref       string `json:"ref"`     // the reference, such as env:NAME
}

// DecodeNode implements strictyaml.NodeDecoder. The text of a secret that is
// written out is not kept.
func (s *Secret) DecodeNode(d *strictyaml.Decoder, n *yaml.Node) {
	s.SetSelf(d.Place(n))
	if n.Kind != yaml.ScalarNode {
		d.Fail(n, "write a reference such as env:REGOLA_REVIEW_PASSWORD", "expected a reference to a secret")
		return
	}
	s.Given = n.Value != ""
	if isReference().MatchString(n.Value) {
		s.Ref = n.Value
		return
	}
	s.Literal = s.Given
}

var isReference = late.Regexp(`^env:[A-Za-z_][A-Za-z0-9_]*$`)

// String implements fmt.Stringer.
func (s Secret) String() string { return "(secret)" }
