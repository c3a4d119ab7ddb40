// Package report turns results into text and JSON. It decides nothing: what is
// broken, and how gravely, is settled before.
package report

import (
	"fmt"
	"io"
	"strings"
	"unicode/utf8"

	"github.com/fatih/color"
	"github.com/rivo/uniseg"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/sanitize"
)

// Style is how text is laid out.
type Style struct {
	Color bool
	Width int  // columns; 0 for 100
	All   bool // nothing is left out
	ASCII bool // the locale cannot show other characters
}

// plainMarks writes our own marks in ASCII. Texts of packages stay as they are.
var plainMarks = strings.NewReplacer("›", ">", "·", "-", "…", "...", "←", "<-")

// Columns is how wide text is laid out: 100 columns where nothing is known, 40 to 120 else.
func (l Style) Columns() int {
	if l.Width <= 0 {
		return 100
	}
	return max(40, min(l.Width, 120))
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
	styleOutcome = map[check.Outcome]*color.Color{
		check.IsRefused: style(color.FgRed, color.Bold), check.IsBlocked: style(color.FgRed, color.Bold), check.IsRejected: style(color.FgYellow, color.Bold),
		check.IsOpen: style(color.FgCyan, color.Bold), check.Passes: style(color.FgGreen, color.Bold), check.Partly: style(color.FgGreen, color.Bold),
	}
)

// style makes a style that paints whatever the environment says: whether to
// paint at all is Style's to decide.
func style(attrs ...color.Attribute) *color.Color {
	c := color.New(attrs...)
	c.EnableColor()
	return c
}

// paint styles a text when colour is on.
func (l Style) paint(c *color.Color, text string) shown {
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
	look Style
	err  error
}

func (p *printer) line(format string, args ...any) {
	if p.err != nil {
		return
	}
	for i, a := range args {
		switch a := a.(type) {
		case string:
			args[i] = sanitize.Text(a)
		case fmt.Stringer:
			args[i] = sanitize.Text(a.String())
		}
	}
	text := strings.TrimRight(fmt.Sprintf(format, args...), " ")
	if p.look.ASCII {
		text = plainMarks.Replace(text)
	}
	_, p.err = fmt.Fprintln(p.w, text)
}

func (p *printer) strong(s string) shown { return p.look.paint(styleStrong, sanitize.Text(s)) }
func (p *printer) dim(s string) shown    { return p.look.paint(styleDim, sanitize.Text(s)) }
func (p *printer) path(s string) shown   { return p.look.paint(stylePath, sanitize.Text(s)) }

// block writes a text behind a label, wrapped to the width, with every further
// line under the first one's text. Styles may be nil.
func (p *printer) block(indent int, label string, labelStyle *color.Color, text string, textStyle *color.Color) {
	label = sanitize.Text(label)
	head := strings.Repeat(" ", indent) + label
	room := p.look.Columns() - uniseg.StringWidth(head)
	for i, l := range strings.Split(wrap(sanitize.Text(text), room), "\n") {
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

// Fill lays out running text anew; lines that are indented, and empty ones, stay.
func (l Style) Fill(text string) string {
	var out, running []string
	flush := func() {
		if len(running) > 0 {
			out, running = append(out, wrap(strings.Join(running, " "), l.Columns())), nil
		}
	}
	for line := range strings.SplitSeq(text, "\n") {
		if line == "" || line[0] == ' ' {
			flush()
			out = append(out, line)
			continue
		}
		running = append(running, line)
	}
	flush()
	return strings.Join(out, "\n")
}

// wrap breaks a text between words, never inside one: a path or a digest that
// is longer than a line has a line of its own.
func wrap(s string, width int) string {
	width = max(width, 20)
	var b strings.Builder
	used := 0
	for _, word := range strings.Fields(s) {
		n := uniseg.StringWidth(word)
		switch {
		case used == 0:
		case used+1+n > width && !wide(word):
			b.WriteByte('\n')
			used = 0
		default:
			b.WriteByte(' ')
			used++
		}
		if !wide(word) {
			b.WriteString(word)
			used += n
			continue
		}
		for state := -1; word != ""; {
			var part string
			part, word, _, state = uniseg.FirstLineSegmentInString(word, state)
			n := uniseg.StringWidth(part)
			if used > 0 && used+n > width {
				b.WriteByte('\n')
				used = 0
			}
			b.WriteString(part)
			used += n
		}
	}
	return b.String()
}

// wide tells a word of a script that writes no spaces: it has characters that
// take two columns, and breaks between them (Unicode Annex 14).
func wide(word string) bool { return uniseg.StringWidth(word) > utf8.RuneCountInString(word) }

// where writes a place so that the file can be opened with a click: file, line
// and column stand unbroken, what lies inside follows.
func (p *printer) where(indent int, label string, at place.Place) {
	link := at.Link()
	if link == "" {
		return
	}
	parts := []string{sanitize.Text(link)}
	if at.Line == 0 {
		for _, part := range []string{at.Entry, at.Key} {
			if part != "" {
				parts = append(parts, "› "+sanitize.Text(part))
			}
		}
		if at.Offset > 0 {
			parts = append(parts, fmt.Sprintf("(byte %d)", at.Offset))
		}
	}
	head := strings.Repeat(" ", indent) + label
	room := p.look.Columns() - uniseg.StringWidth(head)
	line, used := "", 0
	flush := func() {
		p.line("%s%s%s", strings.Repeat(" ", indent), p.dim(label), p.path(line))
		label = strings.Repeat(" ", len(label))
		line, used = "", 0
	}
	for _, part := range parts {
		n := uniseg.StringWidth(part)
		if used > 0 && used+1+n > room {
			flush()
		}
		if used > 0 {
			line, used = line+" ", used+1
		}
		line, used = line+part, used+n
	}
	flush()
}

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
