// Package ledgerfile keeps the ledger of a dossier on the disk: it is read through the gate
// of the dossier's folder, and written under a lock, whole or not at all.
package ledgerfile

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"time"

	"github.com/gofrs/flock"

	"regola.example/regola/internal/core/gate"
	"regola.example/regola/internal/core/ledger"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/write"
)

// maxBytes bounds a ledger, in bytes: a release takes some ten thousand.
const maxBytes = 64 << 20

// LockName is the file that is locked while the ledger is written. It stays.
const LockName = ".ledger.lock"

// TempName is the file that becomes the ledger once it is whole.
const TempName = ".ledger.new"

// ledgerMissing is what to do when a ledger cannot be read.
const ledgerMissing = "a ledger is written by regola ledger"

// bytesOf reads the bytes of a ledger; none when there is no file. It lies in the
// dossier's folder itself: a link that leads out is not followed.
func bytesOf(folder string) ([]byte, error) {
	file := filepath.Join(folder, ledger.FileName)
	if _, err := os.Lstat(file); errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	data, problem := gate.New(folder).Read(file, ledger.FileName, maxBytes, ledgerMissing)
	if problem != nil {
		return nil, problem
	}
	return data, nil
}

// Read reads the ledger of a dossier's folder; nil when there is none.
func Read(folder string) (*ledger.Ledger, error) {
	data, err := bytesOf(folder)
	if data == nil || err != nil {
		return nil, err
	}
	return ledger.Parse(filepath.Join(folder, ledger.FileName), data), nil
}

// lockWait bounds how long a command waits for another one that writes.
const lockWait = 30 * time.Second

// lock locks the ledger of a folder until unlock is called. The lock's file is one of
// our own: what is no regular file, or a link, is refused.
func lock(ctx context.Context, folder string) (unlock func(), err error) {
	name := filepath.Join(folder, LockName)
	fail := func(what, fix string) error {
		return &place.Problem{At: place.Place{File: name}, What: what, Fix: fix}
	}
	f, err := os.OpenFile(name, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o644)
	if err == nil {
		err = f.Close()
	}
	if err != nil && !errors.Is(err, fs.ErrExist) {
		return nil, fail("the ledger cannot be locked: "+reason(err), "check the folder's permissions")
	}
	if info, err := os.Lstat(name); err != nil || !info.Mode().IsRegular() {
		return nil, fail("the ledger cannot be locked: this is no regular file", "remove it; an empty file of its own takes its place")
	}
	l := flock.New(name, flock.SetFlag(os.O_RDWR))
	waiting, cancel := context.WithTimeout(ctx, lockWait)
	defer cancel()
	switch ok, err := l.TryLockContext(waiting, 20*time.Millisecond); {
	case ctx.Err() != nil:
		_ = l.Close()
		return nil, ctx.Err()
	case errors.Is(err, context.DeadlineExceeded):
		_ = l.Close()
		return nil, fail(fmt.Sprintf("another program has been writing to the ledger for %d seconds", int(lockWait.Seconds())), "wait for it, or end it")
	case err != nil || !ok:
		_ = l.Close()
		return nil, fail("the ledger cannot be locked: "+reason(err), "check the folder's permissions")
	}
	return func() { _ = l.Unlock() }, nil
}

// reason is why a file could not be used, without the path that is said beside it.
func reason(err error) string {
	var p *fs.PathError
	if errors.As(err, &p) {
		return p.Err.Error()
	}
	return fmt.Sprint(err)
}

// Append adds events to the ledger of a folder: under a lock, whole or not at all.
// before is called with the ledger as it is, and gives the events. When the context
// ends before the ledger is replaced, nothing is written.
func Append(ctx context.Context, folder string, before func(*ledger.Ledger) ([]*ledger.Event, error)) error {
	file := filepath.Join(folder, ledger.FileName)
	unlock, err := lock(ctx, folder)
	if err != nil {
		return err
	}
	defer unlock()
	if info, err := os.Lstat(file); err == nil && !info.Mode().IsRegular() {
		return &place.Problem{At: place.Place{File: file}, What: "this is no regular file", Fix: "keep the ledger itself in the dossier's folder"}
	}
	data, err := bytesOf(folder)
	if err != nil {
		return err
	}
	l := ledger.Parse(file, data)
	if l.Conflict > 0 {
		return &place.Problem{At: place.Place{File: file, Line: l.Conflict, Column: 1}, What: "a merge of the ledger was not finished, and nothing is written into it", Fix: "keep the lines of both sides, remove the marks, and call again"}
	}
	events, err := before(l)
	if err != nil {
		return err
	}
	if len(data) > 0 && data[len(data)-1] != '\n' {
		data = append(data, '\n') // an editor left the last line open
	}
	for _, e := range events {
		line, err := ledger.Encode(e)
		if err != nil {
			return err
		}
		data = append(data, line...)
	}
	if err := write.Synced(file, TempName, data, ctx.Err); ctx.Err() != nil && errors.Is(err, ctx.Err()) {
		return err
	} else if err != nil {
		return &place.Problem{At: place.Place{File: file}, What: "the ledger cannot be written, and is as it was: " + err.Error(), Fix: "check the space and the permissions of the folder"}
	}
	return nil
}
