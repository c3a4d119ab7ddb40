// Package run is the driver: it loads stores, rulebooks and tables once, opens
// packages and dossiers, and judges one release or many. It prints nothing and
// reads no flag; whoever calls it gives the day.
package run

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"sync"

	"regola.example/regola/internal/core/alike"
	"regola.example/regola/internal/core/artifact"
	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/didyoumean"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/late"
	"regola.example/regola/internal/core/ledger"
	"regola.example/regola/internal/core/memory"
	"regola.example/regola/internal/core/phrases"
	"regola.example/regola/internal/core/pictures"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/safeopen"
	"regola.example/regola/internal/core/store"
	"regola.example/regola/internal/core/tables"
	"regola.example/regola/internal/core/work"
	"regola.example/regola/internal/links"
	"regola.example/regola/rulebooks"
)

// maxYAML bounds a rulebook or a file of tables, in bytes.
const maxYAML = 8 << 20

// Options hold for all jobs of a runner.
type Options struct {
	check.Options
	Stores    []string // ids of the stores to judge for; empty for all
	Channels  []string // to whom releases go that are judged; empty for all
	Rulebooks []string // files of further rules

	Again bool           // one release is judged again and again: what was read of its packages is kept
	Parts bool           // packages are read for a weighing, too
	Links *links.Fetcher // fetches what links lead to; nil for no network at all
}

// Job is one release: packages, a dossier, or both.
type Job struct {
	Packages []string // files or folders; in the place of those that the dossier names
	Dossier  string   // folder; empty for none

	Bare    bool              // judge no package, whatever the dossier names
	Changed map[string][]byte // other contents of the dossier's files, by their cleaned paths
	Content map[string]string // answers on the content that are tried in the place of the dossier's
}

// Runner judges releases. What it loads it loads once; it is safe for use by
// several goroutines.
type Runner struct {
	lib    *rulebooks.Library
	opt    Options
	stores []*store.Store
	left   []*store.Store // that are not judged for
	tables func() (*tables.Set, error)
	own    []*rulebook.Book
	newer  map[string]*rulebook.Book // further editions of built-in files, by the built-in file
	pixels *pictures.Memo
	words  *phrases.Memo
	shared *packageCache // packages of bases
	added  *memory.Cache[string, func() *additions]
	judges map[string]func() (*judge, error) // of the built-in rules, by store
	notes  map[string]func() (*notes, error) // by store
}

// judge is the rules of one store, with the environment that they were typed in.
type judge struct {
	*check.Judge
	env   *check.Env
	books []*rulebook.Book
}

// New makes a runner. The error tells every problem of the further rulebooks
// at once.
func New(lib *rulebooks.Library, opt Options) (*Runner, error) {
	r := &Runner{lib: lib, opt: opt, judges: map[string]func() (*judge, error){}, notes: map[string]func() (*notes, error){}, tables: lib.Tables, pixels: pictures.NewMemo(), words: phrases.NewMemo(),
		shared: newPackageCache(opt.Again), added: memory.New[string, func() *additions](maxRecent, nil)}
	all, err := lib.Stores()
	if err != nil {
		return nil, err
	}
	for _, s := range all {
		if len(opt.Stores) > 0 && !slices.Contains(opt.Stores, s.ID) {
			r.left = append(r.left, s)
			continue
		}
		r.stores = append(r.stores, s)
		r.judges[s.ID] = sync.OnceValues(func() (*judge, error) { return r.builtIn(s) })
		r.notes[s.ID] = sync.OnceValues(func() (*notes, error) { return r.noting(s) })
	}
	var problems place.Problems
	for _, file := range opt.Rulebooks {
		b, ps := r.edition(file)
		if b == nil && len(ps) == 0 {
			b, ps = ReadBook(lib, file)
			if b != nil {
				r.own = append(r.own, b)
			}
		}
		problems = append(problems, ps...)
	}
	problems = append(problems, twice(r.own)...)
	return r, problems.Err()
}

// Stores lists the stores that are judged for.
func (r *Runner) Stores() []*store.Store { return r.stores }

// builtIn makes the judge of a store's built-in rules and of those of the call.
func (r *Runner) builtIn(s *store.Store) (*judge, error) {
	books, err := r.books(s)
	if err != nil {
		return nil, err
	}
	t, err := r.tables()
	if err != nil {
		return nil, err
	}
	return r.newJudge(s, books, r.own, t)
}

// newJudge compiles own rules at once, so that a mistake is reported before
// anything is judged. The built-in ones were compiled by the test suite; their
// parts are compiled when they are needed.
func (r *Runner) newJudge(s *store.Store, books, own []*rulebook.Book, t *tables.Set) (*judge, error) {
	var mine []*rulebook.Book
	for _, b := range own {
		if b.For(s.ID) {
			mine = append(mine, b)
		}
	}
	env, ps := check.NewEnv(slices.Concat(books, mine), t, r.lib.Typed(s))
	if len(ps) > 0 {
		return nil, ps
	}
	j := check.NewJudge(s)
	var problems place.Problems
	for _, b := range books {
		foreign := slices.ContainsFunc(slices.Collect(maps.Values(r.newer)), func(n *rulebook.Book) bool { return n == b })
		for _, rule := range b.Rules {
			p := env.Prepare(rule)
			if foreign {
				problems = append(problems, p.Check()...)
			}
			j.Add(p)
		}
		if foreign {
			problems = append(problems, env.CheckNotes(b)...)
		}
	}
	for _, b := range mine {
		problems = append(problems, env.CheckNotes(b)...)
		for _, rule := range b.Rules {
			p := env.Prepare(rule)
			problems = append(problems, p.Check()...)
			j.Add(p)
		}
	}
	return &judge{j, env, books}, problems.Err()
}

// ReadBook reads a rulebook of a team's own.
func ReadBook(lib *rulebooks.Library, file string) (*rulebook.Book, place.Problems) {
	data, err := safeopen.Read(file, maxYAML)
	if err != nil {
		return nil, place.Problems{safeopen.Problem(file, err, "check the path")}
	}
	return ParseBook(lib, file, data)
}

// ParseBook is ReadBook for a file whose contents are known.
func ParseBook(lib *rulebooks.Library, file string, data []byte) (*rulebook.Book, place.Problems) {
	if p := noBook(file, data); p != nil {
		return nil, place.Problems{p}
	}
	b, ps := rulebook.Load(file, data)
	if len(ps) > 0 {
		return nil, ps
	}
	names, err := lib.Names()
	if err != nil {
		return nil, place.Problems{{What: err.Error()}}
	}
	if slices.Contains(names, b.Name) {
		return nil, place.Problems{{At: fact.PlaceOf(b, &b.Name), What: fmt.Sprintf("the name %q belongs to the built-in rules", b.Name), Fix: "give your rulebook a name of its own"}}
	}
	stores, err := lib.Stores()
	if err != nil {
		return nil, place.Problems{{What: err.Error()}}
	}
	known := []string{rulebook.All}
	for _, s := range stores {
		known = append(known, s.ID)
	}
	if !slices.Contains(known, b.Store) {
		fix := "write one of: " + strings.Join(known, ", ")
		if near := didyoumean.Nearest(b.Store, known); near != "" {
			fix = fmt.Sprintf("did you mean %q? The stores are: %s", near, strings.Join(known, ", "))
		}
		return nil, place.Problems{{At: fact.PlaceOf(b, &b.Store), What: fmt.Sprintf("there is no store %q", b.Store), Fix: fix}}
	}
	return b, nil
}

// bookKey matches what every rulebook has.
var bookKey = late.Regexp(`(?m)^(rulebook|rules|limits|notes)\s*:`)

// noBook tells that a file is of another kind altogether, such as tables or a store.
func noBook(file string, data []byte) *place.Problem {
	if len(data) == 0 || bookKey().Match(data) {
		return nil
	}
	return &place.Problem{At: place.Place{File: file, Line: 1, Column: 1}, What: "this is no rulebook: it has neither rulebook: nor rules:",
		Fix: "name a file with rules, such as rulebooks/android/package.yaml; tables are given with --tables"}
}

// ReadTables reads a file of tables of a team's own.
func ReadTables(file string) (*tables.Set, place.Problems) {
	data, err := safeopen.Read(file, maxYAML)
	if err != nil {
		return nil, place.Problems{safeopen.Problem(file, err, "check the path")}
	}
	return tables.Parse(file, data)
}

// Dossier reads a dossier. With problems it serves only to find further ones.
func (r *Runner) Dossier(folder string) (*dossier.Dossier, place.Problems) {
	return r.dossierWith(folder, nil)
}

func (r *Runner) dossierWith(folder string, changed map[string][]byte) (*dossier.Dossier, place.Problems) {
	all, err := r.lib.Stores()
	if err != nil {
		return nil, place.Problems{{What: err.Error()}}
	}
	set, err := r.tables()
	if err != nil {
		return nil, place.Problems{{What: err.Error()}}
	}
	return dossier.LoadChanged(folder, changed, all, set.Vocabularies())
}

// Check judges one release. A place.Problems tells everything that is wrong
// with its input at once; nothing was judged then.
func (r *Runner) Check(ctx context.Context, job Job) (*check.Result, error) {
	res, _, err := r.Judge(ctx, job)
	return res, err
}

// Judged is what was judged, with what it was made of.
type Judged struct {
	Pairs   []check.Pair // one for each store of the result
	Dossier *dossier.Dossier
	read    *gathered
}

// gathered is what is read of a release, before anything is judged.
type gathered struct {
	dossier  *dossier.Dossier
	packages []string // their files
	pkgs     []*facts.Package
	judges   map[string]*check.Judge
	set      *tables.Set
	lib      *pictures.Library
}

// gather reads a release.
func (r *Runner) gather(ctx context.Context, job Job) (*gathered, error) {
	var d *dossier.Dossier
	var problems place.Problems
	packages := job.Packages
	if job.Dossier != "" {
		d, problems = r.dossierWith(job.Dossier, job.Changed)
		if job.Bare {
			problems = slices.DeleteFunc(problems, func(p *place.Problem) bool { return d != nil && d.NamesPackage(p.At) })
		} else if d != nil && len(packages) == 0 {
			packages = r.named(d)
		}
		if d != nil && len(job.Content) > 0 {
			if d.Answers.Content == nil {
				d.Answers.Content = map[string]string{}
			}
			maps.Copy(d.Answers.Content, job.Content)
		}
	}
	var pkgs []*facts.Package
	var judges map[string]*check.Judge
	var set *tables.Set
	var lib *pictures.Library
	var opened, loaded, scanned error
	err := work.Each(ctx, 3, func(i int) {
		switch i {
		case 0:
			judges, set, loaded = r.prepare(d)
		case 1:
			pkgs, opened = r.shared.open(ctx, d, packages, artifact.Options{Digests: true, Parts: r.opt.Parts})
		default:
			lib, scanned = r.scan(ctx, d)
		}
	})
	if err != nil {
		return nil, err
	}
	for _, err := range []error{loaded, opened, scanned} {
		var ps place.Problems
		var one *place.Problem
		switch {
		case errors.As(err, &ps):
			problems = append(problems, ps...)
		case errors.As(err, &one):
			problems = append(problems, one)
		case err != nil:
			return nil, err
		}
	}
	if len(problems) > 0 {
		return nil, problems
	}
	return &gathered{d, packages, pkgs, judges, set, lib}, nil
}

// judgeOn judges what was read, as of a day.
func (r *Runner) judgeOn(ctx context.Context, g *gathered, on day.Day) (*check.Result, []check.Pair, error) {
	pairs, err := r.pair(ctx, g, on)
	if err != nil {
		return nil, nil, err
	}
	if err := remember(ctx, pairs, g.dossier); err != nil {
		var one *place.Problem
		if errors.As(err, &one) {
			return nil, nil, place.Problems{one}
		}
		return nil, nil, err
	}
	if err := objections(ctx, pairs, on); err != nil {
		return nil, nil, err
	}
	opt := r.opt.Options
	opt.Day = on
	res, err := check.Run(ctx, pairs, g.dossier, opt)
	return res, pairs, err
}

// Judge is Check, and gives what was judged along.
func (r *Runner) Judge(ctx context.Context, job Job) (*check.Result, *Judged, error) {
	g, err := r.gather(ctx, job)
	if err != nil {
		return nil, nil, err
	}
	res, pairs, err := r.judgeOn(ctx, g, r.opt.Day)
	if err != nil {
		return nil, nil, err
	}
	if err = r.promoted(ctx, res, pairs); err != nil {
		return nil, nil, err
	}
	if res.Basis, err = r.basis(res, pairs, g.dossier, g.set); err != nil {
		return nil, nil, err
	}
	locate(res, job.Changed)
	for _, s := range r.left {
		res.Others = append(res.Others, s.Name)
	}
	res.Read = append(slices.Clone(g.packages), r.opt.Rulebooks...)
	if g.dossier != nil {
		res.Read = append(res.Read, Kept(g.dossier)...)
	}
	return res, &Judged{pairs, g.dossier, g}, nil
}

// CheckAll judges many releases over the cores and hands each result out as
// soon as it and all before it are ready. What they have in common is added to found, which
// may be nil. A context that ends stops it.
func (r *Runner) CheckAll(ctx context.Context, jobs []Job, found *alike.Set, done func(i int, res *check.Result, err error)) error {
	type outcome struct {
		res *check.Result
		err error
	}
	ready := make([]*outcome, len(jobs))
	var mu sync.Mutex
	next := 0
	return work.EachOf(ctx, len(jobs), maxJobs, func(i int) {
		res, judged, err := r.Judge(ctx, jobs[i])
		if err == nil && found != nil {
			for _, a := range appsOf(jobs[i].Dossier, judged) {
				found.Add(a)
			}
		}
		mu.Lock()
		defer mu.Unlock()
		ready[i] = &outcome{res, err}
		for next < len(ready) && ready[next] != nil {
			done(next, ready[next].res, ready[next].err)
			ready[next] = &outcome{} // a result is held no longer than needed
			next++
		}
	})
}

// maxJobs is how many releases are judged at the same time: each holds its
// packages' files.
const maxJobs = 2

// named lists the packages that a dossier names for the stores, each once.
func (r *Runner) named(d *dossier.Dossier) []string {
	var out []string
	for _, s := range r.stores {
		for _, round := range r.rounds(d, s) {
			files, _ := d.PackagesOf(round, s.Blocks)
			for _, f := range files {
				if file := d.Path(f.Name); f.Name != "" && f.Absent == "" && !slices.Contains(out, file) {
					out = append(out, file)
				}
			}
		}
	}
	return out
}

// rounds are those of a dossier that are judged for a store.
func (r *Runner) rounds(d *dossier.Dossier, s *store.Store) []dossier.Round {
	if d == nil {
		return []dossier.Round{{}}
	}
	all := d.Rounds(s.Blocks)
	if len(r.opt.Channels) == 0 {
		return all
	}
	return slices.DeleteFunc(all, func(x dossier.Round) bool {
		return !slices.Contains(r.opt.Channels, cmp.Or(x.Channel, ledger.Public))
	})
}

// appsOf is what of a release is compared with others, once a store.
func appsOf(name string, j *Judged) (out []*alike.App) {
	seen := map[string]bool{}
	for _, p := range j.Pairs {
		s, id := p.Submission, p.Judge.Store.ID
		if seen[id] || s.App == nil {
			continue
		}
		seen[id] = true
		a := &alike.App{Dossier: name, Store: id, ID: s.App.ID, Names: map[string]string{}, Description: map[string]string{}}
		if a.ID == "" && s.Pkg != nil {
			a.ID = s.Pkg.ID()
		}
		for _, t := range s.Listing {
			a.Names[t.Locale], a.Description[t.Locale] = t.Name, t.Description
		}
		if s.Pictures != nil {
			for _, x := range s.Pictures.All {
				switch {
				case x.Slot == "icon" && x.Pixels != nil && x.Pixels.Motif != "":
					a.Icons = append(a.Icons, x.Pixels.Motif)
				case x.Slot == "screenshot" && x.Class != "":
					a.Screenshots = append(a.Screenshots, fmt.Sprintf("%s %dx%d %d", x.Kind, x.Width, x.Height, x.Bytes))
				}
			}
		}
		out = append(out, a)
	}
	return out
}
