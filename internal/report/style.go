// Package report turns results into text and JSON. It decides nothing: what is
// broken, and how gravely, is settled before.
package report

import (
	"fmt"
	"io"
	"strings"
	"unicode"

	"github.com/fatih/color"
	"github.com/rivo/uniseg"

	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/rulebook"
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
func (l Look) paint(c *color.Color, text string) string {
	if !l.Color || text == "" || c == nil {
		return text
	}
	return c.Sprint(text)
}

// printer writes lines and remembers the first error.
type printer struct {
	w    io.Writer
	look Look
	err  error
}

func (p *printer) line(format string, args ...any) {
	if p.err != nil {
		return
	}
	_, p.err = fmt.Fprintln(p.w, strings.TrimRight(fmt.Sprintf(format, args...), " "))
}

func (p *printer) strong(s string) string { return p.look.paint(styleStrong, s) }
func (p *printer) dim(s string) string    { return p.look.paint(styleDim, s) }
func (p *printer) path(s string) string   { return p.look.paint(stylePath, s) }

// block writes a text behind a label, wrapped to the width, with every further
// line under the first one's text. Styles may be nil.
func (p *printer) block(indent int, label string, labelStyle *color.Color, text string, textStyle *color.Color) {
	head := strings.Repeat(" ", indent) + label
	room := p.look.width() - uniseg.StringWidth(head)
	for i, l := range strings.Split(wrap(Visible(text), room), "\n") {
		l = p.look.paint(textStyle, l)
		if i > 0 {
			p.line("%s%s", strings.Repeat(" ", uniseg.StringWidth(head)), l)
			continue
		}
		trimmed := strings.TrimRight(label, " ")
		shown := p.look.paint(labelStyle, trimmed) + label[len(trimmed):]
		p.line("%s%s%s", strings.Repeat(" ", indent), shown, l)
	}
}

// wrap breaks a text between words. A word longer than a line, such as a path,
// is broken after a slash or, failing that, where the line ends.
func wrap(s string, width int) string {
	width = max(width, 20)
	var lines []string
	line, used := "", 0
	flush := func() { lines, line, used = append(lines, line), "", 0 }
	for _, word := range strings.Fields(s) {
		n := uniseg.StringWidth(word)
		if used > 0 && used+1+n > width {
			flush()
		}
		for n > width {
			cut := truncate(word, width)
			if i := strings.LastIndexByte(cut, '/'); i > 0 && i < len(word)-1 {
				cut = cut[:i+1]
			}
			line, word = cut, word[len(cut):]
			flush()
			n = uniseg.StringWidth(word)
		}
		if used > 0 {
			line, used = line+" ", used+1
		}
		line, used = line+word, used+n
	}
	return strings.Join(append(lines, line), "\n")
}

// truncate is the longest start of a word that fits the width, at least one
// character.
func truncate(word string, width int) string {
	used, g := 0, uniseg.NewGraphemes(word)
	for g.Next() {
		if used += g.Width(); used > width {
			if from, _ := g.Positions(); from > 0 {
				return word[:from]
			}
		}
	}
	return word
}

// where writes a place so that the file can be opened with a click: file, line
// and column stand unbroken, what lies inside follows.
func (p *printer) where(indent int, at place.Place) {
	link := at.Link()
	if link == "" {
		return
	}
	lines := []string{Visible(link)}
	room := p.look.width() - indent - 6
	if at.Line == 0 {
		for _, part := range []string{at.Entry, at.Key} {
			if part == "" {
				continue
			}
			last := &lines[len(lines)-1]
			if uniseg.StringWidth(*last)+3+uniseg.StringWidth(part) <= room {
				*last += " › " + Visible(part)
			} else {
				lines = append(lines, "› "+Visible(part))
			}
		}
	}
	p.line("%s%s%s", strings.Repeat(" ", indent), p.dim("where "), p.path(lines[0]))
	for _, l := range lines[1:] {
		p.block(indent+6, "", nil, l, stylePath)
	}
}

// Visible makes control characters, and marks that turn the direction of
// writing, visible: text from packages and dossiers must not steer a terminal.
func Visible(s string) string {
	if !strings.ContainsFunc(s, hidden) {
		return s
	}
	var b strings.Builder
	for _, r := range s {
		switch {
		case r == '\n' || r == '\t':
			b.WriteByte(' ')
		case hidden(r):
			fmt.Fprintf(&b, "\\u{%x}", r)
		default:
			b.WriteRune(r)
		}
	}
	return b.String()
}

func hidden(r rune) bool {
	// Embeddings, overrides and isolates reorder what follows; the plain
	// direction marks only belong to the text they stand in.
	turns := r >= 0x202a && r <= 0x202e || r >= 0x2066 && r <= 0x2069
	return unicode.IsControl(r) || turns || r == unicode.ReplacementChar
}

// StoreName is how a store is called in texts.
func StoreName(store string) string {
	switch store {
	case "android":
		return "Android store"
	case "ios":
		return "iOS store"
	}
	return "both stores"
}

// count writes a number with its noun, in the right number.
func count(n int, one, many string) string {
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
