// Package canvas draws shapes, lines, texts and pictures on a picture: what the
// sheet of a store page and the demo are made of.
package canvas

import (
	"image"
	"image/color"
	"image/draw"
	"math"
	"strings"
	"sync"

	"golang.org/x/image/font"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/goregular"
	"golang.org/x/image/font/opentype"
	"golang.org/x/image/math/fixed"
	"golang.org/x/image/vector"
)

// Canvas is a picture that is drawn on.
type Canvas struct{ *image.RGBA }

// New makes a canvas of one colour.
func New(w, h int, ground color.Color) Canvas {
	c := Canvas{image.NewRGBA(image.Rect(0, 0, w, h))}
	draw.Draw(c, c.Bounds(), image.NewUniform(ground), image.Point{}, draw.Src)
	return c
}

// Band makes a canvas of one colour that is a part of a larger one: what is drawn keeps
// its place, and what lies outside is left out.
func Band(r image.Rectangle, ground color.Color) Canvas {
	c := Canvas{image.NewRGBA(r)}
	draw.Draw(c, r, image.NewUniform(ground), image.Point{}, draw.Src)
	return c
}

// RGB is a colour from three bytes: 0xb5532a.
func RGB(hex uint32) color.RGBA {
	return color.RGBA{R: uint8(hex >> 16), G: uint8(hex >> 8), B: uint8(hex), A: 255}
}

// Point is a place on the canvas, in pixels.
type Point struct{ X, Y float64 }

// Fill fills a rectangle.
func (c Canvas) Fill(r image.Rectangle, col color.Color) {
	how := draw.Over
	if _, _, _, a := col.RGBA(); a == 0xffff {
		how = draw.Src
	}
	draw.Draw(c, r, image.NewUniform(col), image.Point{}, how)
}

// path fills what a path around some points encloses; reach is how far it goes
// beyond them. Only that part of the canvas is touched. The path is traced with
// its points moved by the offset that trace is given.
func (c Canvas) path(points []Point, reach float64, col color.Color, trace func(z *vector.Rasterizer, dx, dy float64)) {
	if len(points) == 0 {
		return
	}
	x0, y0, x1, y1 := points[0].X, points[0].Y, points[0].X, points[0].Y
	for _, p := range points {
		x0, y0, x1, y1 = min(x0, p.X), min(y0, p.Y), max(x1, p.X), max(y1, p.Y)
	}
	r := image.Rect(int(x0-reach)-1, int(y0-reach)-1, int(x1+reach)+2, int(y1+reach)+2).Intersect(c.Bounds())
	if r.Empty() {
		return
	}
	z := vector.NewRasterizer(r.Dx(), r.Dy())
	trace(z, -float64(r.Min.X), -float64(r.Min.Y))
	z.Draw(c, r, image.NewUniform(col), image.Point{})
}

// kappa is how far the control points of a quarter circle lie from its ends, in
// radii.
const kappa = 0.5523

// round traces a rectangle with round corners.
func round(z *vector.Rasterizer, x0, y0, x1, y1, r float32) {
	r = min(r, (x1-x0)/2, (y1-y0)/2)
	k := r * (1 - kappa)
	z.MoveTo(x0+r, y0)
	z.LineTo(x1-r, y0)
	z.CubeTo(x1-k, y0, x1, y0+k, x1, y0+r)
	z.LineTo(x1, y1-r)
	z.CubeTo(x1, y1-k, x1-k, y1, x1-r, y1)
	z.LineTo(x0+r, y1)
	z.CubeTo(x0+k, y1, x0, y1-k, x0, y1-r)
	z.LineTo(x0, y0+r)
	z.CubeTo(x0, y0+k, x0+k, y0, x0+r, y0)
	z.ClosePath()
}

// Round fills a rectangle with round corners.
func (c Canvas) Round(r image.Rectangle, radius float64, col color.Color) {
	n := min(int(math.Ceil(radius)), r.Dx()/2, r.Dy()/2)
	c.Fill(image.Rect(r.Min.X+n, r.Min.Y, r.Max.X-n, r.Max.Y), col)
	c.Fill(image.Rect(r.Min.X, r.Min.Y+n, r.Min.X+n, r.Max.Y-n), col)
	c.Fill(image.Rect(r.Max.X-n, r.Min.Y+n, r.Max.X, r.Max.Y-n), col)
	// The corners alone have edges that are smoothed.
	mask := RoundMask(2*n, 2*n, radius)
	for _, x := range []int{0, n} {
		for _, y := range []int{0, n} {
			at := image.Pt(r.Min.X, r.Min.Y)
			if x > 0 {
				at.X = r.Max.X - n
			}
			if y > 0 {
				at.Y = r.Max.Y - n
			}
			draw.DrawMask(c, image.Rectangle{at, at.Add(image.Pt(n, n))}, image.NewUniform(col), image.Point{}, mask, image.Pt(x, y), draw.Over)
		}
	}
}

// RoundMask is a mask of a rectangle with round corners.
func RoundMask(w, h int, radius float64) *image.Alpha {
	m := image.NewAlpha(image.Rect(0, 0, w, h))
	z := vector.NewRasterizer(w, h)
	round(z, 0, 0, float32(w), float32(h), float32(radius))
	z.Draw(m, m.Bounds(), image.Opaque, image.Point{})
	return m
}

// SquircleMask is a mask between square and circle: |x|^5 + |y|^5 = 1.
func SquircleMask(size int) *image.Alpha {
	m := image.NewAlpha(image.Rect(0, 0, size, size))
	z := vector.NewRasterizer(size, size)
	half := float64(size) / 2
	const steps = 180
	for i := range steps {
		a := 2 * math.Pi * float64(i) / steps
		x := math.Copysign(math.Pow(math.Abs(math.Cos(a)), 2.0/5), math.Cos(a))
		y := math.Copysign(math.Pow(math.Abs(math.Sin(a)), 2.0/5), math.Sin(a))
		if i == 0 {
			z.MoveTo(float32(half+half*x), float32(half+half*y))
			continue
		}
		z.LineTo(float32(half+half*x), float32(half+half*y))
	}
	z.ClosePath()
	z.Draw(m, m.Bounds(), image.Opaque, image.Point{})
	return m
}

// Polygon fills what points enclose.
func (c Canvas) Polygon(points []Point, col color.Color) {
	c.path(points, 0, col, func(z *vector.Rasterizer, dx, dy float64) {
		for i, p := range points {
			if i == 0 {
				z.MoveTo(float32(p.X+dx), float32(p.Y+dy))
				continue
			}
			z.LineTo(float32(p.X+dx), float32(p.Y+dy))
		}
		z.ClosePath()
	})
}

// Line draws a line through points, with round joints.
func (c Canvas) Line(points []Point, width float64, col color.Color) {
	r := width / 2
	c.path(points, r, col, func(z *vector.Rasterizer, dx, dy float64) {
		for i, p := range points {
			p = Point{p.X + dx, p.Y + dy}
			round(z, float32(p.X-r), float32(p.Y-r), float32(p.X+r), float32(p.Y+r), float32(r))
			if i == 0 {
				continue
			}
			q := Point{points[i-1].X + dx, points[i-1].Y + dy}
			ax, ay := p.X-q.X, p.Y-q.Y
			n := math.Hypot(ax, ay)
			if n == 0 {
				continue
			}
			ox, oy := -ay/n*r, ax/n*r
			// The same direction as the joints: windings add up, and overlaps
			// stay filled.
			z.MoveTo(float32(q.X-ox), float32(q.Y-oy))
			z.LineTo(float32(p.X-ox), float32(p.Y-oy))
			z.LineTo(float32(p.X+ox), float32(p.Y+oy))
			z.LineTo(float32(q.X+ox), float32(q.Y+oy))
			z.ClosePath()
		}
	})
}

// Weight is that of a font.
type Weight int

// The weights.
const (
	Regular Weight = iota
	Bold
)

var fonts [2]func() *opentype.Font

func init() {
	for i, data := range [][]byte{goregular.TTF, gobold.TTF} {
		fonts[i] = sync.OnceValue(func() *opentype.Font {
			f, err := opentype.Parse(data)
			if err != nil {
				panic("canvas: the font of the program cannot be read: " + err.Error())
			}
			return f
		})
	}
}

// face is a font at a size in pixels. Faces are not safe for several goroutines.
func face(size float64, w Weight) font.Face {
	f, err := opentype.NewFace(fonts[w](), &opentype.FaceOptions{Size: size, DPI: 72, Hinting: font.HintingNone})
	if err != nil {
		panic("canvas: " + err.Error()) // of a size that is no number
	}
	return f
}

// Text writes a line with its baseline at y, and returns where it ends.
func (c Canvas) Text(x, y int, s string, size float64, w Weight, col color.Color) int {
	f := face(size, w)
	defer f.Close()
	d := font.Drawer{Dst: c, Src: image.NewUniform(col), Face: f, Dot: fixed.P(x, y)}
	d.DrawString(s)
	return d.Dot.X.Ceil()
}

// Width is how wide a line is, in pixels.
func Width(s string, size float64, w Weight) int {
	f := face(size, w)
	defer f.Close()
	return font.MeasureString(f, s).Ceil()
}

// Fit cuts a line to a width, with an ellipsis.
func Fit(s string, size float64, w Weight, width int) string {
	f := face(size, w)
	defer f.Close()
	if font.MeasureString(f, s).Ceil() <= width {
		return s
	}
	runes := []rune(s)
	for n := len(runes) - 1; n > 0; n-- {
		if cut := string(runes[:n]) + "…"; font.MeasureString(f, cut).Ceil() <= width {
			return cut
		}
	}
	return "…"
}

// Wrap breaks a text into lines of a width, at spaces.
func Wrap(s string, size float64, w Weight, width int) []string {
	f := face(size, w)
	defer f.Close()
	var lines []string
	line := ""
	for _, word := range strings.Fields(s) {
		next := word
		if line != "" {
			next = line + " " + word
		}
		if line != "" && font.MeasureString(f, next).Ceil() > width {
			lines = append(lines, line)
			next = word
		}
		line = next
	}
	if line != "" {
		lines = append(lines, line)
	}
	return lines
}
