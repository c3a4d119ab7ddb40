package report

import (
	"cmp"
	"fmt"
	"io"
	"slices"
	"strings"

	"github.com/rivo/uniseg"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/pictures"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/tables"
	"regola.example/regola/internal/view"
)

// Pictures is what was found in folders of pictures.
type Pictures struct {
	Folder string // in which all lie; empty when they lie in several
	Found  []*pictures.Found
	Stores []*view.Gallery

	Dossier *dossier.Dossier // nil when there is none
}

// name is a picture's path within the one folder.
func (x Pictures) name(file string) string {
	if in, ok := strings.CutPrefix(file, x.Folder+"/"); ok && x.Folder != "" {
		return in
	}
	return file
}

// short leaves the one folder out of the paths in a text.
func (x Pictures) short(say string) string {
	if x.Folder == "" {
		return say
	}
	return strings.ReplaceAll(say, x.Folder+"/", "")
}

// wrong is one thing that is wrong with a picture, with the stores that say so.
type wrong struct {
	view.Fault
	stores []string
}

// seen is a picture in the stores that see it.
type seen struct {
	found *pictures.Found
	fits  []string // store and class
	wrong []*wrong
}

// list puts together what the stores see of each picture.
func (x Pictures) list() (out []*seen) {
	byFile := map[string]*seen{}
	for _, f := range x.Found {
		h := &seen{found: f}
		byFile[f.File] = h
		out = append(out, h)
	}
	for _, s := range x.Stores {
		all := s.Faults()
		for _, it := range s.All {
			h := byFile[it.File]
			if it.Class != "" {
				h.fits = append(h.fits, s.Store.ID+" "+it.Class)
			}
			for _, f := range all.Of(it) {
				if k := slices.IndexFunc(h.wrong, func(o *wrong) bool { return o.Rule == f.Rule && o.Say == f.Say }); k >= 0 {
					h.wrong[k].stores = append(h.wrong[k].stores, s.Store.ID)
				} else {
					h.wrong = append(h.wrong, &wrong{f, []string{s.Store.ID}})
				}
			}
		}
	}
	for _, h := range out {
		slices.SortStableFunc(h.wrong, func(a, b *wrong) int {
			return slices.Index(rulebook.Impacts, a.Impact) - slices.Index(rulebook.Impacts, b.Impact)
		})
	}
	return out
}

// Failed tells whether something would keep a page from being sent.
func (x Pictures) Failed() bool {
	for _, s := range x.Stores {
		for _, v := range s.Verdicts {
			if slices.ContainsFunc(v.Faults, func(f *check.Fault) bool { return f.Impact.Level() == rulebook.Error }) {
				return true
			}
		}
	}
	return false
}

// PicturesText writes every picture with the classes that it fits and what is
// wrong, then the classes of each store and language.
func PicturesText(w io.Writer, x Pictures, look Style) error {
	p := &printer{w: w, look: look}
	list := x.list()
	films, faulty := 0, 0
	name, size := 4, 6
	for _, h := range list {
		if h.found.Film {
			films++
		}
		if len(h.wrong) > 0 {
			faulty++
		}
		name = min(max(name, uniseg.StringWidth(x.name(h.found.File))), 44)
		size = max(size, len(shape(h.found.Picture)))
	}
	head := Count(len(list)-films, "picture", "pictures")
	if films > 0 {
		head += " and " + Count(films, "film", "films")
	}
	rest := ", nothing wrong with any"
	if faulty > 0 {
		rest = fmt.Sprintf(", something wrong with %d", faulty)
	}
	if x.Folder != "" {
		rest = " in " + x.Folder + rest
	}
	p.line("%s%s", p.strong(head), p.dim(rest))
	p.line("")
	for _, h := range list {
		text, style := strings.Join(h.fits, ", "), styleGood
		if text == "" {
			text = "fits no class"
		}
		for _, w := range h.wrong {
			style = styleImpact[w.Impact]
			break
		}
		p.line("  %s  %s  %s", p.path(pad(x.name(h.found.File), name)), pad(shape(h.found.Picture), size), p.look.paint(style, text))
		for _, w := range h.wrong {
			say := w.Say
			if w.At.Offset > 0 {
				say += fmt.Sprintf(" (byte %d)", w.At.Offset)
			}
			if len(x.Stores) > 1 && len(w.stores) < len(x.Stores) && h.found.Store == "" {
				say += " (" + strings.Join(w.stores, ", ") + ")"
			}
			p.block(4, pad(string(w.Impact), 10), styleImpact[w.Impact], x.short(say), nil)
		}
	}
	for _, s := range x.Stores {
		p.gallery(x, s)
	}
	return p.err
}

// gallery writes how full the classes of a store are, by language.
func (p *printer) gallery(x Pictures, s *view.Gallery) {
	all := s.Faults()
	title := func(language string) {
		p.line("")
		text := s.Store.Name
		if language != "" {
			text += ", " + language
		}
		p.line("%s", p.strong(text))
	}
	g := s.Gallery
	if len(g.Sets) == 0 || g.Sets[0].Language != g.DefaultLanguage {
		title(g.DefaultLanguage)
		p.needs(s)
	}
	for i, set := range g.Sets {
		if i == 0 || set.Language != g.Sets[i-1].Language {
			title(set.Language)
		}
		text, style := fmt.Sprintf("%d", len(set.Files)), styleGood
		if set.Takes.Most > 0 {
			text += fmt.Sprintf(" of %d", set.Takes.Most)
		}
		if also := serves(g, set, s.Classes); len(also) > 0 {
			text += ", also shown as " + strings.Join(also, ", ")
		}
		wrong := all.Of(set)
		if len(wrong) > 0 {
			style = styleImpact[wrong[0].Impact]
		}
		p.block(2, pad(set.Class, 20), styleDim, text, style)
		for _, w := range wrong {
			p.block(4, pad(string(w.Impact), 10), styleImpact[w.Impact], x.short(w.Say), nil)
		}
		if set.Language == g.DefaultLanguage && (i+1 == len(g.Sets) || g.Sets[i+1].Language != set.Language) {
			p.needs(s)
		}
	}
	for _, w := range all.Page() {
		p.block(2, pad(string(w.Impact), 20), styleImpact[w.Impact], w.Say, nil)
	}
}

// serves lists the classes without pictures that show those of a set.
func serves(g *pictures.Gallery, set *pictures.Set, classes []*tables.PictureClass) (out []string) {
	has := func(id string) bool {
		return slices.ContainsFunc(g.Sets, func(o *pictures.Set) bool { return o.Language == set.Language && o.Class == id })
	}
	for _, c := range classes {
		if i := slices.IndexFunc(c.ScaledFrom, has); !has(c.ID) && i >= 0 && c.ScaledFrom[i] == set.Class {
			out = append(out, c.ID)
		}
	}
	return out
}

// needs writes the pictures that some apps need and that are not there.
func (p *printer) needs(s *view.Gallery) {
	for _, n := range s.Needs {
		if slices.ContainsFunc(s.Gallery.Sets, func(o *pictures.Set) bool {
			return o.Language == s.Gallery.DefaultLanguage && slices.Contains(n.Any, o.Class)
		}) {
			continue
		}
		who, style := "every app needs it", styleImpact[rulebook.Impact(n.Impact)]
		switch n.Device {
		case "":
		case "clip":
			who, style = "needed if there is an app clip", styleDim
		case "messages":
			who, style = "needed if the app runs in messages only", styleDim
		default:
			who, style = "needed if the app runs on a "+n.Device, styleDim
		}
		p.block(2, pad(n.Any[0], 20), styleDim, "none; "+who, style)
	}
}

// shape says size and kind of a picture in a few characters.
func shape(e *pictures.Picture) string {
	if e.Width == 0 {
		return e.Kind
	}
	text := fmt.Sprintf("%dx%d %s", e.Width, e.Height, e.Kind)
	switch {
	case e.Film:
		text += fmt.Sprintf(" %.1f s", e.Seconds)
	case e.Alpha:
		text += " alpha"
	}
	return text
}

// PicturesDocument is the JSON form of regola pictures.
type PicturesDocument struct {
	Regola   int            `json:"regola" doc:"the number of this format"`
	Pictures []PictureEntry `json:"pictures" doc:"in the order of their names"`
	Sets     []SetEntry     `json:"sets" doc:"the classes of each store and language that have pictures"`
	Missing  []MissingEntry `json:"missing" doc:"what a page in the default language lacks when the app runs on some devices"`
	Page     []PageEntry    `json:"page" doc:"what is wrong with the pictures of a page as a whole"`
}

// PictureEntry is one picture or film.
type PictureEntry struct {
	File     string       `json:"file"`
	Kind     string       `json:"kind" doc:"by content: png, jpeg, webp, gif, heic, avif, mp4, mov, webm; empty when it is none"`
	Bytes    int64        `json:"bytes"`
	Width    int64        `json:"width" doc:"pixels as shown"`
	Height   int64        `json:"height" doc:"pixels as shown"`
	Depth    int64        `json:"depth" doc:"bits a sample; 0 when it is not known"`
	Colors   string       `json:"colors" doc:"gray, rgb, palette, ycbcr, cmyk, or empty when it is not known"`
	Alpha    bool         `json:"alpha"`
	Animated bool         `json:"animated"`
	Turned   bool         `json:"turned" doc:"an orientation tag turns or mirrors it"`
	Profile  bool         `json:"profile" doc:"a colour profile is embedded"`
	Film     *FilmEntry   `json:"film,omitempty"`
	Store    string       `json:"store" doc:"that a folder names; empty for all"`
	Language string       `json:"language" doc:"that a folder names"`
	Asked    string       `json:"asked" doc:"the class that a folder or the name asks for"`
	Fits     []FitEntry   `json:"fits" doc:"where it counts"`
	Wrong    []WrongEntry `json:"wrong" doc:"what is wrong with it"`
	Offset   int64        `json:"offset" doc:"of damage, in bytes"`
}

// FilmEntry is what a film says of itself.
type FilmEntry struct {
	Seconds   float64      `json:"seconds"`
	FrameRate float64      `json:"frame_rate" doc:"frames a second on average; 0 when it is not known"`
	Codec     string       `json:"codec" doc:"by its sample entry"`
	Profile   int64        `json:"profile" doc:"of H.264, by its number"`
	Level     float64      `json:"level" doc:"of H.264"`
	Audio     []AudioEntry `json:"audio"`
}

// AudioEntry is one sound track.
type AudioEntry struct {
	Codec    string `json:"codec"`
	Channels int64  `json:"channels"`
	Rate     int64  `json:"rate" doc:"samples a second"`
}

// FitEntry is a class in which a picture counts.
type FitEntry struct {
	Store string `json:"store"`
	Class string `json:"class"`
}

// WrongEntry is one thing that is wrong.
type WrongEntry struct {
	Rule   string   `json:"rule"`
	Impact string   `json:"impact"`
	Say    string   `json:"say"`
	Fix    string   `json:"fix"`
	Stores []string `json:"stores"`
}

// SetEntry is one class of a store and language.
type SetEntry struct {
	Store    string       `json:"store"`
	Language string       `json:"language"`
	Class    string       `json:"class"`
	Least    int64        `json:"least"`
	Most     int64        `json:"most"`
	Short    int          `json:"short" doc:"how many more are needed"`
	Files    []string     `json:"files" doc:"in their order"`
	Over     []string     `json:"over" doc:"those over the bound"`
	Serves   []string     `json:"serves" doc:"classes without pictures that show these"`
	Wrong    []WrongEntry `json:"wrong"`
}

// MissingEntry is a class without pictures that some apps need.
type MissingEntry struct {
	Store  string   `json:"store"`
	Any    []string `json:"any" doc:"classes, of which one is enough"`
	Device string   `json:"device" doc:"that needs it when the app runs on it; empty for every app"`
	Impact string   `json:"impact"`
}

// PageEntry is what is wrong with a store's page.
type PageEntry struct {
	Store string       `json:"store"`
	Wrong []WrongEntry `json:"wrong"`
}

func wrongEntries(list []*wrong) []WrongEntry {
	out := []WrongEntry{}
	for _, w := range list {
		out = append(out, WrongEntry{w.Rule.ID, string(w.Impact), w.Say, w.Fix, w.stores})
	}
	return out
}

// ofStore are the faults that one store sees.
func ofStore(list []view.Fault, store string) (out []*wrong) {
	for _, f := range list {
		out = append(out, &wrong{f, []string{store}})
	}
	return out
}

// NewPicturesDocument makes the JSON form.
func NewPicturesDocument(x Pictures) *PicturesDocument {
	d := &PicturesDocument{Regola: FormatNumber, Pictures: []PictureEntry{}, Sets: []SetEntry{}, Missing: []MissingEntry{}, Page: []PageEntry{}}
	for _, h := range x.list() {
		e := h.found
		o := PictureEntry{File: e.File, Kind: e.Kind, Bytes: e.Bytes, Width: e.Width, Height: e.Height, Depth: e.Depth, Colors: e.Colors, Alpha: e.Alpha,
			Animated: e.Animated, Turned: e.Turned, Profile: e.Profile, Store: e.Store, Language: e.Language, Asked: e.Wanted, Offset: e.Offset,
			Wrong: wrongEntries(h.wrong), Fits: []FitEntry{}}
		if e.Film {
			o.Film = &FilmEntry{e.Seconds, e.FrameRate, e.Codec, e.CodecProfile, e.CodecLevel, []AudioEntry{}}
			for _, a := range e.Sound {
				o.Film.Audio = append(o.Film.Audio, AudioEntry{a.Codec, a.Channels, a.Rate})
			}
		}
		for _, f := range h.fits {
			store, class, _ := strings.Cut(f, " ")
			o.Fits = append(o.Fits, FitEntry{store, class})
		}
		d.Pictures = append(d.Pictures, o)
	}
	for _, s := range x.Stores {
		all := s.Faults()
		for _, set := range s.Gallery.Sets {
			d.Sets = append(d.Sets, SetEntry{Store: s.Store.ID, Language: set.Language, Class: set.Class, Least: set.Takes.Least, Most: set.Takes.Most, Short: set.Short(),
				Files: none(set.Files), Over: none(set.Over), Serves: none(serves(s.Gallery, set, s.Classes)), Wrong: wrongEntries(ofStore(all.Of(set), s.Store.ID))})
		}
		for _, n := range s.Needs {
			if !slices.ContainsFunc(s.Gallery.Sets, func(o *pictures.Set) bool {
				return o.Language == s.Gallery.DefaultLanguage && slices.Contains(n.Any, o.Class)
			}) {
				d.Missing = append(d.Missing, MissingEntry{s.Store.ID, n.Any, n.Device, n.Impact})
			}
		}
		d.Page = append(d.Page, PageEntry{s.Store.ID, wrongEntries(ofStore(all.Page(), s.Store.ID))})
	}
	return d
}

// RetouchDocument is the copies of pictures in their JSON form.
type RetouchDocument struct {
	Regola   int64            `json:"regola"` // version of this form
	Folder   string           `json:"folder" doc:"of the copies"`
	Pictures []RetouchEntry   `json:"pictures"`
	Still    []RetouchedStill `json:"still" doc:"what is wrong with the copies, as they were judged"`
}

// RetouchEntry is one picture.
type RetouchEntry struct {
	From string   `json:"from" doc:"the picture"`
	File string   `json:"file" doc:"the copy; empty when there is none"`
	Done []string `json:"done" doc:"what is different; empty for a copy byte for byte"`
	Left []string `json:"left" doc:"what could not be done, and why"`
}

// RetouchedStill is a fault of a copy.
type RetouchedStill struct {
	File  string `json:"file"`
	Rule  string `json:"rule"`
	Found string `json:"found"`
	Fix   string `json:"fix"`
}

// NewRetouchDocument puts the copies, and what was found when they were judged, into their
// JSON form.
func NewRetouchDocument(folder string, list []*view.Retouched, after Pictures) *RetouchDocument {
	d := &RetouchDocument{Regola: FormatNumber, Folder: folder, Pictures: []RetouchEntry{}, Still: []RetouchedStill{}}
	for _, x := range list {
		e := RetouchEntry{x.From, x.Name, none(x.Done), none(x.Left)}
		if x.Skipped {
			e.File = ""
		}
		d.Pictures = append(d.Pictures, e)
	}
	for _, s := range after.list() {
		for _, f := range s.wrong {
			d.Still = append(d.Still, RetouchedStill{after.name(s.found.File), f.Rule.ID, after.short(f.Say), after.short(f.Fix)})
		}
	}
	return d
}

// RetouchText writes the copies for people: what is different, what could not be done, and
// what is wrong with the copies all the same.
func RetouchText(w io.Writer, d *RetouchDocument, look Style) error {
	p := &printer{w: w, look: look}
	changed, left, made := 0, 0, 0
	for _, x := range d.Pictures {
		if x.File != "" {
			made++
		}
		if len(x.Done) > 0 {
			changed++
		}
		if len(x.Left) > 0 {
			left++
		}
	}
	p.line("%s", p.strong(fmt.Sprintf("Wrote %s into %s: %d changed, %d as they were.", Count(made, "picture", "pictures"), d.Folder, changed, made-changed)))
	for _, x := range d.Pictures {
		if len(x.Done)+len(x.Left) == 0 {
			continue
		}
		p.line("")
		p.line("%s", p.path(cmp.Or(x.File, x.From)))
		for _, t := range x.Done {
			p.block(2, "", nil, t, nil)
		}
		for _, t := range x.Left {
			p.block(2, "not done: ", styleImpact[rulebook.Blocked], t, nil)
		}
	}
	if len(d.Still) > 0 {
		p.line("")
		p.line("%s", p.strong("Still wrong"))
		for _, s := range d.Still {
			p.line("  %s", p.path(s.File))
			p.block(4, "", nil, s.Found+" ["+s.Rule+"]", nil)
			p.block(4, "fix ", styleDim, s.Fix, nil)
		}
	}
	if len(d.Still) == 0 && left == 0 {
		p.line("")
		p.line("Nothing is wrong with the copies.")
	}
	return p.err
}
