package editor

import (
	"fmt"
	"os"
	"path/filepath"

	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/edit"
	"regola.example/regola/internal/run"
	"regola.example/regola/internal/view"
)

// Change is a piece of a file and what takes its place.
type Change struct {
	Span
	Text string
}

// Action is a change that somebody may choose.
type Action struct {
	Title   string
	Changes map[string][]Change // by file
	Rename  [2]string           // a file and its new path; empty for no new name
	Sure    bool                // it needs no decision
	Mark    *Mark
}

// waiverDays is for how long a waiver is proposed.
const waiverDays = 90

// mostChoices bounds the answers that are proposed one by one.
const mostChoices = 8

// Actions lists the changes that help with the marks of a file that touch a piece of it.
func (e *Editor) Actions(s *State, file string, at Span, changed map[string][]byte) (out []Action) {
	read := reader(changed)
	main := filepath.Join(s.Folder, dossier.FileName)
	whole := func(title string, m *Mark, now []byte, err error) {
		if err == nil {
			out = append(out, Action{Title: title, Changes: map[string][]Change{main: {difference(read(main), now)}}, Mark: m})
		}
	}
	for _, m := range s.Marks[filepath.Clean(file)] {
		if !touches(m.Span, at) {
			continue
		}
		for _, x := range m.Edits {
			name := filepath.Clean(x.At.File)
			if to := filepath.Join(filepath.Dir(name), filepath.Base(x.Becomes)); x.Rename {
				if _, err := os.Lstat(to); err != nil { // nothing is overwritten
					out = append(out, Action{Title: "Rename the file to " + filepath.Base(to), Rename: [2]string{name, to}, Sure: true, Mark: m})
				}
				continue
			}
			doc := read(name)
			ranges, err := edit.Text(doc, x.At.Line, x.At.Column, x.Was, x.Becomes)
			if err != nil {
				continue
			}
			a := Action{Title: "Write " + shortened(x.Becomes), Changes: map[string][]Change{}, Sure: true, Mark: m}
			for _, r := range ranges {
				p := edit.Piece(doc, r)
				a.Changes[name] = append(a.Changes[name], Change{Span{p.Line, p.Column, p.EndLine, p.EndColumn}, p.Text})
			}
			out = append(out, a)
		}
		if q := m.Question; q != nil && (q.Kind == view.YesNo || q.Kind == view.One || q.Kind == view.Several) {
			choices := q.Choices
			if q.Kind == view.YesNo && len(choices) == 0 {
				choices = []view.Choice{{Word: "yes"}, {Word: "no"}}
			}
			for i, c := range choices {
				if i == mostChoices {
					break
				}
				now, err := run.Answer(read(main), q, []string{c.Word}, "", "", "")
				title := "Answer " + q.Path + ": " + c.Word
				if c.Means != "" {
					title += " (" + shortened(c.Means) + ")"
				}
				whole(title, m, now, err)
			}
		}
		if m.Confirm != "" {
			now, err := edit.Append(read(main), "confirmed", fmt.Sprintf("{what: %s, version: %q, by: '', on: %s}", m.Confirm, s.Version, e.src.Today()))
			whole("Confirm it for version "+s.Version+"; write who does", m, now, err)
		}
		if m.Waivable && m.Rule != "" {
			until := e.src.Today().AddDate(0, 0, waiverDays).Format("2006-01-02")
			now, err := edit.Append(read(main), "waivers", fmt.Sprintf("{rule: %s, because: '', by: '', until: %s}", m.Rule, until))
			whole("Accept it until "+until+"; write why, and who decided", m, now, err)
		}
	}
	return out
}

func touches(a, b Span) bool {
	before := func(l1, c1, l2, c2 int) bool { return l1 < l2 || l1 == l2 && c1 < c2 }
	return !before(a.EndLine, a.EndColumn, b.Line, b.Column) && !before(b.EndLine, b.EndColumn, a.Line, a.Column)
}

// difference is the one piece in which two texts differ.
func difference(before, after []byte) Change {
	head := 0
	for head < len(before) && head < len(after) && before[head] == after[head] {
		head++
	}
	tail := 0
	for tail < len(before)-head && tail < len(after)-head && before[len(before)-1-tail] == after[len(after)-1-tail] {
		tail++
	}
	for head > 0 && head < len(before) && before[head]&0xc0 == 0x80 { // not within a character
		head--
	}
	for tail > 0 && before[len(before)-tail]&0xc0 == 0x80 {
		tail--
	}
	p := edit.Piece(before, edit.Range{From: head, To: len(before) - tail, Text: string(after[head : len(after)-tail])})
	return Change{Span{p.Line, p.Column, p.EndLine, p.EndColumn}, p.Text}
}

// shortened quotes a text for a title.
func shortened(s string) string {
	const most = 50
	if r := []rune(s); len(r) > most {
		s = string(r[:most]) + "…"
	}
	return s
}
