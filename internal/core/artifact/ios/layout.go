package ios

import (
	"encoding/binary"
	"path"
	"slices"
	"sort"
	"strings"

	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/format/macho"
	"regola.example/regola/internal/core/format/plist"
	"regola.example/regola/internal/core/place"
)

// layout notes what lies where it should not, by the names alone.
func (r *reader) layout() {
	r.beside()
	r.clashes()
	r.strayManifests()
	r.resourceBundles()
	r.entries()
	for _, field := range []string{"beside", "case_clashes", "stray_manifests"} {
		r.out.Put(field, r.at(""))
	}
}

// beside lists what lies at the archive's root and in Payload beside the app.
func (r *reader) beside() {
	o := r.out
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
			r.out.CaseClashes = append(r.out.CaseClashes, e.Name)
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
			r.out.StrayManifests = append(r.out.StrayManifests, e.Name)
		}
	}
}

// resourceBundles reads the property lists of bundles without code.
func (r *reader) resourceBundles() {
	for _, e := range r.tree.Entries {
		dir := path.Dir(e.Name)
		if path.Base(e.Name) != "Info.plist" || path.Ext(dir) != ".bundle" {
			continue
		}
		b := &facts.ResourceBundle{Path: dir, PrivacyManifest: r.tree.Get(dir+"/PrivacyInfo.xcprivacy") != nil}
		b.SetSelf(r.at(e.Name))
		info, _, err := r.plist(e.Name)
		if err != nil {
			for _, f := range []string{"id", "package_type", "executable"} {
				b.SetUnread(f, "its property list cannot be read: "+err.Error())
			}
		}
		b.ID, b.PackageType, b.Executable = info.Get("CFBundleIdentifier").Text(), info.Get("CFBundlePackageType").Text(), info.Get("CFBundleExecutable").Text()
		b.Put("executable", valueAt(r.at(e.Name), info.Get("CFBundleExecutable"), "CFBundleExecutable"))
		b.Put("package_type", valueAt(r.at(e.Name), info.Get("CFBundlePackageType"), "CFBundlePackageType"))
		r.out.ResourceBundles = append(r.out.ResourceBundles, b)
	}
}

// entries gathers the oddities of the archive's entries.
func (r *reader) entries() {
	o := r.out
	if z := r.whole.Archive; z != nil {
		for _, f := range z.Faults {
			if f.Kind != "zip64" { // needed above 4 GiB
				o.ArchiveFaults = append(o.ArchiveFaults, r.archiveFault(f.Kind, f.Entry, f.What))
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

// archive reads what a build archive says of itself. The signatures in it are
// replaced when it is exported.
func (r *reader) archive() {
	at := strings.Index("/"+r.root, "/Products/Applications/")
	if at < 0 {
		r.out.SignatureFinal = true
		return
	}
	base := strings.TrimSuffix(r.root[:at], "/")
	r.out.SetUnread("signature_final", "the signatures in a build archive are replaced at its export; check the exported package")
	name := path.Join(base, "Info.plist")
	a := &facts.BuildArchive{}
	a.SetSelf(place.Place{File: r.file, Entry: name})
	r.out.Archive = a
	whole := r.whole.Sub(base)
	for _, n := range whole.Folders("Products") {
		if n != "Products/Applications" {
			a.Products = append(a.Products, n)
		}
	}
	for _, e := range whole.Below("Signatures") {
		a.Signed = append(a.Signed, path.Base(e.Name))
	}
	data, err := r.whole.Read(name, maxInfo)
	var info *plist.Value
	if err == nil {
		info, _, err = plist.Parse(data)
	}
	if err != nil {
		for _, f := range []string{"app", "id", "version", "build"} {
			a.SetUnread(f, "the archive's property list cannot be read: "+err.Error())
		}
		return
	}
	props := info.Get("ApplicationProperties")
	a.App, a.ID = props != nil, props.Get("CFBundleIdentifier").Text()
	a.Version, a.Build = props.Get("CFBundleShortVersionString").Text(), props.Get("CFBundleVersion").Text()
}

// loose finds code that is no bundle's executable. Only files that look like
// code by their names are opened.
func (r *reader) loose() {
	known := map[string]bool{}
	for _, b := range r.out.Bundles {
		known[path.Clean(b.Executable)] = true
	}
	for _, e := range r.tree.Entries {
		ext := path.Ext(e.Name)
		if !slices.Contains([]string{"", ".dylib", ".so", ".a", ".o", ".debug"}, ext) || known[e.Name] || e.Size < 8 {
			continue
		}
		if strings.Contains(e.Name, "_CodeSignature/") || strings.Contains(e.Name, "SC_Info/") || strings.Contains(e.Name, "_WatchKitStub/") {
			continue
		}
		dir, base := path.Dir(e.Name), path.Base(e.Name)
		if path.Base(dir) == "Frameworks" && strings.HasPrefix(base, "libswift") && ext == ".dylib" {
			continue // the language's runtime
		}
		head, err := r.head(e, 16)
		if err != nil {
			r.out.SetUnread("loose_code", e.Name+": "+err.Error())
			continue
		}
		kind := ""
		switch {
		case string(head[:min(8, len(head))]) == "!<arch>\n":
			kind = "static library"
		case !macho.Is(head):
			continue
		case len(head) == 16 && (head[0] == 0xce || head[0] == 0xcf): // thin, the last byte of the magic number first
			kind = fileType(binary.LittleEndian.Uint32(head[12:]))
		default:
			kind = "universal binary"
		}
		if known[strings.TrimSuffix(e.Name, ".debug")] {
			kind = "debugging information"
		}
		l := &facts.LooseCode{Path: e.Name, Kind: kind}
		l.SetSelf(r.at(e.Name))
		r.out.Loose = append(r.out.Loose, l)
	}
}

// linked looks for every library that code links: in the system, or through
// the search paths in the package. Weak ones may be missing.
func (r *reader) linked() {
	files := map[string]bool{}
	for _, e := range r.tree.Entries {
		files[e.Name] = true
	}
	homes := map[string]string{} // the folder of the program that loads a binary
	var app []string
	for _, b := range r.out.Bundles {
		home := "."
		if b.Kind != "framework" {
			home = b.Path
		}
		homes[b.Executable] = home
	}
	for _, b := range r.out.Binaries {
		if b.Path == r.out.Executable {
			app = b.RPaths
		}
	}
	for _, b := range r.out.Binaries {
		if why := b.Unread("libraries"); why != "" {
			r.out.SetUnread("missing_libraries", b.Path+": "+why)
		}
		home := homes[b.Path]
		for _, l := range b.Libraries {
			if !found(l, path.Dir(b.Path), home, slices.Concat(b.RPaths, app), files) {
				m := &facts.MissingLib{Binary: b.Path, Library: l}
				m.SetSelf(r.at(b.Path))
				r.out.MissingLibs = append(r.out.MissingLibs, m)
			}
		}
	}
	if why := r.out.Unread("binaries"); why != "" {
		r.out.SetUnread("missing_libraries", why)
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

// debugInfo lists the builds for which debugging information comes along:
// as dSYM bundles in a build archive, as symbol files in an archive for the
// store.
func (r *reader) debugInfo() {
	for _, e := range r.whole.Entries {
		switch {
		case strings.Contains(e.Name, ".dSYM/Contents/Resources/DWARF/") && !strings.HasPrefix(e.Name, r.root+"/"):
			r.out.DebugInfoCarried = true
			src, err := e.Open()
			var f *macho.File
			if err == nil {
				f, err = macho.ReadHeaders(src)
				src.Close()
			}
			if err != nil {
				r.out.SetUnread("debug_info", e.Name+": "+err.Error())
				continue
			}
			for _, s := range f.Slices {
				r.out.DebugInfo = append(r.out.DebugInfo, s.UUID)
			}
		case strings.HasPrefix(e.Name, "Symbols/") && path.Ext(e.Name) == ".symbols":
			r.out.DebugInfoCarried = true
			r.out.DebugInfo = append(r.out.DebugInfo, strings.ToUpper(strings.TrimSuffix(path.Base(e.Name), ".symbols")))
		}
	}
	if strings.Contains(r.root, "Products/Applications/") {
		r.out.DebugInfoCarried = true
	}
	sort.Strings(r.out.DebugInfo)
	r.out.DebugInfo = slices.Compact(r.out.DebugInfo)
}
