// Package submission is everything that a rule may see, as one typed tree. A
// field's name in a rule is its json tag.
package submission

import (
	"cmp"
	"path/filepath"
	"reflect"
	"slices"
	"strconv"
	"strings"

	"regola.example/regola/internal/core/backend"
	"regola.example/regola/internal/core/disclosure"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/engine"
	"regola.example/regola/internal/core/evidence"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/fetched"
	"regola.example/regola/internal/core/ledger"
	"regola.example/regola/internal/core/phrases"
	"regola.example/regola/internal/core/pictures"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/rating"
	"regola.example/regola/internal/core/signs"
	"regola.example/regola/internal/core/store"
	"regola.example/regola/internal/core/tables"
	"regola.example/regola/internal/core/testers"
)

// Submission is one release for one store. A part that is not there is nil,
// and its gap says why: rules that need it are not judged.
//
// The tag absent says what a nil pointer in a part means: that it was not read, or, which
// is the default, that the dossier does not answer it. The tag from names what a list
// comes from as a whole, so that it is unknown without that.
type Submission struct {
	fact.Mark  `json:"-"`
	Store      string                 `json:"store"`   // the store's id
	Channel    string                 `json:"channel"` // to whom it goes: public, open-test, invited-test or team-test
	Form       string                 `json:"form"`    // the kind of device that its package is for: phone, watch …
	Version    string                 `json:"version"` // the dossier's, or else the package's
	Pkg        *facts.Package         `json:"pkg" absent:"not-read"`
	App        *App                   `json:"app"`
	Account    *dossier.Account       `json:"account"`
	Contact    *dossier.Contact       `json:"contact"`
	Links      *dossier.Links         `json:"links"`
	Answers    *dossier.Answers       `json:"answers"`
	Review     *dossier.Review        `json:"review"`
	Release    *dossier.Release       `json:"release"`
	Countries  []string               `json:"countries" from:"dossier"` // in which it is offered: codes, whatever words the dossier takes for them
	Products   []*dossier.Product     `json:"products" from:"dossier"`
	Texts      []*Texts               `json:"texts" from:"listing"` // those of the usual page, then those of further pages
	Listing    []*Texts               `json:"listing" from:"listing"`
	Pages      []*Page                `json:"pages"`                  // further pages of the store
	Wording    []*phrases.Hit         `json:"wording" from:"listing"` // of the texts, that stores turn away
	Events     []*dossier.Event       `json:"events"`
	Foreign    []*Foreign             `json:"foreign"` // texts of products and events in another language than theirs
	Rating     *rating.Rating         `json:"rating"`  // estimated from the answers on the content
	Disclosure *disclosure.Disclosure `json:"-"`       // the store's form on data, derived from the answers
	Evidence   *evidence.Evidence     `json:"evidence" absent:"not-read"`
	Testers    *testers.List          `json:"testers"`                    // the list of testers that the dossier names
	Backend    *backend.Backend       `json:"backend" absent:"not-read"`  // who reaches what in the app's backend
	Pictures   *pictures.Gallery      `json:"pictures" absent:"not-read"` // graphics of the store page
	Previous   *ledger.Release        `json:"previous"`                   // the release before this one
	History    *ledger.History        `json:"history"`                    // all that the ledger knows of this store
	Fetched    *fetched.Fetched       `json:"fetched" absent:"not-read"`  // what the dossier's links lead to
	HasDossier bool                   `json:"has_dossier"`                // a dossier is behind the submission
	// Artefacts are all packages of the release for this store, one a kind of device, this
	// one's among them. Rules that look at them all are judged with the first.
	Artefacts []*Artefact             `json:"artefacts"`
	Further   bool                    `json:"-"` // it is not the first of them: what does not look at the package is judged with that
	bare      bool                    // there is none, and that is known
	Confirmed []*dossier.Confirmation `json:"-"`
	Tables    *tables.Set             `json:"-"`
	Code      *signs.Index            `json:"-"` // of an iOS app; nil for any other package
}

// App is what the dossier says of the app, as far as one store is concerned.
type App struct {
	fact.Mark     `json:"-"`
	Name          string        `json:"name"`
	Kind          string        `json:"kind"`
	DefaultLocale string        `json:"default_locale"`
	ID            string        `json:"id"` // the id registered with this store
	Category      []string      `json:"category"`
	Tags          []string      `json:"tags" free:"yes"`
	Genres        []string      `json:"genres" free:"yes"` // of a game in the iOS store
	Price         string        `json:"price"`
	Copyright     string        `json:"copyright"`
	Brand         dossier.Brand `json:"brand"` // names that texts may, and may not, use
	Keys          dossier.Keys  `json:"keys"`  // the certificates of the keys that sign
}

// Artefact is one of the packages of a release.
type Artefact struct {
	fact.Mark   `json:"-"`
	Form        string `json:"form"`        // the kind of device that it is for
	Name        string `json:"name"`        // of the file
	ID          string `json:"id"`          // of the package
	Version     string `json:"version"`     // that people see
	Build       string `json:"build"`       // version code or build number
	Certificate string `json:"certificate"` // SHA-256 of the signer's
}

// ArtefactOf sums up a package.
func ArtefactOf(p *facts.Package, t *tables.Set) *Artefact {
	a := &Artefact{Form: FormOf(p, t), Name: filepath.Base(p.File), ID: p.ID(), Version: p.Version(), Build: p.Build()}
	a.SetSelf(p.Self())
	switch {
	case p.Android != nil && p.Android.Signing.Certificate != nil:
		a.Certificate = p.Android.Signing.Certificate.Fingerprint
	case p.IOS != nil && p.IOS.App != nil && p.IOS.App.Signature != nil && p.IOS.App.Signature.Signer != nil:
		a.Certificate = p.IOS.App.Signature.Signer.Fingerprint
	}
	return a
}

// FormOf is the kind of device that a package is for, by the features that its manifest
// requires or the platform that it was built for; a phone where nothing says more.
func FormOf(p *facts.Package, t *tables.Set) string {
	if p == nil || t == nil {
		return ledger.Phone
	}
	switch {
	case p.Android != nil:
		for _, f := range p.Android.Manifest.Features {
			if form := t.FormFactors[f.Name]; form != "" && f.Required {
				return form
			}
		}
	case p.IOS != nil && p.IOS.App != nil:
		for _, name := range p.IOS.App.Info.Platforms {
			if form := t.PlatformForms[name]; form != "" {
				return form
			}
		}
	}
	return ledger.Phone
}

// Subject names what is judged among all that one call judges: the store, and what sets it
// apart from the release for phones, such as android/watch or ios/invited-test. nth counts
// the packages for one kind of device.
func Subject(store string, r dossier.Round, form string, further bool, nth int) string {
	if r.Test != nil {
		store += "/" + r.Channel
	}
	if further {
		store += "/" + form
		if nth > 1 {
			store += "-" + strconv.Itoa(nth)
		}
	}
	return store
}

// Texts are the texts of one language, with the store's own variants in place.
type Texts struct {
	fact.Mark `json:"-"`
	dossier.Texts
	Locale  string `json:"locale"`
	Default bool   `json:"default"` // the default language
	Page    string `json:"page"`    // the id of the further page that they belong to; empty for the usual one

	StoreCode  string   `json:"store_code"`  // under which the store keeps the language; empty when it has none
	Seems      string   `json:"seems"`       // another language, or script, in which one of the texts most likely is; empty without doubt
	SeemsIn    string   `json:"seems_in"`    // the key of that text
	SeemsWords []string `json:"seems_words"` // that point to it
}

// Page is a further page of the store.
type Page struct {
	fact.Mark `json:"-"`
	ID        string   `json:"id"`
	Countries []string `json:"countries"`
	Texts     []*Texts `json:"texts"` // what differs from the usual page
}

// Sources are what a submission is put together from. Package and dossier may
// be nil, not both.
type Sources struct {
	Store   *store.Store
	Package *facts.Package
	Dossier *dossier.Dossier
	Tables  *tables.Set

	Pictures *pictures.Gallery // nil when there are none
	Fetched  *fetched.Fetched  // nil when nothing was fetched
	Backend  *backend.Backend  // nil when the dossier describes none
	Absent   string            // why the package that the dossier names is not there; empty when it is, or none is named
	Round    dossier.Round     // to whom it goes
	Phrases  *phrases.Memo     // of texts that were looked through; may be nil
	Testers  *testers.List     // nil when the dossier names no list
}

// New puts together what is known of a release for one store.
func New(src Sources) *Submission {
	s := &Submission{Store: src.Store.ID, Pkg: src.Package, Tables: src.Tables}
	if src.Package == nil {
		gap := fact.Missing("no package for this store was given")
		if src.Absent != "" {
			gap = fact.Unread(src.Absent)
			if named, _ := src.Dossier.PackagesOf(src.Round, src.Store.Blocks); len(named) > 0 {
				gap.At = named[0].Self()
			}
		}
		fact.Lose(s, &s.Pkg, gap)
		fact.Lose(s, &s.Evidence, gap)
	} else {
		if src.Package.IOS != nil {
			s.Code = signs.Of(src.Package.IOS)
		}
		s.Evidence = evidence.Of(src.Package, s.Code, src.Tables)
	}
	if src.Dossier == nil {
		s.withoutDossier()
	} else {
		s.fromDossier(&src)
	}
	switch s.Pictures = src.Pictures; {
	case s.Pictures != nil:
	case src.Dossier != nil:
		fact.Lose(s, &s.Pictures, fact.Unanswered("the dossier has no pictures yet"))
	default:
		fact.Lose(s, &s.Pictures, fact.Missing("no pictures were given"))
	}
	if s.Testers = src.Testers; s.Testers == nil {
		s.Testers = &testers.List{}
	}
	if s.Backend = src.Backend; s.Backend == nil {
		s.Backend = &backend.Backend{}
	}
	if s.Fetched = src.Fetched; s.Fetched == nil {
		fact.Lose(s, &s.Fetched, fact.Unasked("links are fetched with --links only"))
	}
	if s.Release != nil {
		s.Version = s.Release.Version
	}
	if s.Version == "" && s.Pkg != nil {
		s.Version = s.Pkg.Version()
	}
	s.Form = FormOf(src.Package, src.Tables)
	s.Derive(s.Tables)
	s.Prepare()
	return s
}

// Derive calculates what follows from the answers, by the tables of a day. What is
// there already stays.
func (s *Submission) Derive(t *tables.Set) {
	if s.Countries == nil && s.Release != nil && t != nil && !s.bare {
		paid := s.App != nil && s.App.Price != "" && s.App.Price != "free" || len(s.Products) > 0
		s.Countries = countriesOf(s.Release.Countries, s.Store, paid, t)
	}
	if s.Rating != nil || s.Answers == nil || t == nil {
		return
	}
	if !s.bare {
		s.Disclosure = disclosure.Of(s.Store, s.Answers, s.Evidence, t)
	}
	if s.bare || len(s.Answers.Content) == 0 {
		fact.Lose(s, &s.Rating, fact.Unanswered("the dossier does not answer answers.content"))
		return
	}
	s.Rating = rating.Of(s.Store, s.App != nil && s.App.Kind == "game", s.Answers.Content, s.known(), t)
	s.Rating.SetSelf(fact.PlaceOf(s.Answers, &s.Answers.Content))
}

// known is what other answers say about the content.
func (s *Submission) known() map[string]string {
	out := map[string]string{}
	if a := s.Answers.Ads; a != nil && !*a {
		out["advertising"] = "none"
	}
	if m := s.Answers.Moderation; m.Report != nil && m.Block != nil && !*m.Report && !*m.Block {
		out["safeguards"] = "none"
	}
	return out
}

// Prepare tells every part its path and what its gaps mean. New calls it;
// whoever fills a Submission by hand must.
func (s *Submission) Prepare() {
	if s.Pkg != nil && s.Pkg.IOS != nil {
		if s.Pkg.Path() == "" {
			s.Pkg.IOS.Alias()
		}
		if s.Code == nil {
			s.Code = signs.Of(s.Pkg.IOS)
		}
	}
	if s.Channel == "" && s.Release != nil {
		s.Channel = s.Release.Channel
	}
	s.Channel, s.Form = cmp.Or(s.Channel, ledger.Public), cmp.Or(s.Form, ledger.Phone)
	s.HasDossier = s.HasDossier || !s.bare && (s.App != nil || s.Answers != nil || s.Links != nil || s.Contact != nil || s.Review != nil || s.Release != nil || s.Listing != nil)
	if s.Answers != nil {
		unanswered(reflect.ValueOf(s.Answers).Elem(), "answers")
	}
	if s.Account != nil {
		unanswered(reflect.ValueOf(s.Account).Elem(), "account")
	}
	s.SetAbsent(fact.NotGiven)
	v := reflect.ValueOf(s).Elem()
	for i := range v.NumField() {
		name := fact.FieldName(v.Type().Field(i))
		if name == "" {
			continue
		}
		if name == "pkg" && s.Pkg != nil && s.Pkg.Path() == name {
			continue // read from a file, and shared with other submissions
		}
		kind := fact.NotAnswered
		if k := v.Type().Field(i).Tag.Get("absent"); k != "" {
			kind = fact.Kind(k)
		}
		fact.Stamp(v.Field(i).Interface(), name, kind)
	}
}

// Remember adds what the ledger knows of the store.
func (s *Submission) Remember(previous *ledger.Release, h *ledger.History) {
	s.Previous, s.History = previous, h
	if h == nil {
		s.History = &ledger.History{}
	}
	s.firstOf(h)
	if g := s.History.Gone(); g != nil {
		s.Previous = nil
		fact.Lose(s, &s.Previous, *g)
	} else if previous == nil {
		fact.Lose(s, &s.Previous, fact.Missing("the ledger has no release in this store yet"))
	} else {
		fact.Stamp(previous, "previous", fact.NotGiven)
	}
	if g := fact.GapOf(s, &s.Pkg); g != nil && h != nil {
		fact.
			// Without a package it is not known what of it changed.
			Lose(s.History, &s.History.Change, *g)
		for _, r := range s.History.Objections() {
			if r.OfPackage() {
				fact.Lose(r, &r.Unchanged, *g)
			}
		}
	}
	fact.Stamp(s.History, "history", fact.NotGiven)
}

// firstOf answers whether the app was public before by the ledger, where the dossier leaves
// it open and the ledger has releases.
func (s *Submission) firstOf(h *ledger.History) {
	if h == nil || !h.Recorded || h.Gone() != nil || s.Release == nil || s.Release.First != nil || s.bare {
		return
	}
	r, first := *s.Release, len(h.Public) == 0
	r.Mark, r.First = s.Release.Mark.Copy(), &first
	fact.Put(&r, &r.First, h.Self())
	s.Release = &r
	fact.Stamp(s.Release, "release", fact.NotAnswered)
}

// SelectOf is the field of a struct that a path names as rules write it, such as
// contact.email or products.price, whose lists stand for their items. ok is false for
// what is no field, and for a part as a whole.
func SelectOf(path string) (sel engine.Select, ok bool) {
	t := reflect.TypeFor[Submission]()
	names := strings.Split(path, ".")
	for i, name := range names {
		for t.Kind() == reflect.Pointer || t.Kind() == reflect.Slice {
			t = t.Elem()
		}
		if t.Kind() != reflect.Struct {
			return sel, false
		}
		at := slices.IndexFunc(reflect.VisibleFields(t), func(f reflect.StructField) bool { return fact.RuleName(f) == name })
		if at < 0 {
			return sel, false
		}
		sel, ok = engine.Select{Type: engine.TypeOf(t).TypeName(), Field: name}, i > 0
		t = reflect.VisibleFields(t)[at].Type
	}
	return sel, ok
}

// PackagePlace is the package file, or nowhere.
func (s *Submission) PackagePlace() place.Place {
	if s.Pkg != nil {
		return s.Pkg.Self()
	}
	return place.Place{}
}

// withoutDossier loses everything that a dossier would tell, field by field:
// what a rule then lacks is the very question that a dossier answers.
func (s *Submission) withoutDossier() {
	s.bare = true
	gap := fact.Missing("there is no dossier")
	s.App, s.Account, s.Contact, s.Links = &App{}, &dossier.Account{}, &dossier.Contact{}, &dossier.Links{}
	s.Answers, s.Review, s.Release = &dossier.Answers{}, &dossier.Review{}, &dossier.Release{}
	for _, part := range []any{s.App, s.Account, s.Contact, s.Links, s.Answers, s.Review, s.Release} {
		lose(reflect.ValueOf(part).Elem(), gap)
	}
	s.loseParts(gap, "dossier", "listing")
}

// loseParts loses the parts that come from the dossier or its listings as a whole.
func (s *Submission) loseParts(gap fact.Gap, from ...string) {
	t := reflect.TypeFor[Submission]()
	for i := range t.NumField() {
		if f := t.Field(i); slices.Contains(from, f.Tag.Get("from")) {
			s.Lose(fact.FieldName(f), gap)
		}
	}
}

// lose loses the fields of a struct that are questions, and those of the structs in it.
func lose(v reflect.Value, gap fact.Gap) {
	mark := fact.Of(v.Addr().Interface())
	for i := range v.NumField() {
		name := fact.FieldName(v.Type().Field(i))
		if name == "" || mark == nil {
			continue
		}
		if f := v.Field(i); f.Kind() == reflect.Struct && fact.Of(f.Addr().Interface()) != nil {
			lose(f, gap)
			continue
		}
		if v.Type().Field(i).Tag.Get("free") == "" {
			mark.Lose(name, gap)
		}
	}
}

// unanswered loses the lists and words that are questions and were left out.
func unanswered(v reflect.Value, path string) {
	mark := fact.Of(v.Addr().Interface())
	for i := range v.NumField() {
		t, f := v.Type().Field(i), v.Field(i)
		name := fact.FieldName(t)
		switch {
		case name == "" || mark == nil:
		case f.Kind() == reflect.Struct && fact.Of(f.Addr().Interface()) != nil:
			unanswered(f, path+"."+name)
		case t.Tag.Get("asked") != "" && f.IsZero() && mark.Gap(name) == nil:
			mark.Lose(name, fact.Unanswered("the dossier does not answer "+path+"."+name))
		}
	}
}

func (s *Submission) fromDossier(src *Sources) {
	st, d := src.Store, src.Dossier
	s.Account = &d.Account
	s.Contact, s.Links, s.Answers, s.Review, s.Release = &d.Contact, &d.Links, &d.Answers, &d.Review, src.Round.Of(d, st.Blocks)
	s.Products, s.Events, s.Confirmed = d.Products, d.Events, d.Confirmed
	if s.Tables != nil {
		s.foreign(src.Phrases)
	}
	a := appOf(&d.App)
	a.ID, _, _ = d.App.IDs.For(st.Blocks)
	fact.Put(a, &a.ID, d.App.IDs.Where(st.Blocks))
	a.Category, _, _ = d.App.Category.For(st.Blocks)
	fact.Put(a, &a.Category, d.App.Category.Where(st.Blocks))
	s.App = a
	for _, l := range d.Listing {
		t := s.texts(src, l, "")
		s.Listing, s.Texts = append(s.Listing, t), append(s.Texts, t)
	}
	for _, p := range d.Pages {
		if !slices.Contains(st.Blocks, p.Store) {
			continue
		}
		page := &Page{ID: p.ID, Countries: p.Countries}
		page.Mark = p.Mark
		for _, l := range p.Listing {
			page.Texts = append(page.Texts, s.texts(src, l, p.ID))
		}
		s.Pages, s.Texts = append(s.Pages, page), append(s.Texts, page.Texts...)
	}
	if len(d.Listing) == 0 {
		s.loseParts(fact.Unanswered("the dossier has no listing yet"), "listing")
	}
}

// appOf takes over what the dossier says of the app for every store: the fields of the
// same names, with their places.
func appOf(d *dossier.App) *App {
	a := &App{}
	a.SetSelf(d.Self())
	from, to := reflect.ValueOf(d).Elem(), reflect.ValueOf(a).Elem()
	for i := range from.NumField() {
		f := from.Type().Field(i)
		name := fact.FieldName(f)
		if v := to.FieldByName(f.Name); name != "" && v.IsValid() && v.Type() == f.Type {
			v.Set(from.Field(i))
			a.Put(name, d.Field(name))
		}
	}
	return a
}

// Foreign is a text of a product or an event that most likely is in another language than
// the one under which it stands.
type Foreign struct {
	fact.Mark `json:"-"`
	What      string   `json:"what"` // whose text it is, such as "the product glazes"
	Locale    string   `json:"locale"`
	Seems     string   `json:"seems"`
	Words     []string `json:"words"` // that point to it
}

// foreign lists the texts of products and events that are in another language.
func (s *Submission) foreign(memo *phrases.Memo) {
	look := func(m *fact.Mark, what, locale, text string) {
		if seems, words := memo.Guess(text, locale, s.languages()); seems != "" {
			f := &Foreign{What: what, Locale: locale, Seems: seems, Words: words}
			f.SetSelf(m.Self())
			s.Foreign = append(s.Foreign, f)
		}
	}
	for _, p := range s.Products {
		for _, t := range p.Texts {
			look(&t.Mark, "the product "+p.ID, t.Locale, t.Name+"\n"+t.Description)
		}
	}
	for _, e := range s.Events {
		for _, t := range e.Texts {
			look(&t.Mark, "the event "+e.ID, t.Locale, t.Name+"\n"+t.Short+"\n"+t.Long)
		}
	}
}

// languages is what the tables have to tell languages apart.
func (s *Submission) languages() phrases.Languages {
	return phrases.Languages{Frequent: s.Tables.FrequentWords, Near: s.Tables.NearLanguages, Letters: s.Tables.ScriptLetters}
}

// texts are those of one language as the store shows them; what is in them that
// stores turn away joins the wording.
func (s *Submission) texts(src *Sources, l *dossier.Listing, page string) *Texts {
	st, d := src.Store, src.Dossier
	t := &Texts{Locale: l.Locale, Default: l.Locale == d.App.DefaultLocale, Page: page, Texts: l.For(st.Blocks)}
	t.Mark = t.Texts.Mark
	if s.Tables != nil {
		t.StoreCode = s.Tables.StoreCode(st.ID, l.Locale)
		t.Texts.Each(" ", func(key, text string) {
			if t.Seems != "" || text == "" || key == "keywords" || key == "name" { // people search with words of any language, and a brand keeps its letters
				return
			}
			if t.Seems, t.SeemsWords = src.Phrases.Guess(text, l.Locale, s.languages()); t.Seems != "" {
				t.SeemsIn = key
			}
		})
		s.Wording = append(s.Wording, phrases.Find(l, t.Texts, page, st.ID, s.Tables.Phrases, d.App.Brand, src.Phrases)...)
	}
	return t
}
