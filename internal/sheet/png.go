package sheet

import (
	"errors"
	"fmt"
	"image"
	"image/color"
	"image/draw"
	"io"
	"path"
	"slices"
	"strings"
	"unicode"

	xdraw "golang.org/x/image/draw"

	"regola.example/regola/internal/canvas"
	"regola.example/regola/internal/core/sanitize"
)

// Theme is the colours of a sheet.
type Theme struct {
	ground, panel, line, ink, dim, accent color.RGBA
	impact                                map[string]color.RGBA
}

// The themes.
var (
	Light = Theme{canvas.RGB(0xf5f1ea), canvas.RGB(0xffffff), canvas.RGB(0xe2d9cc), canvas.RGB(0x241a15), canvas.RGB(0x85786c), canvas.RGB(0x2f6f62),
		map[string]color.RGBA{"refused": canvas.RGB(0xb3261e), "blocked": canvas.RGB(0xb3261e), "rejected": canvas.RGB(0xa85b00), "reach": canvas.RGB(0xa85b00), "craft": canvas.RGB(0x4a6a8a)}}
	Dark = Theme{canvas.RGB(0x191512), canvas.RGB(0x262019), canvas.RGB(0x3b332a), canvas.RGB(0xf3eadf), canvas.RGB(0xa99b8c), canvas.RGB(0x7cc3b2),
		map[string]color.RGBA{"refused": canvas.RGB(0xff8a80), "blocked": canvas.RGB(0xff8a80), "rejected": canvas.RGB(0xffb45c), "reach": canvas.RGB(0xffb45c), "craft": canvas.RGB(0x9bbfe0)}}
)

// Measures of the picture, in pixels.
const (
	width     = 1600
	margin    = 48
	gap       = 20
	rowHeight = 320 // of the highest picture of a row
	maxHeight = 24_000
)

// ErrHigh is returned for a sheet that would be too high for a picture.
var ErrHigh = errors.New("the picture would be more than 24,000 pixels high")

// painter lays out from top to bottom. It remembers what is to be drawn; a measuring one
// does not.
type painter struct {
	th        Theme
	y         int
	measuring bool
	ops       []op
}

// op is something to draw, and where.
type op struct {
	r    image.Rectangle
	draw func(c canvas.Canvas)
}

func (p *painter) later(r image.Rectangle, draw func(c canvas.Canvas)) {
	if !p.measuring {
		p.ops = append(p.ops, op{r, draw})
	}
}

// ByHeight parts a sheet into those whose pictures are not too high; a page that is too high
// alone is a part of its own.
func (s *Sheet) ByHeight() []*Sheet {
	part := func(pages []*Page) *Sheet { return &Sheet{Title: s.Title, Note: s.Note, Pages: pages} }
	var out []*Sheet
	from := 0
	for i := range s.Pages {
		p := &painter{measuring: true}
		p.sheet(part(s.Pages[from : i+1]))
		if p.y > maxHeight && i > from {
			out = append(out, part(s.Pages[from:i]))
			from = i
		}
	}
	return append(out, part(s.Pages[from:]))
}

// PNG draws the sheet as one picture.
func PNG(w io.Writer, s *Sheet, th Theme) error {
	p := &painter{th: th}
	p.sheet(s)
	if p.y > maxHeight {
		return ErrHigh
	}
	return canvas.PNG(w, width, p.y, th.ground, func(c canvas.Canvas) {
		for _, o := range p.ops {
			if o.r.Overlaps(c.Bounds()) {
				o.draw(c)
			}
		}
	})
}

func (p *painter) text(x, y int, s string, size float64, w canvas.Weight, col color.Color) {
	r := image.Rect(0, y-int(2*size), width, y+int(size)) // letters with marks reach far
	p.later(r, func(c canvas.Canvas) { c.Text(x, y, sanitize.Text(s), size, w, col) })
}

func (p *painter) round(r image.Rectangle, radius float64, col color.Color) {
	p.later(r, func(c canvas.Canvas) { c.Round(r, radius, col) })
}

func (p *painter) fill(r image.Rectangle, col color.Color) {
	p.later(r, func(c canvas.Canvas) { c.Fill(r, col) })
}

// frame draws a border around a rectangle.
func (p *painter) frame(r image.Rectangle, width int, col color.Color) {
	for _, side := range []image.Rectangle{
		image.Rect(r.Min.X-width, r.Min.Y-width, r.Max.X+width, r.Min.Y), image.Rect(r.Min.X-width, r.Max.Y, r.Max.X+width, r.Max.Y+width),
		image.Rect(r.Min.X-width, r.Min.Y, r.Min.X, r.Max.Y), image.Rect(r.Max.X, r.Min.Y, r.Max.X+width, r.Max.Y)} {
		p.fill(side, col)
	}
}

func (p *painter) sheet(s *Sheet) {
	p.y = margin + 40
	p.text(margin, p.y, s.Title, 40, canvas.Bold, p.th.ink)
	p.y += 30
	p.text(margin, p.y, s.Note, 18, canvas.Regular, p.th.dim)
	p.y += 34
	for _, page := range s.Pages {
		p.page(page)
	}
	p.y += margin - gap
}

func (p *painter) page(page *Page) {
	start := p.y
	// Twice: once to know how high the panel is, and once on it.
	measure := &painter{th: p.th, y: start, measuring: true}
	measure.content(page)
	p.round(image.Rect(margin-24, start, width-margin+24, measure.y), 18, p.th.line)
	p.round(image.Rect(margin-23, start+1, width-margin+23, measure.y-1), 17, p.th.panel)
	p.content(page)
	p.y += gap
}

func (p *painter) content(page *Page) {
	p.y += 42
	title := page.Store
	if page.Name != "" {
		title += " · " + page.Name
	}
	p.text(margin, p.y, title, 26, canvas.Bold, p.th.ink)
	if page.Default && page.Language != "" {
		p.text(margin+canvas.Width(sanitize.Text(title), 26, canvas.Bold)+14, p.y, "default language", 16, canvas.Regular, p.th.dim)
	}
	p.y += 16
	for _, m := range page.Wrong {
		p.y += 22
		p.mark(margin, m, width-2*margin)
	}
	p.face(page)
	if page.Icon != nil || len(page.Wide) > 0 {
		p.head(page)
	}
	rows := page.Rows
	if len(page.Stray) > 0 {
		rows = append(slices.Clip(rows), &Row{What: "not counted", Count: fmt.Sprint(len(page.Stray)), Shots: page.Stray})
	}
	// Classes with few pictures stand beside each other.
	x, top, bottom := margin, p.y, p.y
	for _, r := range rows {
		wide := min(r.width(), width-2*margin)
		if x > margin && x+wide > width-margin {
			x, top = margin, bottom
		}
		p.y = top
		p.row(r, x, wide)
		bottom = max(bottom, p.y)
		x += wide + 2*gap
	}
	p.y = bottom
	if page.Icon == nil && len(page.Wide) == 0 && len(page.Rows) == 0 && len(page.Stray) == 0 {
		p.y += 30
		p.text(margin, p.y, "no pictures of its own", 16, canvas.Regular, p.th.dim)
	}
	p.y += 28
}

// face shows the icon beside the name and the line below it, as lists of apps do. Texts in
// scripts that the font lacks are left to the page of HTML.
func (p *painter) face(page *Page) {
	name := page.Head()
	if name == nil || !drawn(name.Shown) {
		return
	}
	const side = 72
	p.y += 20
	x := margin
	if page.Face != nil && page.Face.Image != nil {
		p.icon(page.Face.Image, image.Pt(x, p.y), side, rounded(side))
		x += side + 18
	}
	p.text(x, p.y+30, canvas.Fit(sanitize.Text(name.Shown), 24, canvas.Bold, width-margin-x), 24, canvas.Bold, p.th.ink)
	if line := page.Line(); line != nil && drawn(line.Shown) {
		p.text(x, p.y+58, canvas.Fit(sanitize.Text(line.Shown), 17, canvas.Regular, width-margin-x), 17, canvas.Regular, p.th.dim)
	}
	p.y += side + 4
}

// drawn tells whether the font has all letters of a text.
func drawn(s string) bool {
	return !strings.ContainsFunc(s, func(r rune) bool {
		return unicode.IsLetter(r) && !unicode.In(r, unicode.Latin, unicode.Greek, unicode.Cyrillic) || unicode.IsMark(r) || r > 0x2fff
	})
}

// mark writes what is wrong, its impact first.
func (p *painter) mark(x int, m Mark, room int) {
	col := p.th.impact[m.Impact]
	p.text(x, p.y, m.Impact, 15, canvas.Bold, col)
	at := x + canvas.Width(m.Impact, 15, canvas.Bold) + 10
	p.text(at, p.y, canvas.Fit(sanitize.Text(m.Say), 15, canvas.Regular, room-(at-x)), 15, canvas.Regular, p.th.ink)
}

// grounds are what icons are shown on: a light and a dark home screen, and one of
// a warm picture.
var grounds = []struct {
	name     string
	from, to color.RGBA
	ink      color.RGBA
}{
	{"light", canvas.RGB(0xf4f4f6), canvas.RGB(0xe3e6ea), canvas.RGB(0x333333)},
	{"dark", canvas.RGB(0x23262b), canvas.RGB(0x0f1114), canvas.RGB(0xdddddd)},
	{"picture", canvas.RGB(0x5d7f8d), canvas.RGB(0xc8956c), canvas.RGB(0xffffff)},
}

// head shows the icon under masks on its grounds, and the wide pictures.
func (p *painter) head(page *Page) {
	p.y += 20
	x, top, bottom := margin, p.y, p.y
	if page.Icon != nil {
		const tileW, tileH = 268, 176
		for _, g := range grounds {
			p.tile(image.Rect(x, top, x+tileW, top+tileH), g.from, g.to, g.ink, page.Icon, g.name)
			x += tileW + 12
		}
		bottom = top + tileH + p.captions(margin, top+tileH, 3*tileW+24, page.Icon)
		x += 12
	}
	for _, s := range page.Wide {
		w, h := 400, 195
		if s.Image != nil {
			b := s.Image.Bounds()
			h = min(195, w*b.Dy()/b.Dx())
			w = h * b.Dx() / b.Dy()
		}
		if x+w > width-margin {
			x, top = margin, bottom+gap
		}
		p.shot(s, image.Rect(x, top, x+w, top+h))
		bottom = max(bottom, top+h+p.captions(x, top+h, max(w, 220), s))
		x += max(w, 220) + gap
	}
	p.y = bottom
}

// tile shows an icon under three masks, and at the size of a home screen.
func (p *painter) tile(r image.Rectangle, from, to, ink color.RGBA, s *Shot, name string) {
	p.later(r, func(c canvas.Canvas) {
		ground := image.NewRGBA(image.Rect(0, 0, r.Dx(), r.Dy()))
		for y := range r.Dy() {
			mix := func(a, b uint8) uint8 { return uint8((int(a)*(r.Dy()-y) + int(b)*y) / r.Dy()) }
			draw.Draw(ground, image.Rect(0, y, r.Dx(), y+1), image.NewUniform(color.RGBA{mix(from.R, to.R), mix(from.G, to.G), mix(from.B, to.B), 255}), image.Point{}, draw.Src)
		}
		draw.DrawMask(c, r, ground, image.Point{}, canvas.RoundMask(r.Dx(), r.Dy(), 14), image.Point{}, draw.Over)
	})
	if s.Image == nil {
		p.text(r.Min.X+14, r.Min.Y+90, canvas.Fit(sanitize.Text(s.Why), 14, canvas.Regular, r.Dx()-28), 14, canvas.Regular, ink)
		return
	}
	const big, small = 72, 40
	for i, mask := range []func(int) *image.Alpha{circle, rounded, canvas.SquircleMask} {
		at := image.Pt(r.Min.X+16+i*(big+10), r.Min.Y+16)
		p.icon(s.Image, at, big, mask(big))
		p.icon(s.Image, image.Pt(at.X+(big-small)/2, r.Min.Y+106), small, mask(small))
	}
	p.text(r.Min.X+16, r.Max.Y-10, name, 13, canvas.Regular, ink)
}

func circle(side int) *image.Alpha  { return canvas.RoundMask(side, side, float64(side)/2) }
func rounded(side int) *image.Alpha { return canvas.RoundMask(side, side, float64(side)*0.22) }

func (p *painter) icon(m image.Image, at image.Point, side int, mask *image.Alpha) {
	r := image.Rectangle{at, at.Add(image.Pt(side, side))}
	p.later(r, func(c canvas.Canvas) {
		small := image.NewRGBA(image.Rect(0, 0, side, side))
		xdraw.BiLinear.Scale(small, small.Rect, m, m.Bounds(), xdraw.Src, nil)
		draw.DrawMask(c, r, small, image.Point{}, mask, image.Point{}, draw.Over)
	})
}

// Note is what stands beside the name of a class.
func (r *Row) Note() string {
	if r.Class == "" || r.Class == r.What {
		return r.Count
	}
	return r.Class + " · " + r.Count
}

// sizes are those of a class's pictures at one scale, and of the column of each.
func (r *Row) sizes() (sizes []image.Point, columns []int) {
	longest := int64(1)
	for _, s := range r.Shots {
		longest = max(longest, s.Item.Height)
	}
	for _, s := range r.Shots {
		w, h := 160, 90
		if it := s.Item; it.Width > 0 && it.Height > 0 {
			h = max(40, int(it.Height*rowHeight/longest))
			w = int(it.Width * int64(h) / it.Height)
			if w > 520 {
				w, h = 520, max(1, int(520*it.Height/it.Width))
			}
		}
		sizes, columns = append(sizes, image.Pt(w, h)), append(columns, max(w, 190))
	}
	return sizes, columns
}

// width is how wide a class is when all its pictures stand in one line.
func (r *Row) width() int {
	_, columns := r.sizes()
	w := -gap
	for _, c := range columns {
		w += c + gap
	}
	return max(w, canvas.Width(sanitize.Text(r.What), 18, canvas.Bold)+12+canvas.Width(r.Note(), 16, canvas.Regular))
}

// row shows the pictures of a class at one scale, from x on within a width.
func (p *painter) row(r *Row, x0, room int) {
	p.y += 40
	p.text(x0, p.y, r.What, 18, canvas.Bold, p.th.ink)
	p.text(x0+canvas.Width(sanitize.Text(r.What), 18, canvas.Bold)+12, p.y, r.Note(), 16, canvas.Regular, p.th.dim)
	for _, m := range r.Wrong {
		p.y += 22
		p.mark(x0, m, max(room, 420))
	}
	p.y += 16
	sizes, columns := r.sizes()
	x, top, bottom := x0, p.y, p.y
	for i, s := range r.Shots {
		if x+columns[i] > x0+room && x > x0 {
			x, top = x0, bottom+gap
		}
		at := image.Pt(x, top)
		p.shot(s, image.Rectangle{at, at.Add(sizes[i])})
		bottom = max(bottom, top+sizes[i].Y+p.captions(x, top+sizes[i].Y, columns[i], s))
		x += columns[i] + gap
	}
	p.y = bottom
}

// shot draws one picture, or a box that says why there is none.
func (p *painter) shot(s *Shot, r image.Rectangle) {
	if s.Image != nil {
		p.later(r, func(c canvas.Canvas) {
			how := xdraw.Src
			if o, ok := s.Image.(interface{ Opaque() bool }); !ok || !o.Opaque() {
				checkered(c, r)
				how = xdraw.Over
			}
			xdraw.BiLinear.Scale(c, r, s.Image, s.Image.Bounds(), how, nil)
		})
	} else {
		p.fill(r, p.th.ground)
		y := r.Min.Y + r.Dy()/2
		if s.Item.Film && s.Item.Fault == "" {
			x := r.Min.X + r.Dx()/2
			at := y
			p.later(r, func(c canvas.Canvas) {
				c.Polygon([]canvas.Point{{X: float64(x - 14), Y: float64(at - 40)}, {X: float64(x + 18), Y: float64(at - 22)}, {X: float64(x - 14), Y: float64(at - 4)}}, p.th.dim)
			})
			y += 22
		}
		for i, line := range canvas.Wrap(sanitize.Text(s.Why), 13, canvas.Regular, r.Dx()-16) {
			p.text(r.Min.X+8, y+i*17, line, 13, canvas.Regular, p.th.dim)
		}
	}
	if impact := worst(s.Wrong); impact != "" {
		p.frame(r, 3, p.th.impact[impact])
	} else {
		p.frame(r, 1, p.th.line)
	}
}

// checkered is what shows behind transparent parts.
func checkered(c canvas.Canvas, r image.Rectangle) {
	c.Fill(r, canvas.RGB(0xffffff))
	for y := r.Min.Y; y < r.Max.Y; y += 8 {
		for x := r.Min.X + (y-r.Min.Y)%16; x < r.Max.X; x += 16 {
			c.Fill(image.Rect(x, y, x+8, y+8).Intersect(r), canvas.RGB(0xdddddd))
		}
	}
}

// captions writes name, size and marks below a picture, and returns how much
// room they take.
func (p *painter) captions(x, y, room int, s *Shot) int {
	at := y + 22
	p.text(x, at, canvas.Fit(sanitize.Text(path.Base(s.Item.File)), 14, canvas.Regular, room), 14, canvas.Regular, p.th.ink)
	if s.Item.Width > 0 {
		at += 18
		p.text(x, at, fmt.Sprintf("%d x %d", s.Item.Width, s.Item.Height), 13, canvas.Regular, p.th.dim)
	}
	for _, m := range s.Wrong {
		at += 20
		p.text(x, at, m.Impact, 14, canvas.Bold, p.th.impact[m.Impact])
		for _, line := range canvas.Wrap(sanitize.Text(m.Say), 13, canvas.Regular, room) {
			at += 17
			p.text(x, at, canvas.Fit(line, 13, canvas.Regular, room), 13, canvas.Regular, p.th.ink)
		}
	}
	return at - y + 8
}
