// Package format is what the readers of file formats share: error types that name the
// offset, one for what is damaged or of another form, one for what is over a bound. Each format has a folder of its own below; a reader
// knows bytes, and nothing of packages or rules.
package format

import "fmt"

// Error tells that bytes do not follow a format, and at which offset.
type Error struct {
	Offset int64  // bytes from the start of the file, or of the part that the reader was given
	What   string // what was found, and what was expected
}

// Error is the message with its offset.
func (e *Error) Error() string { return fmt.Sprintf("%s (byte %#x)", e.What, e.Offset) }

// TooMuch tells that a file follows its format and holds more than is read of one, and
// at which offset the bound is reached.
type TooMuch struct {
	Offset int64 // bytes from the start of the file
	What   string
}

// Error is the message with its offset.
func (e *TooMuch) Error() string { return fmt.Sprintf("%s (byte %#x)", e.What, e.Offset) }

// TooMuchf makes a TooMuch.
func TooMuchf[T ~int | ~int64 | ~uint32](offset T, text string, args ...any) error {
	return &TooMuch{Offset: int64(offset), What: fmt.Sprintf(text, args...)}
}

// Errorf makes an Error.
func Errorf[T ~int | ~int64 | ~uint32](offset T, text string, args ...any) error {
	return &Error{Offset: int64(offset), What: fmt.Sprintf(text, args...)}
}
