// Command pictures draws the pictures of the demo: a made-up app's screens, its
// icon and its feature graphic. Run it as "go run ./demo/source/pictures"; the
// pictures go to demo/sound/pictures and demo/faulty/pictures. The preview is
// made of the frames that "-frames DIR" draws; run build-film.sh after this.
package main

import (
	"cmp"
	"flag"
	"fmt"
	"image"
	"image/color"
	"image/draw"
	"image/jpeg"
	"image/png"
	"log"
	"math"
	"os"
	"path/filepath"
	"slices"

	"regola.example/regola/internal/canvas"
)

// The colours of the app.
var (
	clay   = canvas.RGB(0xb5532a)
	cream  = canvas.RGB(0xfff4e6)
	kiln   = canvas.RGB(0x2b1d18)
	sand   = canvas.RGB(0xf0dcc4)
	ember  = canvas.RGB(0xe07a3f)
	slate  = canvas.RGB(0x5d6b73)
	celad  = canvas.RGB(0x7fa08a)
	shadow = canvas.RGB(0xe3cdb2)
)

// words are the texts of the screens by language.
var words = map[string]map[string]string{
	"en-GB": {"firing": "Firing 42", "cone": "Cone 6, glaze", "now": "now", "done": "Firings", "glazes": "Glazes", "bisque": "Bisque", "glaze": "Glaze", "hold": "Hold 20 min", "slogan": "The firing log of your kiln",
		"tenmoku": "Tenmoku", "celadon": "Celadon", "ash": "Ash white", "iron": "Iron red", "compare": "Compare curves", "before": "before", "after": "after"},
	"it": {"firing": "Cottura 42", "cone": "Cono 6, smalto", "now": "ora", "done": "Cotture", "glazes": "Smalti", "bisque": "Biscotto", "glaze": "Smalto", "hold": "Pausa 20 min", "slogan": "Il registro del tuo forno",
		"tenmoku": "Tenmoku", "celadon": "Céladon", "ash": "Bianco cenere", "iron": "Rosso ferro", "compare": "Confronta le curve", "before": "prima", "after": "dopo"},
	"de": {"firing": "Brand 42", "cone": "Kegel 6, Glasur", "now": "jetzt", "done": "Brände", "glazes": "Glasuren", "bisque": "Schrühbrand", "glaze": "Glattbrand", "hold": "Halten 20 min", "slogan": "Das Brennbuch für den Ofen",
		"tenmoku": "Tenmoku", "celadon": "Seladon", "ash": "Ascheweiß", "iron": "Eisenrot", "compare": "Kurven vergleichen", "before": "vorher", "after": "nachher"},
}

// temperature is the curve of a firing in degrees, for a share of its time.
func temperature(t, peak float64) float64 {
	switch {
	case t < 0.2:
		return 20 + t/0.2*580
	case t < 0.55:
		return 600 + (t-0.2)/0.35*(peak-600)
	case t < 0.62:
		return peak
	}
	return 20 + (peak-20)*math.Exp(-(t-0.62)*5.5)
}

// screen is a page of the app, drawn at any size; u is the unit of its layout.
type screen struct {
	canvas.Canvas
	u    float64
	text map[string]string
}

func newScreen(w, h int, language string, ground color.Color) *screen {
	return &screen{canvas.New(w, h, ground), float64(min(w, h)) / 100, words[language]}
}

func (s *screen) px(v float64) int { return int(math.Round(v * s.u)) }

func (s *screen) write(x, y float64, text string, size float64, w canvas.Weight, col color.Color) {
	s.Text(s.px(x), s.px(y), text, size*s.u, w, col)
}

func (s *screen) card(x, y, w, h float64, col color.Color) {
	s.Round(image.Rect(s.px(x), s.px(y), s.px(x+w), s.px(y+h)), 3*s.u, col)
}

// width and height in units.
func (s *screen) w() float64 { return float64(s.Bounds().Dx()) / s.u }
func (s *screen) h() float64 { return float64(s.Bounds().Dy()) / s.u }

// curve draws a firing into a box, up to a share of its time.
func (s *screen) curve(x, y, w, h, upTo, peak float64, col color.Color, width float64) (last canvas.Point) {
	var points []canvas.Point
	for i := 0.0; i <= upTo*120; i++ {
		t := i / 120
		last = canvas.Point{X: (x + w*t) * s.u, Y: (y + h - h*temperature(t, peak)/1350) * s.u}
		points = append(points, last)
	}
	s.Line(points, width*s.u, col)
	return last
}

func (s *screen) grid(x, y, w, h float64) {
	for i := range 5 {
		at := y + h*float64(i)/4
		s.Fill(image.Rect(s.px(x), s.px(at), s.px(x+w), s.px(at)+max(1, s.px(0.25))), shadow)
		s.write(x, at-0.8, fmt.Sprintf("%d°", 1350-i*1350/4), 2.8, canvas.Regular, slate)
	}
}

// head is the app's bar.
func (s *screen) head(title, below string) {
	s.Fill(image.Rect(0, 0, s.Bounds().Dx(), s.px(34)), clay)
	s.write(7, 20, title, 9, canvas.Bold, cream)
	s.write(7, 28, below, 4.4, canvas.Regular, sand)
}

// firing is the screen of a running firing.
func (s *screen) firing(upTo float64) {
	s.head(s.text["firing"], s.text["cone"])
	w, h := s.w(), s.h()
	box := min(h-90, w*1.1)
	s.card(5, 40, w-10, box, cream)
	s.grid(10, 47, w-20, box-14)
	at := s.curve(10, 47, w-20, box-14, upTo, 1222, ember, 1.4)
	r := 2.2 * s.u
	s.Round(image.Rect(int(at.X-r), int(at.Y-r), int(at.X+r), int(at.Y+r)), r, clay)
	y := 46 + box
	s.card(5, y, w-10, 34, kiln)
	s.write(10, y+15, fmt.Sprintf("%.0f °C", temperature(upTo, 1222)), 12, canvas.Bold, cream)
	s.write(10, y+26, s.text["now"]+" · "+s.text["hold"], 5, canvas.Regular, sand)
}

// log is the list of firings.
func (s *screen) log() {
	s.head(s.text["done"], "2026")
	names := []string{s.text["glaze"] + " 42", s.text["bisque"] + " 41", s.text["glaze"] + " 40", s.text["bisque"] + " 39", s.text["glaze"] + " 38", s.text["bisque"] + " 37"}
	y := 40.0
	for i, n := range names {
		if y+30 > s.h() {
			break
		}
		s.card(5, y, s.w()-10, 26, cream)
		s.write(10, y+11, n, 6, canvas.Bold, kiln)
		s.write(10, y+19, fmt.Sprintf("%d.11.  ·  %d °C", 24-3*i, []int{1222, 1000}[i%2]), 4.4, canvas.Regular, slate)
		s.curve(s.w()-42, y+4, 32, 18, 1, []float64{1222, 1000}[i%2], []color.Color{ember, celad}[i%2], 0.9)
		y += 30
	}
}

// glazes is the shelf of test tiles.
func (s *screen) glazes() {
	s.head(s.text["glazes"], s.text["cone"])
	cols := 2
	if s.w() > s.h() {
		cols = 4
	}
	size := (s.w() - 10 - 5*float64(cols-1)) / float64(cols)
	tones := []uint32{0x3a2418, 0x9fb8a0, 0xe9e2d2, 0x8e3b23, 0x46606e, 0xc9974d}
	names := []string{"tenmoku", "celadon", "ash", "iron", "celadon", "tenmoku"}
	for i, tone := range tones {
		x, y := 5+float64(i%cols)*(size+5), 40+float64(i/cols)*(size+16)
		if y+size+12 > s.h() {
			break
		}
		s.card(x, y, size, size+11, cream)
		s.card(x+3, y+3, size-6, size-8, canvas.RGB(tone))
		s.write(x+4, y+size+5, s.text[names[i]], 4.6, canvas.Bold, kiln)
	}
}

// compare lays two curves over each other.
func (s *screen) compare() {
	s.head(s.text["compare"], "41 · 42")
	w, box := s.w(), min(s.h()-84, s.w()*1.2)
	s.card(5, 40, w-10, box, cream)
	s.grid(10, 47, w-20, box-14)
	s.curve(10, 47, w-20, box-14, 1, 1000, celad, 1.2)
	s.curve(10, 47, w-20, box-14, 1, 1222, ember, 1.2)
	for i, c := range []struct {
		col  color.Color
		text string
	}{{celad, "41 " + s.text["bisque"]}, {ember, "42 " + s.text["glaze"]}} {
		y := 48 + box + 9*float64(i)
		s.card(7, y, 6, 4, c.col)
		s.write(16, y+4, c.text, 5, canvas.Regular, kiln)
	}
}

// arch is the motif of the icon, in a grid of 108.
func arch(m canvas.Canvas, x, y, scale float64, col color.Color) {
	at := func(px, py float64) canvas.Point { return canvas.Point{X: x + px*scale, Y: y + py*scale} }
	points := []canvas.Point{at(34, 76), at(34, 54)}
	for i := range 41 {
		a := math.Pi - math.Pi*float64(i)/40
		points = append(points, at(54+20*math.Cos(a), 54-20*math.Sin(a)))
	}
	points = append(points, at(74, 76), at(62, 76), at(62, 58))
	for i := range 41 {
		a := math.Pi * float64(i) / 40
		points = append(points, at(54+8*math.Cos(a), 58-8*math.Sin(a)))
	}
	m.Polygon(append(points, at(46, 76)), col)
}

func icon(size int) canvas.Canvas {
	m := canvas.New(size, size, clay)
	arch(m, 0, 0, float64(size)/108, cream)
	return m
}

func feature(language string) canvas.Canvas {
	s := newScreen(1024, 500, language, clay)
	s.curve(66, 68, 125, 24, 1, 1222, ember, 1.6)
	arch(s.Canvas, 12, 60, 3.2, cream)
	s.Text(330, 250, "Terrafuoco", 88, canvas.Bold, cream)
	s.Text(334, 310, s.text["slogan"], 34, canvas.Regular, sand)
	return s.Canvas
}

var screens = []struct {
	name string
	draw func(*screen)
}{{"1-firing", func(s *screen) { s.firing(0.57) }}, {"2-firings", (*screen).log}, {"3-glazes", (*screen).glazes}, {"4-compare", (*screen).compare}}

func screenshot(i, w, h int, language string) *screen {
	s := newScreen(w, h, language, sand)
	screens[i].draw(s)
	return s
}

// few redraws a picture with its seven commonest colours, which keeps the files
// small: the edges of shapes and letters have hundreds.
func few(m image.Image) image.Image {
	b := m.Bounds()
	count := map[color.RGBA]int{}
	for y := b.Min.Y; y < b.Max.Y; y++ {
		for x := b.Min.X; x < b.Max.X; x++ {
			count[color.RGBAModel.Convert(m.At(x, y)).(color.RGBA)]++
		}
	}
	var all []color.RGBA
	for c := range count {
		all = append(all, c)
	}
	slices.SortFunc(all, func(a, b color.RGBA) int {
		return cmp.Or(count[b]-count[a], cmp.Compare(a.R, b.R), cmp.Compare(a.G, b.G), cmp.Compare(a.B, b.B))
	})
	var palette color.Palette
	for _, c := range all[:min(7, len(all))] {
		palette = append(palette, c)
	}
	near := map[color.RGBA]color.RGBA{}
	out := image.NewRGBA(b)
	for y := b.Min.Y; y < b.Max.Y; y++ {
		for x := b.Min.X; x < b.Max.X; x++ {
			c := color.RGBAModel.Convert(m.At(x, y)).(color.RGBA)
			n, ok := near[c]
			if !ok {
				n = palette.Convert(c).(color.RGBA)
				near[c] = n
			}
			out.SetRGBA(x, y, n)
		}
	}
	return out
}

func write(name string, m image.Image) {
	check(os.MkdirAll(filepath.Dir(name), 0o755))
	f, err := os.Create(name)
	check(err)
	defer f.Close()
	if filepath.Ext(name) == ".jpg" {
		check(jpeg.Encode(f, m, &jpeg.Options{Quality: 30}))
		return
	}
	if o, ok := m.(interface{ Opaque() bool }); ok && o.Opaque() {
		m = few(m)
	}
	e := png.Encoder{CompressionLevel: png.BestCompression}
	check(e.Encode(f, m))
}

// withAlpha makes the encoder keep the alpha channel of an opaque picture.
type withAlpha struct{ *image.NRGBA }

// Opaque implements the interface by which the encoder drops the channel.
func (withAlpha) Opaque() bool { return false }

func alpha(m image.Image) image.Image {
	n := image.NewNRGBA(m.Bounds())
	draw.Draw(n, n.Bounds(), m, image.Point{}, draw.Src)
	return withAlpha{n}
}

func check(err error) {
	if err != nil {
		log.Fatal(err)
	}
}

func sound(dir string) {
	write(dir+"/android/icon.png", alpha(icon(512)))
	write(dir+"/android/feature.png", feature("en-GB"))
	write(dir+"/ios/icon.png", icon(1024))
	for i := range screens {
		write(fmt.Sprintf("%s/android/en-GB/phone/%s.png", dir, screens[i].name), screenshot(i, 1080, 1920, "en-GB"))
	}
	write(dir+"/android/en-GB/tablet-10/"+screens[2].name+".png", screenshot(2, 1920, 1080, "en-GB"))
	write(dir+"/ios/en-GB/phone-6.9/"+screens[2].name+".png", screenshot(2, 1290, 2796, "en-GB"))
	for _, l := range []string{"en-GB", "it", "de"} {
		if l != "en-GB" {
			write(dir+"/android/"+l+"/phone/"+screens[0].name+".png", screenshot(0, 720, 1280, l))
		}
		write(dir+"/ios/"+l+"/phone-6.5/"+screens[0].name+".png", screenshot(0, 1242, 2688, l))
	}
}

func faulty(dir string) {
	// The corners of the icon are rounded already.
	m := image.NewNRGBA(image.Rect(0, 0, 512, 512))
	draw.DrawMask(m, m.Bounds(), few(icon(512)), image.Point{}, canvas.RoundMask(512, 512, 100), image.Point{}, draw.Src)
	write(dir+"/android/icon.png", m)
	// The feature graphic has an alpha channel.
	write(dir+"/android/feature.png", alpha(few(feature("en-GB"))))
	// The first screenshot is there twice, and once more for another language; one
	// of a tall phone breaks the bound of 2:1.
	shot := screenshot(0, 720, 1280, "en-GB")
	for _, name := range []string{"en-GB/phone/1-firing", "en-GB/phone/2-firing-again", "de/phone/1-firing"} {
		write(dir+"/android/"+name+".png", shot)
	}
	write(dir+"/android/en-GB/phone/3-glazes.png", screenshot(2, 540, 1200, "en-GB"))
	// A JPEG with the name of a PNG, one that is eight pixels short of a class, one
	// that the simulator had not drawn yet, one of another device, one cut off.
	write(dir+"/ios/en-GB/phone-6.9/1-firing.jpg", screenshot(0, 640, 1136, "en-GB"))
	check(os.Rename(dir+"/ios/en-GB/phone-6.9/1-firing.jpg", dir+"/ios/en-GB/phone-6.9/1-firing.png"))
	write(dir+"/ios/en-GB/phone-6.9/2-glazes.png", screenshot(2, 1284, 2770, "en-GB"))
	write(dir+"/ios/en-GB/phone-6.9/3-empty.png", canvas.New(1290, 2796, sand))
	write(dir+"/ios/en-GB/phone-6.9/4-glazes.png", screenshot(2, 750, 1334, "en-GB"))
	write(dir+"/ios/it/phone-6.9/1-firing.png", screenshot(0, 1290, 2796, "it"))
	check(os.Truncate(dir+"/ios/it/phone-6.9/1-firing.png", 6000))
}

func main() {
	log.SetFlags(0)
	frames := flag.String("frames", "", "draw the frames of the preview into this folder")
	flag.Parse()
	if *frames != "" {
		for i := range 16 * 5 { // five a second; the film repeats each
			s := newScreen(886, 1920, "en-GB", sand)
			s.firing(0.02 + 0.98*float64(i)/80)
			write(fmt.Sprintf("%s/%03d.png", *frames, i), s.Canvas)
		}
		return
	}
	for _, d := range []string{"demo/sound/pictures", "demo/faulty/pictures"} {
		check(os.RemoveAll(d))
	}
	sound("demo/sound/pictures")
	faulty("demo/faulty/pictures")
}
