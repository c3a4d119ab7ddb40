// Package disclosure derives from the one answer sheet of a dossier what each
// store's form on data says, and holds it beside what the package points to. How
// kinds of data and purposes go over into a store's form is data: the table
// data_forms.
package disclosure

import (
	"slices"

	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/evidence"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/tables"
)

// Disclosure is one store's form on data.
type Disclosure struct {
	fact.Mark `json:"-"`
	Rows      []*Row          `json:"rows"`     // in the order of the sheet
	Hidden    []string        `json:"hidden"`   // kinds of the sheet that the store does not show, since they are not kept or are occasional
	Missing   []*Missing      `json:"missing"`  // what the package points to and the sheet does not answer
	Asks      []string        `json:"asks"`     // what the store asks about a kind: shared, required, kept, linked, tracking
	Answered  bool            `json:"answered"` // the sheet says which data leaves the device
	Tracking  bool            `json:"tracking"` // some kind is used for tracking
	Encrypted *bool           `json:"encrypted"`
	Differs   []*Differs      `json:"differs"` // from what another store hears
	kinds     map[string]bool // of the sheet
}

// Row is one kind of data as the store asks for it.
type Row struct {
	fact.Mark `json:"-"`
	Kind      string           `json:"kind"`
	From      []string         `json:"from"`   // kinds of the sheet
	Shown     bool             `json:"shown"`  // to people; a kind may be asked for and not shown
	Kept      bool             `json:"kept"`   // longer than a request takes
	Shared    bool             `json:"shared"` // with others
	Required  bool             `json:"required"`
	Linked    bool             `json:"linked"`
	Tracking  bool             `json:"tracking"`
	Purposes  []string         `json:"purposes"`   // in the store's words, put neutrally
	SharedFor []string         `json:"shared_for"` // likewise
	By        []string         `json:"by"`         // who collects it
	Open      []string         `json:"open"`       // what the sheet does not answer about it
	Implied   []*evidence.Data `json:"implied"`    // what in the package points to it
}

// Missing is a kind of data that the package points to and the sheet leaves out.
type Missing struct {
	fact.Mark `json:"-"`
	Kind      string           `json:"kind"`
	Implied   []*evidence.Data `json:"implied"`
	Access    bool             `json:"access"` // only access on the device shows
}

// Differs is a kind that another store hears of, and this one does not.
type Differs struct {
	fact.Mark `json:"-"`
	Kind      string `json:"kind"`
	Store     string `json:"store"`
	Why       string `json:"why"`
}

// Of derives the form of a store. e may be nil: nothing is then known of the
// package.
func Of(store string, a *dossier.Answers, e *evidence.Evidence, t *tables.Set) *Disclosure {
	d := &Disclosure{Answered: a.Data != nil, Encrypted: a.Security.EncryptedInTransit, kinds: map[string]bool{}}
	var form *tables.DataForm
	for _, f := range t.DataForms {
		if f.Store == store {
			form = f
		}
	}
	if form == nil {
		return d
	}
	d.Asks = form.Asks
	implied := map[string][]*evidence.Data{}
	if e != nil {
		for _, x := range e.Data {
			implied[x.Kind] = append(implied[x.Kind], x)
		}
	}
	for _, x := range a.Data {
		d.kinds[x.Kind] = true
		kept := x.Stored == nil || *x.Stored
		if form.KeptOnly && (!kept || x.Occasional) {
			d.Hidden = append(d.Hidden, x.Kind)
			continue
		}
		names := form.Kinds[x.Kind]
		if len(names) == 0 {
			names = []string{x.Kind}
		}
		for _, name := range names {
			i := slices.IndexFunc(d.Rows, func(r *Row) bool { return r.Kind == name })
			if i < 0 {
				i = len(d.Rows)
				r := &Row{Kind: name}
				r.SetSelf(x.Self())
				d.Rows = append(d.Rows, r)
			}
			d.Rows[i].join(x, kept, form, implied[x.Kind])
		}
		d.Tracking = d.Tracking || yes(x.Tracking)
	}
	if e == nil {
		return d
	}
	for _, x := range e.Data {
		if d.kinds[x.Kind] || answered(form, x.Kind, d) {
			continue
		}
		kind := x.Kind
		if names := form.Kinds[kind]; len(names) == 1 {
			kind = names[0]
		}
		i := slices.IndexFunc(d.Missing, func(m *Missing) bool { return m.Kind == kind })
		if i < 0 {
			i = len(d.Missing)
			d.Missing = append(d.Missing, &Missing{Kind: kind, Access: true})
		}
		d.Missing[i].Implied = append(d.Missing[i].Implied, x)
		d.Missing[i].Access = d.Missing[i].Access && x.Access
	}
	slices.SortStableFunc(d.Missing, func(x, y *Missing) int { return b2i(x.Access) - b2i(y.Access) })
	return d
}

// Compare notes in each form what the other hears and it does not.
func Compare(forms map[string]*Disclosure) {
	for store, d := range forms {
		for other, o := range forms {
			if other == store {
				continue
			}
			for _, kind := range d.Hidden {
				if !slices.Contains(o.Hidden, kind) {
					d.Differs = append(d.Differs, &Differs{Kind: kind, Store: other, Why: "it is not kept, or given now and then only; that store asks for it all the same"})
				}
			}
		}
	}
}

func (r *Row) join(x *dossier.Data, kept bool, form *tables.DataForm, implied []*evidence.Data) {
	r.From = append(r.From, x.Kind)
	r.Kept = r.Kept || kept
	shared := yes(x.Shared) && x.SharedBecause == "" || form.TrackingShares && yes(x.Tracking)
	r.Shared = r.Shared || shared
	r.Shown = r.Shown || kept || shared
	r.Required = r.Required || !yes(x.Optional)
	r.Linked, r.Tracking = r.Linked || yes(x.Linked), r.Tracking || yes(x.Tracking)
	r.Purposes = purposes(form, r.Purposes, x.Purposes)
	if shared {
		what := x.SharedFor
		if len(what) == 0 {
			what = x.Purposes
		}
		r.SharedFor = purposes(form, r.SharedFor, what)
	}
	by := x.CollectedBy
	if len(by) == 0 {
		by = []string{"app"}
	}
	for _, b := range by {
		if !slices.Contains(r.By, b) {
			r.By = append(r.By, b)
		}
	}
	for _, q := range []struct {
		key string
		v   *bool
	}{{"shared", x.Shared}, {"linked", x.Linked}, {"tracking", x.Tracking}, {"optional", x.Optional}, {"stored", x.Stored}} {
		if q.v == nil && !slices.Contains(r.Open, q.key) {
			r.Open = append(r.Open, q.key)
		}
	}
	if len(x.Purposes) == 0 && !slices.Contains(r.Open, "purposes") {
		r.Open = append(r.Open, "purposes")
	}
	r.Implied = append(r.Implied, implied...)
}

// purposes puts purposes of the sheet into the words of a form.
func purposes(form *tables.DataForm, have, more []string) []string {
	for _, p := range more {
		word := form.Purposes[p]
		if word == "" {
			word = p
		}
		if !slices.Contains(have, word) {
			have = append(have, word)
		}
	}
	return have
}

// answered tells whether a kind falls into a row that is there already: the store
// asks for photographs and videos together.
func answered(form *tables.DataForm, kind string, d *Disclosure) bool {
	names := form.Kinds[kind]
	if len(names) == 0 {
		names = []string{kind}
	}
	return slices.ContainsFunc(d.Rows, func(r *Row) bool { return slices.Contains(names, r.Kind) })
}

func yes(b *bool) bool { return b != nil && *b }

func b2i(b bool) int {
	if b {
		return 1
	}
	return 0
}
