package editor

import (
	"reflect"
	"strings"
	"unicode/utf8"

	"regola.example/regola/internal/core/late"
	"regola.example/regola/internal/core/safeopen"
	"regola.example/regola/internal/core/tables"
)

var tablesType = reflect.TypeFor[tables.Known]()

// maxFile bounds a file that is read, in bytes.
const maxFile = 8 << 20

// ReadFile is a file's contents; nil when it cannot be read, which judging reports.
func ReadFile(file string) []byte {
	data, err := safeopen.Read(file, maxFile)
	if err != nil {
		return nil
	}
	return data
}

// lineOf is a line of a text, counted from 1, without its end.
func lineOf(doc []byte, n int) string {
	i := 1
	for l := range strings.SplitSeq(string(doc), "\n") {
		if i == n {
			return strings.TrimRight(l, "\r")
		}
		i++
	}
	return ""
}

var keyHead = late.Regexp(`^(?:"[^"]*"|'[^']*'|[\w.-]+)\s*:`)

// spanAt is the piece of a line that begins at a column: a key, a text in quotation marks, or
// a value up to what ends it.
func spanAt(doc []byte, line, column int) Span {
	text := lineOf(doc, line)
	runes := []rune(text)
	if column > len(runes) {
		column = max(1, len(runes))
	}
	rest := string(runes[min(len(runes), column-1):])
	var size int
	switch m := keyHead().FindString(rest); {
	case m != "":
		size = len(strings.TrimRight(m, ": \t"))
	case strings.HasPrefix(rest, `"`), strings.HasPrefix(rest, "'"):
		if i := strings.IndexByte(rest[1:], rest[0]); i >= 0 {
			size = i + 2
		} else {
			size = len(rest)
		}
	default:
		if size = strings.IndexAny(rest, ",]}"); size < 0 {
			size = len(rest)
		}
		if i := strings.Index(rest[:size], " #"); i >= 0 {
			size = i
		}
	}
	size = len(strings.TrimRight(rest[:size], " "))
	return Span{line, column, line, column + max(1, utf8.RuneCountInString(rest[:size]))}
}
