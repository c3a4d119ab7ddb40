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
	Since   *ChangesDocument  // what differs from the release before; nil where there is none
	Ahead   []*view.Milestone // days on which something changes, with what is found from then on
}

// StoreSizes is what the package of a store weighs.
type StoreSizes struct {
	Name   string
	Weight *view.Weight
}
