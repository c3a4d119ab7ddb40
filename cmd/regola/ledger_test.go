package main_test

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// lines reads a ledger: each line must be whole.
func lines(t *testing.T, dir string) (out []map[string]any) {
	t.Helper()
	data, err := os.ReadFile(filepath.Join(dir, "ledger.jsonl"))
	require.NoError(t, err)
	require.True(t, strings.HasSuffix(string(data), "\n"))
	for _, l := range strings.Split(strings.TrimSuffix(string(data), "\n"), "\n") {
		var e map[string]any
		require.NoError(t, json.Unmarshal([]byte(l), &e), l)
		out = append(out, e)
	}
	return out
}

// TestLedger takes a release through a rejection and a fix.
func TestLedger(t *testing.T) {
	dir := filepath.Join(demo(t), "sound")
	before := len(lines(t, dir))
	call := func(want int, args ...string) string {
		t.Helper()
		out, stderr, exit := regola(t, dir, args...)
		require.Equal(t, want, exit, stderr)
		return out + stderr
	}
	call(0, "ledger", "record", "--on", on)
	assert.Contains(t, call(0, "ledger", "record", "--on", on), "was recorded already")
	assert.Len(t, lines(t, dir), before+2)
	call(0, "check", "--strict", "--on", on) // the very package is not sent anew
	call(0, "ledger", "decide", "rejected", "--store", "android", "--on", on, "--about", "answer:answers.ads", "--said", "There are ads.", "--about", "text:it/description", "--said", "It promises too much.")
	out := call(0, "check", "--on", on)
	assert.Contains(t, out, "1.4.0 was sent back, and the answer answers.ads is still false")
	assert.Contains(t, out, "the text it/description is the same")
	assert.Contains(t, out, "the reviewer wrote: There are ads.")
	text, err := os.ReadFile(filepath.Join(dir, "listing/it.yaml"))
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "listing/it.yaml"), []byte(strings.Replace(string(text), "description: |\n", "description: |\n  Per il forno.\n", 1)), 0o644))
	out = call(0, "check", "--on", on, "--all")
	assert.NotContains(t, out, "the text it/description is the same")
	assert.Contains(t, out, "sent back because of text:it/description")
	call(0, "ledger", "reply", "--store", "android", "--on", on, "The text says less now.")
	call(0, "ledger", "decide", "accepted", "--store", "android", "--on", on)
	assert.Contains(t, call(0, "check", "--on", on), "PASSES")
	assert.Contains(t, call(0, "ledger", "show"), `text:it/description: "It promises too much."`)

	// Another package with a number that was sent.
	data, err := os.ReadFile(filepath.Join(dir, "../faulty/build/terrafuoco.aab"))
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "other.aab"), data, 0o644))
	out = call(1, "check", "--on", on, "--store", "android", "other.aab")
	assert.Contains(t, out, "the version code 1400 was sent before")

	// A line that nobody can read is reported, and what needs the history is not judged.
	add(t, filepath.Join(dir, "ledger.jsonl"), "{\"regola\":9,\"store\":\"ios\",\"on\":\"2026-01-01\"}\n<<<<<<< HEAD\n")
	out = call(1, "check", "--on", on, "--all")
	assert.Contains(t, out, "written in format 9, by a newer program")
	assert.Contains(t, out, "a mark of a merge that was not finished")
	assert.Contains(t, out, "OPEN")
	assert.Contains(t, out, "line 19 of the ledger could not be read")
	assert.Contains(t, call(2, "ledger", "decide", "accepted", "--store", "ios"), "ledger.jsonl:20:1: a merge of the ledger was not finished")
	whole := must(os.ReadFile(filepath.Join(dir, "ledger.jsonl")))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "ledger.jsonl"), append([]byte("\xef\xbb\xbf"), whole[:strings.Index(string(whole), "{\"regola\":9")]...), 0o644))
	assert.NotContains(t, call(0, "check", "--on", on, "--all"), "could not be read")
	for about, want := range map[string]string{
		"answer:no.such.thing": "has no such answer", "text:en-US/description": `did you mean "text:en-GB/description"?`, "picture:pictures/none.png": "has no such picture",
		"purpose:NSFooBar": "has no such purpose string", "rule:ios/icno-name": `did you mean "rule:ios/icon-name"?`, "text:*/name": "has no such text",
	} {
		assert.Contains(t, call(2, "ledger", "decide", "rejected", "--store", "ios", "--about", about, "--said", "x"), want, about)
	}
	// Letters are long: they come from a file, or from standard input.
	require.NoError(t, os.WriteFile(filepath.Join(dir, "letter.txt"), []byte("Explain the camera.\n\nRegards\n"), 0o644))
	call(0, "ledger", "decide", "rejected", "--store", "ios", "--about", "purpose:NSCameraUsageDescription", "--said", "@letter.txt")
	assert.Contains(t, string(must(os.ReadFile(filepath.Join(dir, "ledger.jsonl")))), `"said":"Explain the camera.\n\nRegards"`)
	assert.Contains(t, call(2, "ledger", "reply", "--store", "ios", "-"), "the text is empty")
	assert.Contains(t, call(2, "ledger", "decide", "rejected", "--store", "ios", "--about", "behaviour", "--said", "@none.txt"), "none.txt: there is no such file")
	for _, c := range [][]string{{"decide", "perhaps"}, {"decide", "rejected", "--store", "ios"}, {"decide", "accepted"}, {"decide", "rejected", "--store", "ios", "--about", "mood"}, {"decide", "rejected", "--store", "ios", "--about", "rule"},
		{"decide", "accepted", "--store", "ios", "--version", "9.9"}, {"reply", "--store", "ios", " "}, {"decide", "accepted", "--store", "ios", "--about", "behaviour"}, {"record", "--dossier", "none"}} {
		call(2, append([]string{"ledger"}, c...)...)
	}
}

// TestLedgerTogether writes from several processes at once, and kills some of them.
func TestLedgerTogether(t *testing.T) {
	dir := filepath.Join(demo(t), "sound")
	before := len(lines(t, dir))
	var group sync.WaitGroup
	for i := range 6 {
		group.Go(func() {
			for j := range 5 {
				out, err := exec.Command(program, "ledger", "reply", "--dossier", dir, "--store", "ios", fmt.Sprintf("answer %d.%d", i, j)).CombinedOutput()
				assert.NoError(t, err, string(out))
			}
		})
	}
	group.Wait()
	assert.Len(t, lines(t, dir), before+30)
	for range 25 {
		c := exec.Command(program, "ledger", "reply", "--dossier", dir, "--store", "ios", strings.Repeat("long ", 10_000))
		require.NoError(t, c.Start())
		time.Sleep(time.Duration(rand.IntN(25)) * time.Millisecond)
		_ = c.Process.Kill()
		_ = c.Wait()
		assert.GreaterOrEqual(t, len(lines(t, dir)), before+30)
	}
	out, stderr, exit := regola(t, dir, "ledger", "reply", "--store", "ios", "after all that")
	assert.Zero(t, exit, stderr)
	assert.Contains(t, out, "recorded")
}

// TestCalendar writes calendars of a release and of the rules alone.
func TestCalendar(t *testing.T) {
	dir := demo(t)
	out, _, exit := regola(t, dir, "calendar", "--on", "2026-06-01", "--format", "ical", "--all", "sound")
	require.Zero(t, exit)
	again, _, _ := regola(t, dir, "calendar", "--on", "2026-06-01", "--format", "ical", "--all", "sound")
	assert.Equal(t, out, again)
	uids := map[string]bool{}
	for _, l := range strings.Split(strings.TrimSuffix(out, "\r\n"), "\r\n") {
		assert.LessOrEqual(t, len(l), 75, "lines are folded")
		assert.NotContains(t, l, "\n")
		if uid, ok := strings.CutPrefix(l, "UID:"); ok {
			assert.False(t, uids[uid])
			uids[uid] = true
		}
	}
	assert.Equal(t, len(uids), strings.Count(out, "BEGIN:VEVENT\r\n"))
	assert.Greater(t, len(uids), 3)
	later, _, _ := regola(t, dir, "calendar", "--on", "2026-07-01", "--format", "ical", "--all", "sound")
	for uid := range uids {
		if strings.Contains(later, uid) {
			return // a later calendar updates the same events
		}
	}
	assert.Fail(t, "no event of the later calendar is one of the earlier")
}

// TestChanges compares packages, dossiers, versions of the ledger and revisions.
func TestChanges(t *testing.T) {
	dir := demo(t)
	out, _, exit := regola(t, dir, "changes", "sound/build/terrafuoco.aab", "sound/build/terrafuoco.aab")
	assert.Zero(t, exit)
	assert.Contains(t, out, "nothing differs")
	out, _, _ = regola(t, filepath.Join(dir, "sound"), "changes", "1.3.1", "1.3.2", "--store", "ios", "--format", "json")
	assert.Contains(t, out, `"what": "NSCameraUsageDescription"`)
	out, _, _ = regola(t, dir, "changes", "sound/build/terrafuoco.aab", "sound/build/Terrafuoco.ipa")
	assert.Contains(t, out, "for different stores")
	out, _, _ = regola(t, dir, "changes", "sound", "faulty", "--format", "markdown")
	assert.Contains(t, out, `| + | answer | answers.content.blood: little |`)
	for _, c := range [][]string{{"a", "b"}, {"sound"}, {"none:sound", "sound"}, {"HEAD:../x", "sound"}, {"-x:sound", "sound"}} {
		_, _, exit := regola(t, dir, append([]string{"changes"}, c...)...)
		assert.Equal(t, 2, exit, "%v", c)
	}
	if _, err := exec.LookPath("git"); err != nil {
		return
	}
	for _, args := range [][]string{{"init", "-q"}, {"add", "."}, {"-c", "user.name=Ada", "-c", "user.email=ada@terrafuoco.example", "commit", "-qm", "demo"}} {
		c := exec.Command("git", args...)
		c.Dir = dir
		out, err := c.CombinedOutput()
		require.NoError(t, err, string(out))
	}
	file := filepath.Join(dir, "sound/dossier.yaml")
	text, err := os.ReadFile(file)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(file, []byte(strings.Replace(string(text), "ads: false", "ads: true", 1)), 0o644))
	out, stderr, exit := regola(t, dir, "changes", "HEAD:sound", "sound", "--store", "android")
	assert.Zero(t, exit, stderr)
	assert.Contains(t, out, "~ answer                answers.ads: false → true")
	assert.Equal(t, 1, strings.Count(out, "\n  ~ "))
}
