// Package gate holds the paths that a dossier names, or that are read because it is
// there, inside its folders. A dossier may come from a stranger, and must not make
// the program read, list or show files of whoever checks it.
//
// A path passes when it lies in one of the folders both as it is written and after
// all links are followed. Whether a file exists outside is never told.
package gate

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/safeopen"
)

// Gate is the folders whose files may be read: that of a dossier, and those of its
// bases.
type Gate struct{ roots []string }

// New makes a gate. Relative names are relative to the first folder.
func New(roots ...string) *Gate { return &Gate{roots} }

// Path is the file that a name means. The problem has no place: the caller knows
// where the name is written.
func (g *Gate) Path(name string) (string, *place.Problem) {
	file := filepath.FromSlash(name)
	if !filepath.IsAbs(file) {
		file = filepath.Join(g.roots[0], file)
	}
	return file, g.Check(file, name)
}

// Check tells that a file lies outside. name is how it was written.
func (g *Gate) Check(file, name string) *place.Problem {
	out := &place.Problem{What: fmt.Sprintf("%q leads out of the dossier's folder", name), Fix: "keep the file in the dossier's folder, or name it in the call"}
	i := slices.IndexFunc(g.roots, func(root string) bool { return within(root, file) })
	if i < 0 {
		return out
	}
	real, err := filepath.EvalSymlinks(file)
	if err != nil {
		if linked(g.roots[i], file) {
			return out // a link that leads nowhere, or where nothing may be read
		}
		return nil // opening it will say why
	}
	for _, root := range g.roots {
		if root, err := filepath.EvalSymlinks(root); err == nil && within(root, real) {
			return nil
		}
	}
	return out
}

// Read reads a regular file whole, up to limit bytes, if it lies inside. name is how
// it was written; missing is what to do when it is not there.
func (g *Gate) Read(file, name string, limit int64, missing string) ([]byte, *place.Problem) {
	if p := g.Check(file, name); p != nil {
		p.At = place.Place{File: file}
		return nil, p
	}
	data, err := safeopen.Read(file, limit)
	if err != nil {
		return nil, safeopen.Problem(file, err, missing)
	}
	return data, nil
}

// within tells whether a path lies in a folder, by its text alone.
func within(root, file string) bool {
	rel, err := filepath.Rel(root, file)
	return err == nil && filepath.IsLocal(rel)
}

// linked tells whether a link lies on the way from a folder to a file.
func linked(root, file string) bool {
	rel, err := filepath.Rel(root, file)
	if err != nil {
		return true
	}
	at := root
	for _, part := range strings.Split(rel, string(filepath.Separator)) {
		at = filepath.Join(at, part)
		info, err := os.Lstat(at)
		if err != nil {
			return false
		}
		if info.Mode()&fs.ModeSymlink != 0 {
			return true
		}
	}
	return false
}

// maxLooked bounds the names that one pattern is held against.
const maxLooked = 10_000

// ErrPattern is the error of a pattern that cannot be read.
var ErrPattern = path.ErrBadPattern

// ErrTooMany is the error of a pattern that would be held against too many names.
var ErrTooMany = fmt.Errorf("it would be held against more than %d names", maxLooked)

// Glob lists what matches a pattern in the form of path.Match, in the order of the
// names, as paths from the first folder on where they lie in it. Links that lead out
// are passed over.
func (g *Gate) Glob(pattern string) ([]string, error) {
	pattern = filepath.ToSlash(pattern)
	if _, err := path.Match(pattern, ""); err != nil {
		return nil, ErrPattern
	}
	looked := 0
	found := []string{g.roots[0]}
	if filepath.IsAbs(filepath.FromSlash(pattern)) {
		return nil, nil // refused by Path
	}
	for part := range strings.SplitSeq(path.Clean(pattern), "/") {
		var next []string
		for _, dir := range found {
			if !strings.ContainsAny(part, `*?[\`) {
				next = append(next, filepath.Join(dir, part))
				continue
			}
			if g.Check(dir, "") != nil {
				continue
			}
			names, err := namesIn(dir, maxLooked-looked)
			if err != nil {
				return nil, err
			}
			looked += len(names)
			for _, name := range names {
				if ok, _ := path.Match(part, name); ok && (!strings.HasPrefix(name, ".") || strings.HasPrefix(part, ".")) {
					next = append(next, filepath.Join(dir, name))
				}
			}
		}
		found = next
	}
	found = slices.DeleteFunc(found, func(file string) bool { return !g.there(file) })
	for i, file := range found {
		if rel, err := filepath.Rel(g.roots[0], file); err == nil {
			found[i] = rel
		}
	}
	return found, nil
}

func (g *Gate) there(file string) bool {
	if _, err := os.Lstat(file); err != nil {
		return false
	}
	return g.Check(file, "") == nil
}

// namesIn lists the names in a folder, sorted; at most so many. What is no folder has
// none.
func namesIn(dir string, most int) ([]string, error) {
	info, err := os.Stat(dir)
	if err != nil || !info.IsDir() {
		return nil, nil
	}
	f, err := os.Open(dir)
	if err != nil {
		return nil, nil // what cannot be listed matches nothing
	}
	defer f.Close()
	names, err := f.Readdirnames(most + 1)
	if err != nil && !errors.Is(err, io.EOF) {
		return nil, nil
	}
	if len(names) > most {
		return nil, ErrTooMany
	}
	slices.Sort(names)
	return names, nil
}
