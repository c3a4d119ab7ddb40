// Package ask asks a person one question at a time on the terminal, in one of two ways: as
// plain lines, which any terminal and any screen reader takes, or as a form with keys.
package ask

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"

	"github.com/rivo/uniseg"

	"regola.example/regola/internal/core/sanitize"
)

// Prompt is one question.
type Prompt struct {
	Head    string   // where it stands among the others, and what it is about
	What    string   // the question
	Notes   []string // who asks, what the package shows, what was said before
	Choices []Choice // to choose from; none for a text
	Several bool     // any of the choices, or none of them
	Chosen  []string // words that are proposed
	Form    string   // how a text is written
	Check   func(words []string) error
}

// Choice is one answer to choose.
type Choice struct{ Word, Means string }

// Act is what a person wants.
type Act int

// The acts.
const (
	Answer Act = iota // the words are the answer
	Leave             // it stays open
	Back              // to the question before
	Stop              // no more questions
)

// Reply is what a person says to a question.
type Reply struct {
	Act   Act
	Words []string
}

// Asker asks.
type Asker interface {
	Ask(ctx context.Context, p *Prompt) (Reply, error)
	Say(text string) // something that is no question
	Close()          // gives back what it took hold of
}

// Plain asks in lines of text.
type Plain struct {
	in    *bufio.Reader
	out   io.Writer
	width int
}

// NewPlain asks on a pair of streams, in lines of a width.
func NewPlain(in io.Reader, out io.Writer, width int) *Plain {
	return &Plain{bufio.NewReader(in), out, max(width, 20)}
}

// longestLine bounds what a person types, in bytes.
const longestLine = 16 << 10

// Ask implements Asker. The end of the input stops.
func (a *Plain) Ask(ctx context.Context, p *Prompt) (Reply, error) {
	a.show(p)
	for {
		if err := ctx.Err(); err != nil {
			return Reply{}, err
		}
		fmt.Fprint(a.out, "> ")
		line, err := a.line()
		if err != nil {
			fmt.Fprintln(a.out)
			if errors.Is(err, io.EOF) {
				return Reply{Act: Stop}, nil
			}
			return Reply{}, err
		}
		switch strings.ToLower(line) {
		case "?":
			a.help(p)
			continue
		case "b", "back":
			return Reply{Act: Back}, nil
		case "", "o", "open":
			return Reply{Act: Leave}, nil
		case "q", "quit":
			return Reply{Act: Stop}, nil
		}
		words, err := p.read(line)
		if err == nil && p.Check != nil {
			err = p.Check(words)
		}
		if err == nil {
			return Reply{Words: words}, nil
		}
		a.say(3, err.Error())
	}
}

// Say implements Asker.
func (a *Plain) Say(text string) { a.say(3, text) }

// Close implements Asker.
func (a *Plain) Close() {}

// line reads one line, without its end.
func (a *Plain) line() (string, error) {
	var b []byte
	for {
		part, err := a.in.ReadSlice('\n')
		if b = append(b, part...); len(b) > longestLine {
			return "", errors.New("the line is too long")
		}
		switch {
		case err == nil || errors.Is(err, io.EOF) && len(b) > 0:
			return strings.TrimSpace(strings.ToValidUTF8(string(b), "")), nil
		case !errors.Is(err, bufio.ErrBufferFull):
			return "", err
		}
	}
}

func (a *Plain) show(p *Prompt) {
	fmt.Fprintln(a.out)
	a.say(0, p.Head)
	a.say(3, p.What)
	for _, n := range p.Notes {
		a.say(3, n)
	}
	for i, c := range p.Choices {
		text := fmt.Sprintf("%d  %s", i+1, c.Word)
		if c.Means != "" {
			text += ": " + c.Means
		}
		if slices.Contains(p.Chosen, c.Word) {
			text += " (proposed)"
		}
		a.say(3, text)
	}
	switch {
	case len(p.Choices) > 0 && p.Several:
		a.say(3, "numbers with commas, 0 for none; ? for help")
	case len(p.Choices) > 0:
		a.say(3, "a number; ? for help")
	case p.Form != "":
		a.say(3, p.Form+"; ? for help")
	default:
		a.say(3, "a text; ? for help")
	}
}

func (a *Plain) help(p *Prompt) {
	a.say(3, "an empty line leaves it open; b goes back; q stops, and what was answered stays")
	if len(p.Choices) > 0 {
		a.say(3, "a word of the list can be typed in the place of its number")
	}
}

// say writes a text with an indentation, in lines of the width.
func (a *Plain) say(indent int, text string) {
	pad := strings.Repeat(" ", indent)
	used := 0
	var line strings.Builder
	for _, w := range strings.Fields(sanitize.Text(text)) {
		n := uniseg.StringWidth(w)
		if used > 0 && indent+used+1+n > a.width {
			fmt.Fprintln(a.out, pad+line.String())
			line.Reset()
			used = 0
		}
		if used > 0 {
			line.WriteByte(' ')
			used++
		}
		line.WriteString(w)
		used += n
	}
	if used > 0 {
		fmt.Fprintln(a.out, pad+line.String())
	}
}

// read makes words of what a person typed.
func (p *Prompt) read(line string) ([]string, error) {
	if len(p.Choices) == 0 {
		if !p.Several {
			return []string{line}, nil
		}
		return fields(line), nil
	}
	if p.Several && (line == "0" || strings.EqualFold(line, "none")) {
		return []string{}, nil
	}
	typed := []string{line}
	if p.Several {
		typed = fields(line)
	}
	var out []string
	for _, t := range typed {
		i, err := strconv.Atoi(t)
		switch {
		case err == nil && i >= 1 && i <= len(p.Choices):
			t = p.Choices[i-1].Word
		case slices.ContainsFunc(p.Choices, func(c Choice) bool { return strings.EqualFold(c.Word, t) }):
			t = strings.ToLower(t)
		default:
			return nil, fmt.Errorf("%q is none of them: type a number from 1 to %d", t, len(p.Choices))
		}
		if !slices.Contains(out, t) {
			out = append(out, t)
		}
	}
	return out, nil
}

// fields parts a line at commas.
func fields(line string) (out []string) {
	for _, f := range strings.Split(line, ",") {
		if f = strings.TrimSpace(f); f != "" {
			out = append(out, f)
		}
	}
	return out
}
