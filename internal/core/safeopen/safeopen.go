// Package safeopen opens regular files only: a device may never end, and a FIFO
// may never begin.
package safeopen

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"

	"regola.example/regola/internal/core/format"
	"regola.example/regola/internal/core/place"
)

// ErrKind is returned for what is not a regular file.
var ErrKind = errors.New("it is not a regular file")

// Open opens a regular file. The kind is asked before the file is opened, since
// opening a FIFO may never return, and again after it.
func Open(name string) (*os.File, fs.FileInfo, error) {
	info, err := os.Stat(name)
	if err != nil {
		return nil, nil, err
	}
	if !info.Mode().IsRegular() {
		return nil, nil, ErrKind
	}
	f, err := os.Open(name)
	if err != nil {
		return nil, nil, err
	}
	if info, err = f.Stat(); err == nil && !info.Mode().IsRegular() {
		err = ErrKind
	}
	if err != nil {
		f.Close()
		return nil, nil, err
	}
	return f, info, nil
}

// Read reads a regular file whole, up to limit bytes.
func Read(name string, limit int64) ([]byte, error) {
	f, info, err := Open(name)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	data, err := format.ReadAll(f, info.Size(), limit)
	if _, more := errors.AsType[*format.TooMuch](err); more {
		err = &TooLarge{limit}
	}
	return data, err
}

// TooLarge is the error of a file that is larger than what is read of it.
type TooLarge struct{ Limit int64 } // bytes

// Error implements error.
func (t *TooLarge) Error() string {
	return fmt.Sprintf("it is larger than the %d MiB that are read of such a file", t.Limit>>20)
}

// Problem says why a file cannot be opened, and what to do about it.
func Problem(name string, err error, missing string) *place.Problem {
	at := place.Place{File: name}
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return &place.Problem{At: at, What: "there is no such file", Fix: missing}
	case errors.Is(err, fs.ErrPermission):
		return &place.Problem{At: at, What: "no permission to read it", Fix: "change its permissions, or run as its owner"}
	case errors.Is(err, ErrKind):
		if info, err := os.Stat(name); err == nil && info.IsDir() {
			return &place.Problem{At: at, What: "this is a folder", Fix: "name the file"}
		}
		return &place.Problem{At: at, What: "this is not a regular file", Fix: "name a regular file; devices and pipes are not read"}
	}
	var large *TooLarge
	if errors.As(err, &large) {
		return &place.Problem{At: at, What: large.Error(), Fix: "shorten it; is it the file that was meant?"}
	}
	var path *fs.PathError
	what := err.Error()
	if errors.As(err, &path) {
		what = path.Err.Error()
	}
	return &place.Problem{At: at, What: "it cannot be read: " + what, Fix: "check the path and the disk"}
}

// SHA256 is the digest of a regular file, as hex. It ends when the context does.
func SHA256(ctx context.Context, name string) (string, error) {
	f, _, err := Open(name)
	if err != nil {
		return "", err
	}
	defer f.Close()
	h := sha256.New()
	for {
		if _, err := io.CopyN(h, f, 4<<20); errors.Is(err, io.EOF) {
			break
		} else if err != nil {
			return "", err
		}
		if err := ctx.Err(); err != nil {
			return "", err
		}
	}
	return hex.EncodeToString(h.Sum(nil)), nil
}
