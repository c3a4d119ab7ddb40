// Package place says where a value stands: in which file, archive entry, key
// and byte, or on which line. Every fact, answer and finding carries a Place,
// so that a reader of a report can open the very spot.
package place

import (
	"fmt"
	"strings"
)

// Place is one spot in the user's files. The zero Place means "nowhere in
// particular".
type Place struct {
	File   string `json:"file,omitempty"`   // the path as the user gave it
	Entry  string `json:"entry,omitempty"`  // the archive entry or the file inside a bundle folder
	Key    string `json:"key,omitempty"`    // the key path inside the entry or the document
	Offset int64  `json:"offset,omitempty"` // bytes from the start of the entry; 0 when unknown
	Line   int    `json:"line,omitempty"`   // from 1; 0 when the file is not text
	Column int    `json:"column,omitempty"` // from 1
}

// IsZero reports whether the place names nothing.
func (p Place) IsZero() bool { return p == Place{} }

// In returns the place of a key below p.
func (p Place) In(key string) Place {
	if p.Key != "" && key != "" {
		key = p.Key + "." + key
	} else if key == "" {
		key = p.Key
	}
	p.Key = key
	return p
}

// At returns the place of a byte offset within p's entry.
func (p Place) At(offset int64) Place {
	p.Offset = offset
	return p
}

// Link is the part of the place that a terminal or an editor can open:
// the file, with line and column when it is text.
func (p Place) Link() string {
	if p.Line > 0 {
		return fmt.Sprintf("%s:%d:%d", p.File, p.Line, p.Column)
	}
	return p.File
}

// Within is the part of the place below the file: entry and key. For a text
// file it is empty, since line and column say it.
func (p Place) Within() string {
	if p.Line > 0 {
		return ""
	}
	parts := make([]string, 0, 2)
	if p.Entry != "" {
		parts = append(parts, p.Entry)
	}
	if p.Key != "" {
		parts = append(parts, p.Key)
	}
	return strings.Join(parts, " › ")
}

// String is the whole place on one line, as "file:line:column" or
// "file › entry › key".
func (p Place) String() string {
	link, within := p.Link(), p.Within()
	switch {
	case within == "":
		return link
	case link == "":
		return within
	}
	return link + " › " + within
}

// Exact is String with the byte offset, where that is known and no line is.
func (p Place) Exact() string {
	s := p.String()
	if p.Line > 0 || p.Offset <= 0 || s == "" {
		return s
	}
	return fmt.Sprintf("%s, byte %d", s, p.Offset)
}

// Problem is one thing wrong with the user's input, as a person can fix it.
// It is an error.
type Problem struct {
	At   Place  // where it was seen
	What string // what was found, and what was expected
	Fix  string // what to do about it; may be empty when What says it
	Edit *Edit  // the one change that is meant, or nil when somebody has to decide
}

// Edit is a change of one text in the user's files that needs no decision: the text that
// begins at a place, as it is read there, and the one to write for it. With Rename it is the
// name of the file itself.
type Edit struct {
	At      Place  `json:"at" doc:"where the text begins; with rename the file"`
	Was     string `json:"was" doc:"the text as it is read, without the quotation marks and the indentation of the file"`
	Becomes string `json:"becomes" doc:"the text that takes its place"`
	Rename  bool   `json:"rename,omitempty" doc:"was and becomes are names of the file"`

	Pieces []Piece `json:"pieces,omitempty" doc:"the pieces of the file that change, for programs that edit it"`
}

// Piece is a piece of a file, from its first character to the one behind its last, and what
// takes its place. Lines and columns count from 1, columns in characters.
type Piece struct {
	Line      int    `json:"line"`
	Column    int    `json:"column"`
	EndLine   int    `json:"end_line"`
	EndColumn int    `json:"end_column"`
	Text      string `json:"text" doc:"as it is written into the file"`
}

// Error is the place and what is wrong, on one line.
func (p *Problem) Error() string {
	if at := p.At.String(); at != "" {
		return at + ": " + p.What
	}
	return p.What
}

// Problems is a list of problems, reported together. It is an error.
type Problems []*Problem

// Error joins the problems, one a line.
func (ps Problems) Error() string {
	lines := make([]string, len(ps))
	for i, p := range ps {
		lines[i] = p.Error()
	}
	return strings.Join(lines, "\n")
}

// Err returns the list as an error, or nil when it is empty.
func (ps Problems) Err() error {
	if len(ps) == 0 {
		return nil
	}
	return ps
}
