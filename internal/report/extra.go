package report

import (
	"regola.example/regola/internal/sheet"
	"regola.example/regola/internal/view"
)

// Extra is what only some forms show beside a result.
type Extra struct {
	Sheet   *sheet.Sheet // the store pages; nil for none
	NoSheet string       // why there is none
	Sizes   []StoreSizes
	Ahead   []*view.Milestone // days on which something changes, with what is found from then on
}

// StoreSizes is what the package of a store weighs.
type StoreSizes struct {
	Name   string
	Weight *view.Weight
}
