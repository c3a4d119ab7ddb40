package main_test

import (
	"bufio"
	"encoding/json"
	"fmt"
	"io"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// client is an editor that talks to the language server.
type client struct {
	t    *testing.T
	cmd  *exec.Cmd
	in   io.WriteCloser
	got  chan map[string]any
	last int
}

func startEditor(t *testing.T) *client {
	c := &client{t: t, cmd: exec.Command(program, "lsp"), got: make(chan map[string]any, 1000)}
	var err error
	c.in, err = c.cmd.StdinPipe()
	require.NoError(t, err)
	out, err := c.cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, c.cmd.Start())
	t.Cleanup(func() { _ = c.cmd.Process.Kill() })
	go func() {
		defer close(c.got)
		for r := bufio.NewReader(out); ; {
			head, err := r.ReadString('\n')
			if err != nil {
				return
			}
			size, _ := strconv.Atoi(strings.TrimSpace(strings.TrimPrefix(head, "Content-Length:")))
			_, _ = r.ReadString('\n')
			b := make([]byte, size)
			if _, err := io.ReadFull(r, b); err != nil {
				return
			}
			var m map[string]any
			if json.Unmarshal(b, &m) == nil {
				c.got <- m
			}
		}
	}()
	return c
}

func (c *client) send(m map[string]any) {
	m["jsonrpc"] = "2.0"
	b, err := json.Marshal(m)
	require.NoError(c.t, err)
	_, err = fmt.Fprintf(c.in, "Content-Length: %d\r\n\r\n%s", len(b), b)
	require.NoError(c.t, err)
}

func (c *client) notify(method string, params any) {
	c.send(map[string]any{"method": method, "params": params})
}

// wait reads messages until one is as is asked for.
func (c *client) wait(what string, is func(map[string]any) bool) map[string]any {
	c.t.Helper()
	for limit := time.After(60 * time.Second); ; {
		select {
		case m, ok := <-c.got:
			require.True(c.t, ok, "the server ended before "+what)
			if is(m) {
				return m
			}
		case <-limit:
			require.Fail(c.t, "nothing came", what)
		}
	}
}

// ask sends a request and gives its result as text.
func (c *client) ask(method string, params any) string {
	c.t.Helper()
	c.last++
	id := float64(c.last)
	c.send(map[string]any{"id": id, "method": method, "params": params})
	m := c.wait(method, func(m map[string]any) bool { return m["id"] == id })
	require.Nil(c.t, m["error"], method)
	b, err := json.Marshal(m["result"])
	require.NoError(c.t, err)
	return string(b)
}

// marks waits for the diagnostics of a file of which want is a part.
func (c *client) marks(uri, want string) string {
	c.t.Helper()
	var text string
	c.wait("marks of "+uri+" with "+want, func(m map[string]any) bool {
		p, ok := m["params"].(map[string]any)
		if m["method"] != "textDocument/publishDiagnostics" || !ok || p["uri"] != uri {
			return false
		}
		b, _ := json.Marshal(p["diagnostics"])
		text = string(b)
		return strings.Contains(text, want)
	})
	return text
}

func fileAddress(file string) string {
	p := filepath.ToSlash(file)
	if !strings.HasPrefix(p, "/") {
		p = "/" + p
	}
	return (&url.URL{Scheme: "file", Path: p}).String()
}

func openAs(uri, text string) map[string]any {
	return map[string]any{"textDocument": map[string]any{"uri": uri, "languageId": "yaml", "version": 1, "text": text}}
}

// typed is a change of a document: a text that takes the place of a piece of a line.
func typed(uri string, version, line, from, to int, text string) map[string]any {
	at := func(c int) map[string]any { return map[string]any{"line": line, "character": c} }
	return map[string]any{"textDocument": map[string]any{"uri": uri, "version": version}, "contentChanges": []any{map[string]any{"range": map[string]any{"start": at(from), "end": at(to)}, "text": text}}}
}

func at(uri string, line, character int) map[string]any {
	p := map[string]any{"line": line, "character": character}
	return map[string]any{"textDocument": map[string]any{"uri": uri}, "position": p, "range": map[string]any{"start": p, "end": p}, "context": map[string]any{"diagnostics": []any{}}}
}

// TestLanguageServer opens the sound demo as an editor does, types mistakes, and asks what an
// editor asks.
func TestLanguageServer(t *testing.T) {
	dir, err := filepath.EvalSymlinks(filepath.Join(demo(t), "sound"))
	require.NoError(t, err)
	read := func(name string) (string, string) {
		data, err := os.ReadFile(filepath.Join(dir, filepath.FromSlash(name)))
		require.NoError(t, err)
		return fileAddress(filepath.Join(dir, filepath.FromSlash(name))), string(data)
	}
	main, doc := read("dossier.yaml")
	german, texts := read("listing/de.yaml")
	line := func(text, part string) (int, int) {
		i := strings.Index(text, part)
		require.GreaterOrEqual(t, i, 0, part)
		return strings.Count(text[:i], "\n"), i - strings.LastIndexByte(text[:i], '\n') - 1
	}
	c := startEditor(t)
	assert.Contains(t, c.ask("initialize", map[string]any{"processId": nil, "rootUri": fileAddress(dir), "capabilities": map[string]any{"workspace": map[string]any{"workspaceEdit": map[string]any{"resourceOperations": []string{"rename"}}}}}), `"utf-16"`)
	c.notify("initialized", map[string]any{})
	c.notify("textDocument/didOpen", openAs(main, doc))
	c.notify("textDocument/didOpen", openAs(german, texts))
	c.marks(german, "[]")

	// A picture sign takes two units of UTF-16: what stands behind it is found all the same.
	c.notify("textDocument/didChange", typed(german, 2, 0, 6, 6, "🔥 \u200b"))
	marks := c.marks(german, "common/text-clean")
	assert.Contains(t, marks, "invisible character")
	actions := c.ask("textDocument/codeAction", at(german, 0, 0))
	assert.Contains(t, actions, `"isPreferred":true`)
	assert.Contains(t, actions, `"range":{"end":{"character":10,"line":0},"start":{"character":9,"line":0}}`, "the invisible character alone goes")
	assert.Contains(t, actions, "write why, and who decided")
	assert.Contains(t, c.ask("textDocument/hover", at(german, 0, 1)), "of 30")
	assert.Contains(t, c.ask("textDocument/inlayHint", map[string]any{"textDocument": map[string]any{"uri": german}, "range": map[string]any{"start": map[string]any{"line": 0, "character": 0}, "end": map[string]any{"line": 1, "character": 0}}}), "of 30 left")
	c.notify("textDocument/didChange", typed(german, 3, 0, 6, 10, ""))
	c.marks(german, "[]")

	// An answer goes: the question comes, with its choices.
	n, col := line(doc, "created_in_app: true, ")
	c.notify("textDocument/didChange", typed(main, 2, n, col, col+len("created_in_app: true, "), ""))
	assert.Contains(t, c.marks(main, "to answer"), "whether people can make an account in the app")
	assert.Contains(t, c.ask("textDocument/codeAction", map[string]any{"textDocument": map[string]any{"uri": main}, "context": map[string]any{"diagnostics": []any{}},
		"range": map[string]any{"start": map[string]any{"line": 0, "character": 0}, "end": map[string]any{"line": 200, "character": 0}}}), "Answer answers.accounts.created_in_app: yes")
	assert.Contains(t, c.ask("textDocument/completion", at(main, n, col)), `"created_in_app"`)
	c.notify("textDocument/didChange", typed(main, 3, n, col, col, "created_in_app: true, "))
	c.marks(main, "[]")
	assert.Contains(t, c.ask("textDocument/hover", at(main, n, col+2)), "whether people can make an account")
	_, ways := line(doc, "[password]")
	assert.Contains(t, c.ask("textDocument/completion", at(main, n, ways+1)), `"passkey"`)

	// A key with a letter too many is corrected, also while nothing can be judged.
	k, _ := line(doc, "answers:")
	c.notify("textDocument/didChange", typed(main, 4, k, 0, 0, "x"))
	assert.Contains(t, c.marks(main, "unknown key"), "xanswers")
	assert.Contains(t, c.ask("textDocument/codeAction", at(main, k, 3)), "Write answers")
	assert.Contains(t, c.ask("textDocument/documentSymbol", map[string]any{"textDocument": map[string]any{"uri": main}}), `"xanswers"`)
	c.notify("textDocument/didChange", typed(main, 5, k, 0, 1, ""))
	c.marks(main, "[]")

	// A file whose name is no usual tag is renamed.
	british, odd := filepath.Join(dir, "listing", "en-GB.yaml"), filepath.Join(dir, "listing", "en_gb.yaml")
	english, err := os.ReadFile(british)
	require.NoError(t, err)
	require.NoError(t, os.Rename(british, odd))
	c.notify("textDocument/didOpen", openAs(fileAddress(odd), string(english)))
	c.marks(fileAddress(odd), "common/locale-spelling")
	assert.Contains(t, c.ask("textDocument/codeAction", at(fileAddress(odd), 0, 0)), `"documentChanges":[{"kind":"rename","newUri":"`+fileAddress(british)+`"`)
	require.NoError(t, os.Rename(odd, british))

	// A rulebook of one's own: a field that is not there is marked in its condition.
	own, book := read("own-rules.yaml")
	c.notify("textDocument/didOpen", openAs(own, strings.Replace(book, "expect: ", "expect: pkg.nonsense == 1 && ", 1)))
	assert.Contains(t, c.marks(own, "nonsense"), `"severity":1`)
	e, ec := line(book, "expect: ")
	assert.Contains(t, c.ask("textDocument/completion", at(own, e, ec+len("expect: pkg."))), `"pkg.file"`)

	// What a package shows comes with its file.
	pkg := filepath.Join(dir, "build", "terrafuoco.aab")
	require.NoError(t, os.WriteFile(pkg, []byte("no package"), 0o644))
	assert.Contains(t, c.marks(main, "terrafuoco.aab"), `"severity":1`)

	c.send(map[string]any{"id": "x", "method": "$/unknown"})
	assert.NotNil(t, c.wait("an error", func(m map[string]any) bool { return m["id"] == "x" })["error"])
	assert.Equal(t, "null", c.ask("shutdown", nil))
	c.notify("exit", nil)
	assert.NoError(t, c.cmd.Wait())

	for _, broken := range []string{"", "junk\r\n\r\n", "Content-Length: 99999999999\r\n\r\n", "Content-Length: 5\r\n\r\n{}", strings.Repeat("x", 9000)} {
		c := exec.Command(program, "lsp")
		c.Stdin = strings.NewReader(broken)
		out, err := c.CombinedOutput()
		assert.Error(t, err, "%.20q", broken)
		assert.Contains(t, string(out), "without the request shutdown", "%.20q", broken)
	}
}

// TestNeovim has an editor that people use correct a text, where it is installed.
func TestNeovim(t *testing.T) {
	nvim, err := exec.LookPath("nvim")
	if err != nil {
		t.Log("Neovim is not installed: TestLanguageServer alone speaks with the server")
		return
	}
	dir := filepath.Join(demo(t), "sound")
	file := filepath.Join(dir, "listing", "de.yaml")
	sound, err := os.ReadFile(file)
	require.NoError(t, err)
	spoil(t, file, "für deinen Ofen", "fÃ¼r deinen 🔥 Ofen\u200b")
	script := filepath.Join(t.TempDir(), "edit.lua")
	require.NoError(t, os.WriteFile(script, []byte(`
local id = vim.lsp.start_client({ name = "regola", cmd = { vim.env.REGOLA_PROGRAM, "lsp" }, root_dir = vim.fn.getcwd() })
vim.lsp.buf_attach_client(0, id)
local found = function()
  for _, d in ipairs(vim.diagnostic.get(0)) do
    if d.code == "common/text-clean" then return d end
  end
end
if not vim.wait(60000, found, 50) then print("no diagnostic") vim.cmd("cquit!") end
vim.api.nvim_win_set_cursor(0, { found().lnum + 1, found().col })
local params = vim.lsp.util.make_range_params()
params.context = { diagnostics = {} }
for _, answer in pairs(vim.lsp.buf_request_sync(0, "textDocument/codeAction", params, 30000)) do
  for _, action in ipairs(answer.result) do
    if action.isPreferred then
      vim.lsp.util.apply_workspace_edit(action.edit, "utf-16")
      break
    end
  end
end
vim.cmd("write")
if not vim.wait(60000, function() return not found() end, 50) then print("it is still marked") vim.cmd("cquit!") end
vim.cmd("quitall!")
`), 0o644))
	c := exec.Command(nvim, "--headless", "-u", "NONE", "-i", "NONE", "listing/de.yaml", "-c", "luafile "+script)
	c.Dir = dir
	c.Env = append(os.Environ(), "REGOLA_PROGRAM="+program, "HOME="+t.TempDir(), "XDG_STATE_HOME="+t.TempDir(), "XDG_DATA_HOME="+t.TempDir())
	out, err := c.CombinedOutput()
	require.NoError(t, err, "%s", out)
	now, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.Equal(t, strings.Replace(string(sound), "für deinen Ofen", "für deinen 🔥 Ofen", 1), string(now))
}
