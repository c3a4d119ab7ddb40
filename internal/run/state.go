package run

import (
	"os"
	"path/filepath"
	"strings"
)

// maxRecent is how many things that dossiers share stay when nobody uses them: the two
// packages of one base.
const maxRecent = 2

// state is a file as it is now: the same while nobody writes to it.
type state struct {
	name        string
	size, since int64
}

// stateOf is the state of a regular file; ok is false for anything else.
func stateOf(file string) (s state, ok bool) {
	info, err := os.Stat(file)
	if err != nil || !info.Mode().IsRegular() {
		return s, false
	}
	return state{file, info.Size(), info.ModTime().UnixNano()}, true
}

// inside tells whether a file lies below a folder.
func inside(folder, file string) bool {
	rel, err := filepath.Rel(folder, file)
	return err == nil && rel != ".." && !strings.HasPrefix(rel, ".."+string(filepath.Separator))
}
