// Package format is what the readers of file formats share: the errors, which name their
// offset, and the one way to read as many bytes as a file claims to have. Each format has
// a folder of its own below; a reader knows bytes, and nothing of packages or rules.
package format

import (
	"errors"
	"fmt"
	"io"
)

// Damaged tells that bytes do not follow a format: they were cut off, changed, or are of
// something else.
type Damaged struct {
	Offset int64  // bytes from the start of the file, or of the part that the reader was given
	What   string // what was found, and what was expected
}

// Error is the message with its offset.
func (e *Damaged) Error() string { return located(e.What, e.Offset) }

// Unsupported tells that a file follows its format, in a form that is not read.
type Unsupported struct {
	Offset int64 // bytes from the start of the file, or of the part that the reader was given
	What   string
}

// Error is the message with its offset.
func (e *Unsupported) Error() string { return located(e.What, e.Offset) }

// TooMuch tells that a file follows its format and holds more than is read of one.
type TooMuch struct {
	Offset int64 // bytes from the start of the file, or of the part, where the bound is reached
	What   string
}

// Error is the message with its offset.
func (e *TooMuch) Error() string { return located(e.What, e.Offset) }

func located(what string, offset int64) string { return fmt.Sprintf("%s (byte %#x)", what, offset) }

// offset is what readers count bytes with.
type offset interface{ ~int | ~int64 | ~uint32 }

// Damagedf makes a Damaged.
func Damagedf[T offset](at T, text string, args ...any) error {
	return &Damaged{Offset: int64(at), What: fmt.Sprintf(text, args...)}
}

// Unsupportedf makes an Unsupported.
func Unsupportedf[T offset](at T, text string, args ...any) error {
	return &Unsupported{Offset: int64(at), What: fmt.Sprintf(text, args...)}
}

// TooMuchf makes a TooMuch.
func TooMuchf[T offset](at T, text string, args ...any) error {
	return &TooMuch{Offset: int64(at), What: fmt.Sprintf(text, args...)}
}

// ReadAll reads a stream to its end, which is claimed to come after so many bytes. A claim
// is believed up to a megabyte at first: memory follows what arrives. More than limit
// bytes are a TooMuch, with the bytes that were read.
func ReadAll(r io.Reader, claimed, limit int64) ([]byte, error) {
	const first = 1 << 20
	b := make([]byte, 0, max(0, min(claimed, first))+1)
	for {
		if len(b) == cap(b) {
			grown := make([]byte, len(b), max(512, min(int64(2*cap(b)), max(claimed, int64(cap(b)))+1+int64(cap(b)/4))))
			copy(grown, b)
			b = grown
		}
		n, err := r.Read(b[len(b):cap(b)])
		b = b[:len(b)+n]
		if int64(len(b)) > limit {
			return b, TooMuchf(limit, "more than the %s that are read of such a file", size(limit))
		}
		if errors.Is(err, io.EOF) {
			return b, nil
		}
		if err != nil {
			return b, err
		}
	}
}

// size is a number of bytes for people.
func size(n int64) string {
	if n >= 1<<20 {
		return fmt.Sprintf("%d MiB", n>>20)
	}
	return fmt.Sprintf("%d bytes", n)
}
