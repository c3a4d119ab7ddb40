package cli

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"

	"golang.org/x/sync/errgroup"

	"regola.example/regola/internal/core/artifact"
	"regola.example/regola/internal/core/catalogue"
	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/submission"
	"regola.example/regola/rulebooks"
)

var stores = []string{"android", "ios"}

// request is what a check is to judge.
type request struct {
	packages  []string // files or folders, as given
	dossier   string   // folder; empty for none
	stores    []string
	rulebooks []string // files of a team's own rules
	options   check.Options
}

// judge loads everything and judges it. Packages are read while the rules are
// compiled.
func (q *request) judge() (*check.Result, error) {
	var d *dossier.Dossier
	if q.dossier != "" {
		var problems place.Problems
		if d, problems = dossier.Load(q.dossier); len(problems) > 0 {
			return nil, problems
		}
		if err := q.namedPackages(d); err != nil {
			return nil, err
		}
	}
	own, err := q.ownBooks(d)
	if err != nil {
		return nil, err
	}
	var g errgroup.Group
	var cat *catalogue.Catalogue
	g.Go(func() (err error) {
		cat, err = loadCatalogue(d)
		return err
	})
	judges := make(map[string]*check.Judge)
	results := make([]*check.Judge, len(stores))
	for i, store := range stores {
		if !q.wants(store) {
			continue
		}
		g.Go(func() error {
			books, err := rulebooks.For(store)
			if err != nil {
				return err
			}
			results[i], err = check.NewJudge(store, append(books, own...), q.options)
			return err
		})
	}
	pkgs, pkgErr := openAll(q.packages, artifact.Options{Digests: true})
	if err := errors.Join(g.Wait(), pkgErr); err != nil {
		if pkgErr != nil {
			return nil, pkgErr
		}
		return nil, err
	}
	for i, store := range stores {
		judges[store] = results[i]
	}
	pairs, err := q.pair(pkgs, d, cat, judges)
	if err != nil {
		return nil, err
	}
	return check.Run(pairs, d, q.options)
}

func (q *request) wants(store string) bool {
	for _, s := range q.stores {
		if s == store {
			return true
		}
	}
	return len(q.stores) == 0
}

// namedPackages takes the packages that the dossier names, when none were
// given; and refuses one that it does not name.
func (q *request) namedPackages(d *dossier.Dossier) error {
	if len(q.packages) == 0 {
		for _, store := range stores {
			if p := d.Packages.For(store); p != "" && q.wants(store) {
				q.packages = append(q.packages, filepath.Join(d.Root, p))
			}
		}
		return nil
	}
	for _, given := range q.packages {
		named := false
		for _, store := range stores {
			if p := d.Packages.For(store); p != "" && sameFile(filepath.Join(d.Root, p), given) {
				named = true
			}
		}
		if _, err := os.Stat(given); err == nil && !named {
			at := d.Field("packages")
			return &place.Problem{At: place.Place{File: given}, What: fmt.Sprintf("the dossier does not name this package (%s)", at),
				Mend: "name it under packages: in the dossier, or judge it by itself with --alone"}
		}
	}
	return nil
}

func sameFile(a, b string) bool {
	ai, err := os.Stat(a)
	if err != nil {
		return false
	}
	bi, err := os.Stat(b)
	return err == nil && os.SameFile(ai, bi)
}

// openAll reads all packages, several at once, and tells all that is wrong.
func openAll(files []string, opt artifact.Options) ([]*facts.Package, error) {
	pkgs := make([]*facts.Package, len(files))
	errs := make([]error, len(files))
	var g errgroup.Group
	g.SetLimit(2)
	for i, f := range files {
		g.Go(func() error {
			pkgs[i], errs[i] = artifact.Open(f, opt)
			return nil
		})
	}
	_ = g.Wait()
	var problems place.Problems
	for _, err := range errs {
		var p *place.Problem
		if errors.As(err, &p) {
			problems = append(problems, p)
		} else if err != nil {
			return nil, err
		}
	}
	if len(problems) > 0 {
		return nil, problems
	}
	return pkgs, nil
}

// pair puts each store's package, dossier and rules together.
func (q *request) pair(pkgs []*facts.Package, d *dossier.Dossier, cat *catalogue.Catalogue, judges map[string]*check.Judge) ([]check.Pair, error) {
	byStore := map[string]*facts.Package{}
	for _, p := range artifact.Join(pkgs) {
		if prior := byStore[p.Store()]; prior != nil {
			return nil, &place.Problem{At: place.Place{File: p.File},
				What: fmt.Sprintf("a second package for the same store; %s is one already", prior.File),
				Mend: "give one package a store"}
		}
		byStore[p.Store()] = p
	}
	var pairs []check.Pair
	for _, store := range stores {
		pkg := byStore[store]
		if !q.wants(store) || pkg == nil && (d == nil || !aims(d, store)) {
			continue
		}
		pairs = append(pairs, check.Pair{Submission: submission.New(store, pkg, d, cat), Judge: judges[store]})
	}
	if len(pairs) == 0 {
		return nil, &place.Problem{What: "there is nothing to judge", Mend: "give a package, or a dossier that names an id or a package for the store"}
	}
	return pairs, nil
}

// aims tells whether a dossier means a store at all.
func aims(d *dossier.Dossier, store string) bool {
	if d.Packages.For(store) != "" || d.App.IDs.For(store) != "" {
		return true
	}
	return d.Packages.Android+d.Packages.IOS+d.App.IDs.Android+d.App.IDs.IOS == ""
}

func loadCatalogue(d *dossier.Dossier) (*catalogue.Catalogue, error) {
	cat, err := rulebooks.Catalogue()
	if err != nil || d == nil {
		return cat, err
	}
	for _, name := range d.Catalogues {
		file := filepath.Join(d.Root, name)
		data, err := readOwn(file, d.Field("catalogues"))
		if err != nil {
			return nil, err
		}
		more, problems := rulebooks.ParseCatalogue(file, data)
		if len(problems) > 0 {
			return nil, problems
		}
		cat.Add(more)
	}
	return cat, nil
}

// ownBooks loads the rules that the call or the dossier names. Their mistakes
// are told at once, before anything is judged.
func (q *request) ownBooks(d *dossier.Dossier) ([]*rulebook.Book, error) {
	files := q.rulebooks
	from := place.Place{}
	if d != nil {
		from = d.Field("rulebooks")
		for _, name := range d.Rulebooks {
			files = append(files, filepath.Join(d.Root, name))
		}
	}
	var books []*rulebook.Book
	for _, file := range files {
		b, err := loadBook(file, from)
		if err != nil {
			return nil, err
		}
		books = append(books, b)
	}
	return books, nil
}

func loadBook(file string, from place.Place) (*rulebook.Book, error) {
	data, err := readOwn(file, from)
	if err != nil {
		return nil, err
	}
	b, problems := rulebook.Load(file, data)
	if len(problems) > 0 {
		return nil, problems
	}
	if b.Name == "android" || b.Name == "ios" || b.Name == "common" {
		return nil, &place.Problem{At: b.Field("rulebook"), What: fmt.Sprintf("the name %q belongs to the built-in rules", b.Name), Mend: "give your rulebook a name of its own"}
	}
	return b, nil
}

func readOwn(file string, from place.Place) ([]byte, error) {
	data, err := os.ReadFile(file)
	switch {
	case err == nil:
		return data, nil
	case errors.Is(err, fs.ErrNotExist):
		mend := "check the path"
		if !from.IsZero() {
			mend = "check the path; it is named at " + from.String()
		}
		return nil, &place.Problem{At: place.Place{File: file}, What: "there is no such file", Mend: mend}
	}
	return nil, &place.Problem{At: place.Place{File: file}, What: "it cannot be read: " + err.Error(), Mend: "check its permissions"}
}
