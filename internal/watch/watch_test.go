package watch_test

import (
	"context"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/watch"
)

// TestNext waits for changes: of files in folders that are there and that are made later,
// until they are whole, and not for what nobody wrote by hand.
func TestNext(t *testing.T) {
	dir, other := t.TempDir(), t.TempDir()
	at := func(name string) string { return filepath.Join(dir, filepath.FromSlash(name)) }
	write := func(name, text string) {
		require.NoError(t, os.MkdirAll(filepath.Dir(at(name)), 0o755))
		require.NoError(t, os.WriteFile(at(name), []byte(text), 0o644))
	}
	write("listing/de.yaml", "a")
	write(".git/index", "a")
	w, err := watch.New([]string{dir}, []string{filepath.Join(other, "b.aab"), at("listing/de.yaml")}, func(file string) bool { return file == at("report.html") })
	require.NoError(t, err)
	defer w.Close()
	next := func(limit time.Duration) ([]string, error) {
		ctx, stop := context.WithTimeout(context.Background(), limit)
		defer stop()
		return w.Next(ctx)
	}

	write("listing/de.yaml", "b")
	write("report.html", "made by the watcher itself")
	write(".git/index", "b")
	write("listing/de.yaml~", "a")
	write("listing/sedX1", "a")
	require.NoError(t, os.Remove(at("listing/sedX1")))
	got, err := next(20 * time.Second)
	require.NoError(t, err)
	assert.Equal(t, []string{at("listing/de.yaml")}, got)

	require.NoError(t, os.WriteFile(filepath.Join(other, "a.aab"), nil, 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(other, "b.aab"), nil, 0o644))
	got, err = next(20 * time.Second)
	require.NoError(t, err)
	assert.Equal(t, []string{filepath.Join(other, "b.aab")}, got, "the one file of its folder")

	_, err = next(2 * watch.Quiet)
	assert.ErrorIs(t, err, context.DeadlineExceeded, "nothing more changed")

	go func() { // a build that takes a while
		for range 6 {
			time.Sleep(watch.Quiet / 2)
			f, err := os.OpenFile(at("app.aab"), os.O_APPEND|os.O_CREATE|os.O_WRONLY, 0o644)
			if err == nil {
				_, _ = f.WriteString("more")
				_ = f.Close()
			}
		}
	}()
	begun := time.Now()
	got, err = next(20 * time.Second)
	require.NoError(t, err)
	assert.Equal(t, []string{at("app.aab")}, got)
	assert.GreaterOrEqual(t, time.Since(begun), 3*watch.Quiet, "it was waited for")
	assert.EqualValues(t, 24, func() int64 { i, _ := os.Stat(at("app.aab")); return i.Size() }())

	require.NoError(t, os.Mkdir(at("pictures"), 0o755))
	_, err = next(20 * time.Second)
	require.NoError(t, err)
	write("pictures/a.png", "x")
	got, err = next(20 * time.Second)
	require.NoError(t, err)
	assert.Equal(t, []string{at("pictures/a.png")}, got, "a folder that was made later is watched, too")

	_, err = watch.New([]string{at("missing")}, nil, nil)
	assert.Error(t, err)
}
