package facts

import (
	"regola.example/regola/internal/core/fact"
)

// Icon is the launcher icon.
type Icon struct {
	fact.Mark  `json:"-"`
	Name       string      `json:"name"`     // the attribute's value, as a reference or a path
	Adaptive   bool        `json:"adaptive"` // a form with foreground and background layers exists
	Foreground bool        `json:"foreground"`
	Background bool        `json:"background"`
	Solid      bool        `json:"solid"` // the foreground layer is a picture without a transparent pixel
	Monochrome bool        `json:"monochrome"`
	Round      bool        `json:"round"`
	Fill       string      `json:"fill"`    // colour of the background layer, as #aarrggbb; empty when it is a picture
	Strokes    []string    `json:"strokes"` // colours of the lines that the background layer draws, each once
	Files      []*IconFile `json:"files"`
}

// IconFile is one picture of an icon.
type IconFile struct {
	fact.Mark `json:"-"`
	Density   string `json:"density"` // mdpi … xxxhdpi, anydpi
	Path      string `json:"path"`
	Width     int64  `json:"width"`  // pixels; 0 for drawings
	Height    int64  `json:"height"` // pixels
	Alpha     bool   `json:"alpha"`
	Format    string `json:"format"` // by content: png, webp, jpeg, xml
	Colors    int64  `json:"colors"` // distinct ones, counted up to 3; 0 when not counted
	Motif     string `json:"motif"`  // fingerprint of what it shows; empty when its pixels were not decoded
}
