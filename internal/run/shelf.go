package run

import (
	"context"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"regola.example/regola/internal/core/artifact"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/facts"
)

// shelf keeps the packages that dossiers share: a package of a base is read once for all
// that stand on it. Nobody writes to a package that was read. A nil shelf keeps nothing.
type shelf struct {
	mu   sync.Mutex
	kept []*shelved // the last used last
}

// maxShelf is how many packages stay when nobody uses them: those of one base.
const maxShelf = 2

// shelved is a package as it was at a time.
type shelved struct {
	file  string
	size  int64
	since time.Time
	read  func() (*facts.Package, error)
}

// open reads the packages of a dossier, which may be nil.
func (s *shelf) open(ctx context.Context, d *dossier.Dossier, names []string, opt artifact.Options) ([]*facts.Package, error) {
	if s == nil || d == nil {
		return Open(ctx, names, opt)
	}
	pkgs, err := openBy(ctx, names, func(file string) (*facts.Package, error) {
		info, err := os.Stat(file)
		if err != nil || !info.Mode().IsRegular() || inside(d.Root, file) {
			return artifact.Open(file, opt)
		}
		return s.find(&shelved{file, info.Size(), info.ModTime(), sync.OnceValues(func() (*facts.Package, error) { return artifact.Open(file, opt) })}).read()
	})
	if slices.ContainsFunc(pkgs, func(p *facts.Package) bool { return p != nil && p.Kind == "apk-split" }) {
		return Open(ctx, names, opt) // its base will be written to
	}
	return pkgs, err
}

// find is what the shelf keeps of a file, else the new one, which it keeps.
func (s *shelf) find(x *shelved) *shelved {
	s.mu.Lock()
	defer s.mu.Unlock()
	for i, k := range s.kept {
		if k.file == x.file && k.size == x.size && k.since.Equal(x.since) {
			x, s.kept = k, append(s.kept[:i:i], s.kept[i+1:]...)
			break
		}
	}
	s.kept = append(s.kept, x)
	if len(s.kept) > maxShelf {
		s.kept = append([]*shelved(nil), s.kept[1:]...)
	}
	return x
}

// inside tells whether a file lies below a folder.
func inside(folder, file string) bool {
	rel, err := filepath.Rel(folder, file)
	return err == nil && rel != ".." && !strings.HasPrefix(rel, ".."+string(filepath.Separator))
}
