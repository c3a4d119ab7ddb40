// Package late puts work off until it is asked for, and does it once: a program that starts
// to answer one question compiles no expression for another.
package late

import (
	"regexp"
	"sync"
)

// Regexp is a regular expression that is compiled when it is used first. One that is not
// valid panics then, as regexp.MustCompile does.
func Regexp(expression string) func() *regexp.Regexp {
	return sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(expression) })
}
