package dossier

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"sort"
	"strings"

	"golang.org/x/text/language"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/regular"
	"regola.example/regola/internal/core/store"
	"regola.example/regola/internal/core/strictyaml"
)

// FileName is the dossier's main file.
const FileName = "dossier.yaml"

// maxFile bounds one YAML file: texts are short.
const maxFile = 4 << 20

// Exists reports whether a folder holds a dossier.
func Exists(folder string) bool {
	_, err := os.Lstat(filepath.Join(folder, FileName))
	return err == nil
}

// Load reads the dossier in a folder. The problems tell everything that is
// wrong with it; a dossier that has any must not be judged, and serves only to
// find further problems.
//
// keys are those under which a dossier may speak of stores.
func Load(folder string, stores []*store.Store) (*Dossier, place.Problems) {
	d := &Dossier{Root: folder}
	keys := store.Keys(stores)
	file := filepath.Join(folder, FileName)
	data, problem := read(file)
	if problem != nil {
		return nil, place.Problems{problem}
	}
	problems := strictyaml.DecodeKeys(file, data, d, keys)
	problems = append(problems, d.validate(stores)...)
	problems = append(problems, d.loadListings(keys)...)
	fact.Inherit(d)
	return d, problems
}

func read(file string) ([]byte, *place.Problem) {
	data, err := regular.Read(file, maxFile)
	if err == nil {
		return data, nil
	}
	return nil, regular.Problem(file, err, "check the path; a dossier is a folder with a dossier.yaml in it")
}

// validate checks what the form of the document alone does not show. What the
// decoder complained of already is empty here, and passed over.
func (d *Dossier) validate(stores []*store.Store) (ps place.Problems) {
	fail := func(at place.Place, what, fix string) {
		ps = append(ps, &place.Problem{At: at, What: what, Fix: fix})
	}
	if d.Regola != Format && d.HasField("regola") && d.Regola != 0 {
		fail(d.Field("regola"), "this program reads dossiers of format 1", "write regola: 1, or take a newer program")
	}
	if l := d.App.DefaultLocale; l != "" {
		if _, err := language.Parse(l); err != nil {
			fail(d.App.Field("default_locale"), "the default locale is not a language tag", "write a tag such as en-GB or it")
		}
	}
	for _, s := range stores {
		p, _, ok := d.Packages.For(s.Blocks)
		if !ok || p == "" {
			continue
		}
		at := d.Packages.Where(s.Blocks)
		if _, err := os.Stat(filepath.Join(d.Root, p)); errors.Is(err, fs.ErrNotExist) {
			fail(at, "the package "+p+" does not exist", "build it, or correct the path; it is relative to the dossier's folder")
		}
	}
	for _, list := range []struct {
		key   string
		files []string
	}{{"rulebooks", d.Rulebooks}, {"tables", d.Tables}} {
		for i, name := range list.files {
			if _, problem := d.Inside(name); problem != nil {
				problem.At = d.Field(fmt.Sprintf("%s[%d]", list.key, i))
				ps = append(ps, problem)
			}
		}
	}
	return ps
}

// Files lists the files that make up the dossier, without packages.
func (d *Dossier) Files() []string {
	out := []string{filepath.Join(d.Root, FileName)}
	for _, l := range d.Listing {
		out = append(out, l.File)
	}
	for _, name := range slices.Concat(d.Rulebooks, d.Tables) {
		out = append(out, filepath.Join(d.Root, name))
	}
	return out
}

// Inside is the path of a file that the dossier names, which must lie in the
// dossier's folder: a dossier from a stranger must not make the program show
// the files of whoever checks it.
func (d *Dossier) Inside(name string) (string, *place.Problem) {
	outside := &place.Problem{What: fmt.Sprintf("%q leads out of the dossier's folder", name), Fix: "keep the file in the dossier's folder, or name it in the call"}
	if !filepath.IsLocal(name) {
		return "", outside
	}
	file := filepath.Join(d.Root, name)
	root, err := filepath.EvalSymlinks(d.Root)
	if err != nil {
		return file, nil // opening it will say why
	}
	real, err := filepath.EvalSymlinks(file)
	if err != nil {
		return file, nil
	}
	if rel, err := filepath.Rel(root, real); err != nil || !filepath.IsLocal(rel) {
		return "", outside
	}
	return file, nil
}

// loadListings reads listing/<locale>.yaml. A dossier may have none yet.
func (d *Dossier) loadListings(keys []string) place.Problems {
	var ps place.Problems
	folder := filepath.Join(d.Root, "listing")
	entries, err := os.ReadDir(folder)
	if err != nil {
		if errors.Is(err, fs.ErrNotExist) {
			return nil
		}
		return place.Problems{{At: place.Place{File: folder}, What: "the folder cannot be read: " + err.Error(), Fix: "check its permissions"}}
	}
	for _, e := range entries {
		file := filepath.Join(folder, e.Name())
		locale, ok := strings.CutSuffix(e.Name(), ".yaml")
		if !ok || strings.HasPrefix(e.Name(), ".") {
			if strings.HasSuffix(e.Name(), ".yml") {
				ps = append(ps, &place.Problem{At: place.Place{File: file}, What: "listings end in .yaml", Fix: "rename it"})
			}
			continue
		}
		if _, err := language.Parse(locale); err != nil {
			ps = append(ps, &place.Problem{At: place.Place{File: file}, What: "\"" + locale + "\" is not a language tag",
				Fix: "name the file after its language, such as it.yaml or pt-BR.yaml"})
			continue
		}
		if _, problem := d.Inside(filepath.Join("listing", e.Name())); problem != nil {
			problem.At = place.Place{File: file}
			ps = append(ps, problem)
			continue
		}
		data, problem := read(file)
		if problem != nil {
			ps = append(ps, problem)
			continue
		}
		l := &Listing{Locale: locale, File: file}
		ps = append(ps, strictyaml.DecodeKeys(file, data, l, keys)...)
		d.Listing = append(d.Listing, l)
	}
	sort.Slice(d.Listing, func(i, j int) bool {
		a, b := d.Listing[i], d.Listing[j]
		if (a.Locale == d.App.DefaultLocale) != (b.Locale == d.App.DefaultLocale) {
			return a.Locale == d.App.DefaultLocale
		}
		return a.Locale < b.Locale
	})
	return ps
}
