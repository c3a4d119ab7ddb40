// Package lsp is the language server: it speaks the Language Server Protocol 3.17 over two
// streams, keeps the files as the editor has them, and gives what package editor answers.
//
// Source: the specification of the Language Server Protocol, version 3.17.
package lsp

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/creachadair/jrpc2"
	"github.com/creachadair/jrpc2/handler"

	"regola.example/regola/internal/core/cursor"
	"regola.example/regola/internal/editor"
	"regola.example/regola/internal/watch"
)

// Bounds: of one file in bytes, and of the files that are open.
const (
	maxText  = 4 << 20
	maxFiles = 2_000
)

// delay is how long typing must rest before the files are judged.
const delay = 60 * time.Millisecond

// ErrNoShutdown says that the client ended without saying so before.
var ErrNoShutdown = errors.New("the editor ended the call without the request shutdown")

// Serve serves one editor until it ends, or until the context does.
func Serve(ctx context.Context, in io.Reader, out io.Writer, e *editor.Editor, version string) error {
	s := &server{editor: e, version: version, files: map[string]*file{}, states: map[string]*editor.State{}, loops: map[string]*loop{}, shown: map[string][]string{}, over: make(chan struct{})}
	s.ctx, s.stop = context.WithCancel(ctx)
	defer s.stop()
	s.rpc = jrpc2.NewServer(handler.Map{
		"initialize":                          handler.New(s.initialize),
		"initialized":                         handler.New(s.initialized),
		"shutdown":                            handler.New(s.shutdown),
		"exit":                                handler.New(s.exit),
		"$/cancelRequest":                     handler.New(s.cancel),
		"$/setTrace":                          ignored,
		"textDocument/didOpen":                handler.New(s.open),
		"textDocument/didChange":              handler.New(s.change),
		"textDocument/didSave":                handler.New(s.save),
		"textDocument/didClose":               handler.New(s.close),
		"textDocument/hover":                  handler.New(s.hover),
		"textDocument/completion":             handler.New(s.completion),
		"textDocument/codeAction":             handler.New(s.actions),
		"textDocument/definition":             handler.New(s.definition),
		"textDocument/documentSymbol":         handler.New(s.symbols),
		"textDocument/inlayHint":              handler.New(s.hints),
		"workspace/didChangeWatchedFiles":     ignored,
		"workspace/didChangeConfiguration":    ignored,
		"workspace/didChangeWorkspaceFolders": ignored,
	}, &jrpc2.ServerOptions{AllowPush: true})
	s.rpc.Start(&stream{in: bufio.NewReaderSize(in, maxHead), out: out})
	done := make(chan error, 1)
	go func() { done <- s.rpc.Wait() }()
	select {
	case <-done:
	case <-s.over: // whoever reads the stream may wait for more
	case <-ctx.Done():
		s.rpc.Stop()
		return nil
	}
	s.stop()
	s.running.Wait()
	s.mu.Lock()
	defer s.mu.Unlock()
	if !s.ended {
		return ErrNoShutdown
	}
	return nil
}

var ignored = handler.New(func(context.Context, json.RawMessage) error { return nil })

type server struct {
	editor  *editor.Editor
	version string
	rpc     *jrpc2.Server
	ctx     context.Context
	stop    context.CancelFunc
	running sync.WaitGroup

	mu      sync.Mutex
	files   map[string]*file         // that are open, by path
	states  map[string]*editor.State // by the dossier's folder
	loops   map[string]*loop         // by the dossier's folder
	shown   map[string][]string      // files with marks, by the dossier's folder
	roots   []string
	renames bool // the editor gives files other names
	ended   bool
	over    chan struct{} // closed when the editor said that it ends
}

// file is a file as the editor has it.
type file struct {
	text    []byte
	version int
}

// loop judges a dossier whenever it is asked to.
type loop struct {
	ask    chan struct{}
	cancel context.CancelFunc // of the judgement under way
}

func (s *server) initialize(_ context.Context, p *initializeParams) (any, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, f := range p.Folders {
		s.roots = append(s.roots, pathOf(f.URI))
	}
	s.renames = slices.Contains(p.Capabilities.Workspace.Edit.Operations, "rename")
	if len(p.Folders) == 0 && p.RootURI != "" {
		s.roots = []string{pathOf(p.RootURI)}
	}
	return capabilities(s.version), nil
}

// initialized judges the dossiers in the folders that are open.
func (s *server) initialized(context.Context, json.RawMessage) error {
	for _, root := range s.roots {
		if root != "" && editor.Folder(filepath.Join(root, "x")) == root {
			s.judge(root)
		}
	}
	return nil
}

func (s *server) shutdown(context.Context, json.RawMessage) (any, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.ended = true
	s.stop()
	return nil, nil
}

// exit ends the call. An editor may not wait for the answer to shutdown before it.
func (s *server) exit(context.Context, json.RawMessage) error {
	go func() { // stopping waits for this call
		for range 20 {
			s.mu.Lock()
			ended := s.ended
			s.mu.Unlock()
			time.Sleep(10 * time.Millisecond)
			if ended {
				break
			}
		}
		s.rpc.Stop()
		close(s.over)
	}()
	return nil
}

func (s *server) cancel(ctx context.Context, p *cancelParams) error {
	jrpc2.ServerFromContext(ctx).CancelRequest(string(p.ID))
	return nil
}

func (s *server) open(_ context.Context, p *openParams) error {
	path := pathOf(p.Document.URI)
	if path == "" || len(p.Document.Text) > maxText {
		return nil
	}
	s.mu.Lock()
	if len(s.files) < maxFiles {
		s.files[path] = &file{[]byte(p.Document.Text), p.Document.Version}
	}
	s.mu.Unlock()
	s.changed(path)
	return nil
}

func (s *server) change(_ context.Context, p *changeParams) error {
	path := pathOf(p.Document.URI)
	s.mu.Lock()
	f := s.files[path]
	if f != nil {
		for _, c := range p.Changes {
			if f.text = apply(f.text, c.Range, c.Text); len(f.text) > maxText {
				f = nil
				delete(s.files, path) // too large for what this is made for
				break
			}
		}
	}
	if f != nil {
		f.version = p.Document.Version
	}
	s.mu.Unlock()
	s.changed(path)
	return nil
}

func (s *server) save(_ context.Context, p *openParams) error {
	s.changed(pathOf(p.Document.URI))
	return nil
}

func (s *server) close(_ context.Context, p *openParams) error {
	path := pathOf(p.Document.URI)
	s.mu.Lock()
	delete(s.files, path)
	s.mu.Unlock()
	s.changed(path)
	return nil
}

// changed judges what a file belongs to.
func (s *server) changed(path string) {
	if path == "" {
		return
	}
	doc, _ := s.text(path)
	switch editor.KindOf(path, doc) {
	case editor.Book, editor.Tables:
		s.running.Add(1)
		go func() {
			defer s.running.Done()
			s.publish(path, s.editor.CheckFile(path, doc))
		}()
	}
	if folder := editor.Folder(path); folder != "" {
		s.judge(folder)
	}
}

// judge judges a dossier soon; what is under way is given up.
func (s *server) judge(folder string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	l := s.loops[folder]
	if l == nil {
		l = &loop{ask: make(chan struct{}, 1)}
		s.loops[folder] = l
		s.running.Add(2)
		go s.run(folder, l)
		go s.watch(folder)
	}
	if l.cancel != nil {
		l.cancel()
	}
	select {
	case l.ask <- struct{}{}:
	default:
	}
}

// watch judges a dossier when its files change on the disk, such as the package of a build.
func (s *server) watch(folder string) {
	defer s.running.Done()
	w, err := watch.New([]string{folder}, nil, nil)
	if err != nil {
		return // each change in the editor is judged all the same
	}
	defer w.Close()
	for {
		if _, err := w.Next(s.ctx); err != nil {
			return
		}
		s.judge(folder)
	}
}

func (s *server) run(folder string, l *loop) {
	defer s.running.Done()
	for {
		select {
		case <-s.ctx.Done():
			return
		case <-l.ask:
		}
		select {
		case <-s.ctx.Done():
			return
		case <-time.After(delay):
		}
		select {
		case <-l.ask: // asked again meanwhile
		default:
		}
		ctx, cancel := context.WithCancel(s.ctx)
		s.mu.Lock()
		l.cancel = cancel
		changed := s.contents()
		s.mu.Unlock()
		state, err := s.editor.Check(ctx, folder, changed)
		gone := ctx.Err() != nil
		cancel()
		switch {
		case gone:
		case err != nil:
			s.tell(err)
		default:
			s.show(folder, state)
		}
	}
}

// contents are the open files as the editor has them.
func (s *server) contents() map[string][]byte {
	out := map[string][]byte{}
	for path, f := range s.files {
		out[path] = f.text
	}
	return out
}

// show publishes the marks of a dossier's files; those that have none any more become empty.
func (s *server) show(folder string, state *editor.State) {
	s.mu.Lock()
	if old := s.states[folder]; state.Broken && old != nil { // what was found in other files stays until it can be judged again
		for path, marks := range old.Marks {
			if _, now := state.Marks[path]; !now {
				state.Marks[path] = marks
			}
		}
	}
	s.states[folder] = state
	before := s.shown[folder]
	s.shown[folder] = slices.Sorted(maps.Keys(state.Marks))
	var clear []string
	for _, path := range before {
		if _, still := state.Marks[path]; !still {
			clear = append(clear, path)
		}
	}
	for path := range s.files { // an open file without marks gets an empty list once
		if _, has := state.Marks[path]; !has && editor.Folder(path) == folder && editor.KindOf(path, s.files[path].text) == editor.Listing && !slices.Contains(clear, path) {
			clear = append(clear, path)
		}
	}
	s.mu.Unlock()
	for _, path := range clear {
		s.publish(path, nil)
	}
	for _, path := range slices.Sorted(maps.Keys(state.Marks)) {
		s.publish(path, state.Marks[path])
	}
}

func (s *server) publish(path string, marks []*editor.Mark) {
	doc, version := s.text(path)
	p := diagnosticsParams{URI: uriOf(path), Version: version, Diagnostics: []diagnostic{}}
	for _, m := range marks {
		p.Diagnostics = append(p.Diagnostics, diagnosticOf(doc, m))
	}
	_ = s.rpc.Notify(s.ctx, "textDocument/publishDiagnostics", p) // an editor that is gone needs none
}

func diagnosticOf(doc []byte, m *editor.Mark) diagnostic {
	// Error, warning, information, hint: what is open informs, what could be better hints.
	return diagnostic{Range: spanOf(doc, m.Span), Severity: int(m.Severity), Code: m.Rule, Source: "regola", Message: m.Message}
}

// tell shows an error that is none of the files'.
func (s *server) tell(err error) {
	_ = s.rpc.Notify(s.ctx, "window/logMessage", map[string]any{"type": 1, "message": "regola: " + err.Error()})
}

// text is a file as the editor has it, with its version, or as it lies on the disk.
func (s *server) text(path string) ([]byte, *int) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if f := s.files[path]; f != nil {
		v := f.version
		return f.text, &v
	}
	return editor.ReadFile(path), nil
}

func (s *server) hover(_ context.Context, p *spotParams) (any, error) {
	path := pathOf(p.Document.URI)
	doc, _ := s.text(path)
	line, column := fromUTF16(doc, p.Position)
	text := s.editor.Hover(path, doc, line, column)
	if text == "" {
		return nil, nil
	}
	return hover{markup{"markdown", text}}, nil
}

func (s *server) completion(_ context.Context, p *spotParams) (any, error) {
	path := pathOf(p.Document.URI)
	doc, _ := s.text(path)
	line, column := fromUTF16(doc, p.Position)
	items, from, to := s.editor.Complete(path, doc, line, column)
	out := completionList{Items: []completionItem{}}
	if len(items) == 0 {
		return out, nil
	}
	where := span{toUTF16(doc, line, from), toUTF16(doc, line, to)}
	behind := strings.TrimLeft(string(doc[offset(doc, where.End):]), " ")
	for i, x := range items {
		c := completionItem{Label: x.Label, Kind: kindValue, Detail: x.Detail, Sort: fmt.Sprintf("%04d", i), Filter: x.Label, Edit: &textEdit{where, x.Insert}}
		if x.Key {
			c.Kind = kindProperty
			if strings.HasPrefix(behind, ":") { // the key is there already
				c.Edit.Text = x.Label
			} else if strings.Contains(x.Insert, "\n") && where.Start.Character > 0 {
				c.Edit.Text = x.Label + ":"
			}
		}
		out.Items = append(out.Items, c)
	}
	return out, nil
}

func (s *server) actions(_ context.Context, p *rangeParams) (any, error) {
	path := pathOf(p.Document.URI)
	doc, _ := s.text(path)
	folder := editor.Folder(path)
	s.mu.Lock()
	state := s.states[folder]
	changed := s.contents()
	s.mu.Unlock()
	out := []codeAction{}
	if state == nil {
		return out, nil
	}
	var at editor.Span
	at.Line, at.Column = fromUTF16(doc, p.Range.Start)
	at.EndLine, at.EndColumn = fromUTF16(doc, p.Range.End)
	for _, a := range s.editor.Actions(state, path, at, changed) {
		if a.Rename[0] != "" && !s.renames {
			continue
		}
		x := codeAction{Title: a.Title, Kind: "quickfix", Preferred: a.Sure, Edit: &workspaceEdit{Changes: map[string][]textEdit{}}, Diagnostics: []diagnostic{diagnosticOf(doc, a.Mark)}}
		for name, changes := range a.Changes {
			text, _ := s.text(name)
			for _, c := range changes {
				x.Edit.Changes[uriOf(name)] = append(x.Edit.Changes[uriOf(name)], textEdit{spanOf(text, c.Span), c.Text})
			}
		}
		if a.Rename[0] != "" {
			x.Edit.Operations = []renameFile{{"rename", uriOf(a.Rename[0]), uriOf(a.Rename[1])}}
		}
		out = append(out, x)
	}
	return out, nil
}

func (s *server) definition(_ context.Context, p *spotParams) (any, error) {
	path := pathOf(p.Document.URI)
	doc, _ := s.text(path)
	line, column := fromUTF16(doc, p.Position)
	at := s.editor.Definition(path, doc, line, column)
	if at.File == "" {
		return nil, nil
	}
	text, _ := s.text(filepath.Clean(at.File))
	start := toUTF16(text, at.Line, at.Column)
	return location{uriOf(at.File), span{start, start}}, nil
}

func (s *server) symbols(_ context.Context, p *openParams) (any, error) {
	path := pathOf(p.Document.URI)
	doc, _ := s.text(path)
	return symbolsOf(doc, cursor.Outline(doc)), nil
}

func symbolsOf(doc []byte, list []*cursor.Symbol) []documentSymbol {
	out := []documentSymbol{}
	for _, x := range list {
		start := toUTF16(doc, x.Line, x.Column)
		name := toUTF16(doc, x.Line, x.Column+len([]rune(x.Name)))
		end := toUTF16(doc, x.EndLine, maxText)
		d := documentSymbol{Name: x.Name, Detail: x.Detail, Kind: symbolKey, Range: span{start, end}, Selection: span{start, name}}
		if d.Selection.End.Line == end.Line && d.Selection.End.Character > end.Character {
			d.Selection.End = end
		}
		if len(x.Below) > 0 {
			d.Kind, d.Children = symbolObject, symbolsOf(doc, x.Below)
		}
		if d.Name == "" {
			d.Name = "''" // a symbol must have a name
		}
		out = append(out, d)
	}
	return out
}

func (s *server) hints(_ context.Context, p *rangeParams) (any, error) {
	path := pathOf(p.Document.URI)
	doc, _ := s.text(path)
	out := []inlayHint{}
	for _, h := range s.editor.Hints(path, doc) {
		if at := toUTF16(doc, h.Line, h.Column); at.Line >= p.Range.Start.Line && at.Line <= p.Range.End.Line {
			out = append(out, inlayHint{at, h.Text, true})
		}
	}
	return out, nil
}
