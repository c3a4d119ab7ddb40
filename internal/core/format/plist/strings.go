package plist

import (
	"encoding/binary"
	"strings"
	"unicode/utf16"

	"regola.example/regola/internal/core/budget"
	"regola.example/regola/internal/core/format"
)

// ParseStrings reads the text form of a strings table, "key" = "value"; with
// comments, in UTF-8 or in UTF-16 with a byte-order mark.
//
// Errors are *format.Damaged, or *budget.Spent.
func ParseStrings(data []byte, b *budget.Budget) (map[string]string, error) {
	b = b.Part(len(data))
	p := &textReader{s: decodeText(data)}
	out := make(map[string]string)
	for {
		p.space()
		if p.at >= len(p.s) {
			return out, nil
		}
		key, err := p.token()
		if err != nil {
			return nil, err
		}
		val := key
		p.space()
		if p.at < len(p.s) && p.s[p.at] == '=' {
			p.at++
			p.space()
			if val, err = p.token(); err != nil {
				return nil, err
			}
			p.space()
		}
		if p.at >= len(p.s) || p.s[p.at] != ';' {
			return nil, format.Damagedf(int64(p.at), "a semicolon is missing after %.60q", key)
		}
		p.at++
		if err := b.Keep(entrySize + len(key) + len(val)); err != nil {
			return nil, err
		}
		if _, twice := out[key]; !twice {
			out[key] = val
		}
	}
}

func decodeText(data []byte) string {
	var order binary.ByteOrder
	switch {
	case len(data) >= 2 && data[0] == 0xff && data[1] == 0xfe:
		order = binary.LittleEndian
	case len(data) >= 2 && data[0] == 0xfe && data[1] == 0xff:
		order = binary.BigEndian
	default:
		return strings.TrimPrefix(string(data), "\ufeff")
	}
	units := make([]uint16, 0, len(data)/2)
	for i := 2; i+1 < len(data); i += 2 {
		units = append(units, order.Uint16(data[i:]))
	}
	return string(utf16.Decode(units))
}

type textReader struct {
	s  string
	at int
}

func (p *textReader) space() {
	for p.at < len(p.s) {
		rest := p.s[p.at:]
		switch {
		case strings.ContainsRune(" \t\r\n", rune(rest[0])):
			p.at++
		case strings.HasPrefix(rest, "//"):
			p.skip(strings.IndexByte(rest, '\n'), 1, len(rest))
		case strings.HasPrefix(rest, "/*"):
			p.skip(strings.Index(rest, "*/"), 2, len(rest))
		default:
			return
		}
	}
}

func (p *textReader) skip(found, extra, all int) {
	if found < 0 {
		p.at += all
		return
	}
	p.at += found + extra
}

// token reads a quoted string, or a bare word.
func (p *textReader) token() (string, error) {
	if p.at >= len(p.s) {
		return "", format.Damagedf(int64(p.at), "the strings table is cut off")
	}
	if p.s[p.at] != '"' {
		end := p.at
		for end < len(p.s) && !strings.ContainsRune(" \t\r\n=;\"", rune(p.s[end])) {
			end++
		}
		if end == p.at {
			return "", format.Damagedf(int64(p.at), "expected a quoted string, found %q", p.s[p.at])
		}
		word := p.s[p.at:end]
		p.at = end
		return word, nil
	}
	var b strings.Builder
	for i := p.at + 1; i < len(p.s); i++ {
		switch c := p.s[i]; c {
		case '"':
			p.at = i + 1
			return b.String(), nil
		case '\\':
			if i++; i < len(p.s) {
				switch p.s[i] {
				case 'n':
					b.WriteByte('\n')
				case 't':
					b.WriteByte('\t')
				default:
					b.WriteByte(p.s[i])
				}
			}
		default:
			b.WriteByte(c)
		}
	}
	return "", format.Damagedf(int64(p.at), "a quoted string is not closed")
}
