// Package sheet draws everything that a visitor of a store page sees, by store
// and language: as one picture, and as one page of HTML that needs nothing else.
// What is wrong is marked where it is. It knows findings, and no rules.
package sheet

import (
	"context"
	"fmt"
	"image"
	"slices"
	"strings"
	"unicode"

	"golang.org/x/text/language"
	"golang.org/x/text/language/display"

	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/pictures"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/tables"
	"regola.example/regola/internal/core/work"
	"regola.example/regola/internal/view"
)

// Bounds of a sheet.
const (
	maxShots  = 400      // pictures
	maxPixels = 24 << 20 // of one picture
)

// Sheet is what is drawn.
type Sheet struct {
	Title string
	Note  string // below the title
	Pages []*Page
}

// Page is one store in one language.
type Page struct {
	Store    string
	Language string // its tag; empty when none is known
	Name     string // of the language, in English
	Default  bool   // the default language
	Texts    []*Text
	Icon     *Shot
	Face     *Shot   // the icon that visitors see: its own, or that of the default language
	Wide     []*Shot // feature graphic, banner, pictures of products
	Rows     []*Row
	Stray    []*Shot // what fits no class
	Wrong    []Mark  // with the page as a whole
}

// Text is a text of a page, with what is seen of it at once.
type Text struct{ Key, Shown, Rest string }

// Row is the pictures of one class, in their order.
type Row struct {
	Class string
	What  string
	Count string // 3 of 10
	Shots []*Shot
	Wrong []Mark
}

// Shot is one picture.
type Shot struct {
	Item  *pictures.Item
	Image image.Image // scaled; nil for films and what cannot be decoded
	Why   string      // there is no image
	Wrong []Mark
}

// Mark is one thing that is wrong.
type Mark struct{ Impact, Say string }

// TooMany is the error of a sheet with more pictures than are drawn.
type TooMany struct{ N int }

// Error implements error.
func (t TooMany) Error() string {
	return fmt.Sprintf("there are %d pictures; a sheet shows at most %d", t.N, maxShots)
}

// Row heights of scaled pictures, in pixels: twice what the page shows, or as much
// where there are many.
const (
	shotHeight = 640
	iconSide   = 256
	manyShots  = 120
	manyHeight = 240
)

// New puts together the pages of some stores as one sheet. d may be nil. only keeps one
// language; empty for all. TooMany says that they are several.
func New(ctx context.Context, galleries []*view.Gallery, d *dossier.Dossier, texts []*tables.PageText, only string) (*Sheet, error) {
	parts := Parts(galleries, d, texts, only)
	if len(parts) > 1 {
		n := 0
		for _, s := range parts {
			n += len(s.shots())
		}
		return nil, TooMany{n}
	}
	return parts[0], parts[0].Draw(ctx)
}

// Parts puts together the pages of some stores as sheets of at most so many pictures as one
// shows; a page is never parted. Their pictures are not drawn yet.
func Parts(galleries []*view.Gallery, d *dossier.Dossier, texts []*tables.PageText, only string) []*Sheet {
	title := "Store pages"
	if d != nil && d.App.Name != "" {
		title = d.App.Name
	}
	var names []string
	var all []*Page
	for _, h := range galleries {
		names = append(names, h.Store.Name)
		var face *Shot
		for _, l := range languages(h, d) {
			p := newPage(h, d, texts, l)
			if p.Icon != nil && (p.Default || face == nil) {
				face = p.Icon
			}
			if p.Face = p.Icon; p.Face == nil {
				p.Face = face
			}
			if only == "" || l == only {
				all = append(all, p)
			}
		}
	}
	sheet := func() *Sheet { return &Sheet{Title: title, Note: strings.Join(names, ", ")} }
	out := []*Sheet{sheet()}
	for n, p := range all {
		last := out[len(out)-1]
		if n > 0 && len(last.shots())+len(p.shots()) > maxShots {
			last = sheet()
			out = append(out, last)
		}
		last.Pages = append(last.Pages, p)
	}
	return out
}

// shots are the pictures of all pages, each once.
func (s *Sheet) shots() (out []*Shot) {
	seen := map[*Shot]bool{}
	for _, p := range s.Pages {
		for _, x := range append(p.shots(), p.Face) {
			if x != nil && !seen[x] {
				seen[x] = true
				out = append(out, x)
			}
		}
	}
	return out
}

// Draw reads and scales the pictures of a sheet.
func (s *Sheet) Draw(ctx context.Context) error {
	shots := s.shots()
	height := shotHeight
	if len(shots) > manyShots {
		height = manyHeight
	}
	return work.Each(ctx, len(shots), func(i int) { shots[i].draw(height) })
}

// text is a text of a page as far as it is seen at once.
func (p *Page) text(keys ...string) *Text {
	for _, k := range keys {
		for _, t := range p.Texts {
			if t.Key == k {
				return t
			}
		}
	}
	return nil
}

// Head is the app's name on the page, or nil.
func (p *Page) Head() *Text { return p.text("name") }

// Line is the text below the name, or nil.
func (p *Page) Line() *Text { return p.text("tagline", "pitch") }

// Others are the texts of a page but for its name and the line below it.
func (p *Page) Others() (out []*Text) {
	for _, t := range p.Texts {
		if t != p.Head() && t != p.Line() {
			out = append(out, t)
		}
	}
	return out
}

// languages are those of a store's pictures and texts, the default one first.
func languages(h *view.Gallery, d *dossier.Dossier) []string {
	out := []string{h.Gallery.DefaultLanguage}
	add := func(l string) {
		if !slices.Contains(out, l) {
			out = append(out, l)
		}
	}
	for _, set := range h.Gallery.Sets {
		add(set.Language)
	}
	for _, it := range h.Gallery.All {
		add(it.Language)
	}
	if d != nil {
		for _, l := range d.Listing {
			add(l.Locale)
		}
	}
	return out
}

func newPage(h *view.Gallery, d *dossier.Dossier, texts []*tables.PageText, tag string) *Page {
	p := &Page{Store: h.Store.Name, Language: tag, Name: tag, Default: tag == h.Gallery.DefaultLanguage}
	if t, err := language.Parse(tag); err == nil && tag != "" {
		p.Name = display.English.Tags().Name(t)
	}
	all := h.Faults()
	shot := map[string]*Shot{}
	for _, it := range h.Gallery.All {
		if it.Language != tag {
			continue
		}
		s := &Shot{Item: it, Wrong: marks(all.Of(it))}
		shot[it.File] = s
		if it.Class == "" {
			p.Stray = append(p.Stray, s)
		}
	}
	for _, set := range h.Gallery.Sets {
		if set.Language != tag {
			continue
		}
		r := &Row{Class: set.Class, What: set.Takes.What, Count: fmt.Sprint(len(set.Files)), Wrong: marks(all.Of(set))}
		if set.Takes.Most > 0 {
			r.Count += fmt.Sprintf(" of %d", set.Takes.Most)
		}
		for _, it := range set.Items {
			r.Shots = append(r.Shots, shot[it.File])
		}
		switch set.Slot {
		case "icon":
			p.Icon = r.Shots[0]
			p.Icon.Wrong = append(p.Icon.Wrong, r.Wrong...)
		case "screenshot", "preview":
			p.Rows = append(p.Rows, r)
		default:
			p.Wide = append(p.Wide, r.Shots...)
		}
	}
	if p.Default {
		p.Wrong = marks(all.Page())
	}
	if d != nil {
		for _, l := range d.Listing {
			if l.Locale == tag {
				p.Texts = cut(l.For(h.Store.Blocks), h.Store.ID, texts)
			}
		}
	}
	return p
}

func marks(list []view.Fault) (out []Mark) {
	for _, w := range list {
		out = append(out, Mark{string(w.Impact), w.Say})
	}
	slices.SortStableFunc(out, func(a, b Mark) int {
		return slices.Index(rulebook.Impacts, rulebook.Impact(a.Impact)) - slices.Index(rulebook.Impacts, rulebook.Impact(b.Impact))
	})
	return out
}

// cut parts the texts of a page where the store does.
func cut(t dossier.Texts, store string, rows []*tables.PageText) (out []*Text) {
	for _, r := range rows {
		text := t.Text(r.Text)
		if r.Store != store || text == "" {
			continue
		}
		runes := []rune(text)
		n := len(runes)
		if r.Shown > 0 {
			n = wordEnd(runes, min(n, int(r.Shown)))
		}
		out = append(out, &Text{r.Text, string(runes[:n]), string(runes[n:])})
	}
	return out
}

// longestWord is how far a cut goes back to the end of a word, in letters; scripts without
// blanks are cut where they are.
const longestWord = 24

// wordEnd is where a text of which n letters are shown is cut: at the end of a word.
func wordEnd(text []rune, n int) int {
	if n == len(text) || text[n] == ' ' || text[n] == '\n' {
		return n
	}
	for i := n; i > max(0, n-longestWord); i-- {
		if unicode.IsSpace(text[i-1]) {
			return i - 1
		}
	}
	return n
}

// shots are all pictures of a page.
func (p *Page) shots() (out []*Shot) {
	if p.Icon != nil {
		out = append(out, p.Icon)
	}
	out = append(out, p.Wide...)
	for _, r := range p.Rows {
		out = append(out, r.Shots...)
	}
	return append(out, p.Stray...)
}

// draw decodes a picture and scales it to a height or width.
func (s *Shot) draw(side int) {
	it := s.Item
	switch {
	case s.Image != nil || s.Why != "": // drawn for an earlier sheet
		return
	case it.Fault != "":
		s.Why = it.Fault
		return
	case it.Film:
		s.Why = fmt.Sprintf("film, %.1f seconds", it.Seconds)
		return
	}
	if it.Slot == "icon" {
		side = iconSide
	}
	m, err := it.Small(side, maxPixels)
	if err != nil {
		s.Why = err.Error()
		return
	}
	s.Image = m
}

// worst is the gravest impact of some marks; empty for none.
func worst(list []Mark) string {
	if len(list) == 0 {
		return ""
	}
	return list[0].Impact
}
