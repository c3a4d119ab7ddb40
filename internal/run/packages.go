package run

import (
	"context"
	"errors"
	"slices"
	"sync"
	"sync/atomic"

	"regola.example/regola/internal/core/artifact"
	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/memory"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/work"
)

// packageCache keeps the packages that dossiers share: a package of a base is read once for all
// that stand on it. Nobody writes to a package that was read.
type packageCache struct {
	kept *memory.Cache[state, *heldPackage]
	all  bool // also what lies in the dossier's own folder, since it is judged again and again
}

func newPackageCache(all bool) *packageCache {
	return &packageCache{memory.New[state, *heldPackage](maxRecent, nil), all}
}

// heldPackage is a package that is read when it is needed first.
type heldPackage struct {
	read func() (*facts.Package, error)
	pkg  atomic.Pointer[facts.Package] // once it was read
	memo check.Memo
}

// open reads the packages of a dossier, which may be nil.
func (s *packageCache) open(ctx context.Context, d *dossier.Dossier, names []string, opt artifact.Options) ([]*facts.Package, error) {
	if d == nil {
		return Open(ctx, names, opt)
	}
	pkgs, err := openBy(ctx, names, func(file string) (*facts.Package, error) {
		now, ok := stateOf(file)
		if !ok || !s.all && inside(d.Root, file) {
			return artifact.Open(ctx, file, opt)
		}
		k := s.kept.Of(now, func() *heldPackage {
			return &heldPackage{read: sync.OnceValues(func() (*facts.Package, error) { return artifact.Open(ctx, file, opt) })}
		})
		p, err := k.read()
		k.pkg.Store(p)
		return p, err
	})
	if slices.ContainsFunc(pkgs, func(p *facts.Package) bool { return p != nil && p.Kind == "apk-split" }) {
		return Open(ctx, names, opt) // its base will be written to
	}
	return pkgs, err
}

// memo is what is known of a package that the packageCache keeps, or nil.
func (s *packageCache) memo(p *facts.Package) (m *check.Memo) {
	s.kept.Each(func(_ state, k *heldPackage) bool {
		if p != nil && k.pkg.Load() == p {
			m = &k.memo
		}
		return m == nil
	})
	return m
}

// Open reads packages, several at once, and tells all that is wrong. They are
// in the order of the files; splits are not joined yet.
func Open(ctx context.Context, files []string, opt artifact.Options) ([]*facts.Package, error) {
	return openBy(ctx, files, func(file string) (*facts.Package, error) { return artifact.Open(ctx, file, opt) })
}

func openBy(ctx context.Context, files []string, open func(file string) (*facts.Package, error)) ([]*facts.Package, error) {
	const atOnce = 2 // each holds its files
	pkgs := make([]*facts.Package, len(files))
	errs := make([]error, len(files))
	if err := work.EachOf(ctx, len(files), atOnce, func(i int) { pkgs[i], errs[i] = open(files[i]) }); err != nil {
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
