package run_test

import (
	"bytes"
	"context"
	"fmt"
	"io/fs"
	"math/rand/v2"
	"os"
	"path/filepath"
	"runtime"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/report"
	"regola.example/regola/internal/run"
	"regola.example/regola/rulebooks"
)

// damagedEnv says how many damaged releases TestDamaged judges; scripts/damaged sets it.
const damagedEnv = "REGOLA_DAMAGED"

// damage changes a file as disks, networks and people do: bytes that flip, an end that
// is missing, a part that is there twice, a part of another file, zeros.
func damage(r *rand.Rand, data, other []byte) []byte {
	if len(data) == 0 {
		return []byte{byte(r.Uint32())}
	}
	out := bytes.Clone(data)
	at := r.IntN(len(out))
	n := 1 + r.IntN(min(4096, len(out)-at))
	switch r.IntN(6) {
	case 0:
		for range 1 + r.IntN(16) {
			out[r.IntN(len(out))] ^= 1 << r.IntN(8)
		}
	case 1:
		out = out[:at]
	case 2:
		out = append(out[:at:at], append(bytes.Clone(out[at:at+n]), out[at:]...)...)
	case 3:
		out = append(out[:at:at], out[at+n:]...)
	case 4:
		clear(out[at : at+n])
	default:
		if len(other) > 0 {
			from := r.IntN(len(other))
			copy(out[at:at+n], other[from:])
		}
	}
	return out
}

// TestDamaged judges releases of which some files are damaged, from seeds: nothing
// ends the program, each ends within the bounds, and what comes out is written in
// every form.
func TestDamaged(t *testing.T) {
	count := 60
	if n, err := strconv.Atoi(os.Getenv(damagedEnv)); err == nil {
		count = n
	}
	var files []string
	contents := map[string][]byte{}
	root := os.DirFS(demo)
	require.NoError(t, fs.WalkDir(root, ".", func(path string, e fs.DirEntry, err error) error {
		if err == nil && !e.IsDir() && (strings.HasPrefix(path, "sound/") || strings.HasPrefix(path, "faulty/")) {
			files = append(files, path)
			contents[path], err = fs.ReadFile(root, path)
		}
		return err
	}))
	opt := options(t)
	opt.Parts = true
	runner, err := run.New(rulebooks.BuiltIn, opt)
	require.NoError(t, err)
	judged, refused := 0, 0
	for seed := range count {
		r := rand.New(rand.NewPCG(uint64(seed), 20261125))
		dir := t.TempDir()
		kind := []string{"sound", "faulty"}[seed%2]
		hit := map[string]bool{}
		var mine []string
		for _, f := range files {
			if strings.HasPrefix(f, kind) {
				mine = append(mine, f)
			}
		}
		for range 1 + r.IntN(3) {
			hit[mine[r.IntN(len(mine))]] = true
		}
		for _, f := range mine {
			data := contents[f]
			if hit[f] {
				data = damage(r, data, contents[files[r.IntN(len(files))]])
			}
			name := filepath.Join(dir, f)
			require.NoError(t, os.MkdirAll(filepath.Dir(name), 0o755))
			require.NoError(t, os.WriteFile(name, data, 0o644))
		}
		start := time.Now()
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		res, j, err := runner.Judge(context.Background(), run.Job{Dossier: filepath.Join(dir, kind)})
		item := &report.Item{Name: kind, Result: res}
		if err != nil {
			refused++
			assert.NotEmpty(t, err.Error())
		} else {
			judged++
			item.Extra = &report.Extra{}
			for _, p := range j.Pairs {
				if p.Submission.Pkg != nil {
					w, err := runner.Weigh(p.Submission.Pkg, nil, nil)
					require.NoError(t, err)
					item.Extra.Sizes = append(item.Extra.Sizes, report.StoreSizes{Name: p.Judge.Store.Name, Weight: w})
				}
			}
		}
		for _, form := range report.Forms {
			var out bytes.Buffer
			w := form.Open(&out, report.Style{}, report.Call{Names: []string{kind}})
			require.NoError(t, w.Add(item), form.Name)
			require.NoError(t, w.Close(), form.Name)
		}
		runtime.ReadMemStats(&after)
		assert.Less(t, time.Since(start), 5*time.Second, fmt.Sprintf("seed %d", seed))
		assert.Less(t, after.TotalAlloc-before.TotalAlloc, uint64(600<<20), fmt.Sprintf("seed %d", seed))
		require.NoError(t, os.RemoveAll(dir))
	}
	t.Logf("%d judged, %d refused with a reason", judged, refused)
	assert.Greater(t, judged, count/4)
	assert.NotZero(t, refused)
}
