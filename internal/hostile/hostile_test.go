//go:build unix

// Package hostile makes small packages that are built to take a reader's time
// or memory: counts that claim what is not there, parts that are referred to
// again and again, names that are long and many, contents that unpack to a
// thousand times their size. Each is a sound package of the demo with one part
// changed, so that everything else in it can still be judged. The built program
// judges each within bounds. scripts/hostile runs all of them and prints what
// they took; the usual tests leave out those that take long to make.
package hostile

import (
	"bytes"
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const (
	longest = 8 * time.Second
	most    = 150 << 10 // KB

	allEnv  = "REGOLA_HOSTILE" // "all": run all kinds, and print what they took
	makeEnv = "REGOLA_TEST_MAKE"
)

// slow are parts of the names of kinds that take seconds to make.
var slow = []string{"gigabyte", "MiB", "70,000", "32,000", "300", "60,000", "nested 5,000", "million", "names of 60", "20,000 privacy", "20,000 icon", "catalogue", "certificates", "activities", "40,000", "strings in 100", "attributes"}

// TestMain makes one package when it is called for that: the peak of memory
// that the system tells of a child begins with what its parent held, so a
// process that measures must stay small.
func TestMain(m *testing.M) {
	n, path, ok := strings.Cut(os.Getenv(makeEnv), " ")
	if !ok {
		os.Exit(m.Run())
	}
	i, err := strconv.Atoi(n)
	if err == nil {
		var f *os.File
		if f, err = os.Create(path); err == nil {
			err = Kinds()[i].Make(f)
		}
	}
	if err != nil {
		panic(err)
	}
}

// call gives the time of all cores, the peak of memory in KB, the exit status and both
// outputs of a call.
func call(program string, args ...string) (took time.Duration, peak int64, exit int, stdout, stderr []byte) {
	var out, errs bytes.Buffer
	c := exec.Command(program, args...)
	c.Stdout, c.Stderr = &out, &errs
	timer := time.AfterFunc(12*longest, func() { c.Process.Kill() })
	defer timer.Stop()
	_ = c.Run()
	took = c.ProcessState.UserTime() + c.ProcessState.SystemTime()
	peak = c.ProcessState.SysUsage().(*syscall.Rusage).Maxrss
	if runtime.GOOS == "darwin" { // in bytes there
		peak >>= 10
	}
	return took, peak, c.ProcessState.ExitCode(), out.Bytes(), errs.Bytes()
}

// TestHostile judges each kind: within the bounds, with whole JSON, and with
// everything else judged.
func TestHostile(t *testing.T) {
	all := os.Getenv(allEnv) == "all"
	dir := t.TempDir()
	program := filepath.Join(dir, "regola")
	build := exec.Command("go", "build", "-o", program, "../../cmd/regola")
	said, err := build.CombinedOutput()
	require.NoError(t, err, string(said))
	ran := 0
	for i, k := range Kinds() {
		skip := false
		for _, s := range slow {
			skip = skip || strings.Contains(k.Name, s)
		}
		if skip && !all {
			continue
		}
		ran++
		t.Run(k.Name, func(t *testing.T) {
			path := filepath.Join(dir, k.File)
			made := exec.Command(os.Args[0])
			made.Env = append(os.Environ(), makeEnv+"="+strconv.Itoa(i)+" "+path)
			said, err := made.CombinedOutput()
			require.NoError(t, err, string(said))
			calls := [][]string{{"check", "--alone", "--format", "json", "--on", "2026-11-23", path}}
			if all {
				calls = append(calls, []string{"facts", path})
			}
			for _, args := range calls {
				took, peak, exit, out, errs := call(program, args...)
				if all {
					info, err := os.Stat(path)
					require.NoError(t, err)
					t.Logf("%s of %d KB: %.2f s, %d MB, exit %d, %d KB of output", args[0], info.Size()>>10, took.Seconds(), peak>>10, exit, len(out)>>10)
				}
				assert.Less(t, took, longest, args[0])
				assert.Less(t, peak, int64(most), args[0])
				assert.Less(t, len(out), 2<<20)
				assert.NotContains(t, string(errs), "goroutine")
				if exit == 2 {
					assert.Contains(t, string(errs), "\n  fix ", "the central file of the package cannot be read")
				} else if args[0] == "check" {
					judged(t, out)
				}
			}
		})
	}
	assert.Greater(t, ran, 20)
}

// judged holds that the rest of a package was judged.
func judged(t *testing.T, out []byte) {
	var doc struct {
		Stores []struct{ Totals map[string]int }
	}
	require.NoError(t, json.Unmarshal(out, &doc))
	require.Len(t, doc.Stores, 1)
	assert.Greater(t, doc.Stores[0].Totals["held"], 20)
}
