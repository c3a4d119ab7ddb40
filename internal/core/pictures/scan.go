package pictures

import (
	"cmp"
	"context"
	"fmt"
	"io/fs"
	"path/filepath"
	"slices"
	"strings"

	"golang.org/x/text/language"

	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/tables"
	"regola.example/regola/internal/core/work"
)

// maxFiles bounds the pictures of one call.
const maxFiles = 20_000

// Entry is a picture in a folder, with what the folders above it say.
type Entry struct {
	*Picture
	Path     string // relative to the folder that was given, with slashes
	Store    string // of a folder; empty for both
	Language string // of a folder; empty when none names one
	Wish     string // the class that a folder names
	fits     map[string][]*Fit
}

// Fits lists the classes of a store whose size the picture has.
func (e *Entry) Fits(store string) []*Fit { return e.fits[store] }

// Class is where the picture belongs in a store: the class of its folder when it
// fits, or else the first that it fits; nil for none.
func (e *Entry) Class(store string) *tables.PictureClass {
	fits := e.fits[store]
	if i := slices.IndexFunc(fits, func(f *Fit) bool { return f.Class.ID == e.Wish }); i >= 0 {
		return fits[i].Class
	}
	if len(fits) > 0 {
		return fits[0].Class
	}
	return nil
}

// Scan reads all pictures and films below some folders, over the cores. Links
// are not followed. The order is that of the names, numbers by their value.
func Scan(ctx context.Context, folders []string, classes []*tables.PictureClass, stores []string) ([]*Entry, error) {
	ids := map[string]bool{}
	for _, c := range classes {
		ids[c.ID] = true
	}
	var entries []*Entry
	for _, root := range folders {
		err := filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error {
			if err != nil {
				return &place.Problem{At: place.Place{File: path}, What: "it cannot be read: " + plainError(err), Fix: "check the path and its permissions"}
			}
			hidden := strings.HasPrefix(d.Name(), ".") && path != root
			if d.IsDir() {
				if hidden {
					return fs.SkipDir
				}
				return nil
			}
			if hidden || !Promises(d.Name()) {
				return nil
			}
			if len(entries) >= maxFiles {
				return &place.Problem{At: place.Place{File: root}, What: fmt.Sprintf("there are more than %d pictures here", maxFiles), Fix: "name the folder of one app"}
			}
			rel, err := filepath.Rel(root, path)
			if err != nil {
				rel = path
			}
			e := &Entry{Picture: &Picture{File: path}, Path: filepath.ToSlash(rel)}
			for _, part := range strings.Split(filepath.ToSlash(filepath.Dir(rel)), "/") {
				switch {
				case slices.Contains(stores, part):
					e.Store = part
				case ids[part]:
					e.Wish = part
				case e.Language == "" && isLanguage(part):
					e.Language = part
				}
			}
			if d.Type()&fs.ModeSymlink != 0 {
				e.Fault = "this is a link, which is not followed"
			}
			entries = append(entries, e)
			return nil
		})
		if err != nil {
			return nil, err
		}
	}
	slices.SortStableFunc(entries, func(a, b *Entry) int { return natural(a.File, b.File) })
	err := work.Each(ctx, len(entries), func(i int) {
		e := entries[i]
		if e.Fault == "" {
			e.Picture = Read(e.File)
		}
		e.fits = map[string][]*Fit{}
		for _, store := range stores {
			e.fits[store] = e.Picture.Fits(of(classes, store))
		}
	})
	return entries, err
}

// of are the classes of one store.
func of(classes []*tables.PictureClass, store string) (out []*tables.PictureClass) {
	for _, c := range classes {
		if c.Store == store {
			out = append(out, c)
		}
	}
	return out
}

// Nearest says which class of a store a picture that fits none is nearest to.
func (e *Entry) Nearest(classes []*tables.PictureClass, store string) string {
	return e.Picture.Nearest(of(classes, store))
}

func plainError(err error) string {
	if p, ok := err.(*fs.PathError); ok {
		return p.Err.Error()
	}
	return err.Error()
}

// isLanguage takes a folder's name for a language where it is a tag of one that
// is known, such as it or pt-BR.
func isLanguage(s string) bool {
	if len(s) < 2 || len(s) > 2 && !strings.ContainsAny(s, "-_") {
		return false
	}
	_, err := language.Parse(s)
	return err == nil
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
