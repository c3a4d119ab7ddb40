package report

import (
	"io"

	"regola.example/regola/internal/core/check"
)

// Form is one form of a check's result. To add one, write a file with its
// function and name it here.
type Form struct {
	Name  string
	What  string // in words, for help
	Write func(w io.Writer, r *check.Result, look Look, exit int) error
}

// Forms lists the forms of a check's result, the usual one first.
var Forms = []Form{
	{"text", "for people", Text},
	{"brief", "one line a finding, for terminals and editors", Brief},
	{"json", "for programs; see the schema check", func(w io.Writer, r *check.Result, _ Look, exit int) error {
		return JSON(w, NewCheckDocument(r, exit))
	}},
}

// FormNames lists the names of the forms.
func FormNames() []string {
	names := make([]string, len(Forms))
	for i, f := range Forms {
		names[i] = f.Name
	}
	return names
}

// FormOf is the form of a name, or nil.
func FormOf(name string) *Form {
	for i := range Forms {
		if Forms[i].Name == name {
			return &Forms[i]
		}
	}
	return nil
}
