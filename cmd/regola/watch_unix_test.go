//go:build unix

package main_test

import (
	"bufio"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestWatch changes a dossier while it is watched: each change is judged, also one that
// cannot be, and the signal that ends the watch leaves the exit status of the last verdict.
func TestWatch(t *testing.T) {
	dir := filepath.Join(demo(t), "sound")
	c := exec.Command(program, "check", "--watch", "--on", on, "--fail-on", "craft")
	c.Dir = dir
	pipe, err := c.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, c.Start())
	t.Cleanup(func() { _ = c.Process.Kill() })
	lines := make(chan string, 1000)
	go func() {
		for s := bufio.NewScanner(pipe); s.Scan(); {
			lines <- s.Text()
		}
		close(lines)
	}()
	until := func(want string) string {
		t.Helper()
		var seen strings.Builder
		for limit := time.After(60 * time.Second); ; {
			select {
			case l, ok := <-lines:
				seen.WriteString(l + "\n")
				if strings.Contains(l, want) {
					return seen.String()
				}
				require.True(t, ok, "the watch ended before %q: %s", want, seen.String())
			case <-limit:
				require.Fail(t, "nothing came", "%q is not in: %s", want, seen.String())
			}
		}
	}
	assert.Contains(t, until("Ctrl-C"), "PASSES")
	spoil(t, filepath.Join(dir, "listing", "en-GB.yaml"), "name: ", "name: Best kiln app #")
	brought := until("iOS store")
	assert.Contains(t, brought, "After a change of listing/en-GB.yaml\n")
	assert.Contains(t, brought, "new   craft: a claim about rank")
	spoil(t, filepath.Join(dir, "dossier.yaml"), "answers:", "answers: [")
	assert.Contains(t, until("not judged"), "dossier.yaml:")
	spoil(t, filepath.Join(dir, "dossier.yaml"), "answers: [", "answers:")
	assert.Contains(t, until("iOS store"), "no finding came or went", "beside the last that was judged")
	spoil(t, filepath.Join(dir, "listing", "en-GB.yaml"), "name: Best kiln app #", "name: ")
	assert.Equal(t, 1, strings.Count(until("iOS store"), "gone  a claim about rank"), "once for both stores")
	require.NoError(t, c.Process.Signal(syscall.SIGINT))
	assert.NoError(t, c.Wait(), "the last verdict passes")

	_, complaint, exit := regola(t, dir, "check", "--watch", "--format", "json")
	assert.Equal(t, 2, exit)
	assert.Contains(t, complaint, "--watch")
}
