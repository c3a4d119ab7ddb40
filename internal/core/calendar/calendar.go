// Package calendar gathers the days on which something changes for a release: those
// of rules, limits and tables, and those of its own certificates, waivers and accounts.
package calendar

import (
	"cmp"
	"fmt"
	"maps"
	"reflect"
	"slices"
	"strings"
	"time"

	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/ledger"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/tables"
)

// Date is a day on which something changes.
type Date struct {
	Day   day.Day
	Kind  string // limit, rule, table, certificate, profile, waiver, postponed, account, test
	Name  string // of the limit, the rule, the table, or what ends
	Store string // empty for both
	What  string // in words
}

// BuiltIn are the days of rulebooks and tables, after one day and up to another.
func BuiltIn(books []*rulebook.Book, set *tables.Set, after, until day.Day) []Date {
	c := collector{after: after, until: until, seen: map[Date]bool{}}
	for _, b := range books {
		for _, name := range slices.Sorted(maps.Keys(b.Limits)) {
			for _, v := range b.Limits[name] {
				c.add(Date{v.From, "limit", name, b.Store, fmt.Sprintf("%s becomes %s", set.LimitTitle(name), value(v.Value))})
			}
		}
		for _, r := range b.Rules {
			if r.From != nil {
				c.add(Date{*r.From, "rule", r.ID, b.Store, "takes effect: " + r.Title})
			}
			if r.Until != nil {
				c.add(Date{day.Day{Time: r.Until.AddDate(0, 0, 1)}, "rule", r.ID, b.Store, "binds no more: " + r.Title})
			}
		}
	}
	if set != nil {
		c.rows(reflect.ValueOf(set.Known), "")
	}
	return c.sorted()
}

type collector struct {
	after, until day.Day
	seen         map[Date]bool
	out          []Date
}

func (c *collector) add(d Date) {
	if !d.Day.After(c.after.Time) || d.Day.After(c.until.Time) || c.seen[d] {
		return
	}
	c.seen[d] = true
	c.out = append(c.out, d)
}

func (c *collector) sorted() []Date {
	slices.SortStableFunc(c.out, func(a, b Date) int {
		return cmp.Or(a.Day.Compare(b.Day.Time), cmp.Compare(a.Store, b.Store), cmp.Compare(a.Kind, b.Kind), cmp.Compare(a.Name, b.Name))
	})
	return c.out
}

// value writes a limit's value.
func value(v any) string {
	if list, ok := v.([]any); ok {
		return fmt.Sprintf("a list of %d", len(list))
	}
	return fmt.Sprint(v)
}

// rows looks for dated rows of tables.
func (c *collector) rows(v reflect.Value, table string) {
	switch v.Kind() {
	case reflect.Pointer:
		if !v.IsNil() {
			c.rows(v.Elem(), table)
		}
	case reflect.Slice:
		for i := range v.Len() {
			c.rows(v.Index(i), table)
		}
	case reflect.Map:
		for _, k := range v.MapKeys() {
			c.rows(v.MapIndex(k), table)
		}
	case reflect.Struct:
		if v.Type() == reflect.TypeFor[tables.Regional]() {
			return // it concerns releases in its countries: see Regional
		}
		if f := v.FieldByName("Dated"); f.IsValid() && table != "" {
			d := f.Interface().(tables.Dated)
			name := table
			for _, key := range []string{"ID", "Word", "Question", "Name", "Key", "Device"} {
				if id := v.FieldByName(key); id.IsValid() && id.Kind() == reflect.String && id.String() != "" {
					name += " " + id.String()
					break
				}
			}
			store := ""
			if s := v.FieldByName("Store"); s.IsValid() && s.Kind() == reflect.String {
				store = s.String()
			}
			if d.From != nil {
				c.add(Date{*d.From, "table", name, store, name + " holds"})
			}
			if d.Until != nil {
				c.add(Date{day.Day{Time: d.Until.AddDate(0, 0, 1)}, "table", name, store, name + " holds no more"})
			}
			return
		}
		for i := range v.NumField() {
			t := v.Type().Field(i)
			if !t.IsExported() || t.Tag.Get("json") == "-" {
				continue
			}
			name := table
			if name == "" {
				name = strings.ReplaceAll(strings.Split(t.Tag.Get("json"), ",")[0], "_", " ")
			}
			c.rows(v.Field(i), name)
		}
	}
}

// Regional are the days from which countries ask more of apps that are offered there.
func Regional(rows []*tables.Regional, countries []string, after, until day.Day) []Date {
	c := collector{after: after, until: until, seen: map[Date]bool{}}
	for _, r := range rows {
		if r.From == nil || !slices.ContainsFunc(r.Countries, func(x string) bool { return slices.Contains(countries, x) }) {
			continue
		}
		who := "by law; no store asks about it yet"
		if len(r.AskedBy) > 0 {
			who = "asked by " + strings.Join(r.AskedBy, " and ")
		}
		where := fmt.Sprintf("%d countries", len(r.Countries))
		if len(r.Countries) < 4 {
			where = strings.Join(r.Countries, ", ")
		}
		c.add(Date{*r.From, "region", r.ID, "", fmt.Sprintf("%s: %s (for %s; %s)", where, r.What, r.For, who)})
	}
	return c.sorted()
}

// History are the days that follow from what was sent and decided: the last day of a build
// that testers of a store can start, by how many days it lives, and of what a decision asks.
func History(l *ledger.Ledger, lives map[string]int, after, until day.Day) []Date {
	c := collector{after: after, until: until, seen: map[Date]bool{}}
	for _, e := range l.Events {
		name := e.Version + " (" + e.Build + ")"
		if days := lives[e.Store]; e.Event == ledger.Released && days > 0 && e.Release.Line().Channel != ledger.Public {
			c.add(Date{day.Day{Time: e.On.AddDate(0, 0, days)}, "build", name, e.Store, "testers can no longer start " + name})
		}
		if e.Until != nil {
			c.add(Date{*e.Until, "decision", name, e.Store, "the last day for the " + e.Decision + " about " + name})
		}
	}
	return c.sorted()
}

// Own are the days of a release itself: when its certificates, profiles, waivers and
// accounts end.
func Own(pkgs map[string]*facts.Package, d *dossier.Dossier, after, until day.Day) []Date {
	c := collector{after: after, until: until, seen: map[Date]bool{}}
	ends := func(t time.Time, kind, name, store, what string) {
		if !t.IsZero() {
			c.add(Date{day.Of(t.UTC()), kind, name, store, what})
		}
	}
	for store, p := range pkgs {
		if p == nil {
			continue
		}
		if p.Android != nil && p.Android.Signing.Certificate != nil {
			ends(p.Android.Signing.Certificate.NotAfter, "certificate", p.Android.Signing.Certificate.Subject, store, "the certificate of the package ends")
		}
		if p.IOS == nil {
			continue
		}
		for _, b := range p.IOS.Bundles {
			if b.Profile != nil {
				ends(b.Profile.Expires, "profile", b.Path, store, "the provisioning profile of "+b.Path+" ends")
			}
			if b.Path == "." && b.Signature != nil && b.Signature.Signer != nil {
				ends(b.Signature.Signer.NotAfter, "certificate", b.Signature.Signer.Subject, store, "the certificate of the app ends")
			}
		}
	}
	if d != nil {
		for _, w := range d.Waivers {
			c.add(Date{day.Day{Time: w.Until.AddDate(0, 0, 1)}, "waiver", w.Rule, "", "the waiver of " + w.Rule + " is over"})
		}
		for _, p := range d.Postponed {
			c.add(Date{day.Day{Time: p.Until.AddDate(0, 0, 1)}, "postponed", p.Rule, "", p.Rule + " waits no more"})
		}
		if on, err := day.Parse(d.Review.SignIn.Expires); err == nil {
			c.add(Date{day.Day{Time: on.AddDate(0, 0, 1)}, "account", "review.sign_in", "", "the demo account works no more"})
		}
		if t := d.Release.Testing.Until; t != nil {
			c.add(Date{*t, "test", "release.testing", "", "the test ends"})
		}
	}
	return c.sorted()
}
