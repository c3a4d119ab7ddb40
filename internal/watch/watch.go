// Package watch waits until files in some folders change and are whole again: builds write
// a package over seconds, and editors write a file in several steps.
package watch

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/fsnotify/fsnotify"
)

// Bounds: how many folders are watched, and how long a file may go on changing before it is
// looked at nevertheless.
const (
	maxFolders = 2_000
	maxWait    = 2 * time.Minute
)

// Quiet is how long nothing may change before a change counts as done.
const Quiet = 250 * time.Millisecond

// ErrTooMany says that there are more folders than are watched.
var ErrTooMany = fmt.Errorf("there are more than %d folders to watch", maxFolders)

// Watcher watches folders with all that lies below them, but for hidden ones.
type Watcher struct {
	w       *fsnotify.Watcher
	folders int
	single  map[string][]string // folders of which only some files count, with those
	ignore  func(file string) bool
}

// New begins to watch folders, and single files, which may come into being later. Files for which ignore is true do not count, nor do hidden
// files and the copies that editors make.
func New(folders, files []string, ignore func(file string) bool) (*Watcher, error) {
	n, err := fsnotify.NewWatcher()
	if err != nil {
		return nil, err
	}
	w := &Watcher{w: n, single: map[string][]string{}, ignore: ignore}
	for _, f := range folders {
		if err := w.below(f); err != nil {
			return nil, errors.Join(err, n.Close())
		}
	}
	for _, f := range files { // by their folder: builds and editors put a new file in the old one's place
		dir := filepath.Dir(f)
		if slices.Contains(n.WatchList(), dir) && w.single[dir] == nil {
			continue
		}
		w.single[dir] = append(w.single[dir], filepath.Clean(f))
		if err := n.Add(dir); err != nil {
			return nil, errors.Join(err, n.Close())
		}
	}
	return w, nil
}

// Close ends the watch.
func (w *Watcher) Close() error { return w.w.Close() }

// below watches a folder and those in it.
func (w *Watcher) below(dir string) error {
	return filepath.WalkDir(dir, func(path string, e fs.DirEntry, err error) error {
		switch {
		case err != nil:
			if path == dir {
				return err
			}
			return nil // gone meanwhile, or not to be read
		case !e.IsDir():
			return nil
		case path != dir && passing(path):
			return fs.SkipDir
		}
		if w.folders++; w.folders > maxFolders {
			return ErrTooMany
		}
		return w.w.Add(path)
	})
}

// passing tells whether a file is none of the user's: hidden, or a copy of an editor.
func passing(file string) bool {
	name := filepath.Base(file)
	return strings.HasPrefix(name, ".") && name != "." && name != ".." || strings.HasSuffix(name, "~") || strings.HasSuffix(name, ".tmp") || strings.HasSuffix(name, ".swp") || name == "4913" || name == "node_modules"
}

// Next waits for a change, and until what changed is whole: nothing more changes for a
// moment, and no file grows. It gives the files, in the order of their names, or the
// context's error.
func (w *Watcher) Next(ctx context.Context) ([]string, error) {
	changed := map[string]int64{} // with the size that was seen last
	made := map[string]bool{}     // what was not there before
	var quiet <-chan time.Time
	var last time.Time // when to look at it nevertheless
	for {
		select {
		case <-ctx.Done():
			return nil, ctx.Err()
		case err, ok := <-w.w.Errors:
			if !ok {
				return nil, fs.ErrClosed
			}
			return nil, err
		case e, ok := <-w.w.Events:
			if !ok {
				return nil, fs.ErrClosed
			}
			if passing(e.Name) || e.Op == fsnotify.Chmod || w.ignore != nil && w.ignore(e.Name) {
				continue
			}
			if only := w.single[filepath.Dir(e.Name)]; only != nil && !slices.Contains(only, filepath.Clean(e.Name)) {
				continue
			}
			if info, err := os.Stat(e.Name); err == nil && info.IsDir() {
				if e.Has(fsnotify.Create) {
					_ = w.below(e.Name) // one that is gone again has nothing to watch
				} else {
					continue
				}
			}
			if len(changed) == 0 {
				last = time.Now().Add(maxWait)
			}
			if _, known := changed[e.Name]; !known && e.Has(fsnotify.Create) {
				made[e.Name] = true
			}
			changed[e.Name] = sizeOf(e.Name)
			quiet = time.After(Quiet)
		case <-quiet:
			grows := false
			for name, was := range changed {
				now := sizeOf(name)
				grows = grows || now != was
				changed[name] = now
			}
			if grows && time.Now().Before(last) {
				quiet = time.After(Quiet)
				continue
			}
			maps.DeleteFunc(changed, func(name string, size int64) bool { return size < 0 && made[name] }) // it came and went
			if len(changed) == 0 {
				clear(made)
				continue
			}
			return slices.Sorted(maps.Keys(changed)), nil
		}
	}
}

// sizeOf is a file's size; -1 when there is none.
func sizeOf(name string) int64 {
	info, err := os.Stat(name)
	if err != nil {
		return -1
	}
	return info.Size()
}
