package view

import (
	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/handout"
)

// Handout is what is typed and uploaded for a release.
type Handout struct {
	Result *check.Result
	Stores []*HandoutStore
}

// HandoutStore is one store's part, with how far the release is.
type HandoutStore struct {
	*handout.Store
	Name    string
	Verdict *check.Store
}
