// Package literal tells which of the texts that code and plain files hold are worth
// keeping: addresses, paths, and what has the form of a secret key. A package holds
// millions of texts; rules ask for these alone.
//
// Sources: RFC 3986 (schemes of addresses), RFC 7468 (textual encodings of keys). The
// forms of keys are those that the services which hand them out publish.
package literal

import "bytes"

// Longest is the length in bytes of the longest text that is kept.
const Longest = 1023

// mostScheme is how long the scheme of an address may be.
const mostScheme = 32

// keys are the beginnings by which secret keys are known, with the least length of one.
var keys = []struct {
	start string
	least int
}{
	{"-----BEGIN ", 16}, {"sk_live_", 16}, {"rk_live_", 16}, {"AKIA", 20},
	{"ghp_", 24}, {"gho_", 24}, {"ghu_", 24}, {"ghs_", 24}, {"ghr_", 24}, {"xoxa-", 15}, {"xoxb-", 15}, {"xoxp-", 15},
}

// leastKey is the least length of all keys.
const leastKey = 15

// Worth tells whether a text is an address, a path below two folders of the root, or
// begins as a secret key does.
func Worth(b []byte) bool {
	if len(b) < 3 || len(b) > Longest {
		return false
	}
	switch {
	case b[0] == '/': // /System/…
		i := 1
		for i < len(b) && letter(b[i]) {
			i++
		}
		return i > 1 && i < len(b) && b[i] == '/'
	case b[0] != '-' && !letter(b[0]):
		return false
	}
	for i := 1; i < len(b)-1 && i <= mostScheme; i++ {
		if b[i] == ':' {
			return b[0] != '-' && b[i+1] > ' ' && b[i+1] <= '~'
		}
		if !letter(b[i]) && (b[i] < '0' || b[i] > '9') && b[i] != '+' && b[i] != '.' && b[i] != '-' {
			break
		}
	}
	for _, k := range keys {
		if len(b) >= k.least && string(b[:len(k.start)]) == k.start {
			return true
		}
	}
	return bytes.HasPrefix(b, []byte("localhost/"))
}

func letter(c byte) bool { return c|0x20 >= 'a' && c|0x20 <= 'z' }

// Among visits the texts worth keeping among the bytes of a plain file, such as settings,
// a page or a script. A text ends at a blank, a quotation mark, a bracket, a comma, a
// semicolon or a control character. In settings of the form key=value, the value counts.
func Among(data []byte, visit func([]byte)) {
	start, seen := 0, byte(0)
	for i := 0; i <= len(data); i++ {
		if i < len(data) {
			if c := classes[data[i]]; c&ends == 0 {
				seen |= c
				continue
			}
		}
		// Addresses and paths have a sign that most words lack, and keys are long.
		if word := data[start:i]; seen&address != 0 || len(word) >= leastKey {
			if Worth(word) {
				visit(word)
			} else if seen&equal != 0 {
				if eq := bytes.IndexByte(word[:min(len(word), 64)], '='); eq > 0 && Worth(word[eq+1:]) {
					visit(word[eq+1:])
				}
			}
		}
		start, seen = i+1, 0
	}
}

// Classes of bytes in a plain file.
const (
	ends    = 1 << iota // what ends a text
	address             // in every address and path
	equal
)

var classes = func() (c [256]byte) {
	for i := range 0x21 {
		c[i] = ends
	}
	for _, b := range []byte("\x7f\"'`<>(){}[],;\\|") {
		c[b] = ends
	}
	c[':'], c['/'], c['='] = address, address, equal
	return c
}()
