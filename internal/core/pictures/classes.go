package pictures

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"regola.example/regola/internal/core/tables"
)

// Fit is a class whose size a picture has, with what else the class does not
// take of it.
type Fit struct {
	Class  *tables.PictureClass
	Faults []string
}

// Fits lists the classes whose sizes a picture has, in the order of the table;
// icon and feature graphic come first.
func (p *Picture) Fits(classes []*tables.PictureClass) (out []*Fit) {
	for _, c := range classes {
		if (p.Film != nil) == (c.Slot == "preview") && p.sized(c) {
			out = append(out, &Fit{c, p.faults(c)})
		}
	}
	// The sizes of icon and feature graphic are nobody's screenshot.
	slices.SortStableFunc(out, func(a, b *Fit) int { return cmp.Compare(screenshots[a.Class.Slot], screenshots[b.Class.Slot]) })
	return out
}

var screenshots = map[string]int{"screenshot": 1, "preview": 1}

// sized tells whether a picture has a size of the class.
func (p *Picture) sized(c *tables.PictureClass) bool {
	if p.Width <= 0 || p.Height <= 0 {
		return false
	}
	if len(c.Sizes) > 0 {
		return slices.Contains(c.Sizes, pixels(p.Width, p.Height)) || c.Turned && slices.Contains(c.Sizes, pixels(p.Height, p.Width))
	}
	short, long := int64(min(p.Width, p.Height)), int64(max(p.Width, p.Height))
	if short < c.Shortest || c.Longest > 0 && long > c.Longest {
		return false
	}
	if a, b, ok := ratio(c.Ratio); ok && long*b > short*a {
		return false
	}
	return len(c.Aspects) == 0 || slices.ContainsFunc(c.Aspects, func(s string) bool {
		a, b, _ := ratio(s)
		// The nearest whole pixel counts: 1920 by 1080 and its neighbours by one.
		return near(int64(p.Width)*b, int64(p.Height)*a, max(a, b))
	})
}

func near(x, y, by int64) bool { return x-y <= by && y-x <= by }

func ratio(s string) (a, b int64, ok bool) {
	n, _ := fmt.Sscanf(s, "%d:%d", &a, &b)
	return a, b, n == 2
}

func pixels(w, h int) string { return fmt.Sprintf("%dx%d", w, h) }

// faults lists what a class does not take of a picture that has its size.
func (p *Picture) faults(c *tables.PictureClass) (out []string) {
	if len(c.Formats) > 0 && !slices.Contains(c.Formats, p.Kind) {
		out = append(out, fmt.Sprintf("%s is not taken; save it as %s", p.Kind, strings.Join(c.Formats, " or ")))
	}
	switch {
	case c.Alpha == "never" && p.Alpha:
		out = append(out, "it has an alpha channel; save it flat")
	case c.Alpha == "always" && !p.Alpha:
		out = append(out, "it has no alpha channel, which is asked for")
	}
	if c.Bytes > 0 && p.Bytes > c.Bytes {
		out = append(out, fmt.Sprintf("it has %.1f MB; %.1f are allowed", float64(p.Bytes)/1e6, float64(c.Bytes)/1e6))
	}
	if p.Animated {
		out = append(out, "it is animated")
	}
	if p.Colors == "cmyk" {
		out = append(out, "its colours are CMYK; save it as RGB")
	}
	if p.Turned {
		out = append(out, "an orientation tag turns it; save it as it is shown")
	}
	if f := p.Film; f != nil {
		if s := f.Duration.Seconds(); len(c.Seconds) == 2 && (s < float64(c.Seconds[0]) || s > float64(c.Seconds[1])) {
			out = append(out, fmt.Sprintf("it lasts %.1f seconds; %d to %d are allowed", s, c.Seconds[0], c.Seconds[1]))
		}
		if c.FrameRate > 0 && f.FrameRate > float64(c.FrameRate)+0.01 {
			out = append(out, fmt.Sprintf("it has %.2f frames a second; %d are allowed", f.FrameRate, c.FrameRate))
		}
		if len(c.Codecs) > 0 && !slices.Contains(c.Codecs, f.Codec) {
			out = append(out, fmt.Sprintf("its pictures are of the kind %q; %s are taken", f.Codec, strings.Join(c.Codecs, ", ")))
		}
	}
	return out
}

// Nearest says of a picture that has the size of no class of a store what it
// lacks: of the first class with bounds, or of the class whose size is nearest.
func (p *Picture) Nearest(classes []*tables.PictureClass) string {
	for _, c := range classes {
		if c.Slot == "screenshot" && len(c.Sizes) == 0 && p.Film == nil && p.Width > 0 {
			return fmt.Sprintf("%d x %d fits no class; for %s %s", p.Width, p.Height, c.What, p.lacks(c))
		}
	}
	best, text := -1, ""
	for _, c := range classes {
		if (p.Film != nil) != (c.Slot == "preview") || p.Width <= 0 {
			continue
		}
		for _, s := range c.Sizes {
			var w, h int
			if n, _ := fmt.Sscanf(s, "%dx%d", &w, &h); n != 2 {
				continue
			}
			if c.Turned && (w > h) != (p.Width > p.Height) {
				w, h = h, w
			}
			d := abs(w-p.Width) + abs(h-p.Height)
			if best >= 0 && d >= best {
				continue
			}
			best = d
			text = fmt.Sprintf("%d x %d fits no class; the nearest is %s, %d x %d: %s", p.Width, p.Height, c.What, w, h, difference(p.Width, p.Height, w, h))
		}
	}
	return text
}

// lacks says which bound of a class a picture breaks.
func (p *Picture) lacks(c *tables.PictureClass) string {
	short, long := int64(min(p.Width, p.Height)), int64(max(p.Width, p.Height))
	switch a, b, ok := ratio(c.Ratio); {
	case short < c.Shortest:
		return fmt.Sprintf("the shorter side needs %d pixels at least", c.Shortest)
	case c.Longest > 0 && long > c.Longest:
		return fmt.Sprintf("the longer side may have %d pixels at most", c.Longest)
	case ok && long*b > short*a:
		return fmt.Sprintf("the longer side may be %s of the shorter at most, it is %.2f:1", c.Ratio, float64(long)/float64(short))
	}
	return "the sides need the aspect " + strings.Join(c.Aspects, " or ")
}

func difference(w, h, wantW, wantH int) string {
	var parts []string
	for _, d := range []struct {
		n          int
		more, less string
	}{{w - wantW, "too wide", "too narrow"}, {h - wantH, "too high", "too low"}} {
		switch {
		case d.n > 0:
			parts = append(parts, fmt.Sprintf("%d pixels %s", d.n, d.more))
		case d.n < 0:
			parts = append(parts, fmt.Sprintf("%d pixels %s", -d.n, d.less))
		}
	}
	return strings.Join(parts, ", ") + "; scale it, or take it again on a device of that class"
}

func abs(n int) int { return max(n, -n) }

// Set is the pictures of one class, store and language, in their order.
type Set struct {
	Store, Language string
	Class           *tables.PictureClass
	Pictures        []*Entry
}

// Over lists the pictures beyond the bound of the class.
func (s *Set) Over() []*Entry {
	if most := int(s.Class.Most); most > 0 && len(s.Pictures) > most {
		return s.Pictures[most:]
	}
	return nil
}

// Short is how many pictures the class lacks.
func (s *Set) Short() int { return max(0, int(s.Class.Least)-len(s.Pictures)) }

// Sort puts every picture that fits into a set for each store that its folder
// allows: in the class that its folder names, if it fits that, or else in the
// first that it fits.
func Sort(entries []*Entry, classes []*tables.PictureClass, stores []string) []*Set {
	var sets []*Set
	for _, store := range stores {
		for _, e := range entries {
			if e.Store != "" && e.Store != store || e.Fault != "" {
				continue
			}
			c := e.Class(store)
			if c == nil {
				continue
			}
			i := slices.IndexFunc(sets, func(s *Set) bool { return s.Store == store && s.Language == e.Language && s.Class == c })
			if i < 0 {
				i = len(sets)
				sets = append(sets, &Set{store, e.Language, c, nil})
			}
			sets[i].Pictures = append(sets[i].Pictures, e)
		}
	}
	order := func(c *tables.PictureClass) int { return slices.Index(classes, c) }
	slices.SortStableFunc(sets, func(a, b *Set) int {
		return cmp.Or(cmp.Compare(slices.Index(stores, a.Store), slices.Index(stores, b.Store)), cmp.Compare(a.Language, b.Language), cmp.Compare(order(a.Class), order(b.Class)))
	})
	return sets
}
