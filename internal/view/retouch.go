package view

import "regola.example/regola/internal/core/retouch"

// Retouched is a copy of a picture without the faults that need no eye.
type Retouched struct {
	From    string // the path of the picture
	Skipped bool   // there is no copy
	Name    string // the path of the copy, below the folder of the copies, with slashes
	retouch.Result
}
