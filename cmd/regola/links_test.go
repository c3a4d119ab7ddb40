package main_test

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestLinks fetches from a server on this machine: what opens, what does not, and
// nothing at all without the word.
func TestLinks(t *testing.T) {
	var asked atomic.Int64
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked.Add(1)
		switch r.URL.Path {
		case "/privacy":
			w.Header().Set("Content-Type", "text/html")
			fmt.Fprint(w, "<p>Terrafuoco</p>"+strings.Repeat("<p>which personal data we keep and why</p>", 30))
		case "/help":
			http.Redirect(w, r, "/", http.StatusFound)
		case "/":
			fmt.Fprint(w, "hello")
		default:
			http.NotFound(w, r)
		}
	}))
	defer server.Close()
	dir := demo(t)
	file := filepath.Join(dir, "sound", "dossier.yaml")
	data, err := os.ReadFile(file)
	require.NoError(t, err)
	text := strings.ReplaceAll(string(data), "https://terrafuoco.example", server.URL)
	require.NoError(t, os.WriteFile(file, []byte(text), 0o644))

	_, _, _ = regola(t, dir, "check", "--on", on, "sound")
	assert.Zero(t, asked.Load(), "no network unless it is asked for")
	out, _, exit := regola(t, dir, "links", "--on", on, "sound", "--store", "ios")
	assert.Equal(t, 1, exit)
	assert.Zero(t, asked.Load(), "private addresses are not fetched")
	assert.Contains(t, out, "private or local address")

	out, stderr, exit := regola(t, dir, "links", "--on", on, "--links-private", "--store", "ios", "sound")
	assert.Equal(t, 1, exit, stderr)
	assert.Equal(t, int64(6), asked.Load(), "privacy, help and where it leads, two pages on deletion, the first page")
	golden(t, "links.txt", strings.ReplaceAll(out, server.URL, "http://SERVER"))
	js, _, _ := regola(t, dir, "links", "--on", on, "--links-private", "--format", "json", "sound")
	assert.Contains(t, js, `"key": "links.account_deletion"`)
	out, _, exit = regola(t, dir, "check", "--on", on, "--links", "--links-private", "--fail-on", "rejected", "sound")
	assert.Equal(t, 1, exit)
	assert.Contains(t, out, "links.account_deletion does not open: the server answers 404 not found")
	_, stderr, exit = regola(t, dir, "check", "--links-private", "sound")
	assert.Equal(t, 2, exit)
	assert.Contains(t, stderr, "goes with --links")
}
