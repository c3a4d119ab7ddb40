package view

import "regola.example/regola/internal/core/rulebook"

// Kinds of questions.
const (
	YesNo   = "yes-no"  // yes or no
	One     = "one"     // one of the choices
	Several = "several" // any of the choices, or none
	Text    = "text"    // a text on one line
	Number  = "number"  // a whole number
	Confirm = "confirm" // a person confirms something for this version
)

// Question is one thing that a store asks and the dossier does not answer.
type Question struct {
	Path     string // where the answer is written; of a confirmation, its word
	What     string // in a sentence
	Kind     string
	Choices  []Choice
	Form     string // how a text is written, such as a day or an address
	Stores   []string
	Impact   rulebook.Impact // what a store does without it
	Because  []string        // what in the package leads to it
	Before   string          // what was answered for the release before
	Rules    []string        // that wait for it
	Expected []string        // choices that the package points to
}

// Choice is one answer to choose.
type Choice struct {
	Word  string
	Means string
}
