package report

import (
	"bytes"
	"fmt"
	"html"
	"io"

	"regola.example/regola/internal/core/sanitize"
	"regola.example/regola/internal/core/treemap"
	"regola.example/regola/internal/core/weigh"
)

// kindColors are the grounds of a treemap's kinds, dark enough for white letters; a
// kind that is not here takes the last.
var kindColors = map[string]string{
	"code": "#8a4b2a", "native": "#5d6b3c", "libraries": "#5d6b3c", "table": "#6a5180", "texts": "#6a5180", "pictures": "#2f6f73", "fonts": "#7a6320",
	"sounds": "#3f5f8f", "films": "#3f5f8f", "web": "#8d3f57", "models": "#44505c", "data": "#5f5650",
}

const otherColor = "#6b625a"

// Treemap writes the files of a package as a picture, SVG 1.1: a rectangle each, by
// compressed bytes, grouped by what they are.
func Treemap(w io.Writer, x *weigh.Weight, width, height float64) error {
	var b bytes.Buffer
	fmt.Fprintf(&b, `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 %.0f %.0f" width="%.0f" height="%.0f" role="img" font-family="system-ui, sans-serif"><title>What takes the space, by compressed bytes</title>`+"\n", width, height, width, height)
	sizes := make([]int64, len(x.Tree))
	for i, t := range x.Tree {
		sizes[i] = t.Packed
	}
	for i, r := range treemap.Layout(sizes, treemap.Rect{W: width, H: height}) {
		branch := x.Tree[i]
		color := kindColors[branch.Name]
		if color == "" {
			color = otherColor
		}
		fmt.Fprintf(&b, `<g><title>%s: %s</title>`, svgText(branch.What), size(branch.Packed))
		fmt.Fprintf(&b, `<rect x="%.1f" y="%.1f" width="%.1f" height="%.1f" fill="%s"/>`+"\n", r.X, r.Y, r.W, r.H, color)
		head := 0.0
		if r.W > 60 && r.H > 40 {
			head = 20
			fmt.Fprintf(&b, `<text x="%.1f" y="%.1f" fill="#fff" font-size="13" font-weight="bold">%s</text>`+"\n", r.X+6, r.Y+15, svgText(fit(fmt.Sprintf("%s  %s", branch.What, size(branch.Packed)), (r.W-10)/7.6)))
		}
		leaves := make([]int64, len(branch.Leaves))
		for n, l := range branch.Leaves {
			leaves[n] = l.Packed
		}
		in := treemap.Rect{X: r.X + 2, Y: r.Y + 2 + head, W: max(0, r.W-4), H: max(0, r.H-4-head)}
		for n, l := range treemap.Layout(leaves, in) {
			if l.W < 2 || l.H < 2 {
				continue
			}
			fmt.Fprintf(&b, `<g><title>%s: %s</title><rect x="%.1f" y="%.1f" width="%.1f" height="%.1f" fill="#fff" fill-opacity=".14" stroke="%s" stroke-width="1"/>`,
				svgText(branch.Leaves[n].Name), size(branch.Leaves[n].Packed), l.X, l.Y, l.W, l.H, color)
			if l.W > 70 && l.H > 18 {
				fmt.Fprintf(&b, `<text x="%.1f" y="%.1f" fill="#fff" font-size="11">%s</text>`, l.X+4, l.Y+13, svgText(fitEnd(branch.Leaves[n].Name, (l.W-8)/6.2)))
			}
			fmt.Fprint(&b, "</g>\n")
		}
		fmt.Fprint(&b, "</g>\n")
	}
	fmt.Fprint(&b, "</svg>\n")
	_, err := w.Write(b.Bytes())
	return err
}

func svgText(s string) string { return html.EscapeString(sanitize.Text(s)) }

// fit shortens a text to so many characters.
func fit(s string, most float64) string {
	if r := []rune(s); len(r) > int(most) {
		return string(r[:max(0, int(most)-1)]) + "…"
	}
	return s
}

// fitEnd keeps the end, where the name of a file is.
func fitEnd(s string, most float64) string {
	if r := []rune(s); len(r) > int(most) {
		return "…" + string(r[max(0, len(r)-int(most)+1):])
	}
	return s
}
