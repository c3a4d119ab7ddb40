// Package report turns results into text and JSON. It decides nothing: what is
// broken, and how gravely, is settled before.
package report

import (
	"fmt"
	"io"
	"strings"

	"github.com/fatih/color"
	"github.com/rivo/uniseg"

	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/visible"
)

// Look is how text is laid out.
type Look struct {
	Color bool
	Width int // columns; 0 for 80
}

func (l Look) width() int {
	if l.Width <= 0 {
		return 80
	}
	return max(40, min(l.Width, 110))
}

// The palette keeps to the sixteen colours that every terminal theme defines.
var (
	styleStrong = style(color.Bold)
	styleDim    = style(color.Faint)
	styleGood   = style(color.FgGreen)
	stylePath   = style(color.FgCyan)
	styleImpact = map[rulebook.Impact]*color.Color{
		rulebook.Refused:  style(color.FgRed, color.Bold),
		rulebook.Blocked:  style(color.FgRed, color.Bold),
		rulebook.Rejected: style(color.FgYellow),
		rulebook.Reach:    style(color.FgYellow),
		rulebook.Craft:    style(color.FgBlue),
	}
)

// style makes a style that paints whatever the environment says: whether to
// paint at all is Look's to decide.
func style(attrs ...color.Attribute) *color.Color {
	c := color.New(attrs...)
	c.EnableColor()
	return c
}

// paint styles a text when colour is on.
func (l Look) paint(c *color.Color, text string) shown {
	if !l.Color || text == "" || c == nil {
		return shown(text)
	}
	return shown(c.Sprint(text))
}

// shown is a text that is safe to show, and may hold the codes of its colours.
type shown string

// printer writes lines and remembers the first error. Every text that goes
// through it is made visible, once and before it is laid out, unless it is
// shown already.
type printer struct {
	w    io.Writer
	look Look
	err  error
}

func (p *printer) line(format string, args ...any) {
	if p.err != nil {
		return
	}
	for i, a := range args {
		switch a := a.(type) {
		case string:
			args[i] = visible.Text(a)
		case fmt.Stringer:
			args[i] = visible.Text(a.String())
		}
	}
	_, p.err = fmt.Fprintln(p.w, strings.TrimRight(fmt.Sprintf(format, args...), " "))
}

func (p *printer) strong(s string) shown { return p.look.paint(styleStrong, visible.Text(s)) }
func (p *printer) dim(s string) shown    { return p.look.paint(styleDim, visible.Text(s)) }
func (p *printer) path(s string) shown   { return p.look.paint(stylePath, visible.Text(s)) }

// block writes a text behind a label, wrapped to the width, with every further
// line under the first one's text. Styles may be nil.
func (p *printer) block(indent int, label string, labelStyle *color.Color, text string, textStyle *color.Color) {
	label = visible.Text(label)
	head := strings.Repeat(" ", indent) + label
	room := p.look.width() - uniseg.StringWidth(head)
	for i, l := range strings.Split(wrap(visible.Text(text), room), "\n") {
		painted := p.look.paint(textStyle, l)
		if i > 0 {
			p.line("%s%s", strings.Repeat(" ", uniseg.StringWidth(head)), painted)
			continue
		}
		trimmed := strings.TrimRight(label, " ")
		start := p.look.paint(labelStyle, trimmed) + shown(label[len(trimmed):])
		p.line("%s%s%s", strings.Repeat(" ", indent), start, painted)
	}
}

// wrap breaks a text between words. A word longer than a line, such as a path,
// is broken after a slash or, failing that, where the line ends.
func wrap(s string, width int) string {
	width = max(width, 20)
	var lines []string
	var line strings.Builder
	used := 0
	flush := func() {
		lines = append(lines, line.String())
		line.Reset()
		used = 0
	}
	add := func(word string, n int) {
		if used > 0 && used+1+n > width {
			flush()
		}
		if used > 0 {
			line.WriteByte(' ')
			used++
		}
		line.WriteString(word)
		used += n
	}
	for _, word := range strings.Fields(s) {
		if n := uniseg.StringWidth(word); n <= width {
			add(word, n)
			continue
		}
		for _, piece := range pieces(word, width) {
			add(piece, uniseg.StringWidth(piece))
			if piece != word {
				flush()
			}
		}
	}
	return strings.TrimSuffix(strings.Join(append(lines, line.String()), "\n"), "\n")
}

// pieces cuts a word into parts that fit the width, after a slash where there
// is one in the second half of a line.
func pieces(word string, width int) []string {
	var out []string
	start, used, slash := 0, 0, 0
	g := uniseg.NewGraphemes(word)
	for g.Next() {
		from, to := g.Positions()
		if used += g.Width(); used > width && from > start {
			cut := from
			if slash > start && slash-start > width/2 {
				cut = slash
			}
			out = append(out, word[start:cut])
			used = uniseg.StringWidth(word[cut:to])
			start = cut
		}
		if word[from:to] == "/" {
			slash = to
		}
	}
	return append(out, word[start:])
}

// where writes a place so that the file can be opened with a click: file, line
// and column stand unbroken, what lies inside follows.
func (p *printer) where(indent int, at place.Place) {
	link := at.Link()
	if link == "" {
		return
	}
	lines := []string{visible.Text(link)}
	room := p.look.width() - indent - 6
	if at.Line == 0 {
		for _, part := range []string{at.Entry, at.Key} {
			if part == "" {
				continue
			}
			last := &lines[len(lines)-1]
			if uniseg.StringWidth(*last)+3+uniseg.StringWidth(part) <= room {
				*last += " › " + visible.Text(part)
			} else {
				lines = append(lines, "› "+visible.Text(part))
			}
		}
	}
	p.line("%s%s%s", strings.Repeat(" ", indent), p.dim("where "), p.path(lines[0]))
	for _, l := range lines[1:] {
		p.block(indent+6, "", nil, l, stylePath)
	}
}

// count writes a number with its noun, in the right number.
// Count is a number with its noun: 1 kiln, 2 kilns.
func Count(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}

func pad(s string, width int) string {
	if n := width - uniseg.StringWidth(s); n > 0 {
		return s + strings.Repeat(" ", n)
	}
	return s
}
