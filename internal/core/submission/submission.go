// Package submission is everything that a rule may see, as one typed tree. A
// field's name in a rule is its json tag.
package submission

import (
	"regola.example/regola/internal/core/catalogue"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/evidence"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/place"
)

// Submission is one release for one store. A nil part is not there: rules
// that need it are not checked, with the reason in Missing.
type Submission struct {
	place.Mark `json:"-"`
	Store      string                  `json:"store"`   // android or ios
	Version    string                  `json:"version"` // the dossier's, or else the package's
	Pkg        *facts.Package          `json:"pkg"`
	App        *App                    `json:"app"`
	Contact    *dossier.Contact        `json:"contact"`
	Links      *dossier.Links          `json:"links"`
	Answers    *dossier.Answers        `json:"answers"`
	Review     *dossier.Review         `json:"review"`
	Release    *dossier.Release        `json:"release"`
	Products   []*dossier.Product      `json:"products"`
	Listing    []*Texts                `json:"listing"`
	Evidence   *evidence.Evidence      `json:"evidence"`
	Confirmed  []*dossier.Confirmation `json:"-"`
	HasDossier bool                    `json:"has_dossier"` // a dossier is behind the submission
}

// App is what the dossier says of the app, as far as one store is concerned.
type App struct {
	place.Mark    `json:"-"`
	Name          string   `json:"name"`
	Kind          string   `json:"kind"`
	DefaultLocale string   `json:"default_locale"`
	ID            string   `json:"id"` // the id registered with this store
	Category      []string `json:"category"`
	Tags          []string `json:"tags"`
	Price         string   `json:"price"`
}

// Texts are the texts of one language, with the store's own variants in place.
type Texts struct {
	place.Mark   `json:"-"`
	Locale       string   `json:"locale"`
	Default      bool     `json:"default"` // the language that stands in for all others
	Name         string   `json:"name"`
	Tagline      string   `json:"tagline"`
	Pitch        string   `json:"pitch"`
	Highlight    string   `json:"highlight"`
	Description  string   `json:"description"`
	Keywords     []string `json:"keywords"`
	ReleaseNotes string   `json:"release_notes"`
}

// New puts together what is known of a release for one store. pkg and d may
// be nil, not both.
func New(store string, pkg *facts.Package, d *dossier.Dossier, cat *catalogue.Catalogue) *Submission {
	s := &Submission{Store: store, Pkg: pkg}
	if pkg == nil {
		s.SetUnread("pkg", "no package for this store was given")
		s.SetUnread("evidence", "no package for this store was given")
	} else {
		s.Evidence = evidence.Of(pkg, cat)
	}
	if d == nil {
		for _, f := range []string{"app", "contact", "links", "answers", "review", "release", "products", "listing"} {
			s.SetUnread(f, "there is no dossier")
		}
	} else {
		s.fromDossier(store, d)
	}
	if s.Release != nil {
		s.Version = s.Release.Version
	}
	if s.Version == "" && pkg != nil {
		s.Version = pkg.Version()
	}
	s.Prepare()
	return s
}

// Prepare tells every part its path, and whether a dossier is behind the
// submission at all. New calls it; whoever fills a Submission by hand must.
func (s *Submission) Prepare() {
	s.HasDossier = s.HasDossier || s.App != nil || s.Answers != nil || s.Links != nil || s.Contact != nil ||
		s.Review != nil || s.Release != nil || s.Listing != nil
	for name, part := range map[string]any{
		"pkg": s.Pkg, "app": s.App, "contact": s.Contact, "links": s.Links, "answers": s.Answers, "review": s.Review,
		"release": s.Release, "products": s.Products, "listing": s.Listing, "evidence": s.Evidence,
	} {
		place.Stamp(part, name)
	}
}

func (s *Submission) fromDossier(store string, d *dossier.Dossier) {
	s.HasDossier = true
	s.Contact, s.Links, s.Answers, s.Review, s.Release = &d.Contact, &d.Links, &d.Answers, &d.Review, &d.Release
	s.Products, s.Confirmed = d.Products, d.Confirmed
	// A block that is not written at all still has a place: the dossier's first line.
	for name, m := range map[string]place.Marked{"contact": &d.Contact, "links": &d.Links, "answers": &d.Answers, "review": &d.Review, "release": &d.Release} {
		home(m, d.Field(name))
	}
	home(&d.Review.Contact, d.Review.Field("contact"))
	home(&d.Review.SignIn, d.Review.Field("sign_in"))
	home(&d.Answers.AdvertisingID, d.Answers.Field("advertising_id"))
	home(&d.Answers.Encryption, d.Answers.Field("encryption"))
	home(&d.Answers.Accounts, d.Answers.Field("accounts"))
	home(&d.Answers.Audience, d.Answers.Field("audience"))
	home(&d.Answers.Features, d.Answers.Field("features"))
	home(&d.Answers.Security, d.Answers.Field("security"))
	a := &App{Name: d.App.Name, Kind: d.App.Kind, DefaultLocale: d.App.DefaultLocale, ID: d.App.IDs.For(store), Tags: d.App.Tags, Price: d.App.Price}
	a.SetSelf(d.App.Self())
	for _, f := range []string{"name", "kind", "default_locale", "tags", "price"} {
		a.Put(f, d.App.Field(f))
	}
	a.Put("id", d.App.IDs.Field(store))
	if d.App.IDs.Self().IsZero() {
		a.Put("id", d.App.Self())
	}
	a.Put("category", d.App.Category.Field(store))
	if store == "android" && d.App.Category.Android != "" {
		a.Category = []string{d.App.Category.Android}
	} else if store == "ios" {
		a.Category = d.App.Category.IOS
	}
	s.App = a
	for _, l := range d.Listing {
		s.Listing = append(s.Listing, texts(store, l, l.Locale == d.App.DefaultLocale))
	}
}

// home gives a block that the author left out the place where it would stand.
func home(m place.Marked, at place.Place) {
	if mark := place.Of(m); mark.Self().IsZero() {
		mark.SetSelf(at)
	}
}

// texts lays a store's own variants over the common texts.
func texts(store string, l *dossier.Listing, def bool) *Texts {
	t := &Texts{Locale: l.Locale, Default: def, Name: l.Name, Tagline: l.Tagline, Pitch: l.Pitch, Highlight: l.Highlight,
		Description: l.Description, Keywords: l.Keywords, ReleaseNotes: l.ReleaseNotes}
	t.SetSelf(l.Self())
	own := l.Android
	if store == "ios" {
		own = l.IOS
	}
	field := func(name string, set bool, take func()) {
		t.Put(name, l.Field(name))
		if own != nil && set {
			take()
			t.Put(name, own.Field(name))
		}
	}
	if own == nil {
		own = &dossier.Texts{}
	}
	field("name", own.Name != "", func() { t.Name = own.Name })
	field("tagline", own.Tagline != "", func() { t.Tagline = own.Tagline })
	field("pitch", own.Pitch != "", func() { t.Pitch = own.Pitch })
	field("highlight", own.Highlight != "", func() { t.Highlight = own.Highlight })
	field("description", own.Description != "", func() { t.Description = own.Description })
	field("keywords", own.Keywords != nil, func() { t.Keywords = own.Keywords })
	field("release_notes", own.ReleaseNotes != "", func() { t.ReleaseNotes = own.ReleaseNotes })
	return t
}
