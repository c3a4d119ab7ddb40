package run

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"regola.example/regola/internal/core/artifact"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/work"
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

// Open reads packages, several at once, and tells all that is wrong. They are
// in the order of the files; splits are not joined yet.
func Open(ctx context.Context, files []string, opt artifact.Options) ([]*facts.Package, error) {
	return openBy(ctx, files, func(file string) (*facts.Package, error) { return artifact.Open(file, opt) })
}

func openBy(ctx context.Context, files []string, open func(file string) (*facts.Package, error)) ([]*facts.Package, error) {
	const atOnce = 2 // each holds its files
	pkgs := make([]*facts.Package, len(files))
	errs := make([]error, len(files))
	if err := work.Few(ctx, len(files), atOnce, func(i int) { pkgs[i], errs[i] = open(files[i]) }); err != nil {
		return nil, err
	}
	var problems place.Problems
	for _, err := range errs {
		var p *place.Problem
		if errors.As(err, &p) {
			problems = append(problems, p)
		} else if err != nil {
			return nil, err
		}
	}
	return pkgs, problems.Err()
}
