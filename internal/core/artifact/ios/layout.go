package ios

import (
	"encoding/binary"
	"io/fs"
	"path"
	"slices"
	"sort"
	"strings"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/format/macho"
	"regola.example/regola/internal/core/place"
)

// layout notes what lies where it should not, by the names alone.
func (r *reader) layout() {
	r.out.Layout.SetSelf(r.at(""))
	r.aside()
	r.clashes()
	r.strayManifests()
	r.entries()
	r.loose()
	r.linked()
}

// aside lists what lies at the archive's root and in Payload beside the app.
func (r *reader) aside() {
	o := &r.out.Layout
	container, _, _ := strings.Cut(r.root, "/")
	for _, n := range r.whole.Folders("") {
		if n != container && r.root != "" {
			o.Beside = append(o.Beside, n)
		}
	}
	for _, e := range r.whole.Entries {
		switch dir := path.Dir(e.Name); {
		case r.root == "":
		case dir == ".", dir == "Payload":
			o.Beside = append(o.Beside, e.Name)
		}
	}
	if container == "Payload" {
		for _, n := range r.whole.Folders("Payload") {
			if n != r.root {
				o.Beside = append(o.Beside, n)
			}
		}
	}
	sort.Strings(o.Beside)
}

// clashes finds names that are one on a disk that ignores letter case.
func (r *reader) clashes() {
	seen := map[string]string{}
	for _, e := range r.whole.Entries {
		low := strings.ToLower(e.Name)
		if other, twice := seen[low]; twice && other != e.Name {
			r.out.Layout.CaseClashes = append(r.out.Layout.CaseClashes, e.Name)
		}
		seen[low] = e.Name
	}
}

// strayManifests finds privacy manifests that do not lie at a bundle's root, or
// are spelt otherwise.
func (r *reader) strayManifests() {
	for _, e := range r.tree.Entries {
		dir, base := path.Dir(e.Name), path.Base(e.Name)
		if !strings.EqualFold(base, "PrivacyInfo.xcprivacy") {
			continue
		}
		root := dir == "." || slices.Contains([]string{".app", ".appex", ".framework", ".bundle"}, path.Ext(dir))
		if desktop := strings.HasSuffix(dir, "/Resources") && strings.Contains(dir, ".framework/"); !root && !desktop || base != "PrivacyInfo.xcprivacy" {
			r.out.Layout.StrayManifests = append(r.out.Layout.StrayManifests, e.Name)
		}
	}
}

// entries gathers the oddities of the archive's entries.
func (r *reader) entries() {
	o := &r.out.Layout
	if z := r.whole.Archive; z != nil {
		for _, f := range z.Faults {
			if f.Kind != "zip64" { // needed above 4 GiB
				o.ArchiveFaults = append(o.ArchiveFaults, r.archiveFault(f.Kind, f.Entry, f.What))
			}
		}
	}
	for _, e := range r.tree.Entries {
		if e.Mode&fs.ModeSymlink == 0 || e.Size > 4096 {
			continue
		}
		if target, err := e.Read(4096); err == nil {
			to := string(target)
			if path.IsAbs(to) || strings.HasPrefix(path.Join(path.Dir(e.Name), to), "..") {
				name := path.Join(r.root, e.Name)
				o.ArchiveFaults = append(o.ArchiveFaults, r.archiveFault("link", name, "is a link that leads out of the app, to "+to))
			}
		}
	}
	for _, e := range r.whole.Entries {
		if strings.HasSuffix(e.Name, " ") || strings.Contains(e.Name, " /") {
			o.ArchiveFaults = append(o.ArchiveFaults, r.archiveFault("blank", e.Name, "has a name that ends with a blank"))
		}
	}
}

func (r *reader) archiveFault(kind, entry, what string) *facts.ArchiveFault {
	f := &facts.ArchiveFault{Kind: kind, Entry: entry, What: what}
	f.SetSelf(place.Place{File: r.file, Entry: entry})
	return f
}

// noCode are extensions of files that are not looked into for code: pictures,
// sound, films, texts, and what the build tools compile.
var noCode = strings.Fields(".png .jpg .jpeg .gif .webp .heic .pdf .svg .car .nib .plist .strings .stringsdict .json .js .html .css .map .txt .md " +
	".ttf .otf .woff .woff2 .mp3 .m4a .aac .caf .wav .ogg .mp4 .mov .m4v .xml .yaml .yml .csv .db .sqlite .mom .omo .momd .xcprivacy .mobileprovision .ktx .metallib .lottie .swiftmodule .h .modulemap")

// loose finds code that is no bundle's executable, by its content.
func (r *reader) loose() {
	known := map[string]bool{}
	for _, b := range r.out.Bundles {
		known[path.Clean(b.Code.Path)] = true
	}
	for _, e := range r.tree.Entries {
		ext := path.Ext(e.Name)
		if slices.Contains(noCode, strings.ToLower(ext)) || known[e.Name] || e.Size < 8 || e.Mode&fs.ModeSymlink != 0 {
			continue
		}
		if strings.Contains(e.Name, "_CodeSignature/") || strings.Contains(e.Name, "SC_Info/") || strings.Contains(e.Name, "_WatchKitStub/") {
			continue
		}
		dir, base := path.Dir(e.Name), path.Base(e.Name)
		if path.Base(dir) == "Frameworks" && strings.HasPrefix(base, "libswift") && ext == ".dylib" {
			continue // the Swift runtime
		}
		head, err := e.Head()
		if err != nil {
			fact.Lose(&r.out.Layout, &r.out.Layout.LooseCode, fact.Unread(e.Name+": "+err.Error()))
			continue
		}
		kind := ""
		switch {
		case string(head[:min(8, len(head))]) == "!<arch>\n":
			kind = "static library"
		case !macho.Is(head):
			continue
		case len(head) >= 16 && (head[0] == 0xce || head[0] == 0xcf): // thin, the last byte of the magic number first
			kind = fileType(binary.LittleEndian.Uint32(head[12:]))
		default:
			kind = "universal binary"
		}
		if known[strings.TrimSuffix(e.Name, ".debug")] {
			kind = "debugging information"
		}
		l := &facts.LooseCode{Path: e.Name, Kind: kind}
		l.SetSelf(r.at(e.Name))
		r.out.Layout.LooseCode = append(r.out.Layout.LooseCode, l)
	}
}

// linked looks for every library that code links: in the system, or through
// the search paths in the package. Weak ones may be missing.
func (r *reader) linked() {
	files := map[string]bool{}
	for _, e := range r.tree.Entries {
		files[e.Name] = true
	}
	app := r.out.App.Code.SearchPaths
	for _, b := range r.out.Bundles {
		if g := fact.GapOf(&b.Code, &b.Code.Libraries); g != nil && g.Kind == fact.NotRead {
			fact.Lose(&r.out.Layout, &r.out.Layout.MissingLibraries, *g)
		}
		home := "." // the folder of the program that loads it
		if b.Kind != "framework" {
			home = b.Path
		}
		for _, l := range b.Code.Libraries {
			if !found(l, path.Dir(b.Code.Path), home, slices.Concat(b.Code.SearchPaths, app), files) {
				m := &facts.MissingLib{Binary: b.Code.Path, Library: l}
				m.SetSelf(r.at(b.Code.Path))
				r.out.Layout.MissingLibraries = append(r.out.Layout.MissingLibraries, m)
			}
		}
	}
}

// found tells whether a library is in the system or in the package. Which
// public libraries the system has is not judged here.
func found(lib, loader, home string, rpaths []string, files map[string]bool) bool {
	expand := func(p string) (string, bool) {
		for prefix, dir := range map[string]string{"@executable_path": home, "@loader_path": loader} {
			if rest, ok := strings.CutPrefix(p, prefix); ok {
				return path.Join(dir, rest), true
			}
		}
		return p, false
	}
	rest, ok := strings.CutPrefix(lib, "@rpath/")
	if !ok {
		if p, inside := expand(lib); inside {
			return files[p]
		}
		return strings.HasPrefix(lib, "/System/") || strings.HasPrefix(lib, "/usr/lib/")
	}
	for _, rp := range rpaths {
		p, inside := expand(rp)
		switch {
		case inside && files[path.Join(p, rest)]:
			return true
		case !inside && strings.HasPrefix(p, "/usr/lib/swift"):
			if strings.HasPrefix(rest, "libswift") {
				return true
			}
		}
	}
	return false
}
