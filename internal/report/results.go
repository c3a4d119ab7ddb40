package report

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/rulebook"
)

// ChecksDocument is the JSON form of several checks.
type ChecksDocument struct {
	Regola  int64            `json:"regola"`  // version of this form
	Results []*CheckDocument `json:"results"` // in the order of the call
	Failed  []FailedEntry    `json:"failed"`  // those of which nothing was judged
}

// FailedEntry is a dossier of which nothing was judged.
type FailedEntry struct {
	Dossier  string         `json:"dossier"`
	Problems []ProblemEntry `json:"problems"`
}

// openJSON writes one document as it is, and several as a list.
func openJSON(w io.Writer, _ Look, names []string) Writer {
	if len(names) == 1 {
		return stream{add: func(i *Item) error {
			if i.Result == nil {
				return nil // the caller reports it
			}
			return JSON(w, documentOf(i))
		}}
	}
	failed := []FailedEntry{}
	n := 0
	_, err := fmt.Fprintf(w, "{\n  \"regola\": %d,\n  \"results\": [", FormatNumber)
	value := func(v any) {
		var b []byte
		if err == nil {
			if b, err = json.MarshalIndent(v, "    ", "  "); err == nil {
				_, err = w.Write(escapeHidden(b))
			}
		}
	}
	return stream{
		add: func(i *Item) error {
			if i.Result == nil {
				failed = append(failed, FailedEntry{i.Name, NewProblemsDocument(i.Problems).Problems})
				return err
			}
			sep := ",\n    "
			if n++; n == 1 {
				sep = "\n    "
			}
			if err == nil {
				_, err = io.WriteString(w, sep)
			}
			value(documentOf(i))
			return err
		},
		close: func() error {
			if err == nil {
				_, err = io.WriteString(w, "\n  ],\n  \"failed\": ")
			}
			value(failed)
			if err == nil {
				_, err = io.WriteString(w, "\n}\n")
			}
			return err
		},
	}
}

func documentOf(i *Item) *CheckDocument {
	d := NewCheckDocument(i.Result, i.Exit)
	d.Dossier = i.Name
	return d
}

// EachResult reads what openJSON wrote, one document or several, and hands out one item
// after another. known gives the built-in rules by id; others are made from what the
// document says of them. With known nil, items have their names alone.
func EachResult(file string, r io.Reader, known func(id string) *rulebook.Rule, f func(*Item) error) error {
	const fix = "give files that regola check --format json, or --out json=FILE, wrote"
	dec := json.NewDecoder(r)
	fail := func(what string) error {
		return &place.Problem{At: place.Place{File: file}, What: what, Fix: fix}
	}
	bad := func(err error) error {
		var stopped *place.Problem
		if errors.As(err, &stopped) {
			return err
		}
		return &place.Problem{At: place.Place{File: file, Offset: dec.InputOffset()}, What: fmt.Sprintf("this is no result of a check (byte %d): %v", dec.InputOffset(), err), Fix: fix}
	}
	if t, err := dec.Token(); err != nil || t != json.Delim('{') {
		return fail("this is no result of a check: it is no JSON object")
	}
	rest := map[string]json.RawMessage{} // of one document, which stands by itself
	format, several := int64(0), false
	for dec.More() {
		key, err := dec.Token()
		if err != nil {
			return bad(err)
		}
		switch key {
		case "regola":
			if err := dec.Decode(&format); err != nil {
				return bad(err)
			}
			if format > FormatNumber {
				return fail(fmt.Sprintf("this is of format %d, of a newer program", format))
			}
		case "results":
			several = true
			if t, err := dec.Token(); err != nil || t != json.Delim('[') {
				return fail("this is no result of a check: results is no list")
			}
			for dec.More() {
				d := &CheckDocument{}
				if err := dec.Decode(d); err != nil {
					return bad(err)
				}
				if err := d.hand(known, f); err != nil {
					return bad(err)
				}
			}
			if _, err := dec.Token(); err != nil {
				return bad(err)
			}
		case "failed":
			var failed []FailedEntry
			if err := dec.Decode(&failed); err != nil {
				return bad(err)
			}
			for _, x := range failed {
				i := &Item{Name: x.Dossier, Exit: 2}
				for _, p := range x.Problems {
					i.Problems = append(i.Problems, &place.Problem{At: p.Place, What: p.What, Fix: p.Fix})
				}
				if err := f(i); err != nil {
					return err
				}
			}
		default:
			var v json.RawMessage
			if err := dec.Decode(&v); err != nil {
				return bad(err)
			}
			rest[fmt.Sprint(key)] = v
		}
	}
	if _, err := dec.Token(); err != nil {
		return bad(err)
	}
	if format == 0 || !several && rest["verdicts"] == nil {
		return fail("this is no result of a check")
	}
	if several {
		return nil
	}
	whole, err := json.Marshal(rest)
	if err != nil {
		return bad(err)
	}
	d := &CheckDocument{}
	if err := json.Unmarshal(whole, d); err != nil {
		return bad(err)
	}
	if err := d.hand(known, f); err != nil {
		return bad(err)
	}
	return nil
}

// hand hands out a document as an item.
func (d *CheckDocument) hand(known func(string) *rulebook.Rule, f func(*Item) error) error {
	i := &Item{Name: d.Dossier, Exit: int(d.Exit)}
	if known != nil {
		var err error
		if i.Result, err = d.result(known); err != nil {
			return err
		}
	}
	return f(i)
}

// result makes a check's result of its document: what reports show of it, the
// verdicts of every rule with their faults, gaps, questions and duties.
func (d *CheckDocument) result(known func(string) *rulebook.Rule) (*check.Result, error) {
	on, err := day.Parse(d.On)
	if err != nil {
		return nil, err
	}
	r := &check.Result{App: d.App, Version: d.Version, Day: on, Stages: d.Filters.Stages, Others: d.Others,
		About: check.About{Program: d.Program, Editions: d.Editions, Stores: d.Filters.Stores, Stages: d.Filters.Stages, FailOn: d.Filters.FailOn, Strict: d.Filters.Strict, Digests: map[string]string{}}}
	if len(r.Stages) == 0 {
		r.Stages = nil
	}
	rules := map[string]*rulebook.Rule{}
	rule := func(id, title, stage, confidence string) *rulebook.Rule {
		x := rules[id]
		if x == nil {
			x = &rulebook.Rule{}
			if k := known(id); k != nil {
				*x = *k
			}
			x.ID, x.After = id, nil
			rules[id] = x
		}
		if title != "" {
			x.Title, x.Stage = title, stage
		}
		if confidence != "" {
			x.Basis.Confidence = confidence
		}
		return x
	}
	verdicts := map[string]*check.Verdict{}
	for _, s := range d.Stores {
		r.Stores = append(r.Stores, &check.Store{ID: s.Store, Name: s.Name, Package: s.Package, Root: s.Root, AppID: s.ID, Version: s.Version})
		if s.Digest != "" {
			r.About.Digests[s.Package] = s.Digest
		}
	}
	for _, v := range d.Verdicts {
		n := slices.IndexFunc(r.Stores, func(s *check.Store) bool { return s.ID == v.Store })
		if n < 0 || !slices.Contains(check.States, check.State(v.State)) {
			return nil, fmt.Errorf("the verdict %q is of no store, or has no state that is known", v.Key)
		}
		x := &check.Verdict{Rule: rule(v.Rule, "", "", ""), Store: v.Store, State: check.State(v.State)}
		r.Stores[n].Verdicts = append(r.Stores[n].Verdicts, x)
		verdicts[x.Key()] = x
	}
	at := func(id, store string) (*check.Verdict, error) {
		if v := verdicts[id+"@"+store]; v != nil {
			return v, nil
		}
		return nil, fmt.Errorf("there is no verdict of %s for %s", id, store)
	}
	var put func(list []FindingEntry, cause *rulebook.Rule) error
	put = func(list []FindingEntry, cause *rulebook.Rule) error {
		for _, f := range list {
			x := rule(f.Rule, f.Title, f.Stage, f.Confidence)
			if cause != nil {
				x.After = append(x.After, cause.ID)
			}
			for n, store := range f.Stores {
				v, err := at(f.Rule, store)
				if err != nil {
					return err
				}
				if n == 0 {
					v.More += int(f.More)
				}
			}
			for _, p := range f.Places {
				fault := &check.Fault{Key: p.Key, Impact: rulebook.Impact(p.Impact), At: p.Place, Path: p.Field, Say: p.Found, Seen: p.Seen, Fix: p.Fix}
				if !slices.Contains(rulebook.Impacts, fault.Impact) {
					return fmt.Errorf("the impact %q is not known", p.Impact)
				}
				if w := p.Waived; w != nil {
					until, err := day.Parse(w.Until)
					if err != nil {
						return err
					}
					fault.Waiver = &dossier.Waiver{Rule: f.Rule, Because: w.Because, By: w.By, Until: until}
				}
				for _, x := range p.Raises {
					fault.Raises = append(fault.Raises, check.Raised{Rule: rule(x.Rule, "", "", ""), At: x.From, Say: x.Found})
				}
				for _, store := range p.Stores {
					v, err := at(f.Rule, store)
					if err != nil {
						return err
					}
					one := *fault
					v.Faults = append(v.Faults, &one)
				}
			}
			if err := put(f.With, x); err != nil {
				return err
			}
		}
		return nil
	}
	if err := errors.Join(put(d.Findings, nil), put(d.Waived, nil)); err != nil {
		return nil, err
	}
	for _, g := range d.NotJudged {
		rule(g.Rule, g.Title, g.Stage, "")
		for _, store := range g.Stores {
			v, err := at(g.Rule, store)
			if err != nil {
				return nil, err
			}
			for _, x := range g.Reasons {
				v.Gaps = append(v.Gaps, fact.Gap{Kind: fact.Kind(x.Kind), Path: x.Field, What: x.Reason, At: x.Place})
			}
		}
	}
	for _, q := range d.Questions {
		for _, store := range q.Stores {
			v, err := at(q.Rule, store)
			if err != nil {
				return nil, err
			}
			v.Question = &check.Question{Ask: q.Ask, Fix: q.Fix, What: q.What, Confirmed: q.Confirmed, By: q.By, Stale: q.Stale, At: q.Place}
			if q.Confirmed {
				if v.Question.On, err = day.Parse(q.On); err != nil {
					return nil, err
				}
			}
		}
	}
	duties := []*check.Duty{}
	for _, x := range d.Duties {
		duties = append(duties, &check.Duty{Rule: rule(x.Rule, "", "", ""), State: check.DutyState(x.State), What: x.What, Because: x.Because, At: x.Place, Write: x.Write, Act: x.Act, Stores: x.Stores, Impact: rulebook.Impact(x.Impact)})
	}
	r.Asked = duties
	for _, list := range []struct {
		from []WaiverPlace
		to   *[]*dossier.Waiver
	}{{d.Waivers.Expired, &r.Expired}, {d.Waivers.Unused, &r.Unused}} {
		for _, w := range list.from {
			x := &dossier.Waiver{Rule: w.Rule}
			if x.Until, err = day.Parse(w.Until); err != nil {
				return nil, err
			}
			x.SetSelf(w.Place)
			*list.to = append(*list.to, x)
		}
	}
	return r, nil
}
