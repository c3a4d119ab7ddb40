// Package editor answers what an editor asks about the files of a dossier while somebody
// writes them: what is wrong and where, what a key or a word means, what can stand at a place,
// which changes would help. It knows no protocol: places are lines and columns from 1, in
// characters, and files are paths.
package editor

import (
	"context"
	"errors"
	"path/filepath"
	"slices"
	"strings"
	"sync"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/cursor"
	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/gate"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/strictyaml"
	"regola.example/regola/internal/core/tables"
	"regola.example/regola/internal/run"
	"regola.example/regola/internal/view"
	"regola.example/regola/rulebooks"
)

// Sources are what the answers are made of.
type Sources struct {
	Lib   *rulebooks.Library
	Today func() day.Day
	Rules func() ([]*rulebook.Rule, error)   // the built-in ones
	Keys  func([]*rulebook.Rule) []*view.Key // of the dossier, with who asks for them
}

// Editor answers for any number of dossiers. It is safe for use by several goroutines.
type Editor struct {
	src  Sources
	keys func() []*view.Key

	mu     sync.Mutex
	runner *run.Runner
	on     day.Day
}

// New makes an editor.
func New(src Sources) *Editor {
	e := &Editor{src: src}
	e.keys = sync.OnceValue(func() []*view.Key {
		rules, err := src.Rules()
		if err != nil {
			return nil
		}
		return src.Keys(rules)
	})
	return e
}

// on today's rules; packages that were read are kept until they change.
func (e *Editor) judge() (*run.Runner, error) {
	e.mu.Lock()
	defer e.mu.Unlock()
	if today := e.src.Today(); e.runner == nil || today != e.on {
		r, err := run.New(e.src.Lib, run.Options{Options: check.Options{Day: today}, Again: true})
		if err != nil {
			return nil, err
		}
		e.runner, e.on = r, today
	}
	return e.runner, nil
}

// Kind is what a file is for.
type Kind string

// Kinds of files.
const (
	Dossier Kind = "dossier"
	Listing Kind = "listing"
	Book    Kind = "rulebook"
	Tables  Kind = "tables"
	Other   Kind = ""
)

// KindOf tells what a file is for, by its name and its first key.
func KindOf(file string, data []byte) Kind {
	switch {
	case filepath.Base(file) == dossier.FileName:
		return Dossier
	case filepath.Ext(file) != ".yaml":
		return Other
	case filepath.Base(filepath.Dir(file)) == dossier.ListingFolder, filepath.Base(filepath.Dir(filepath.Dir(file))) == dossier.ListingFolder:
		return Listing
	}
	for line := range strings.Lines(string(data[:min(len(data), 64<<10)])) {
		switch key, _, found := strings.Cut(line, ":"); {
		case !found || strings.HasPrefix(line, "#") || strings.HasPrefix(line, " "):
		case key == "rulebook":
			return Book
		case slices.Contains(strictyaml.Names(tablesType), key):
			return Tables
		}
	}
	return Other
}

// Folder is the folder of the dossier to which a file belongs; empty when there is none.
func Folder(file string) string {
	for dir := filepath.Dir(file); ; dir = filepath.Dir(dir) {
		if dossier.Exists(dir) {
			return dir
		}
		if dir == filepath.Dir(dir) {
			return ""
		}
	}
}

// Span is a piece of a file, up to the character behind its last.
type Span struct{ Line, Column, EndLine, EndColumn int }

// Severity is how grave a mark is.
type Severity int

// Severities, the gravest first: what stops a release, what shows on the page, what could be
// better, and what is open.
const (
	Stops Severity = iota + 1
	Harms
	Open
	Better
)

// Mark is something about a piece of a file.
type Mark struct {
	Span
	Severity Severity
	Rule     string // empty for the form of the file
	Message  string
	Edits    []*place.Edit  // corrections that need no decision
	Confirm  string         // the word with which a person confirms it
	Question *view.Question // that the dossier does not answer yet
	Waivable bool           // a team may accept it
}

// State is what is known of a dossier.
type State struct {
	Folder  string
	Version string
	Broken  bool               // nothing could be judged, and the marks tell why
	Marks   map[string][]*Mark // by cleaned paths; each file that was read has an entry
}

// Check judges a dossier with the contents that its files have in an editor. The state has
// the marks of all its files.
func (e *Editor) Check(ctx context.Context, folder string, changed map[string][]byte) (*State, error) {
	r, err := e.judge()
	if err != nil {
		return nil, err
	}
	s := &State{Folder: folder, Marks: map[string][]*Mark{}}
	main := filepath.Join(folder, dossier.FileName)
	s.Marks[main] = nil
	read := reader(changed)
	job := run.Job{Dossier: folder, Changed: changed}
	questions, res, err := r.Questions(ctx, job, read(main))
	var ps place.Problems
	switch {
	case errors.As(err, &ps):
		for _, p := range ps {
			m := &Mark{Severity: Stops, Message: withFix(p.What, p.Fix), Edits: one(p.Edit)}
			at := p.At
			if at.File != "" && !text(at.File) { // such as a package that cannot be read
				m.Message = at.String() + ": " + m.Message
				at = where(main, read(main), "packages")
			}
			s.add(read, main, at, m)
		}
		s.Broken = true
		return s, nil
	case err != nil:
		return nil, err
	}
	if len(res.Stores) > 0 {
		s.Version = res.Version
	}
	for _, f := range res.Findings(false) {
		s.finding(read, main, f)
	}
	for _, o := range res.Open() {
		m := &Mark{Severity: Open, Rule: o.Rule.ID}
		at := place.Place{}
		switch {
		case o.State == check.ToConfirm && o.Question != nil:
			m.Message, m.Confirm, at = "to confirm: "+o.Question.Ask, o.Question.What, o.Question.At
		case o.State == check.ToAnswer && len(o.Gaps) > 0:
			at = o.Gaps[0].At
			path := o.Gaps[0].Path
			m.Message = "to answer: " + path + ", for \"" + o.Rule.Title + "\""
			if i := slices.IndexFunc(questions, func(q *view.Question) bool { return slices.Contains(q.Rules, o.Rule.ID) }); i >= 0 {
				m.Question = questions[i]
				m.Message, path = "to answer: "+questions[i].What, questions[i].Path
			}
			if at.Line == 0 {
				at = where(main, read(main), path)
			}
		default:
			continue // what could not be read of a package is no matter of the editor
		}
		s.add(read, main, at, m)
	}
	return s, nil
}

// finding adds the places of a finding, and of what follows from it.
func (s *State) finding(read func(string) []byte, main string, f *check.Finding) {
	for _, x := range f.Faults {
		m := &Mark{Severity: severities[x.Impact], Rule: f.Rule.ID, Message: string(x.Impact) + " (" + strings.Join(x.Stores, ", ") + "): " + withFix(x.Say, x.Fix), Edits: x.Edits, Waivable: true}
		at := x.At
		if at.Line == 0 || !text(at.File) { // of a package or a picture: it is named in the dossier
			m.Message = at.String() + ": " + m.Message
			at = where(main, read(main), "packages")
		}
		s.add(read, main, at, m)
	}
	for _, w := range f.With {
		s.finding(read, main, w)
	}
}

var severities = map[rulebook.Impact]Severity{rulebook.Refused: Stops, rulebook.Blocked: Stops, rulebook.Rejected: Stops, rulebook.Reach: Harms, rulebook.Craft: Better}

// text tells whether a file is one that people write.
func text(file string) bool { return filepath.Ext(file) == ".yaml" }

// add keeps a mark where it stands; one that stands nowhere at the head of the dossier.
func (s *State) add(read func(string) []byte, main string, at place.Place, m *Mark) {
	if at.Line == 0 || !text(at.File) {
		at = place.Place{File: main, Line: 1, Column: 1}
	}
	file := filepath.Clean(at.File)
	m.Span = spanAt(read(file), at.Line, max(1, at.Column))
	if !slices.ContainsFunc(s.Marks[file], func(o *Mark) bool { return o.Span == m.Span && o.Message == m.Message }) {
		s.Marks[file] = append(s.Marks[file], m)
	}
}

// CheckFile marks what is wrong with a rulebook or a file of tables.
func (e *Editor) CheckFile(file string, data []byte) (out []*Mark) {
	var ps place.Problems
	var failures []error
	switch KindOf(file, data) {
	case Book:
		set := e.tables(file)
		if set == nil {
			return nil
		}
		var t *run.Tested
		if t, ps = run.CheckBook(e.src.Lib, file, data, set); t != nil {
			failures = t.Failures
		}
	case Tables:
		_, ps = tables.Parse(file, data)
	}
	for _, p := range ps {
		out = append(out, &Mark{Span: spanAt(data, max(1, p.At.Line), max(1, p.At.Column)), Severity: Stops, Message: withFix(p.What, p.Fix), Edits: one(p.Edit)})
	}
	for _, f := range failures {
		at := place.Place{Line: 1, Column: 1}
		message := f.Error()
		var more place.Problems
		var p *place.Problem
		if errors.As(f, &p) {
			at, message = p.At, withFix(p.What, p.Fix)
		} else if errors.As(f, &more) && len(more) > 0 {
			at = more[0].At
		}
		out = append(out, &Mark{Span: spanAt(data, max(1, at.Line), max(1, at.Column)), Severity: Stops, Message: message})
	}
	return out
}

// tables are the built-in tables with those of the dossier to which a rulebook belongs, and
// those that lie beside it; nil when they cannot be loaded, which judging reports.
func (e *Editor) tables(file string) *tables.Set {
	set, err := e.src.Lib.Tables()
	if err != nil {
		return nil
	}
	var own []string
	if r, err := e.judge(); err == nil && Folder(file) != "" {
		if d, _ := r.Dossier(Folder(file)); d != nil {
			for _, name := range d.Tables {
				if f, problem := d.Inside(name); problem == nil {
					own = append(own, filepath.Clean(f))
				}
			}
		}
	}
	beside, _ := filepath.Glob(filepath.Join(filepath.Dir(file), "*.yaml")) // the pattern is sound
	inside := gate.New(filepath.Dir(file))
	for _, f := range beside[:min(len(beside), maxBeside)] {
		if inside.Check(f, filepath.Base(f)) != nil {
			continue // a link that leads out
		}
		if kind := KindOf(f, ReadFile(f)); !slices.Contains(own, f) && f != file && (kind == Tables || kind == Other) { // a table of one's own has any name
			own = append(own, f)
		}
	}
	if len(own) > 0 {
		set = set.Clone()
	}
	for _, f := range own {
		if more, ps := run.ReadTables(f); len(ps) == 0 {
			set.Add(more)
		}
	}
	return set
}

// maxBeside bounds the files beside a rulebook that are looked at for tables.
const maxBeside = 50

func one(e *place.Edit) []*place.Edit {
	if e == nil {
		return nil
	}
	return []*place.Edit{e}
}

func withFix(what, fix string) string {
	if fix == "" {
		return what
	}
	return what + "\nFix: " + fix
}

// where is the place of a key in a dossier, or of the nearest key above it that is written.
func where(file string, doc []byte, path string) place.Place {
	line, column := cursor.Find(doc, path)
	return place.Place{File: file, Line: line, Column: column}
}

// reader reads files as the editor has them.
func reader(changed map[string][]byte) func(string) []byte {
	return func(file string) []byte {
		if data, ok := changed[filepath.Clean(file)]; ok {
			return data
		}
		return ReadFile(file)
	}
}
