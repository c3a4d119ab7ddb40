package dossier

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"sort"
	"strings"

	"golang.org/x/text/language"

	"regola.example/regola/internal/core/place"
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
// wrong with it; a dossier that has any must not be judged.
func Load(folder string) (*Dossier, place.Problems) {
	d := &Dossier{Root: folder}
	file := filepath.Join(folder, FileName)
	data, problem := read(file)
	if problem != nil {
		return nil, place.Problems{problem}
	}
	problems := strictyaml.Decode(file, data, d)
	if len(problems) == 0 {
		problems = append(problems, d.validate(file)...)
	}
	problems = append(problems, d.loadListings()...)
	if len(problems) > 0 {
		return nil, problems
	}
	return d, nil
}

func read(file string) ([]byte, *place.Problem) {
	at := place.Place{File: file}
	info, err := os.Stat(file)
	if err == nil && info.Size() > maxFile {
		return nil, &place.Problem{At: at, What: "larger than 4 MiB, which no description of an app needs", Mend: "is this the right file?"}
	}
	data, err := os.ReadFile(file)
	switch {
	case err == nil:
		return data, nil
	case errors.Is(err, fs.ErrNotExist):
		return nil, &place.Problem{At: at, What: "there is no such file", Mend: "check the path; a dossier is a folder with a dossier.yaml in it"}
	case errors.Is(err, fs.ErrPermission):
		return nil, &place.Problem{At: at, What: "no permission to read it", Mend: "change its permissions, or run as its owner"}
	}
	return nil, &place.Problem{At: at, What: "it cannot be read: " + err.Error(), Mend: "check the disk"}
}

func (d *Dossier) validate(file string) place.Problems {
	var ps place.Problems
	fail := func(at place.Place, what, mend string) {
		ps = append(ps, &place.Problem{At: at, What: what, Mend: mend})
	}
	if d.Regola != Format {
		fail(d.Field("regola"), "this program reads dossiers of format 1", "write regola: 1, or take a newer program")
	}
	if _, err := language.Parse(d.App.DefaultLocale); err != nil {
		fail(d.App.Field("default_locale"), "\""+d.App.DefaultLocale+"\" is not a language tag", "write a tag such as en-GB or it")
	}
	for _, store := range []string{"android", "ios"} {
		p := d.Packages.For(store)
		if p == "" {
			continue
		}
		if _, err := os.Stat(filepath.Join(d.Root, p)); errors.Is(err, fs.ErrNotExist) {
			fail(d.Packages.Where(store), "the package "+p+" does not exist", "build it, or correct the path; it is relative to the dossier's folder")
		}
	}
	return ps
}

// loadListings reads listing/<locale>.yaml. A dossier may have none yet.
func (d *Dossier) loadListings() place.Problems {
	var ps place.Problems
	folder := filepath.Join(d.Root, "listing")
	entries, err := os.ReadDir(folder)
	if err != nil {
		if errors.Is(err, fs.ErrNotExist) {
			return nil
		}
		return place.Problems{{At: place.Place{File: folder}, What: "the folder cannot be read: " + err.Error(), Mend: "check its permissions"}}
	}
	for _, e := range entries {
		file := filepath.Join(folder, e.Name())
		locale, ok := strings.CutSuffix(e.Name(), ".yaml")
		if !ok || strings.HasPrefix(e.Name(), ".") {
			if strings.HasSuffix(e.Name(), ".yml") {
				ps = append(ps, &place.Problem{At: place.Place{File: file}, What: "listings end in .yaml", Mend: "rename it"})
			}
			continue
		}
		if _, err := language.Parse(locale); err != nil {
			ps = append(ps, &place.Problem{At: place.Place{File: file}, What: "\"" + locale + "\" is not a language tag",
				Mend: "name the file after its language, such as it.yaml or pt-BR.yaml"})
			continue
		}
		data, problem := read(file)
		if problem != nil {
			ps = append(ps, problem)
			continue
		}
		l := &Listing{Locale: locale, File: file}
		ps = append(ps, strictyaml.Decode(file, data, l)...)
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
