package pictures

import (
	"fmt"
	"slices"
	"strings"

	"regola.example/regola/internal/core/tables"
)

// sized tells whether a picture has a size of a class.
func (p *Picture) sized(c *tables.PictureClass) bool {
	if p.Width <= 0 || p.Height <= 0 || p.Film != (c.Slot == "preview") {
		return false
	}
	if len(c.Sizes) > 0 {
		return slices.Contains(c.Sizes, size(p.Width, p.Height)) || c.Turned && slices.Contains(c.Sizes, size(p.Height, p.Width))
	}
	short, long := min(p.Width, p.Height), max(p.Width, p.Height)
	if short < c.Shortest || c.Longest > 0 && long > c.Longest {
		return false
	}
	if a, b, ok := ratio(c.Ratio); ok && long*b > short*a {
		return false
	}
	return len(c.Aspects) == 0 || slices.ContainsFunc(c.Aspects, func(s string) bool {
		a, b, _ := ratio(s)
		// The nearest whole pixel counts: 1920 by 1080 and its neighbours by one.
		d := p.Width*b - p.Height*a
		return max(d, -d) <= max(a, b)
	})
}

func ratio(s string) (a, b int64, ok bool) {
	n, _ := fmt.Sscanf(s, "%d:%d", &a, &b)
	return a, b, n == 2
}

func size(w, h int64) string { return fmt.Sprintf("%dx%d", w, h) }

// lone tells whether a class takes a single picture that is known by its name or
// size, and no screenshots.
func lone(c *tables.PictureClass) bool { return c.Slot != "screenshot" && c.Slot != "preview" }

// class is where a picture belongs among the classes of a store: in that which
// its folder or name asks for, when it has its size; else in the first whose size
// it has. Icons and graphics of the page come before screenshots, since their
// sizes are nobody's screenshot. nil is for none.
func (p *Picture) class(classes []*tables.PictureClass, wish string) *tables.PictureClass {
	var best *tables.PictureClass
	for _, c := range classes {
		switch {
		case !p.sized(c):
		case c.ID == wish:
			return c
		case !c.Named && (best == nil || lone(c) && !lone(best)):
			best = c
		}
	}
	for _, c := range classes {
		if c.ID == wish && lone(c) {
			return nil // icon.png of a wrong size is no screenshot
		}
	}
	return best
}

// nearest says of a picture that has the size of no class of a store which one
// comes next, and what it lacks.
func (p *Picture) nearest(classes []*tables.PictureClass, wish string) string {
	if p.Width <= 0 {
		return ""
	}
	of := classes
	// A folder of screenshots with exact sizes may be the wrong one; a name and a
	// folder of bounds are meant.
	if i := slices.IndexFunc(classes, func(c *tables.PictureClass) bool { return c.ID == wish && p.Film == (c.Slot == "preview") }); i >= 0 && (lone(classes[i]) || classes[i].Named || len(classes[i].Sizes) == 0) {
		of = classes[i : i+1]
	}
	var best *tables.PictureClass
	var apart, bestW, bestH int64
	for _, c := range of {
		if p.Film != (c.Slot == "preview") || lone(c) && c.ID != wish || c.Named && c.ID != wish {
			continue
		}
		if len(c.Sizes) == 0 {
			return fmt.Sprintf("%d x %d fits no class; for %s %s", p.Width, p.Height, c.What, p.lacks(c))
		}
		for _, s := range c.Sizes {
			var w, h int64
			if n, _ := fmt.Sscanf(s, "%dx%d", &w, &h); n != 2 {
				continue
			}
			if c.Turned && (w > h) != (p.Width > p.Height) {
				w, h = h, w
			}
			if d := abs(w-p.Width) + abs(h-p.Height); best == nil || d < apart {
				best, apart, bestW, bestH = c, d, w, h
			}
		}
	}
	switch {
	case best == nil:
		return ""
	case lone(best):
		return fmt.Sprintf("%d x %d is not the size of %s, %d x %d", p.Width, p.Height, best.What, bestW, bestH)
	}
	return fmt.Sprintf("%d x %d fits no class; the nearest is %s, %d x %d: %s", p.Width, p.Height, best.What, bestW, bestH, difference(p.Width, p.Height, bestW, bestH))
}

// lacks says which bound of a class a picture breaks.
func (p *Picture) lacks(c *tables.PictureClass) string {
	short, long := min(p.Width, p.Height), max(p.Width, p.Height)
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

func difference(w, h, wantW, wantH int64) string {
	var parts []string
	for _, d := range []struct {
		n          int64
		more, less string
	}{{w - wantW, "too wide", "too narrow"}, {h - wantH, "too high", "too low"}} {
		switch {
		case d.n > 0:
			parts = append(parts, fmt.Sprintf("%d pixels %s", d.n, d.more))
		case d.n < 0:
			parts = append(parts, fmt.Sprintf("%d pixels %s", -d.n, d.less))
		}
	}
	return strings.Join(parts, ", ")
}

func abs(n int64) int64 { return max(n, -n) }
