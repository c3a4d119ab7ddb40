package dossier

import (
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"sort"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/language"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/gate"
	"regola.example/regola/internal/core/late"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/safeopen"
	"regola.example/regola/internal/core/store"
	"regola.example/regola/internal/core/strictyaml"
)

// FileName is the dossier's main file.
const FileName = "dossier.yaml"

// ListingFolder is the folder of the texts, one file a language.
const ListingFolder = "listing"

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
// words are the vocabularies that it keeps to.
func Load(folder string, stores []*store.Store, words map[string][]string) (*Dossier, place.Problems) {
	return LoadChanged(folder, nil, stores, words)
}

// LoadChanged is Load, with other contents for some of the files, by their cleaned paths: as
// an editor has them, or as they would be after a correction.
func LoadChanged(folder string, changed map[string][]byte, stores []*store.Store, words map[string][]string) (*Dossier, place.Problems) {
	d := &Dossier{Root: folder, changed: changed}
	keys := store.Keys(stores)
	doc, problems := d.document()
	if doc == nil {
		return nil, problems
	}
	problems = append(problems, d.decode(doc, keys, words)...)
	problems = append(problems, d.validate(stores, words)...)
	listing, ps := d.loadListings(ListingFolder, keys)
	d.Listing, problems = listing, append(problems, ps...)
	problems = append(problems, d.loadPages(keys)...)
	d.follow()
	fact.Inherit(d)
	return d, problems
}

// follow answers what follows from other answers and is left open: where nobody signs in,
// nobody comes with an account from elsewhere, and reviewers need none.
func (d *Dossier) follow() {
	a := &d.Answers.Accounts
	if a.CreatedInApp != nil && !*a.CreatedInApp && a.DeletionOffered == nil { // what is not made cannot be deleted
		never := false
		a.DeletionOffered = &never
		fact.Put(a, &a.DeletionOffered, fact.PlaceOf(a, &a.CreatedInApp))
	}
	if a.CreatedInApp == nil || *a.CreatedInApp || !fact.HasPlace(a, &a.Ways) || len(a.Ways) > 0 {
		return
	}
	no, at := false, fact.PlaceOf(a, &a.Ways)
	if a.Elsewhere == nil {
		a.Elsewhere = &no
		fact.Put(a, &a.Elsewhere, at)
	}
	if s := &d.Review.SignIn; s.Needed == nil {
		s.Needed = &no
		fact.Put(s, &s.Needed, at)
	}
}

func (d *Dossier) read(file string) ([]byte, *place.Problem) {
	if data, ok := d.changed[filepath.Clean(file)]; ok {
		return data, nil
	}
	data, err := safeopen.Read(file, maxFile)
	if err == nil {
		return data, nil
	}
	return nil, safeopen.Problem(file, err, "check the path; a dossier is a folder with a dossier.yaml in it")
}

// validate checks what the form of the document alone does not show. What the
// decoder complained of already is empty here, and passed over.
func (d *Dossier) validate(stores []*store.Store, words map[string][]string) (ps place.Problems) {
	fail := func(at place.Place, what, fix string) {
		ps = append(ps, &place.Problem{At: at, What: what, Fix: fix})
	}
	if d.Regola != Format && fact.HasPlace(d, &d.Regola) && d.Regola != 0 {
		fail(fact.PlaceOf(d, &d.Regola), "this program reads dossiers of format 1", "write regola: 1, or take a newer program")
	}
	if l := d.App.DefaultLocale; l != "" {
		if _, err := language.Parse(l); err != nil {
			fail(fact.PlaceOf(&d.App, &d.App.DefaultLocale), "the default locale is not a language tag", "write a tag such as en-GB or it")
		}
	}
	ps = append(ps, d.findPackages(&d.Packages)...)
	for _, t := range d.Tests.All() {
		ps = append(ps, d.findPackages(&t.Test.Packages)...)
		if t.Test.Store != "" && !slices.Contains(store.Keys(stores), t.Test.Store) {
			fail(fact.PlaceOf(t.Test, &t.Test.Store), fmt.Sprintf("there is no store %q", t.Test.Store), "write one of: "+strings.Join(store.Keys(stores), ", "))
		}
	}
	for _, r := range d.eachRelease() {
		for _, p := range countries(r, words["country_groups"]) {
			if !slices.ContainsFunc(ps, func(q *place.Problem) bool { return q.At == p.At }) { // a list that several stores share
				ps = append(ps, p)
			}
		}
	}
	if a := d.Answers.Audience; a.From != nil || a.To != nil {
		for _, age := range []struct {
			key string
			v   *int64
		}{{"from", a.From}, {"to", a.To}} {
			if age.v != nil && (*age.v < 0 || *age.v > 99) {
				fail(a.Field(age.key), "this is not an age", "write years, from 0 to 99")
			}
		}
		if a.From != nil && a.To != nil && *a.From > *a.To {
			fail(fact.PlaceOf(&a, &a.To), "the audience ends before it begins", "write the least age under from, the highest under to")
		}
	}
	keys := store.Keys(stores)
	for _, p := range d.Pictures {
		if p.Folder != "" {
			folder, problem := d.Inside(p.Folder)
			if problem != nil {
				problem.At, problem.Fix = fact.PlaceOf(p, &p.Folder), "keep the pictures in the dossier's folder, or name their folder in the call of regola pictures"
				ps = append(ps, problem)
			} else if info, err := os.Stat(folder); err != nil || !info.IsDir() {
				fail(fact.PlaceOf(p, &p.Folder), "there is no folder "+p.Folder, "correct the path, which is relative to the dossier's folder")
			}
		}
		if p.Store != "" && !slices.Contains(keys, p.Store) {
			fail(fact.PlaceOf(p, &p.Store), fmt.Sprintf("there is no store %q", p.Store), "write one of: "+strings.Join(keys, ", "))
		}
		if _, err := language.Parse(p.Language); p.Language != "" && err != nil {
			fail(fact.PlaceOf(p, &p.Language), "this is not a language tag", "write a tag such as en-GB or it")
		}
	}
	for _, w := range d.Waivers {
		for _, f := range []struct{ key, text string }{{"because", w.Because}, {"by", w.By}} {
			if w.HasField(f.key) && !strings.ContainsFunc(f.text, unicode.IsLetter) {
				fail(w.Field(f.key), "the waiver says nothing here", "write "+map[string]string{"because": "the reason", "by": "who decided"}[f.key])
			}
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

// decode fills the dossier. Where values of the release are written for each store, each
// store gets its own release; Release is that of the first store then.
func (d *Dossier) decode(doc *strictyaml.Document, keys []string, words map[string][]string) place.Problems {
	by := doc.PerKey("release", keys)
	if by == nil {
		return doc.DecodeKeys(d, keys, words)
	}
	d.releases = map[string]*Release{}
	var problems place.Problems
	for i, k := range keys {
		to := d
		if i > 0 {
			to = &Dossier{}
		}
		for _, p := range by[k].DecodeKeys(to, keys, words) {
			if !slices.ContainsFunc(problems, func(q *place.Problem) bool { return q.At == p.At && q.What == p.What }) {
				problems = append(problems, p)
			}
		}
		if i > 0 {
			fact.Inherit(to)
		}
		d.releases[k] = &to.Release
	}
	return problems
}

// eachRelease lists the releases, each once.
func (d *Dossier) eachRelease() []*Release {
	if len(d.releases) == 0 {
		return []*Release{&d.Release}
	}
	var out []*Release
	for _, k := range slices.Sorted(maps.Keys(d.releases)) {
		out = append(out, d.releases[k])
	}
	return out
}

// countries finds what is no country.
func countries(r *Release, groups []string) (ps place.Problems) {
	fail := func(at place.Place, what, fix string) {
		ps = append(ps, &place.Problem{At: at, What: what, Fix: fix})
	}
	for i, c := range r.Countries {
		c = strings.TrimPrefix(c, "-")
		if c == "all" || c == "" || slices.Contains(groups, c) { // empty: reported by the decoder
			continue
		}
		region, err := language.ParseRegion(c)
		at := r.Field(fmt.Sprintf("countries[%d]", i))
		switch {
		case err != nil || !region.IsCountry() && region.String() == c:
			fail(at, fmt.Sprintf("%q is not a country", c), "write two letters of ISO 3166, such as IT, a group ("+strings.Join(groups, ", ")+"), or all")
		case region.Canonicalize().String() != c:
			meant := region.Canonicalize().String()
			fail(at, fmt.Sprintf("%q is not the code of a country", c), "did you mean \""+meant+"\"?")
			ps[len(ps)-1].Edit = &place.Edit{At: at, Was: r.Countries[i], Becomes: strings.Replace(r.Countries[i], c, meant, 1)}
		}
	}
	return ps
}

// findPackages finds the packages that the dossier names.
func (d *Dossier) findPackages(named *PerStore[PackageFiles]) (ps place.Problems) {
	for _, key := range slices.Sorted(maps.Keys(named.values)) {
		for _, f := range named.values[key] {
			if f.Name == "" {
				continue
			}
			file, why, problem := d.packageFile(f.Name)
			if problem != nil {
				problem.At = f.Self()
				ps = append(ps, problem)
			}
			f.Name, f.Absent = file, why
		}
	}
	return ps
}

// packageFile finds the package that a dossier names, relative to its folder.
// A pattern must match one file. why says that it is not there yet.
func (d *Dossier) packageFile(pattern string) (file, why string, problem *place.Problem) {
	path, problem := d.Inside(pattern)
	if problem != nil {
		problem.Fix = "keep the package in the dossier's folder, or name it in the call: regola check PACKAGE"
		return "", "", problem
	}
	if _, err := os.Stat(path); err == nil {
		return pattern, "", nil
	}
	if !strings.ContainsAny(pattern, "*?[") {
		return pattern, "the package " + pattern + " is not there", nil
	}
	found, err := d.gate().Glob(pattern)
	switch {
	case errors.Is(err, gate.ErrTooMany):
		return "", "", &place.Problem{What: "this pattern is too wide: " + err.Error(), Fix: "write the folder out, with a pattern for the file's name only"}
	case err != nil:
		return "", "", &place.Problem{What: "this pattern cannot be read: " + pattern, Fix: "write * for any characters, ? for one, [ab] for one of several"}
	case len(found) == 0:
		return pattern, "no package matches " + pattern, nil
	case len(found) > 1:
		changed := func(name string) time.Time {
			if info, err := os.Stat(d.Path(name)); err == nil {
				return info.ModTime()
			}
			return time.Time{}
		}
		slices.SortStableFunc(found, func(a, b string) int { return changed(b).Compare(changed(a)) })
		const shown = 5
		list := strings.Join(found[:min(shown, len(found))], ", ")
		if len(found) > shown {
			list += " …"
		}
		return "", "", &place.Problem{What: fmt.Sprintf("%d packages match %s; the newest first: %s", len(found), pattern, list),
			Fix: "remove those that are not meant, or write the name of one"}
	}
	return found[0], "", nil
}

// NamesPackage tells whether a place is that of a line which names a package.
func (d *Dossier) NamesPackage(at place.Place) bool {
	for _, f := range d.allPackages() {
		if f.Self() == at {
			return true
		}
	}
	return false
}

// allPackages lists every package that the dossier names.
func (d *Dossier) allPackages() (out []*PackageFile) {
	lists := []*PerStore[PackageFiles]{&d.Packages}
	for _, t := range d.Tests.All() {
		lists = append(lists, &t.Test.Packages)
	}
	for _, l := range lists {
		for _, key := range slices.Sorted(maps.Keys(l.values)) {
			out = append(out, l.values[key]...)
		}
	}
	return out
}

// PackageNames lists the files of every package that the dossier names, each once.
func (d *Dossier) PackageNames() (out []string) {
	for _, f := range d.allPackages() {
		if f.Name != "" && !slices.Contains(out, f.Name) {
			out = append(out, f.Name)
		}
	}
	return out
}

// Path is where a package lies that the dossier names.
func (d *Dossier) Path(name string) string {
	if filepath.IsAbs(name) {
		return name
	}
	return filepath.Join(d.Root, name)
}

// Locate is the place of a byte of a text, from the text's own place on. The lines of a
// literal block stand below its key, one for one. In any other form the line is looked
// for, behind as many equal ones as the text has before it; where it was written with
// escapes, it is the text's place.
func (l *Listing) Locate(at place.Place, text string, offset int) place.Place {
	from := strings.LastIndexByte(text[:offset], '\n') + 1
	line, _, _ := strings.Cut(text[from:], "\n")
	source := l.source[at.File]
	if source == nil || strings.TrimSpace(line) == "" || at.Line < 1 || at.Line > len(source) {
		return at
	}
	found := func(i int) (place.Place, bool) {
		if i >= len(source) {
			return at, false
		}
		column := strings.Index(source[i], line)
		if column < 0 {
			return at, false
		}
		it := at
		it.Line, it.Column = i+1, utf8.RuneCountInString(source[i][:column+offset-from])+1
		return it, true
	}
	if literal().MatchString(source[at.Line-1]) {
		if it, ok := found(at.Line + strings.Count(text[:from], "\n")); ok {
			return it
		}
	}
	equal := 0
	for before := range strings.SplitSeq(text[:from], "\n") {
		if before == line {
			equal++
		}
	}
	for i := at.Line - 1; i < len(source); i++ {
		if it, ok := found(i); ok {
			if equal == 0 {
				return it
			}
			equal--
		}
	}
	return at
}

// literal matches the line of a key whose value is a literal block.
var literal = late.Regexp(`:\s*\|[0-9+-]*\s*(#.*)?$`)

// Files lists the files that make up the dossier, without packages, ledger and pictures.
func (d *Dossier) Files() []string {
	var out []string
	for _, root := range d.roots() {
		out = append(out, filepath.Join(root, FileName))
	}
	for _, p := range d.Products {
		if p.Picture != "" {
			out = append(out, filepath.Join(d.Root, p.Picture))
		}
	}
	for _, l := range d.Listing {
		out = append(out, slices.Collect(maps.Keys(l.source))...)
	}
	for _, p := range d.Pages {
		for _, l := range p.Listing {
			out = append(out, slices.Collect(maps.Keys(l.source))...)
		}
	}
	for _, name := range slices.Concat(d.Rulebooks, d.Tables, []string{d.Backend.Schema, d.Backend.Rules, d.Release.Testing.List}) {
		if name == "" {
			continue
		}
		out = append(out, filepath.Join(d.Root, name))
	}
	return out
}

// gate holds paths inside the dossier's folder and those of its bases.
func (d *Dossier) gate() *gate.Gate { return gate.New(d.roots()...) }

// Inside is the path of a file that the dossier names, which must lie in the
// dossier's folder, or in that of a base.
func (d *Dossier) Inside(name string) (string, *place.Problem) { return d.gate().Path(name) }

// Read reads a file beside the dossier, such as the ledger: up to limit bytes, and
// never through a link that leads out.
func (d *Dossier) Read(name string, limit int64, missing string) ([]byte, *place.Problem) {
	return d.gate().Read(filepath.Join(d.Root, name), name, limit, missing)
}

// loadPages reads the texts of further pages.
func (d *Dossier) loadPages(keys []string) (ps place.Problems) {
	known := map[string]bool{}
	for _, p := range d.Pages {
		if p.ID == "" {
			continue
		}
		if known[p.ID] {
			ps = append(ps, &place.Problem{At: fact.PlaceOf(p, &p.ID), What: fmt.Sprintf("there are two pages %q", p.ID), Fix: "give each page an id of its own"})
		}
		known[p.ID] = true
		if p.Store != "" && !slices.Contains(keys, p.Store) {
			ps = append(ps, &place.Problem{At: fact.PlaceOf(p, &p.Store), What: fmt.Sprintf("there is no store %q", p.Store), Fix: "write one of: " + strings.Join(keys, ", ")})
		}
		listing, problems := d.loadListings(filepath.Join(ListingFolder, p.ID), keys)
		p.Listing, ps = listing, append(ps, problems...)
	}
	for _, root := range d.roots() {
		entries, _ := os.ReadDir(filepath.Join(root, ListingFolder)) // that it cannot be read was reported
		for _, e := range entries {
			if !e.IsDir() || strings.HasPrefix(e.Name(), ".") || known[e.Name()] {
				continue
			}
			ps = append(ps, &place.Problem{At: place.Place{File: filepath.Join(root, ListingFolder, e.Name())}, What: "no page of the dossier has this folder",
				Fix: "write it in dossier.yaml under pages: {id: " + e.Name() + ", store: …}, or remove the folder"})
		}
	}
	return ps
}

// loadListings reads <locale>.yaml in a folder, the default language first. There
// may be none yet.
func (d *Dossier) loadListings(under string, keys []string) (out []*Listing, ps place.Problems) {
	for _, root := range d.roots() {
		ps = append(ps, d.listingsIn(filepath.Join(root, under), root, keys, &out)...)
	}
	for _, l := range out {
		ps = append(ps, l.doc.DecodeKeys(l, keys, nil)...)
		l.doc = nil
	}
	sort.Slice(out, func(i, j int) bool {
		a, b := out[i], out[j]
		if (a.Locale == d.App.DefaultLocale) != (b.Locale == d.App.DefaultLocale) {
			return a.Locale == d.App.DefaultLocale
		}
		return a.Locale < b.Locale
	})
	return out, ps
}

// maxListings bounds the files of one folder of texts: stores have some ninety languages.
const maxListings = 500

// listingsIn reads the listings of one folder. What a language has already, from a
// dossier that stands on this one, holds.
func (d *Dossier) listingsIn(folder, root string, keys []string, out *[]*Listing) (ps place.Problems) {
	entries, err := os.ReadDir(folder)
	if err != nil {
		if errors.Is(err, fs.ErrNotExist) {
			return nil
		}
		return place.Problems{{At: place.Place{File: folder}, What: "the folder cannot be read: " + err.Error(), Fix: "check its permissions"}}
	}
	names := map[string]string{} // the file of each language
	if len(entries) > maxListings {
		return place.Problems{{At: place.Place{File: folder}, What: fmt.Sprintf("the folder holds %d files; at most %d are read", len(entries), maxListings), Fix: "keep one file a language there, and nothing else"}}
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
		if problem := d.gate().Check(file, e.Name()); problem != nil {
			problem.At = place.Place{File: file}
			ps = append(ps, problem)
			continue
		}
		data, problem := d.read(file)
		if problem != nil {
			ps = append(ps, problem)
			continue
		}
		tag := strings.ToLower(strings.ReplaceAll(locale, "_", "-"))
		if twin := names[tag]; twin != "" {
			ps = append(ps, &place.Problem{At: place.Place{File: file}, What: fmt.Sprintf("%s is for the same language", twin), Fix: "keep one of the two files"})
			continue
		}
		names[tag] = e.Name()
		doc, problems := strictyaml.Parse(file, data)
		ps = append(ps, problems...)
		if doc == nil {
			continue
		}
		lines := strings.Split(string(data), "\n")
		if i := slices.IndexFunc(*out, func(l *Listing) bool { return strings.EqualFold(l.Locale, locale) }); i >= 0 {
			l := (*out)[i]
			l.doc.Take(doc, nil)
			l.source[file] = lines
			continue
		}
		*out = append(*out, &Listing{Locale: locale, File: file, doc: doc, source: map[string][]string{file: lines}})
	}
	return ps
}
