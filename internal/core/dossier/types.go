// Package dossier loads and validates the description of a submission: the
// folder with dossier.yaml, listing/<locale>.yaml and pictures/. Every value
// keeps its file, line and column; all problems are reported at once.
package dossier

import (
	"maps"
	"reflect"
	"regexp"
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"

	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/fact"
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
	fact.Mark `json:"-"`
	Regola    int64            `json:"regola" need:"the number of the format: regola: 1"`
	App       App              `json:"app" need:"the block that names the app"`
	Packages  PerStore[string] `json:"packages"`
	Contact   Contact          `json:"contact"`
	Links     Links            `json:"links"`
	Answers   Answers          `json:"answers"`
	Review    Review           `json:"review"`
	Release   Release          `json:"release"`
	Products  []*Product       `json:"products"`
	Confirmed []*Confirmation  `json:"confirmed"`
	Waivers   []*Waiver        `json:"waivers"`
	Rulebooks []string         `json:"rulebooks"`
	Tables    []string         `json:"tables"` // files of reference data of one's own
	Root      string           `json:"-"`      // the folder, as given
	Listing   []*Listing       `json:"-"`      // sorted by locale, the default one first
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
		d.Value(val, reflect.ValueOf(&v).Elem(), "")
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

// Shelves are one category or several.
type Shelves []string

// DecodeNode implements strictyaml.NodeDecoder: a single text is a list of one.
func (c *Shelves) DecodeNode(d *strictyaml.Decoder, n *yaml.Node) {
	if n.Kind == yaml.ScalarNode {
		*c = Shelves{n.Value}
		return
	}
	var list []string
	d.Value(n, reflect.ValueOf(&list).Elem(), "")
	*c = list
}

// App says what the app is.
type App struct {
	fact.Mark     `json:"-"`
	Name          string            `json:"name" need:"the app's name"`
	Kind          string            `json:"kind" enum:"app|game"`
	DefaultLocale string            `json:"default_locale" need:"the language that stands in for all others, such as en-GB"`
	IDs           PerStore[string]  `json:"ids"`
	Category      PerStore[Shelves] `json:"category"`
	Tags          []string          `json:"tags"`
	Price         string            `json:"price"`
}

// Contact is how users reach the makers.
type Contact struct {
	fact.Mark `json:"-"`
	Email     string `json:"email"`
	Phone     string `json:"phone"`
	Website   string `json:"website"`
}

// Links are web pages that belong to the app.
type Links struct {
	fact.Mark       `json:"-"`
	Privacy         string `json:"privacy"`
	Support         string `json:"support"`
	Marketing       string `json:"marketing"`
	AccountDeletion string `json:"account_deletion"`
}

// Answers is the one answer sheet from which each store's forms follow.
type Answers struct {
	fact.Mark     `json:"-"`
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
	fact.Mark `json:"-"`
	Used      *bool    `json:"used"`
	Purposes  []string `json:"purposes"`
}

// Accounts says whether people make accounts and can delete them.
type Accounts struct {
	fact.Mark       `json:"-"`
	CreatedInApp    *bool `json:"created_in_app"`
	DeletionOffered *bool `json:"deletion_offered"`
}

// Data is one kind of data that leaves the device.
type Data struct {
	fact.Mark `json:"-"`
	Type      string   `json:"type" need:"the kind of data, such as email-address"`
	Purposes  []string `json:"purposes"`
	Shared    bool     `json:"shared"`
	Linked    bool     `json:"linked"`
	Tracking  bool     `json:"tracking"`
	Optional  bool     `json:"optional"`
	Ephemeral bool     `json:"ephemeral"`
}

// Security says how data travels.
type Security struct {
	fact.Mark          `json:"-"`
	EncryptedInTransit *bool `json:"encrypted_in_transit"`
}

// Audience is whom the app is for.
type Audience struct {
	fact.Mark         `json:"-"`
	Ages              []string `json:"ages" enum:"0-5|6-8|9-12|13-15|16-17|18+"`
	AppealsToChildren *bool    `json:"appeals_to_children"`
}

// Encryption answers the export question.
type Encryption struct {
	fact.Mark     `json:"-"`
	UsesNonExempt *bool  `json:"uses_non_exempt"`
	ComplianceRef string `json:"compliance_ref"` // of the papers, when non-exempt encryption is used
}

// Features are functions that bring duties of their own.
type Features struct {
	fact.Mark  `json:"-"`
	News       *bool    `json:"news"`
	Government *bool    `json:"government"`
	Health     []string `json:"health"`
	Finance    []string `json:"finance"`
}

// Restricted declares a sensitive permission or function: what for, and where
// it can be seen.
type Restricted struct {
	fact.Mark `json:"-"`
	Use       string `json:"use" need:"the use, such as background-location"`
	Why       string `json:"why"`
	Video     string `json:"video"`
}

// Review is what the reviewer needs.
type Review struct {
	fact.Mark `json:"-"`
	Contact   ReviewContact `json:"contact"`
	SignIn    SignIn        `json:"sign_in"`
	Notes     string        `json:"notes"`
}

// ReviewContact is the person whom the reviewer may call.
type ReviewContact struct {
	fact.Mark `json:"-"`
	First     string `json:"first"`
	Last      string `json:"last"`
	Email     string `json:"email"`
	Phone     string `json:"phone"`
}

// SignIn is the demo account.
type SignIn struct {
	fact.Mark `json:"-"`
	Needed    *bool  `json:"needed"`
	User      string `json:"user"`
	Password  Secret `json:"password"` // a reference such as env:NAME, never resolved
	Steps     string `json:"steps"`
}

// Release is what goes out, where and to whom.
type Release struct {
	fact.Mark `json:"-"`
	Version   string   `json:"version"`
	First     *bool    `json:"first"` // the app was never released on this store
	Channel   string   `json:"channel" enum:"public|open-test|invited-test|team-test"`
	Countries []string `json:"countries" like:"^([A-Z]{2}|all)$" hint:"two capital letters such as IT, or all"`
	Share     string   `json:"share" like:"^[0-9]{1,3}(\\.[0-9]+)?%$" hint:"a share of the users such as 20%"`
	Testing   Testing  `json:"testing"`
}

// Testing is the round before the release.
type Testing struct {
	fact.Mark `json:"-"`
	Testers   *int64   `json:"testers"`
	From      *day.Day `json:"from"`
	Until     *day.Day `json:"until"`
	Notes     string   `json:"notes"`
}

// Product is something sold inside the app.
type Product struct {
	fact.Mark `json:"-"`
	ID        string `json:"id" need:"the product's id"`
	Kind      string `json:"kind" need:"what it is: consumable, lasting or subscription" enum:"consumable|lasting|subscription"`
	Price     string `json:"price"`
}

// Confirmation says that something no file can show was done for a version.
type Confirmation struct {
	fact.Mark `json:"-"`
	What      string  `json:"what" need:"what is confirmed, such as tested-on-device"`
	Version   string  `json:"version" need:"the version it was done for"`
	By        string  `json:"by" need:"who vouches for it"`
	On        day.Day `json:"on" need:"the day"`
}

// Waiver is a finding that the team accepts, until a day.
type Waiver struct {
	fact.Mark `json:"-"`
	Rule      string  `json:"rule" need:"the rule's id"`
	At        string  `json:"at"` // part of the place; empty for every place
	Because   string  `json:"because" need:"the reason"`
	By        string  `json:"by" need:"who decided"`
	Until     day.Day `json:"until" need:"the last day; a waiver must expire"`
}

// Texts are the texts of one language.
type Texts struct {
	fact.Mark    `json:"-"`
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
	Own    map[string]*Texts `json:"-" rest:"stores"` // where a store differs, by its key
	Locale string            `json:"-"`               // from the file's name
	File   string            `json:"-"`
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
		if own != nil {
			if x := reflect.ValueOf(own).Elem().FieldByIndex(f.Index); !x.IsZero() {
				v.FieldByIndex(f.Index).Set(x)
				t.Put(name, own.Field(name))
			}
		}
	}
	return t
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
	if isReference.MatchString(n.Value) {
		s.Ref = n.Value
		return
	}
	s.Literal = s.Given
}

var isReference = regexp.MustCompile(`^env:[A-Za-z_][A-Za-z0-9_]*$`)

// String implements fmt.Stringer.
func (s Secret) String() string { return "(secret)" }
