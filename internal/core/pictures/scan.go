package pictures

import (
	"bufio"
	"cmp"
	"context"
	"fmt"
	"hash/maphash"
	"io"
	"io/fs"
	"maps"
	"path/filepath"
	"slices"
	"strings"

	"regola.example/regola/internal/core/format/pngmeta"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/safeopen"
	"regola.example/regola/internal/core/tables"
	"regola.example/regola/internal/core/work"
)

// maxFiles bounds the pictures of one call.
const maxFiles = 20_000

// Root is a folder in which pictures lie.
type Root struct {
	Folder   string // where it is
	Shown    string // how its files are shown; the folder itself when this is empty
	Store    string // for which store its pictures are; empty where its folders say it
	Language string

	// Under says that the roots before it take its place: a file with the same path,
	// and a folder with pictures of which a page has several. The icon and the graphics
	// of the page are replaced one by one.
	Under bool
}

// Library is pictures as they lie in folders, before a store is chosen.
type Library struct {
	Pictures []*Found
	Classes  []*tables.PictureClass // of all stores
	At       place.Place            // the first folder
}

// Found is a picture with what the folders above it and its name say.
type Found struct {
	*Picture
	Pixels   *Pixels // nil when they were not decoded, with the reason beside it
	Undone   string
	Store    string // of a folder; empty for all
	Language string // of a folder; empty when none names one
	Wanted   string // the class that a folder, or its own name, asks for
	Suspect  bool   // so few bytes that it may be empty
}

// Scan reads all pictures and films below some folders, over the cores. Links
// are not followed, and reported as pictures with a fault. The order is that of
// the names, numbers by their value. t tells classes and languages, stores are
// the names of folders that mean one.
func Scan(ctx context.Context, roots []Root, t *tables.Set, stores []string, memo *Memo) (*Library, error) {
	s := &scanner{lib: &Library{Classes: t.PictureClasses}, stores: stores, taken: map[string]bool{}, ids: map[string]bool{}, lone: map[string]bool{}, languages: map[string]bool{}}
	for _, c := range t.PictureClasses {
		s.ids[c.ID] = true
		if lone(c) {
			s.lone[c.ID] = true
		}
	}
	for _, l := range t.Locales {
		for _, code := range append([]string{l.Code}, l.Also...) {
			s.languages[strings.ToLower(strings.ReplaceAll(code, "_", "-"))] = true
			bare, _, _ := strings.Cut(code, "-")
			s.languages[strings.ToLower(bare)] = true
		}
	}
	for i, root := range roots {
		if i > 0 && !root.Under {
			s.taken = map[string]bool{}
		}
		if s.lib.At.IsZero() {
			s.lib.At = place.Place{File: cmp.Or(root.Shown, root.Folder)}
		}
		if err := s.walk(root); err != nil {
			return nil, err
		}
	}
	all := s.lib.Pictures
	slices.SortStableFunc(all, func(a, b *Found) int { return natural(a.File, b.File) })
	err := work.Each(ctx, len(all), func(i int) {
		if all[i].Fault == "" {
			shown := all[i].File
			all[i].Picture = Read(all[i].Path)
			all[i].File = shown
		}
	})
	if err == nil {
		err = s.lib.digest(ctx)
	}
	if err == nil {
		err = s.lib.decode(ctx, memo)
	}
	return s.lib, err
}

type scanner struct {
	lib                  *Library
	stores               []string
	ids, lone, languages map[string]bool
	taken                map[string]bool // files, and folders with a slash at the end, of roots so far
}

func (s *scanner) walk(root Root) error {
	mine := map[string]bool{}
	defer func() { maps.Copy(s.taken, mine) }()
	return filepath.WalkDir(root.Folder, func(path string, d fs.DirEntry, err error) error {
		rel, e := filepath.Rel(root.Folder, path)
		if e != nil {
			rel = path
		}
		rel = filepath.ToSlash(rel)
		shown := filepath.ToSlash(filepath.Join(cmp.Or(root.Shown, root.Folder), filepath.FromSlash(rel)))
		if err != nil {
			return &place.Problem{At: place.Place{File: shown}, What: "it cannot be read: " + plainError(err), Fix: "check the path and its permissions"}
		}
		hidden := strings.HasPrefix(d.Name(), ".") && path != root.Folder
		switch {
		case d.IsDir() && hidden:
			return fs.SkipDir
		case d.IsDir() || hidden || promised(d.Name()) == "":
			return nil
		case len(s.lib.Pictures) >= maxFiles:
			return &place.Problem{At: place.Place{File: cmp.Or(root.Shown, root.Folder)}, What: fmt.Sprintf("there are more than %d pictures here", maxFiles), Fix: "name the folder of one app"}
		}
		f := &Found{Picture: &Picture{Path: path, File: shown, Promised: promised(path)}, Store: root.Store, Language: root.Language}
		for _, part := range strings.Split(strings.TrimSuffix(rel, d.Name()), "/") {
			switch {
			case slices.Contains(s.stores, part):
				f.Store = part
			case s.ids[part]:
				f.Wanted = part
			case f.Language == "" && s.languages[strings.ToLower(strings.ReplaceAll(part, "_", "-"))]:
				f.Language = strings.ReplaceAll(part, "_", "-")
			}
		}
		name, dir := strings.TrimSuffix(d.Name(), filepath.Ext(d.Name())), strings.TrimSuffix(rel, d.Name())
		if s.taken[rel] || s.taken[dir] && !s.lone[name] {
			return nil
		}
		if mine[rel] = true; s.lone[name] {
			f.Wanted = name
		} else {
			mine[dir] = true
		}
		if d.Type()&fs.ModeSymlink != 0 {
			f.Fault = "this is a link, which is not followed"
		}
		s.lib.Pictures = append(s.lib.Pictures, f)
		return nil
	})
}

// digest sums the content of pictures that may be the same: those of one size in
// bytes and pixels.
func (l *Library) digest(ctx context.Context) error {
	type shape struct {
		bytes, w, h int64
	}
	groups := map[shape][]*Found{}
	for _, f := range l.Pictures {
		if f.Fault == "" {
			k := shape{f.Bytes, f.Width, f.Height}
			groups[k] = append(groups[k], f)
		}
	}
	var alike []*Found
	for _, f := range l.Pictures {
		if len(groups[shape{f.Bytes, f.Width, f.Height}]) > 1 && f.Fault == "" {
			alike = append(alike, f)
		}
	}
	seed := maphash.MakeSeed()
	return work.Each(ctx, len(alike), func(i int) {
		f, _, err := safeopen.Open(alike[i].Path)
		if err != nil {
			return // it was readable a moment ago; it is nobody's twin then
		}
		defer f.Close()
		var h maphash.Hash
		h.SetSeed(seed)
		if _, err := io.Copy(&h, f); err == nil {
			alike[i].sum = h.Sum64() | 1
		}
	})
}

// emptyPixels is how many pixels a byte of a picture of one colour encodes at
// least, by kind. What is drawn or photographed has a tenth of it.
var emptyPixels = map[string]int64{"png": 150, "jpeg": 58, "webp": 300, "gif": 100}

// decode looks at the pixels of icons and graphics of the page, and of what has
// so few bytes for its size that it may be empty.
func (l *Library) decode(ctx context.Context, memo *Memo) error {
	var wanted []*Found
	left := struct{ alone, whole, rows int64 }{maxAlone, maxSuspects, maxRows}
	for _, f := range l.Pictures {
		if f.Fault != "" || f.Film {
			continue
		}
		alone := false
		for _, c := range l.Classes {
			if lone(c) && (c.ID == f.Wanted || f.sized(c)) {
				alone = true
			}
		}
		f.Suspect = !alone && emptyPixels[f.Kind] > 0 && f.Width*f.Height > f.Bytes*emptyPixels[f.Kind]
		f.Undone = "its pixels are not decoded"
		if !alone && !f.Suspect {
			continue
		}
		kind := &left.whole
		switch {
		case alone:
			kind = &left.alone
		case f.Kind == "png":
			kind = &left.rows
		}
		if *kind < f.Width*f.Height {
			f.Undone = "there are more pictures like this than are decoded"
			continue
		}
		*kind -= f.Width * f.Height
		wanted = append(wanted, f)
	}
	return work.Each(ctx, len(wanted), func(i int) {
		f := wanted[i]
		memo.look(f, func() { f.decode() })
	})
}

// decode finds what the pixels of a picture show.
func (f *Found) decode() {
	if f.Suspect && f.Kind == "png" {
		one, err := f.oneColor()
		if f.Undone = ""; err != nil {
			f.Undone = err.Error()
			return
		}
		f.Pixels = &Pixels{Colors: map[bool]int64{true: 1, false: 2}[one]}
		return
	}
	m, err := f.Open(maxPixels)
	if err != nil {
		f.Undone = err.Error()
		return
	}
	f.Pixels = Look(m)
}

// oneColor looks for a second colour in a PNG.
func (p *Picture) oneColor() (bool, error) {
	f, _, err := safeopen.Open(p.Path)
	if err != nil {
		return false, err
	}
	defer f.Close()
	return pngmeta.OneColor(bufio.NewReader(f))
}

func plainError(err error) string {
	if p, ok := err.(*fs.PathError); ok {
		return p.Err.Error()
	}
	return err.Error()
}

// natural compares names so that 2 comes before 10.
func natural(a, b string) int {
	for a != "" && b != "" {
		x, y := digits(a), digits(b)
		if x > 0 && y > 0 {
			m, n := strings.TrimLeft(a[:x], "0"), strings.TrimLeft(b[:y], "0")
			if c := cmp.Or(cmp.Compare(len(m), len(n)), cmp.Compare(m, n)); c != 0 {
				return c
			}
			a, b = a[x:], b[y:]
			continue
		}
		if a[0] != b[0] {
			return cmp.Compare(a[0], b[0])
		}
		a, b = a[1:], b[1:]
	}
	return cmp.Compare(len(a), len(b))
}

// digits is how many digits a text begins with.
func digits(s string) int {
	n := 0
	for n < len(s) && s[n] >= '0' && s[n] <= '9' {
		n++
	}
	return n
}
