// Package htmltext takes the text out of HTML: what a person reads, without tags, scripts
// and styles.
//
// Source: the HTML standard, by the tokenizer of golang.org/x/net.
package htmltext

import (
	"io"
	"strings"

	"golang.org/x/net/html"
	"golang.org/x/net/html/atom"
)

// blocks are the elements that stand in lines of their own.
var blocks = map[atom.Atom]bool{
	atom.Address: true, atom.Article: true, atom.Blockquote: true, atom.Br: true, atom.Dd: true, atom.Div: true, atom.Dl: true, atom.Dt: true,
	atom.Footer: true, atom.H1: true, atom.H2: true, atom.H3: true, atom.H4: true, atom.H5: true, atom.H6: true, atom.Header: true, atom.Hr: true,
	atom.Li: true, atom.Main: true, atom.Ol: true, atom.P: true, atom.Pre: true, atom.Section: true, atom.Table: true, atom.Td: true, atom.Th: true,
	atom.Title: true, atom.Tr: true, atom.Ul: true,
}

// paragraphs are the elements with an empty line around them.
var paragraphs = map[atom.Atom]bool{atom.P: true, atom.H1: true, atom.H2: true, atom.H3: true, atom.H4: true, atom.Table: true, atom.Ul: true, atom.Ol: true, atom.Blockquote: true}

// Of is the text of a page or a mail: a block element begins a line, and a paragraph has an
// empty line around it. Damaged HTML gives as much as can be read.
func Of(page string) string {
	var out strings.Builder
	z := html.NewTokenizer(strings.NewReader(page))
	hidden := atom.Atom(0) // the script or style that is open
	for {
		switch z.Next() {
		case html.ErrorToken:
			if z.Err() != io.EOF {
				out.Write(z.Raw())
			}
			return out.String()
		case html.TextToken:
			if hidden == 0 {
				out.Write(z.Text())
			}
		case html.StartTagToken, html.SelfClosingTagToken, html.EndTagToken:
			t := z.Token()
			switch {
			case t.DataAtom == atom.Script || t.DataAtom == atom.Style:
				hidden = t.DataAtom
				if t.Type != html.StartTagToken {
					hidden = 0
				}
			case paragraphs[t.DataAtom]:
				lines(&out, 2)
			case t.DataAtom == atom.Br:
				out.WriteByte('\n')
			case blocks[t.DataAtom]:
				lines(&out, 1)
			}
			if t.DataAtom == atom.Li && t.Type == html.StartTagToken {
				out.WriteString("- ")
			}
		}
	}
}

// lines ends the text with n ends of lines at least, unless it is empty.
func lines(out *strings.Builder, n int) {
	text := out.String()
	for have := len(text) - len(strings.TrimRight(text, "\n")); have < n && text != ""; have++ {
		out.WriteByte('\n')
	}
}
