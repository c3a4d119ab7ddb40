package report

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"sync"

	"regola.example/regola/internal/core/alike"
	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/rulebook"
)

// ChecksDocument is the JSON form of several checks.
type ChecksDocument struct {
	Regola  int64            `json:"regola"`         // version of this form
	Part    *PartEntry       `json:"part,omitempty"` // the part of a larger call that this is
	Results []*CheckDocument `json:"results"`        // in the order of the call
	Failed  []FailedEntry    `json:"failed"`         // those of which nothing was judged
	Alike   []*alike.Group   `json:"alike,omitempty" doc:"what apps of different ids have in common"`
}

// PartEntry says which part of a call with --shard a document holds.
type PartEntry struct {
	Index    int64    `json:"index" doc:"the number of the part, from 1"`
	Of       int64    `json:"of" doc:"how many parts there are"`
	Dossiers []string `json:"dossiers" doc:"the dossiers of all parts, in order"`
}

// Names are the dossiers of the part itself.
func (p *PartEntry) Names() (out []string) {
	for i := int(p.Index) - 1; i >= 0 && i < len(p.Dossiers); i += int(p.Of) {
		out = append(out, p.Dossiers[i])
	}
	return out
}

// FailedEntry is a dossier of which nothing was judged.
type FailedEntry struct {
	Dossier  string         `json:"dossier"`
	Problems []ProblemEntry `json:"problems"`
}

// openJSON writes one document as it is, and several as a list.
func openJSON(w io.Writer, _ Style, call Call) Writer {
	if !call.Many() {
		return stream{add: func(i *Item) error {
			if i.Result == nil {
				return nil // the caller reports it
			}
			d := documentOf(i)
			d.Part = call.Part
			return JSON(w, d)
		}}
	}
	failed := []FailedEntry{}
	n := 0
	var err error
	write := func(text string) {
		if err == nil {
			_, err = io.WriteString(w, text)
		}
	}
	value := func(v any) {
		var b []byte
		if err == nil {
			if b, err = json.MarshalIndent(v, "    ", "  "); err == nil {
				_, err = w.Write(escapeHidden(b))
			}
		}
	}
	begin := sync.OnceFunc(func() {
		write(fmt.Sprintf("{\n  \"regola\": %d,\n", FormatNumber))
		if call.Part != nil {
			write("  \"part\": ")
			value(call.Part)
			write(",\n")
		}
		write("  \"results\": [")
	})
	var groups []*alike.Group
	return compared{&groups, stream{
		add: func(i *Item) error {
			begin()
			if i.Result == nil {
				failed = append(failed, FailedEntry{i.Name, NewProblemsDocument(i.Problems).Problems})
				return err
			}
			sep := ",\n    "
			if n++; n == 1 {
				sep = "\n    "
			}
			write(sep)
			value(documentOf(i))
			return err
		},
		close: func() error {
			begin()
			write("\n  ],\n  \"failed\": ")
			value(failed)
			if len(groups) > 0 {
				write(",\n  \"alike\": ")
				value(groups)
			}
			write("\n}\n")
			return err
		},
	}}
}

// compared is a stream that says at its end what items have in common.
type compared struct {
	groups *[]*alike.Group
	stream
}

// Alike implements Comparer.
func (c compared) Alike(groups []*alike.Group) { *c.groups = groups }

func documentOf(i *Item) *CheckDocument {
	d := NewCheckDocument(i.Result, i.Exit)
	d.Dossier = i.Name
	return d
}

// Held is what one JSON document holds.
type Held struct {
	File  string
	Part  *PartEntry // nil for a whole call
	Names []string   // of its dossiers, those of which nothing was judged too
	Keys  []string   // what was judged: dossier, version, stores, stages and day in one text
}

// EachResult reads what openJSON wrote, one document or several after another, and hands
// out one item after another, then, with end, what each document held. known gives the
// built-in rules by id; others are made from what the document says of them. With known
// nil, items have their names alone.
func EachResult(file string, r io.Reader, known func(id string) *rulebook.Rule, f func(*Item) error, end func(*Held)) error {
	dec := json.NewDecoder(r)
	for n := 0; ; n++ {
		held, err := eachOf(file, dec, known, f)
		if errors.Is(err, io.EOF) && n > 0 {
			return nil
		}
		if errors.Is(err, io.EOF) {
			return &place.Problem{At: place.Place{File: file}, What: "the file is empty", Fix: resultFix}
		}
		if err != nil {
			return err
		}
		if end != nil {
			end(held)
		}
	}
}

const resultFix = "give files that regola check --format json, or --out json=FILE, wrote"

// eachOf reads one document; io.EOF says that there is no further one.
func eachOf(file string, dec *json.Decoder, known func(id string) *rulebook.Rule, f func(*Item) error) (*Held, error) {
	held := &Held{File: file}
	fail := func(what string) error {
		return &place.Problem{At: place.Place{File: file}, What: what, Fix: resultFix}
	}
	bad := func(err error) error {
		var stopped *place.Problem
		if errors.As(err, &stopped) {
			return err
		}
		return &place.Problem{At: place.Place{File: file, Offset: dec.InputOffset()}, What: fmt.Sprintf("this is no result of a check (byte %d): %v", dec.InputOffset(), err), Fix: resultFix}
	}
	give := func(i *Item, key string) error {
		held.Names, held.Keys = append(held.Names, i.Name), append(held.Keys, key)
		return f(i)
	}
	t, err := dec.Token()
	if errors.Is(err, io.EOF) {
		return nil, io.EOF
	}
	if err != nil || t != json.Delim('{') {
		return nil, fail("this is no result of a check: it is no JSON object")
	}
	rest := map[string]json.RawMessage{} // of one document, which stands by itself
	format, several := int64(0), false
	for dec.More() {
		key, err := dec.Token()
		if err != nil {
			return nil, bad(err)
		}
		switch key {
		case "regola":
			if err := dec.Decode(&format); err != nil {
				return nil, bad(err)
			}
			if format > FormatNumber {
				return nil, fail(fmt.Sprintf("this is of format %d, of a newer program", format))
			}
		case "part":
			if err := dec.Decode(&held.Part); err != nil {
				return nil, bad(err)
			}
			if p := held.Part; p != nil && (p.Index < 1 || p.Of < p.Index) {
				return nil, fail(fmt.Sprintf("this is no result of a check: there is no part %d of %d", p.Index, p.Of))
			}
		case "results":
			several = true
			if t, err := dec.Token(); err != nil || t != json.Delim('[') {
				return nil, fail("this is no result of a check: results is no list")
			}
			for dec.More() {
				d := &CheckDocument{}
				if err := dec.Decode(d); err != nil {
					return nil, bad(err)
				}
				if err := d.hand(known, give); err != nil {
					return nil, bad(err)
				}
			}
			if _, err := dec.Token(); err != nil {
				return nil, bad(err)
			}
		case "failed":
			var failed []FailedEntry
			if err := dec.Decode(&failed); err != nil {
				return nil, bad(err)
			}
			for _, x := range failed {
				i := &Item{Name: x.Dossier, Exit: 2}
				for _, p := range x.Problems {
					i.Problems = append(i.Problems, &place.Problem{At: p.Place, What: p.What, Fix: p.Fix, Edit: p.Edit})
				}
				if err := give(i, ""); err != nil {
					return nil, err
				}
			}
		default:
			var v json.RawMessage
			if err := dec.Decode(&v); err != nil {
				return nil, bad(err)
			}
			rest[fmt.Sprint(key)] = v
		}
	}
	if _, err := dec.Token(); err != nil {
		return nil, bad(err)
	}
	if format == 0 || !several && rest["verdicts"] == nil {
		return nil, fail("this is no result of a check")
	}
	if several {
		return held, nil
	}
	whole, err := json.Marshal(rest)
	if err != nil {
		return nil, bad(err)
	}
	d := &CheckDocument{}
	if err := json.Unmarshal(whole, d); err != nil {
		return nil, bad(err)
	}
	if err := d.hand(known, give); err != nil {
		return nil, bad(err)
	}
	return held, nil
}

// hand hands out a document as an item, with what tells it from others.
func (d *CheckDocument) hand(known func(string) *rulebook.Rule, give func(*Item, string) error) error {
	i := &Item{Name: d.Dossier, Exit: int(d.Exit)}
	if known != nil {
		var err error
		if i.Result, err = d.result(known); err != nil {
			return err
		}
	}
	var stores []string
	for _, s := range d.Stores {
		stores = append(stores, s.Store+" "+s.Package+" "+s.Digest)
	}
	return give(i, fmt.Sprintf("%q", []any{d.Dossier, d.App, d.Version, d.On, d.Filters.Stages, stores}))
}

// Whole holds that documents belong together: of the parts of a call each is there
// once, and no result twice. missing are the dossiers of the parts that are not there.
func Whole(all []*Held) (missing []string, err error) {
	var problems place.Problems
	fail := func(file, what, fix string) {
		problems = append(problems, &place.Problem{At: place.Place{File: file}, What: what, Fix: fix})
	}
	type call struct {
		first *Held
		parts map[int64]*Held
	}
	var calls []*call
	keys := map[string]string{}
	for _, h := range all {
		for _, k := range h.Keys {
			if other, twice := keys[k]; twice && k != "" && h.Part == nil {
				fail(h.File, "this result is in "+other+" already", "name each file once")
				break
			}
			keys[k] = h.File
		}
		p := h.Part
		if p == nil {
			continue
		}
		at := slices.IndexFunc(calls, func(c *call) bool { return slices.Equal(c.first.Part.Dossiers, p.Dossiers) })
		if at < 0 {
			at, calls = len(calls), append(calls, &call{h, map[int64]*Held{}})
		}
		c := calls[at]
		if c.first.Part.Of != p.Of {
			fail(h.File, fmt.Sprintf("this is a part of %d, and %s one of %d, of the same dossiers", p.Of, c.first.File, c.first.Part.Of), "join parts of one call")
			continue
		}
		if other := c.parts[p.Index]; other != nil {
			fail(h.File, fmt.Sprintf("part %d of %d is in %s already", p.Index, p.Of, other.File), "name each part once")
			continue
		}
		c.parts[p.Index] = h
		if want, got := slices.Sorted(slices.Values(p.Names())), slices.Sorted(slices.Values(h.Names)); !slices.Equal(want, got) {
			fail(h.File, fmt.Sprintf("part %d of %d has %s, and should have %s", p.Index, p.Of, Count(len(got), "dossier", "dossiers"), Count(len(want), "dossier", "dossiers")), "write it anew with regola check --shard")
		}
	}
	for _, c := range calls {
		for n := int64(1); n <= min(c.first.Part.Of, int64(len(c.first.Part.Dossiers))); n++ { // further parts are empty
			if c.parts[n] == nil {
				missing = append(missing, (&PartEntry{Index: n, Of: c.first.Part.Of, Dossiers: c.first.Part.Dossiers}).Names()...)
			}
		}
	}
	return missing, problems.Err()
}

// Lost is the item of a dossier whose part is not there.
func Lost(name string) *Item {
	return &Item{Name: name, Exit: 1, Problems: place.Problems{{What: "its part of the results is not there", Fix: "run that part of the check, and join all of them"}}}
}

// result makes a check's result of its document: what reports show of it, the
// verdicts of every rule with their faults, gaps, questions and duties.
func (d *CheckDocument) result(known func(string) *rulebook.Rule) (*check.Result, error) {
	on, err := day.Parse(d.On)
	if err != nil {
		return nil, err
	}
	r := &check.Result{Basis: d.Basis, App: d.App, Version: d.Version, Day: on, Stages: d.Filters.Stages, Others: d.Others,
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
		r.Stores = append(r.Stores, &check.Store{ID: s.Store, Of: s.Of, Channel: s.Channel, Form: s.Form, Next: s.Next, Name: s.Name, Package: s.Package, Root: s.Root, AppID: s.ID, Version: s.Version, Absent: s.Absent})
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
				fault := &check.Fault{Key: p.Key, Impact: rulebook.Impact(p.Impact), At: p.Place, Path: p.Field, Say: p.Found, Seen: p.Seen, Fix: p.Fix, Known: p.Known, Edits: p.Edits}
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
			v.Question = &check.Question{Ask: q.Ask, Fix: q.Fix, What: q.What, Confirmed: q.Confirmed, By: q.By, Stale: q.Stale, Doubt: q.Doubt, At: q.Place}
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
	if b := d.Baseline; b != nil {
		r.Baseline = &check.Baseline{File: b.File, Known: int(b.Known), New: int(b.New)}
		for _, g := range b.Gone {
			r.Baseline.Gone = append(r.Baseline.Gone, &check.Gone{Rule: rule(g.Rule, "", "", ""), Fault: &check.Fault{Key: g.Key, Impact: rulebook.Craft, Say: g.Found}})
		}
	}
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
