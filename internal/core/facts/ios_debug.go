package facts

import "regola.example/regola/internal/core/fact"

// DebugInfo is the debugging information that comes along.
type DebugInfo struct {
	fact.Mark `json:"-"`
	Builds    []string `json:"builds"`  // build ids for which it comes along
	Carried   bool     `json:"carried"` // the package is of a kind that carries it
}

// BuildArchive is what a build archive says of itself.
type BuildArchive struct {
	fact.Mark `json:"-"`
	App       bool     `json:"app"` // it says that it holds an app, so that it can be exported
	ID        string   `json:"id"`  // of the app, by the archive
	Version   string   `json:"version"`
	Build     string   `json:"build"`
	Products  []string `json:"products"` // what it holds beside apps
	Signed    []string `json:"signed"`   // prebuilt libraries whose maker's signature was recorded
}
