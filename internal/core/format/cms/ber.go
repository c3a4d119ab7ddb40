package cms

import (
	"github.com/smallstep/pkcs7"

	"regola.example/regola/internal/core/format"
)

const (
	maxSize  = 16 << 20 // bytes; real envelopes stay far below one MiB
	maxDepth = 32       // of nesting; real envelopes have about ten levels
)

// Parse reads an envelope in DER or BER form. Its structure is first written
// anew with definite lengths, every part held within the one around it: the
// library follows parts that reach out of theirs, again and again.
func Parse(data []byte) (*pkcs7.PKCS7, error) {
	if len(data) > maxSize {
		return nil, format.TooMuchf(maxSize, "an envelope of %d bytes, at most %d are read", len(data), maxSize)
	}
	der, _, err := rewrite(data, 0, 0)
	if err != nil {
		return nil, err
	}
	return pkcs7.Parse(der)
}

// rewrite gives the first element of b, which begins at an offset, in DER form, and what
// follows it (X.690, 8.1).
func rewrite(b []byte, at, depth int) (der, rest []byte, err error) {
	whole := len(b)
	cutOff := func() error { return format.Damagedf(at, "a part of the envelope reaches beyond the one around it") }
	if depth > maxDepth {
		return nil, nil, format.TooMuchf(at, "the envelope is nested more than %d levels deep", maxDepth)
	}
	n := 1 // bytes of the tag
	if len(b) > 0 && b[0]&0x1f == 0x1f {
		for n < len(b) && b[n]&0x80 != 0 {
			n++
		}
		n++
	}
	if n >= len(b) {
		return nil, nil, cutOff()
	}
	tag, length, constructed := b[:n], int(b[n]), b[0]&0x20 != 0
	b = b[n+1:]
	indefinite := length == 0x80
	switch {
	case indefinite && !constructed:
		return nil, nil, format.Damagedf(at, "a part without parts has no length")
	case length > 0x84:
		return nil, nil, format.Damagedf(at, "a length of more than four bytes")
	case length > 0x80:
		count := length & 0x7f
		if count > len(b) {
			return nil, nil, cutOff()
		}
		length = 0
		for _, c := range b[:count] {
			length = length<<8 | int(c)
		}
		b = b[count:]
	}
	if !indefinite && (length < 0 || length > len(b)) { // below 0 where int has 32 bits
		return nil, nil, cutOff()
	}
	if !constructed {
		return element(tag, b[:length]), b[length:], nil
	}
	begin, inside := at+whole-len(b), b
	if !indefinite {
		inside, rest = b[:length], b[length:]
	}
	length = len(inside)
	var content []byte
	for {
		switch {
		case indefinite && len(inside) >= 2 && inside[0] == 0 && inside[1] == 0:
			return element(tag, content), inside[2:], nil
		case !indefinite && len(inside) == 0:
			return element(tag, content), rest, nil
		}
		var part []byte
		if part, inside, err = rewrite(inside, begin+length-len(inside), depth+1); err != nil {
			return nil, nil, err
		}
		content = append(content, part...)
	}
}

// element writes an element with the shortest form of its length.
func element(tag, content []byte) []byte {
	out := append(make([]byte, 0, len(tag)+5+len(content)), tag...)
	n := len(content)
	if n < 0x80 {
		return append(append(out, byte(n)), content...)
	}
	count := 1
	for n>>(8*count) > 0 {
		count++
	}
	out = append(out, 0x80|byte(count))
	for i := count - 1; i >= 0; i-- {
		out = append(out, byte(n>>(8*i)))
	}
	return append(out, content...)
}
