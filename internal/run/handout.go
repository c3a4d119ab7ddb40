package run

import (
	"context"
	"slices"
	"unicode/utf8"

	"github.com/rivo/uniseg"

	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/handout"
	"regola.example/regola/internal/core/ledger"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/snapshot"
	"regola.example/regola/internal/core/tables"
	"regola.example/regola/internal/ledgerfile"
	"regola.example/regola/internal/view"
)

// Handout puts together what is typed and uploaded for a release. asked tells whether a store
// asks for a key of the dossier.
func (r *Runner) Handout(ctx context.Context, job Job, asked func(path, store string) bool) (*view.Handout, error) {
	res, judged, err := r.Judge(ctx, job)
	if err != nil {
		return nil, err
	}
	out := &view.Handout{Result: res}
	var book *ledger.Ledger
	if judged.Dossier != nil {
		if book, err = ledgerfile.Read(judged.Dossier.Root); err != nil {
			return nil, err
		}
	}
	for i, p := range judged.Pairs {
		store := p.Judge.Store
		j, err := r.judges[store.ID]()
		if err != nil {
			return nil, err
		}
		in := handout.Input{Submission: p.Submission,
			Asked: func(path string) bool { return asked(path, store.ID) },
			Shows: func(text string) bool {
				return slices.ContainsFunc(judged.read.set.PageTexts, func(t *tables.PageText) bool { return t.Store == store.ID && t.Text == text })
			},
			Count: utf8.RuneCountInString,
			Limit: func(name string) int { return limitOf(j.books, name, r.opt.Day) },
			Word: func(vocabulary, w string) string {
				for _, x := range judged.read.set.Vocabulary(vocabulary) {
					if x.Word == w {
						return x.What
					}
				}
				return ""
			},
		}
		if store.Counts == "graphemes" {
			in.Count = uniseg.GraphemeClusterCount
		}
		if judged.Dossier != nil {
			in.Now = snapshot.Of(p.Submission, judged.Dossier.Root)
			if book != nil {
				in.Before = book.Previous(store.ID, in.Now.Line(), in.Now.Is)
			}
		}
		one := &view.HandoutStore{Store: handout.Of(in), Name: p.Name}
		if i < len(res.Stores) {
			one.Verdict = res.Stores[i]
			one.Name = res.Stores[i].Name
		}
		out.Stores = append(out.Stores, one)
	}
	return out, nil
}

// limitOf is the value of a limit on a day, where it is a number; 0 where there is none.
func limitOf(books []*rulebook.Book, name string, on day.Day) int {
	for _, b := range books {
		if v := b.On(name, on); v != nil {
			switch n := v.Value.(type) {
			case int:
				return n
			case int64:
				return int(n)
			}
		}
	}
	return 0
}

// Room is what a store takes of a text of its page.
type Room struct {
	Store string // its name
	Count int    // characters that the text has, as the store counts them
	Most  int    // that it may have; 0 for no bound
	Shown int    // of which lists and pages show the first; 0 for all
}

// Rooms tells for a text of a page, by its key, what each store that shows it takes.
func (r *Runner) Rooms(key, text string) (out []Room, err error) {
	set, err := r.tables()
	if err != nil {
		return nil, err
	}
	set = set.On(r.opt.Day)
	for _, s := range r.stores {
		i := slices.IndexFunc(set.PageTexts, func(t *tables.PageText) bool { return t.Store == s.ID && t.Text == key })
		if i < 0 {
			continue
		}
		books, err := r.books(s)
		if err != nil {
			return nil, err
		}
		x := Room{Store: s.Name, Count: utf8.RuneCountInString(text), Most: limitOf(books, "longest_"+key, r.opt.Day), Shown: int(set.PageTexts[i].Shown)}
		if s.Counts == "graphemes" {
			x.Count = uniseg.GraphemeClusterCount(text)
		}
		out = append(out, x)
	}
	return out, nil
}
