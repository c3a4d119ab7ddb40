package weigh

import (
	"cmp"
	"fmt"
	"maps"
	"path"
	"slices"
	"strings"

	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/origin"
)

// maxPaths is how many files a hint names.
const maxPaths = 5

// textual are the kinds of files that compress well.
var textual = []string{".json", ".xml", ".html", ".js", ".css", ".txt", ".csv", ".svg", ".strings", ".plist", ".yaml", ".md"}

// hints tells what could be saved, the most first. bounds is the table weigh_bounds.
func (w *Weight) hints(p *facts.Package, items []*item, bounds map[string]int64, whose *origin.Index) {
	add := func(h *Hint) {
		if h.Saves > 0 {
			if len(h.Paths) > maxPaths {
				h.Paths = append(h.Paths[:maxPaths:maxPaths], fmt.Sprintf("and %d more", len(h.Paths)-maxPaths))
			}
			w.Hints = append(w.Hints, h)
		}
	}
	twins := &Hint{What: "files are there more than once", Fix: "Keep one of each, and refer to it."}
	for _, t := range w.Twins {
		twins.Saves += t.Wasted
		twins.Paths = append(twins.Paths, strings.Join(t.Paths, " = "))
	}
	add(twins)
	stored := &Hint{What: "texts are not compressed", Fix: "Leave them out of the list of files that the build does not compress."}
	wide := &Hint{What: fmt.Sprintf("pictures have a side of more than %d pixels", bounds["wide_picture"]), Fix: "Scale them down to the largest size in which a screen shows them."}
	heavy := &Hint{What: "large PNG pictures", Fix: "Try WebP, lossless or not, or for iOS HEIC."}
	for _, it := range items {
		if !it.delivered {
			continue
		}
		ext := strings.ToLower(path.Ext(it.name))
		if p.Kind == "apk" && it.Stored && it.Size >= bounds["stored_text"] && slices.Contains(textual, ext) {
			stored.Saves += it.Size * bounds["text_share"] / 100
			stored.Paths = append(stored.Paths, it.name)
		}
		side := max(it.Width, it.Height)
		switch {
		case side > bounds["wide_picture"]:
			left := bounds["wide_picture"] * bounds["wide_picture"] * it.Compressed / (side * side)
			wide.Saves += it.Compressed - left
			wide.Paths = append(wide.Paths, fmt.Sprintf("%s (%d x %d)", it.name, it.Width, it.Height))
		case ext == ".png" && it.Compressed >= bounds["heavy_png"]:
			heavy.Saves += it.Compressed * bounds["webp_share"] / 100
			heavy.Paths = append(heavy.Paths, it.name)
		}
	}
	add(stored)
	add(wide)
	add(heavy)
	if p.Android != nil {
		w.androidHints(p, whose, add)
	}
	slices.SortStableFunc(w.Hints, func(a, b *Hint) int { return cmp.Compare(b.Saves, a.Saves) })
}

func (w *Weight) androidHints(p *facts.Package, whose *origin.Index, add func(*Hint)) {
	a := p.Android
	thin := &Hint{What: "languages of which only libraries have texts", Fix: "Name the app's languages in the build (resource configurations), so that those of libraries are left out."}
	packed := map[string]int64{}
	for _, l := range w.Languages {
		packed[l.Name] = l.Packed
	}
	_, brought := whose.Locales()
	for _, l := range slices.Sorted(maps.Keys(brought)) {
		thin.Saves += packed[l]
		thin.Paths = append(thin.Paths, fmt.Sprintf("%s: %s (%s)", l, brought[l].By, brought[l].Sign))
	}
	add(thin)
	debug := &Hint{What: "native libraries hold debugging information", Fix: "Strip them in the build, and hand the symbols in beside the release."}
	for _, l := range a.Native.Libraries {
		if l.Debug > 0 {
			debug.Saves += l.Debug
			debug.Paths = append(debug.Paths, l.Path)
		}
	}
	add(debug)
	if p.Kind != "apk" {
		return
	}
	for _, x := range []struct {
		parts     []*Part
		what, fix string
	}{
		{w.ABIs, "the APK carries %d architectures, of which a device uses one", "Publish an app bundle, or an APK for each architecture."},
		{w.Densities, "the APK carries pictures of %d densities, of which a device uses one", "Publish an app bundle."},
	} {
		if len(x.parts) < 2 {
			continue
		}
		h := &Hint{What: fmt.Sprintf(x.what, len(x.parts)), Fix: x.fix}
		for i, part := range x.parts {
			if i > 0 {
				h.Saves += part.Packed
			}
			h.Paths = append(h.Paths, part.Name)
		}
		add(h)
	}
}
