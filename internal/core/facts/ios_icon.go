package facts

import "regola.example/regola/internal/core/fact"

// IOSIcon is the app icon as the property list and the files show it.
type IOSIcon struct {
	fact.Mark    `json:"-"`
	Name         string         `json:"name"`          // CFBundleIconName, the set in the asset catalogue
	Catalog      bool           `json:"catalog"`       // a compiled asset catalogue is there
	Files        []*IconFile    `json:"files"`         // pictures that CFBundleIconFiles names
	MissingFiles []string       `json:"missing_files"` // names in CFBundleIconFiles that no picture has
	Set          []*IconPicture `json:"set"`           // pictures of that name in the catalogue
}

// IconPicture is one size of an icon in an asset catalogue.
type IconPicture struct {
	fact.Mark  `json:"-"`
	File       string `json:"file"` // it was made from
	Width      int64  `json:"width"`
	Height     int64  `json:"height"` // pixels
	Idiom      string `json:"idiom"`  // phone, tablet, watch, marketing, universal …
	Appearance string `json:"appearance"`
	Kind       string `json:"kind"` // picture, vector, or other
	Opaque     bool   `json:"opaque"`
}

// Catalog is a compiled asset catalogue.
type Catalog struct {
	fact.Mark `json:"-"`
	Path      string           `json:"path"`
	Tool      string           `json:"tool"`
	Platform  string           `json:"platform"`
	MinOS     string           `json:"min_os"`
	Pictures  int64            `json:"pictures"`
	Areas     map[string]int64 `json:"-"` // for a weighing: pixels of its pictures by scale, such as 3x; 0x for every scale
	Readable  bool             `json:"readable"`
	Fault     string           `json:"fault"` // why it cannot be read
	Sets      []string         `json:"-"`     // names, each once
}
