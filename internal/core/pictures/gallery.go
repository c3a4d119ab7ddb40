package pictures

import (
	"cmp"
	"slices"
	"strings"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/tables"
)

// Gallery is the pictures of a submission as one store sees them.
type Gallery struct {
	fact.Mark       `json:"-"`
	DefaultLanguage string   `json:"default_language"` // whose pictures are shown where a language has none
	All             []*Item  `json:"all"`              // in the order of their names
	Sets            []*Set   `json:"sets"`             // pictures of one class and language
	Languages       []string `json:"languages"`        // in which there are screenshots
}

// Item is one picture, and what a store does with it.
type Item struct {
	fact.Mark `json:"-"`
	Picture
	Language  string       `json:"language"`
	Wanted    string       `json:"wish"`    // the class that its folder or name asks for; empty for none
	Class     string       `json:"class"`   // in which it counts; empty when it fits none
	Slot      string       `json:"slot"`    // of the class, or else of the wish: screenshot, preview, icon, feature, banner, product
	Takes     tables.Takes `json:"takes"`   // what the class takes
	Nearest   string       `json:"nearest"` // when it fits none: the next class, and what it lacks
	Duplicate string       `json:"twin"`    // an earlier picture of its set that is the same file
	Suspect   bool         `json:"suspect"` // so few bytes for its size that it may be empty
	Pixels    *Pixels      `json:"pixels"`  // decoded of icons, graphics of the page and suspects
}

// Set is the pictures of one class and language.
type Set struct {
	fact.Mark   `json:"-"`
	Language    string       `json:"language"`
	Class       string       `json:"class"`
	Slot        string       `json:"slot"`
	Takes       tables.Takes `json:"takes"`        // what the class takes
	Files       []string     `json:"files"`        // in their order
	Over        []string     `json:"over"`         // those beyond the bound of the class
	Portrait    int64        `json:"portrait"`     // how many are higher than wide
	LikeDefault bool         `json:"like_default"` // the same files as in the default language, which is another

	Items []*Item `json:"-"`
}

// Short is how many pictures the class lacks.
func (s *Set) Short() int { return max(0, int(s.Takes.Least)-len(s.Files)) }

// classes are those of one store.
func (l *Library) classes(store string) (out []*tables.PictureClass) {
	for _, c := range l.Classes {
		if c.Store == store {
			out = append(out, c)
		}
	}
	return out
}

// Gallery is the library as a store sees it. Folders named by one of the names
// are the store's; a picture outside the folders of stores belongs to every store
// in which it fits a class, or to all when it fits none. language is that which
// is the default one; when it is empty and all pictures have a language, that
// of the first does.
func (l *Library) Gallery(store string, names []string, language string) *Gallery {
	g := &Gallery{}
	g.SetSelf(l.At)
	var others []*tables.PictureClass
	for _, c := range l.Classes {
		if c.Store != store {
			others = append(others, c)
		}
	}
	own := l.classes(store)
	for _, f := range l.Pictures {
		if f.Store != "" && !slices.Contains(names, f.Store) {
			continue
		}
		c := f.class(own, f.Wanted)
		if f.Store == "" && f.Fault == "" {
			// Another store's: it fits a class there, and none here, or it is an
			// icon there, which is nobody's screenshot.
			if o := f.class(others, f.Wanted); o != nil && (c == nil || lone(o) && !lone(c) && c.ID != f.Wanted) {
				continue
			}
		}
		it := &Item{Picture: *f.Picture, Language: f.Language, Wanted: f.Wanted, Suspect: f.Suspect, Pixels: f.Pixels}
		it.SetSelf(place.Place{File: f.File, Offset: f.Offset})
		if f.Pixels == nil {
			fact.Lose(it, &it.Pixels, fact.Unread(cmp.Or(f.Undone, "it cannot be decoded")))
		} else {
			one := *f.Pixels // each store's tree has its own marks
			it.Pixels = &one
		}
		it.unsaid()
		for _, w := range own {
			if w.ID == f.Wanted {
				it.Slot = w.Slot
			}
		}
		switch {
		case f.Fault != "":
		case c != nil:
			it.Class, it.Slot, it.Takes = c.ID, c.Slot, c.Takes
		default:
			it.Nearest = f.nearest(own, f.Wanted)
		}
		g.All = append(g.All, it)
	}
	g.language(language)
	g.sets(own)
	return g
}

// unsaid loses what a film does not say of itself: a rule must not take it for
// small.
func (it *Item) unsaid() {
	if !it.Film || it.Fault != "" {
		return
	}
	gap := fact.Unread("the film does not say it")
	if it.Seconds == 0 {
		fact.Lose(it, &it.Seconds, gap)
	}
	if it.FrameRate == 0 {
		fact.Lose(it, &it.FrameRate, gap)
	}
	if it.CodecProfile == 0 {
		fact.Lose(it, &it.CodecProfile, gap)
		fact.Lose(it, &it.CodecLevel, gap)
	}
}

// language gives pictures without a language the default one, and all of one
// language the same spelling.
func (g *Gallery) language(language string) {
	if language == "" && len(g.All) > 0 && !slices.ContainsFunc(g.All, func(it *Item) bool { return it.Language == "" }) {
		language = g.All[0].Language
	}
	g.DefaultLanguage = language
	spelling := map[string]string{strings.ToLower(language): language}
	for _, it := range g.All {
		it.Language = cmp.Or(it.Language, language)
		k := strings.ToLower(it.Language)
		if spelling[k] == "" {
			spelling[k] = it.Language
		}
		it.Language = spelling[k]
	}
}

// sets gathers the pictures by language and class, the default language first.
func (g *Gallery) sets(classes []*tables.PictureClass) {
	type key struct{ language, class string }
	found := map[key]*Set{}
	sums := map[key]map[uint64]string{}
	for _, it := range g.All {
		if it.Class == "" {
			continue
		}
		k := key{it.Language, it.Class}
		s := found[k]
		if s == nil {
			s = &Set{Language: it.Language, Class: it.Class, Slot: it.Slot, Takes: it.Takes}
			s.SetSelf(it.Self())
			found[k], sums[k] = s, map[uint64]string{}
			g.Sets = append(g.Sets, s)
		}
		if it.sum != 0 {
			if it.Duplicate = sums[k][it.sum]; it.Duplicate == "" {
				sums[k][it.sum] = it.File
			}
		}
		if it.Height > it.Width {
			s.Portrait++
		}
		s.Items, s.Files = append(s.Items, it), append(s.Files, it.File)
		if it.Slot == "screenshot" && !slices.Contains(g.Languages, it.Language) {
			g.Languages = append(g.Languages, it.Language)
		}
	}
	for _, s := range g.Sets {
		if most := int(s.Takes.Most); most > 0 && len(s.Files) > most {
			s.Over = s.Files[most:]
		}
		base := sums[key{g.DefaultLanguage, s.Class}]
		s.LikeDefault = s.Language != g.DefaultLanguage && len(base) > 0 && !slices.ContainsFunc(s.Items, func(it *Item) bool { return it.sum == 0 || base[it.sum] == "" })
	}
	order := func(id string) int {
		return slices.IndexFunc(classes, func(c *tables.PictureClass) bool { return c.ID == id })
	}
	other := func(language string) int {
		if language == g.DefaultLanguage {
			return 0
		}
		return 1
	}
	slices.SortStableFunc(g.Sets, func(a, b *Set) int {
		return cmp.Or(other(a.Language)-other(b.Language), cmp.Compare(a.Language, b.Language), order(a.Class)-order(b.Class))
	})
}
