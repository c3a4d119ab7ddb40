// Package treemap lays rectangles out whose areas are proportional to sizes, as
// close to squares as they come ("Squarified Treemaps", Bruls, Huizing and van Wijk,
// 2000).
package treemap

// Rect is a rectangle.
type Rect struct{ X, Y, W, H float64 }

// Layout places the sizes, which must fall, in a rectangle; one Rect for each. Sizes
// that are not positive get an empty one.
func Layout(sizes []int64, in Rect) []Rect {
	out := make([]Rect, len(sizes))
	var total float64
	n := 0
	for n < len(sizes) && sizes[n] > 0 {
		total += float64(sizes[n])
		n++
	}
	if total == 0 || in.W <= 0 || in.H <= 0 {
		return out
	}
	area := func(i int) float64 { return float64(sizes[i]) / total * in.W * in.H }
	left := in
	for from := 0; from < n; {
		side := min(left.W, left.H)
		to, sum := from+1, area(from)
		worst := ratio(sum, area(from), area(from), side)
		for to < n {
			next := sum + area(to)
			w := ratio(next, area(from), area(to), side)
			if w > worst {
				break
			}
			worst, sum = w, next
			to++
		}
		left = row(out[from:to], sizes[from:to], sum, left)
		from = to
	}
	return out
}

// ratio is the worst side ratio of a row: sum of its areas, the largest and the
// smallest, along a side.
func ratio(sum, largest, smallest, side float64) float64 {
	s2, w2 := sum*sum, side*side
	return max(w2*largest/s2, s2/(w2*smallest))
}

// row places a row along the shorter side and gives what is left.
func row(out []Rect, sizes []int64, sum float64, in Rect) Rect {
	var total float64
	for _, s := range sizes {
		total += float64(s)
	}
	at := 0.0
	if in.W >= in.H { // a column on the left
		w := sum / in.H
		for i, s := range sizes {
			h := in.H * float64(s) / total
			out[i] = Rect{in.X, in.Y + at, w, h}
			at += h
		}
		return Rect{in.X + w, in.Y, max(0, in.W-w), in.H}
	}
	h := sum / in.W
	for i, s := range sizes {
		w := in.W * float64(s) / total
		out[i] = Rect{in.X + at, in.Y, w, h}
		at += w
	}
	return Rect{in.X, in.Y + h, in.W, max(0, in.H-h)}
}
