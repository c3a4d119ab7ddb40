package report

import (
	"cmp"
	"fmt"
	"io"
	"math"
	"path/filepath"
	"slices"
	"strings"

	"github.com/rivo/uniseg"

	"regola.example/regola/internal/core/sanitize"
	"regola.example/regola/internal/core/weigh"
	"regola.example/regola/internal/view"
)

// WeightDocument is the JSON form of what a package weighs.
type WeightDocument struct {
	Regola int64         `json:"regola"` // version of this form
	File   string        `json:"file"`
	Weight *weigh.Weight `json:"weight"`
	Bounds []BoundEntry  `json:"bounds"` // of the stores
	Growth *GrowthEntry  `json:"growth"` // against an older package; null for none
}

// BoundEntry is a limit of a store, and the size that is held against it.
type BoundEntry struct {
	Store string `json:"store"`
	What  string `json:"what"`
	Is    int64  `json:"is"`   // bytes
	Most  int64  `json:"most"` // bytes
}

// GrowthEntry is what an older package weighed.
type GrowthEntry struct {
	File     string       `json:"file"`
	Package  int64        `json:"package"`
	Download int64        `json:"download"` // of the first device
	Kinds    []GrownEntry `json:"kinds"`
	Files    []GrownEntry `json:"files"` // that grew or shrank most
}

// GrownEntry is a part that grew, shrank, came or went.
type GrownEntry struct {
	Name string `json:"name"`
	From int64  `json:"from"` // compressed bytes
	To   int64  `json:"to"`
}

// maxGrown is how many files a comparison lists.
const maxGrown = 10

// NewWeightDocument puts a weighing into its JSON form; old may be nil.
func NewWeightDocument(w, old *view.Weight) *WeightDocument {
	d := &WeightDocument{Regola: FormatNumber, File: w.Package.File, Weight: w.Weight, Bounds: []BoundEntry{}}
	for _, b := range w.Bounds {
		d.Bounds = append(d.Bounds, BoundEntry(b))
	}
	if old == nil {
		return d
	}
	g := &GrowthEntry{File: old.Package.File, Package: old.Weight.Package, Kinds: []GrownEntry{}, Files: []GrownEntry{}}
	if len(old.Devices) > 0 {
		g.Download = old.Devices[0].Download
	}
	sizes := func(list []*weigh.Part) map[string]int64 {
		out := map[string]int64{}
		for _, p := range list {
			out[p.Name] = p.Packed
		}
		return out
	}
	g.Kinds = grown(sizes(old.Kinds), sizes(w.Kinds), math.MaxInt)
	files := func(w *view.Weight) map[string]int64 {
		out := map[string]int64{}
		for _, f := range w.Package.Files {
			out[f.Path] = f.Compressed
		}
		return out
	}
	g.Files = grown(files(old), files(w), maxGrown)
	d.Growth = g
	return d
}

// Weigh writes what takes the space: the whole, what devices get, then the parts with
// bars, and what could be saved.
func Weigh(w io.Writer, d *WeightDocument, look Style) error {
	p := &printer{w: w, look: look}
	x := d.Weight
	p.line("%s  %s", p.strong(filepath.Base(d.File)), p.dim(fmt.Sprintf("%s, %s files, %s unpacked", size(x.Package), thousands(x.Files), size(x.Unpacked))))
	if g := d.Growth; g != nil {
		p.line("%s", p.dim(fmt.Sprintf("%s from %s of %s", signed(x.Package-g.Package), size(g.Package), sanitize.Text(g.File))))
	}
	p.line("")
	p.line("%s", p.strong("WHAT A DEVICE GETS  about"))
	names := 0
	for _, dev := range x.Devices {
		names = max(names, uniseg.StringWidth(dev.Device))
	}
	for _, dev := range x.Devices {
		if !dev.Fits {
			p.block(2, pad(dev.Device, names)+"  ", nil, "gets nothing: "+dev.Why, styleDim)
			continue
		}
		text := fmt.Sprintf("%s to download  %s installed", padLeft(size(dev.Download), 10), padLeft(size(dev.Installed), 10))
		if dev.Later > 0 {
			text += fmt.Sprintf("  %s later", size(dev.Later))
		}
		p.line("  %s  %s  %s", pad(dev.Device, names), text, p.dim(dev.What))
	}
	for i, b := range d.Bounds {
		if i == 0 {
			p.line("")
			p.line("%s", p.strong("BOUNDS OF THE STORES"))
		}
		word, style := "within", styleGood
		if b.Is > b.Most {
			word, style = "OVER", styleImpact["refused"]
		}
		p.line("  %s  %s of %s  %s", p.look.paint(style, pad(word, 6)), padLeft(size(b.Is), 10), size(b.Most), p.dim(b.What+" ("+b.Store+")"))
	}
	if g := d.Growth; g != nil {
		p.line("")
		p.line("%s", p.strong("GROWTH"))
		if len(g.Kinds)+len(g.Files) == 0 {
			p.line("  nothing changed its size")
		}
		for _, list := range [][]GrownEntry{g.Kinds, g.Files} {
			for _, k := range list {
				p.block(2, padLeft(signed(k.To-k.From), 12)+"  ", nil, fmt.Sprintf("%s  (%s to %s)", k.Name, size(k.From), size(k.To)), nil)
			}
		}
	}
	p.parts("WHAT IT IS", x.Kinds, x.Packed)
	if len(x.Modules) > 1 {
		p.parts("BY MODULE", x.Modules, x.Packed)
	}
	p.parts("BY ARCHITECTURE", x.ABIs, x.Packed)
	p.parts("BY DENSITY", x.Densities, x.Packed)
	p.parts("BY LANGUAGE", x.Languages, x.Packed)
	p.parts("WHOSE CODE", x.Origins, x.Packed)
	p.parts("THIRD-PARTY CODE", x.ThirdParty, x.Packed)
	p.line("")
	p.line("%s", p.strong("LARGEST FILES"))
	for _, f := range x.Largest[:min(len(x.Largest), p.most(10))] {
		p.block(2, padLeft(size(f.Packed), 10)+"  ", nil, f.Path, stylePath)
	}
	if n := len(x.Largest) - p.most(10); n > 0 {
		p.line("  %s", p.dim(fmt.Sprintf("and %d more (--all)", n)))
	}
	for i, h := range x.Hints {
		if i == 0 {
			p.line("")
			p.line("%s", p.strong("COULD BE SAVED  at most"))
		}
		p.block(2, padLeft(size(h.Saves), 10)+"  ", nil, h.What, nil)
		p.block(14, "", nil, h.Fix, styleDim)
		for _, name := range h.Paths {
			p.block(14, "", nil, name, stylePath)
		}
	}
	p.line("")
	for _, h := range x.How {
		p.block(0, "", nil, h, styleDim)
	}
	return p.err
}

// most is how many lines of a list are shown.
func (p *printer) most(n int) int {
	if p.look.All {
		return math.MaxInt32
	}
	return n
}

// maxParts is how many parts of one kind are shown.
const maxParts = 12

// parts writes parts with bars, the largest first.
func (p *printer) parts(title string, list []*weigh.Part, whole int64) {
	if len(list) == 0 {
		return
	}
	p.line("")
	p.line("%s", p.strong(title))
	names := 0
	for _, x := range list[:min(len(list), p.most(maxParts))] {
		names = max(names, uniseg.StringWidth(sanitize.Text(x.Name)))
	}
	names = min(names, p.look.Columns()/3)
	for i, x := range list {
		if i == p.most(maxParts) {
			p.line("  %s", p.dim(fmt.Sprintf("and %d more (--all)", len(list)-i)))
			return
		}
		name := sanitize.Text(x.Name)
		if runes := []rune(name); len(runes) > names {
			name = "…" + string(runes[len(runes)-names+1:])
		}
		about := ""
		if x.Estimate {
			about = "about "
		}
		what := x.What
		if x.Files > 1 {
			what = strings.TrimSpace(fmt.Sprintf("%s (%d)", what, x.Files))
		}
		head := fmt.Sprintf("  %s  %s  %s  ", pad(name, names), p.bar(x.Packed, whole), padLeft(about+size(x.Packed), 15))
		room := p.look.Columns() - names - 2 - barWidth - 2 - 15 - 4
		p.line("%s%s", shown(head), p.dim(cutTo(sanitize.Text(what), max(room, 8))))
	}
}

// barWidth is how many columns a bar takes.
const barWidth = 20

// bar is a share of the whole in eighths of a column.
func (p *printer) bar(part, whole int64) shown {
	if whole <= 0 {
		return shown(strings.Repeat(" ", barWidth))
	}
	n := int(float64(part) / float64(whole) * barWidth * 8)
	if n == 0 && part > 0 {
		n = 1
	}
	n = min(n, barWidth*8)
	full, rest := n/8, n%8
	if p.look.ASCII {
		return shown(pad(strings.Repeat("#", max(full, 1)), barWidth))
	}
	text := strings.Repeat("█", full)
	if rest > 0 {
		text += string([]rune(" ▏▎▍▌▋▊▉")[rest])
	}
	return p.look.paint(stylePath, text) + shown(strings.Repeat(" ", barWidth-uniseg.StringWidth(text)))
}

func padLeft(s string, width int) string {
	if n := width - uniseg.StringWidth(s); n > 0 {
		return strings.Repeat(" ", n) + s
	}
	return s
}

func signed(n int64) string {
	if n < 0 {
		return "-" + size(-n)
	}
	return "+" + size(n)
}

func thousands(n int64) string {
	s := fmt.Sprint(n)
	for i := len(s) - 3; i > 0; i -= 3 {
		s = s[:i] + "," + s[i:]
	}
	return s
}

// grown are the parts whose sizes differ, those with the largest difference first.
func grown(old, now map[string]int64, most int) []GrownEntry {
	out := []GrownEntry{}
	for name, to := range now {
		if from := old[name]; from != to {
			out = append(out, GrownEntry{name, from, to})
		}
	}
	for name, from := range old {
		if _, still := now[name]; !still {
			out = append(out, GrownEntry{name, from, 0})
		}
	}
	change := func(g GrownEntry) int64 { return max(g.To-g.From, g.From-g.To) }
	slices.SortFunc(out, func(a, b GrownEntry) int {
		return cmp.Or(cmp.Compare(change(b), change(a)), cmp.Compare(a.Name, b.Name))
	})
	return out[:min(len(out), most)]
}
