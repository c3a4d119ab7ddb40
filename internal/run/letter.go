package run

import (
	"context"
	"slices"
	"strings"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/ledger"
	"regola.example/regola/internal/core/letter"
	"regola.example/regola/internal/core/store"
	"regola.example/regola/internal/core/submission"
	"regola.example/regola/internal/ledgerfile"
	"regola.example/regola/internal/view"
)

// Letter reads what a store wrote, and holds it against the release: its version against the
// ledger, what it names against package and texts, its reasons against the rules. id is the
// store, where the call names it.
func (r *Runner) Letter(ctx context.Context, job Job, raw []byte, id string) (*view.Letter, error) {
	rows, err := r.lib.Letters()
	if err != nil {
		return nil, err
	}
	if id != "" {
		rows = slices.DeleteFunc(slices.Clone(rows), func(x *letter.Row) bool { return x.Store != id })
	}
	l := letter.Read(letter.Peel(raw), rows)
	if id != "" {
		l.Store = id
	}
	out := &view.Letter{Letter: l}
	for _, x := range l.Issues {
		out.Issues = append(out.Issues, &view.LetterIssue{Issue: x, About: []string{"behaviour"}})
	}
	out.Word = decision(l)
	if i := slices.IndexFunc(r.stores, func(s *store.Store) bool { return s.ID == l.Store }); i >= 0 {
		out.Store = r.stores[i]
	}
	res, judged, err := r.Judge(ctx, job)
	if err != nil {
		return nil, err
	}
	if out.Other = otherApp(l, judged); out.Other != "" || out.Store == nil {
		return out, nil
	}
	var was *ledger.Release
	if judged.Dossier != nil {
		book, err := ledgerfile.Read(judged.Dossier.Root)
		if err != nil {
			return nil, err
		}
		was, out.Missing = releaseOf(book, l)
		if was != nil {
			out.Release = was.Version + " (" + was.Build + ")"
		}
	}
	for _, p := range judged.Pairs {
		if p.Judge.Store.ID != l.Store {
			continue
		}
		for _, s := range res.Stores {
			if s.Of == l.Store && (p.Subject == "" || s.ID == p.Subject) {
				for _, x := range out.Issues {
					bind(x, s, p.Submission, was)
				}
			}
		}
	}
	return out, nil
}

// decision is the word for the ledger.
func decision(l *letter.Letter) string {
	upload := len(l.Issues) > 0
	stops := false
	for _, x := range l.Issues {
		stops = stops || x.Stops
		upload = upload && x.Row != nil && strings.Contains(x.Row.ID, "-up-")
	}
	switch {
	case l.Approved && len(l.Issues) > 0:
		return "remark"
	case l.Approved:
		return "accepted"
	case len(l.Issues) == 0:
		return ""
	case !stops:
		return "warning"
	case upload:
		return "refused"
	}
	return "rejected"
}

// otherApp says why a letter cannot be about this app.
func otherApp(l *letter.Letter, j *Judged) string {
	ids, names := map[string]bool{}, []string{}
	for _, p := range j.Pairs {
		s := p.Submission
		if s.App != nil && s.App.ID != "" {
			ids[s.App.ID] = true
		}
		if s.Pkg != nil && s.Pkg.ID() != "" {
			ids[s.Pkg.ID()] = true
		}
		if s.App != nil {
			names = append(names, s.App.Name)
		}
		for _, t := range s.Listing {
			names = append(names, t.Name)
		}
	}
	if len(l.IDs) > 0 && len(ids) > 0 && !slices.ContainsFunc(l.IDs, func(id string) bool { return ids[id] }) {
		return "it names " + strings.Join(l.IDs, ", ") + ", and this app is " + strings.Join(sortedKeys(ids), ", ")
	}
	low := strings.ToLower(l.Name)
	if low != "" && len(names) > 0 && !slices.ContainsFunc(names, func(n string) bool {
		n = strings.ToLower(n)
		return n != "" && (strings.Contains(n, low) || strings.Contains(low, n))
	}) {
		return `it is about "` + l.Name + `", and this app is "` + names[0] + `"`
	}
	return ""
}

func sortedKeys(m map[string]bool) []string {
	var out []string
	for k := range m {
		out = append(out, k)
	}
	slices.Sort(out)
	return out
}

// releaseOf finds the release that a letter is about, or says why there is none.
func releaseOf(book *ledger.Ledger, l *letter.Letter) (*ledger.Release, string) {
	if book == nil || book.Last(l.Store) == nil {
		return nil, "the ledger has no release in this store"
	}
	for _, x := range slices.Backward(book.Events) {
		if x.Store == l.Store && x.Event == ledger.Released && (l.Version == "" || x.Version == l.Version) && (l.Build == "" || x.Build == l.Build) {
			return x.Release, ""
		}
	}
	return nil, strings.TrimSpace("the ledger has no release " + l.Version + strings.TrimSuffix(" ("+l.Build+")", " ()"))
}

// bind holds an issue against one store's part of the release.
func bind(x *view.LetterIssue, s *check.Store, sub *submission.Submission, was *ledger.Release) {
	x.Seen = append(x.Seen, seen(x.Named, sub)...)
	if x.Row == nil {
		return
	}
	for _, v := range s.Verdicts {
		if !slices.Contains(x.Row.Rules, v.Rule.ID) {
			continue
		}
		switch v.State {
		case check.Broken:
			c := &view.Cause{Rule: v.Rule.ID, Faults: v.Sorted()}
			for _, f := range c.Faults {
				c.Named = c.Named || slices.ContainsFunc(slices.Concat(x.Named, x.Locales), func(n string) bool {
					return strings.Contains(f.Say, n) || strings.Contains(f.At.String(), n)
				})
			}
			x.Causes = append(x.Causes, c)
		case check.Held:
			x.Held = append(x.Held, v.Rule.ID)
		case check.ToAnswer, check.ToConfirm, check.NotRead:
			x.Open = append(x.Open, v.Rule.ID)
		}
	}
	slices.SortStableFunc(x.Causes, func(a, b *view.Cause) int {
		switch {
		case a.Named == b.Named:
			return 0
		case a.Named:
			return -1
		}
		return 1
	})
	x.About = about(x, was)
}

// seen says what the things that a letter names are in this release.
func seen(named []string, sub *submission.Submission) (out []view.Seen) {
	p := sub.Pkg
	if p == nil {
		return nil
	}
	for _, n := range named {
		one := view.Seen{What: n, Is: "it is not in this package", Gone: true}
		switch {
		case strings.HasPrefix(n, "NS") && strings.HasSuffix(n, "Description") && p.IOS != nil:
			one.Is, one.Gone = "the property list has no such text", false
			for _, x := range p.IOS.Purposes {
				if x.Key == n {
					one.Is, one.At = `"`+x.Text+`"`, x.Self()
					break
				}
			}
		case p.Android != nil && (strings.HasPrefix(n, "android.permission.") || strings.ToUpper(n) == n):
			for _, x := range p.Android.Manifest.Permissions {
				if x.Name == n || strings.TrimPrefix(x.Name, "android.permission.") == n {
					one.Is, one.At, one.Gone = "the manifest asks for it", x.Self(), false
					break
				}
			}
		default:
			found := false
			for _, f := range p.Files {
				if strings.HasSuffix("/"+f.Path, "/"+n) || strings.Contains("/"+f.Path, "/"+n+"/") {
					one.Is, one.At, one.Gone, found = "it is in this package", f.Self(), false, true
					break
				}
			}
			if !found && !strings.ContainsAny(n, "./") {
				continue // a key of a property list: the rules look there
			}
		}
		out = append(out, one)
	}
	return out
}

// about is what the ledger keeps as the subject of an issue: the narrowest things that the
// release had.
func about(x *view.LetterIssue, was *ledger.Release) (out []string) {
	has := func(kind, key string) bool { return was != nil && slices.Contains(was.Parts(kind), key) }
	for _, n := range x.Named {
		if has("purpose", n) {
			out = append(out, "purpose:"+n)
		}
	}
	for _, p := range x.Row.Paths {
		field, ok := strings.CutPrefix(p, "text:*/")
		for _, l := range x.Locales {
			if ok && has("text", l+"/"+field) {
				out = append(out, "text:"+l+"/"+field)
			}
		}
	}
	if len(out) > 0 {
		return out
	}
	for _, c := range x.Causes {
		return []string{"rule:" + c.Rule}
	}
	for _, p := range x.Row.Paths {
		if dossier.Question(p) != "" && has("answer", p) {
			return []string{"answer:" + p}
		}
	}
	return []string{"behaviour"}
}
