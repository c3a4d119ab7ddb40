package canvas_test

import (
	"image"
	"image/color"
	"testing"

	"github.com/stretchr/testify/assert"

	"regola.example/regola/internal/canvas"
)

var ink, paper = canvas.RGB(0x102030), canvas.RGB(0xffffff)

// inked counts the pixels of a colour in a part.
func inked(c canvas.Canvas, r image.Rectangle) (n int) {
	for y := r.Min.Y; y < r.Max.Y; y++ {
		for x := r.Min.X; x < r.Max.X; x++ {
			if c.RGBAAt(x, y) == ink {
				n++
			}
		}
	}
	return n
}

func TestShapes(t *testing.T) {
	c := canvas.New(100, 100, paper)
	c.Round(image.Rect(10, 10, 90, 90), 30, ink)
	assert.Equal(t, paper, c.RGBAAt(12, 12), "the corner is cut")
	assert.Equal(t, ink, c.RGBAAt(50, 12))
	assert.Equal(t, 0, inked(c, image.Rect(0, 0, 100, 9)))
	c = canvas.New(100, 100, paper)
	c.Polygon([]canvas.Point{{X: 20, Y: 20}, {X: 80, Y: 20}, {X: 80, Y: 60}, {X: 20, Y: 60}}, ink)
	assert.Equal(t, 60*40, inked(c, c.Bounds()))
	c = canvas.New(100, 100, paper)
	c.Line([]canvas.Point{{X: 10, Y: 50}, {X: 90, Y: 50}, {X: 90, Y: 10}}, 6, ink)
	for _, p := range []image.Point{{50, 48}, {50, 52}, {90, 30}, {90, 50}} {
		assert.Equal(t, ink, c.RGBAAt(p.X, p.Y), "%v: joints stay filled", p)
	}
	assert.Equal(t, paper, c.RGBAAt(50, 58))
	// What lies outside of the canvas is no error.
	c.Polygon([]canvas.Point{{X: -50, Y: -50}, {X: -10, Y: -50}, {X: -10, Y: -10}}, ink)
	c.Line(nil, 3, ink)
	c.Round(image.Rect(90, 90, 300, 300), 5, ink)
	assert.Equal(t, ink, c.RGBAAt(98, 98))
}

func TestMasks(t *testing.T) {
	squircle, circle := canvas.SquircleMask(100), canvas.RoundMask(100, 100, 50)
	for _, m := range []*image.Alpha{squircle, circle} {
		assert.Equal(t, uint8(0), m.AlphaAt(1, 1).A)
		assert.Equal(t, uint8(255), m.AlphaAt(50, 50).A)
	}
	assert.Equal(t, uint8(0), circle.AlphaAt(12, 12).A)
	assert.Equal(t, uint8(255), squircle.AlphaAt(12, 12).A, "fuller than a circle")
}

func TestText(t *testing.T) {
	c := canvas.New(300, 60, paper)
	end := c.Text(10, 40, "Terrafuoco", 24, canvas.Bold, color.RGBA{0x10, 0x20, 0x30, 255})
	assert.Equal(t, 10+canvas.Width("Terrafuoco", 24, canvas.Bold), end)
	assert.Positive(t, inked(c, image.Rect(10, 10, end, 45)))
	assert.Zero(t, inked(c, image.Rect(end+2, 0, 300, 60)))
	assert.Greater(t, canvas.Width("WWW", 24, canvas.Regular), canvas.Width("iii", 24, canvas.Regular))
	assert.Equal(t, "kurz", canvas.Fit("kurz", 14, canvas.Regular, 200))
	cut := canvas.Fit("ein langer Name von einem Bild", 14, canvas.Regular, 80)
	assert.Contains(t, cut, "…")
	assert.LessOrEqual(t, canvas.Width(cut, 14, canvas.Regular), 80)
	lines := canvas.Wrap("drei Wörter hier und noch viele mehr", 14, canvas.Regular, 90)
	assert.Greater(t, len(lines), 2)
	for _, l := range lines {
		assert.LessOrEqual(t, canvas.Width(l, 14, canvas.Regular), 90, l)
	}
	assert.Equal(t, []string{"einlangeswortohneblank"}, canvas.Wrap("einlangeswortohneblank", 14, canvas.Regular, 20), "nothing is lost")
}
