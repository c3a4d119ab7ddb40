package report

import (
	"fmt"
	"io"
	"slices"
	"strings"

	"github.com/rivo/uniseg"

	"regola.example/regola/internal/core/pictures"
	"regola.example/regola/internal/core/store"
	"regola.example/regola/internal/core/tables"
)

// Pictures is what was found in folders of pictures.
type Pictures struct {
	Entries []*pictures.Entry
	Classes []*tables.PictureClass
	Stores  []*store.Store
}

// Sets are the pictures by store, language and class.
func (x Pictures) Sets() []*pictures.Set {
	var ids []string
	for _, s := range x.Stores {
		ids = append(ids, s.ID)
	}
	return pictures.Sort(x.Entries, x.Classes, ids)
}

// wrong lists what is wrong with a picture: what no store can use, and then for
// each store that its folder allows.
func (x Pictures) wrong(e *pictures.Entry) (out []string) {
	if e.Fault != "" {
		text := e.Fault
		if e.Offset > 0 {
			text += fmt.Sprintf(" (byte %d)", e.Offset)
		}
		return []string{text}
	}
	for _, s := range x.Stores {
		if e.Store != "" && e.Store != s.ID {
			continue
		}
		c := e.Class(s.ID)
		if c == nil {
			if near := e.Nearest(x.Classes, s.ID); near != "" && (e.Store != "" || len(x.Stores) == 1 || x.homeless(e)) {
				out = append(out, s.Name+": "+near)
			}
			continue
		}
		for _, f := range e.Fits(s.ID) {
			if f.Class != c {
				continue
			}
			for _, text := range f.Faults {
				out = append(out, s.Name+": "+text)
			}
		}
		if e.Wish != "" && e.Wish != c.ID && slices.ContainsFunc(x.Classes, func(k *tables.PictureClass) bool { return k.Store == s.ID && k.ID == e.Wish }) {
			out = append(out, fmt.Sprintf("%s: it lies in %s and belongs to %s", s.Name, e.Wish, c.ID))
		}
	}
	return out
}

// homeless tells whether a picture fits no class of any store.
func (x Pictures) homeless(e *pictures.Entry) bool {
	for _, s := range x.Stores {
		if e.Class(s.ID) != nil {
			return false
		}
	}
	return true
}

// Faulty is how many pictures something is wrong with.
func (x Pictures) Faulty() (n int) {
	for _, e := range x.Entries {
		if len(x.wrong(e)) > 0 {
			n++
		}
	}
	return n
}

// PicturesText writes every picture with the classes that it fits and what is
// wrong, then the classes of each store and language.
func PicturesText(w io.Writer, x Pictures, look Look) error {
	p := &printer{w: w, look: look}
	faulty := x.Faulty()
	p.line("%s%s", p.strong(Count(len(x.Entries), "picture or film", "pictures and films")), p.dim(map[bool]string{true: ", nothing wrong with any", false: fmt.Sprintf(", something wrong with %d", faulty)}[faulty == 0]))
	name, size := 4, 6
	for _, e := range x.Entries {
		name = min(max(name, uniseg.StringWidth(e.Path)), 44)
		size = max(size, len(shape(e)))
	}
	p.line("")
	for _, e := range x.Entries {
		var fits []string
		for _, s := range x.Stores {
			if e.Store != "" && e.Store != s.ID || e.Fault != "" {
				continue
			}
			if c := e.Class(s.ID); c != nil {
				fits = append(fits, s.ID+" "+c.ID)
			}
		}
		text := strings.Join(fits, ", ")
		if text == "" {
			text = "fits no class"
		}
		wrong := x.wrong(e)
		style := styleGood
		if len(wrong) > 0 || x.homeless(e) {
			style = styleImpact["blocked"]
		}
		p.line("  %s  %s  %s", p.path(pad(e.Path, name)), pad(shape(e), size), p.look.paint(style, text))
		for _, what := range wrong {
			p.block(6, "", nil, what, nil)
		}
	}
	at := ""
	for _, s := range x.Sets() {
		if here := s.Store + " " + s.Language; here != at {
			at = here
			title := s.Store
			for _, st := range x.Stores {
				if st.ID == s.Store {
					title = st.Name
				}
			}
			if s.Language != "" {
				title += ", " + s.Language
			}
			p.line("")
			p.line("%s", p.strong(title))
		}
		text, style := fmt.Sprintf("%d", len(s.Pictures)), styleGood
		if s.Class.Most > 0 {
			text += fmt.Sprintf(" of %d", s.Class.Most)
		}
		switch over := s.Over(); {
		case len(over) > 0:
			var names []string
			for _, e := range over {
				names = append(names, e.Path)
			}
			text, style = text+": too many; over the bound: "+strings.Join(names, ", "), styleImpact["blocked"]
		case s.Short() > 0:
			text, style = text+": "+Count(s.Short(), "more is needed", "more are needed"), styleImpact["blocked"]
		}
		p.block(2, pad(s.Class.ID, 20), styleDim, text, style)
	}
	return p.err
}

// shape says size and kind of a picture in a few characters.
func shape(e *pictures.Entry) string {
	if e.Width == 0 {
		return e.Kind
	}
	text := fmt.Sprintf("%dx%d %s", e.Width, e.Height, e.Kind)
	if e.Film != nil {
		text += fmt.Sprintf(" %.1f s", e.Film.Duration.Seconds())
	} else if e.Alpha {
		text += " alpha"
	}
	return text
}

// PicturesDocument is the JSON form of regola pictures.
type PicturesDocument struct {
	Regola   int            `json:"regola" doc:"the number of this format"`
	Pictures []PictureEntry `json:"pictures" doc:"in the order of their names"`
	Sets     []SetEntry     `json:"sets" doc:"the classes of each store and language that have pictures"`
}

// PictureEntry is one picture or film.
type PictureEntry struct {
	File     string     `json:"file"`
	Kind     string     `json:"kind" doc:"by content: png, jpeg, webp, gif, heic, avif, mp4, mov, webm; empty when it is none"`
	Bytes    int64      `json:"bytes"`
	Width    int        `json:"width" doc:"pixels as shown"`
	Height   int        `json:"height" doc:"pixels as shown"`
	Depth    int        `json:"depth" doc:"bits a sample; 0 when it is not known"`
	Colors   string     `json:"colors" doc:"gray, rgb, palette, ycbcr, cmyk, or empty when it is not known"`
	Alpha    bool       `json:"alpha"`
	Animated bool       `json:"animated"`
	Turned   bool       `json:"turned" doc:"an orientation tag turns or mirrors it"`
	Profile  bool       `json:"profile" doc:"a colour profile is embedded"`
	Film     *FilmEntry `json:"film,omitempty"`
	Store    string     `json:"store" doc:"that a folder names; empty for both"`
	Language string     `json:"language" doc:"that a folder names"`
	Fits     []FitEntry `json:"fits" doc:"the classes whose size it has"`
	Wrong    []string   `json:"wrong" doc:"what is wrong with it"`
	Fault    string     `json:"fault" doc:"why no store can use it; empty when it can be read"`
	Offset   int64      `json:"offset" doc:"of the fault, in bytes"`
}

// FilmEntry is what a film says of itself.
type FilmEntry struct {
	Seconds   float64      `json:"seconds"`
	FrameRate float64      `json:"frame_rate" doc:"frames a second on average; 0 when it is not known"`
	Codec     string       `json:"codec" doc:"by its sample entry"`
	Profile   string       `json:"profile"`
	Audio     []AudioEntry `json:"audio"`
}

// AudioEntry is one sound track.
type AudioEntry struct {
	Codec    string `json:"codec"`
	Channels int    `json:"channels"`
	Rate     int    `json:"rate" doc:"samples a second"`
}

// FitEntry is a class that a picture fits.
type FitEntry struct {
	Store  string   `json:"store"`
	Class  string   `json:"class"`
	Wrong  []string `json:"wrong" doc:"what else the class does not take of it"`
	Chosen bool     `json:"chosen" doc:"it is counted in this class"`
}

// SetEntry is one class of a store and language.
type SetEntry struct {
	Store    string   `json:"store"`
	Language string   `json:"language"`
	Class    string   `json:"class"`
	Least    int64    `json:"least"`
	Most     int64    `json:"most"`
	Short    int      `json:"short" doc:"how many more are needed"`
	Files    []string `json:"files" doc:"in their order"`
	Over     []string `json:"over" doc:"those over the bound"`
}

// NewPicturesDocument makes the JSON form.
func NewPicturesDocument(x Pictures) *PicturesDocument {
	d := &PicturesDocument{Regola: FormatNumber, Pictures: []PictureEntry{}, Sets: []SetEntry{}}
	for _, e := range x.Entries {
		o := PictureEntry{File: e.File, Kind: e.Kind, Bytes: e.Bytes, Width: e.Width, Height: e.Height, Depth: e.Depth, Colors: e.Colors, Alpha: e.Alpha,
			Animated: e.Animated, Turned: e.Turned, Profile: e.Profile, Store: e.Store, Language: e.Language, Fault: e.Fault, Offset: e.Offset, Wrong: none(x.wrong(e)), Fits: []FitEntry{}}
		if f := e.Film; f != nil {
			o.Film = &FilmEntry{f.Duration.Seconds(), f.FrameRate, f.Codec, f.Profile, []AudioEntry{}}
			for _, a := range f.Audio {
				o.Film.Audio = append(o.Film.Audio, AudioEntry{a.Codec, a.Channels, a.Rate})
			}
		}
		for _, s := range x.Stores {
			for _, f := range e.Fits(s.ID) {
				o.Fits = append(o.Fits, FitEntry{s.ID, f.Class.ID, none(f.Faults), f.Class == e.Class(s.ID)})
			}
		}
		d.Pictures = append(d.Pictures, o)
	}
	for _, s := range x.Sets() {
		o := SetEntry{Store: s.Store, Language: s.Language, Class: s.Class.ID, Least: s.Class.Least, Most: s.Class.Most, Short: s.Short(), Files: []string{}, Over: []string{}}
		for _, e := range s.Pictures {
			o.Files = append(o.Files, e.File)
		}
		for _, e := range s.Over() {
			o.Over = append(o.Over, e.File)
		}
		d.Sets = append(d.Sets, o)
	}
	return d
}
