// Package ios fills the facts of an app for the iOS store from its files.
//
// Source: the platform's documentation of bundle structures and of the
// information property list keys.
package ios

import (
	"cmp"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"path"
	"runtime"
	"slices"
	"strings"

	"regola.example/regola/internal/core/artifact/tree"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/format/assetcar"
	"regola.example/regola/internal/core/format/macho"
	"regola.example/regola/internal/core/format/plist"
	"regola.example/regola/internal/core/place"
)

// maxInfo bounds a property list: real ones stay far below.
const maxInfo = 16 << 20

// FindApp finds the app's folder in a tree: Payload/X.app in an archive for
// the store, Products/Applications/X.app in a build archive, X.app at the
// root, or the root itself. ok is false when there is none.
func FindApp(t *tree.Tree) (root, layout string, ok bool) {
	for _, l := range []struct{ parent, layout string }{
		{"Payload", "ipa"}, {"Products/Applications", "archive"}, {"", "app"},
	} {
		for _, dir := range t.Folders(l.parent) {
			if path.Ext(dir) == ".app" && t.Get(dir+"/Info.plist") != nil {
				return dir, l.layout, true
			}
		}
	}
	for _, dir := range t.Folders("") { // a build archive that was zipped with its folder
		if path.Ext(dir) != ".xcarchive" {
			continue
		}
		for _, app := range t.Folders(dir + "/Products/Applications") {
			if path.Ext(app) == ".app" && t.Get(app+"/Info.plist") != nil {
				return app, "archive", true
			}
		}
	}
	if t.Get("Info.plist") != nil && !hasFolder(t, "Payload") {
		return "", "app", true
	}
	return "", "", false
}

func hasFolder(t *tree.Tree, name string) bool { return len(t.Below(name)) > 0 }

type reader struct {
	begun   map[string]*reading          // executables that are being read, by path
	ders    map[*facts.Bundle][][]byte   // certificates of profiles
	cars    map[string]*assetcar.Catalog // by the folder of their bundle
	digests bool
	file    string
	root    string     // the app's folder, for places
	whole   *tree.Tree // the package
	tree    *tree.Tree // the app
	out     *facts.IOS
}

// Read fills the facts of the app in a tree. With digests, every signed digest
// is verified. The error, a *place.Problem, is
// for an app whose property list cannot be read; any other part that cannot be
// read leaves its facts unread, with the reason.
func Read(file string, t *tree.Tree, root string, digests bool) (*facts.IOS, error) {
	r := &reader{digests: digests, file: file, root: root, whole: t, tree: t.Sub(root), out: &facts.IOS{Root: root}}
	info, enc, err := r.plist("Info.plist")
	at := r.at("Info.plist")
	if err != nil {
		return nil, &place.Problem{At: at, What: "the app's property list cannot be read: " + err.Error(),
			Mend: "build the package again; if it was edited or transferred since, take the original"}
	}
	if info.Kind != plist.Dict {
		return nil, &place.Problem{At: at, What: fmt.Sprintf("the app's property list is %s, not a dictionary", info.Kind.Noun()),
			Mend: "build the package again"}
	}
	r.out.SetSelf(at)
	r.out.InfoEncoding = string(enc)
	r.catalogs()
	r.info(info, at)
	r.purposes(info, at)
	r.nested()
	r.executables()
	r.linked()
	r.classes(info, at)
	r.resources()
	r.out.Icon = r.icon(info, at, ".")
	r.out.Put("icon", r.out.Icon.Self())
	r.alternates(info, at)
	r.presence()
	r.services()
	r.startPages()
	r.translations(info)
	r.layout()
	r.archive()
	r.loose()
	r.debugInfo()
	return r.out, nil
}

func (r *reader) at(name string) place.Place {
	return place.Place{File: r.file, Entry: path.Join(r.root, name)}
}

func (r *reader) plist(name string) (*plist.Value, plist.Encoding, error) {
	data, err := r.tree.Read(name, maxInfo)
	if err != nil {
		return nil, "", err
	}
	return plist.Parse(data)
}

// put records where a key's value stands, or where the key is missing.
func (r *reader) put(field string, at place.Place, v *plist.Value, key string) {
	r.out.Put(field, valueAt(at, v, key))
}

func (r *reader) info(info *plist.Value, at place.Place) {
	o := r.out
	text := func(field, key string, into *string) {
		v := info.Get(key)
		*into = v.Text()
		r.put(field, at, v, key)
		if v != nil && v.Kind != plist.String {
			w := &facts.WrongType{Key: key, Type: v.Kind.Noun(), Want: plist.String.Noun()}
			w.SetSelf(valueAt(at, v, key))
			o.WrongTypes = append(o.WrongTypes, w)
			o.SetUnread(field, fmt.Sprintf("%s is %s, not a string", key, v.Kind.Noun()))
		}
	}
	o.Keys = info.SortedKeys()
	o.Put("keys", at)
	o.Put("switched_on", at)
	for _, k := range o.Keys {
		if info.Get(k).IsTrue() {
			o.SwitchedOn = append(o.SwitchedOn, k)
		}
	}
	r.more(info, at)
	text("id", "CFBundleIdentifier", &o.ID)
	text("version", "CFBundleShortVersionString", &o.Version)
	text("build", "CFBundleVersion", &o.Build)
	text("executable", "CFBundleExecutable", &o.Executable)
	text("min_os", "MinimumOSVersion", &o.MinOS)
	text("sdk_name", "DTSDKName", &o.SDKName)
	text("name", "CFBundleDisplayName", &o.Name)
	if o.Name == "" {
		text("name", "CFBundleName", &o.Name)
	}
	o.Platforms = info.Get("CFBundleSupportedPlatforms").Texts()
	r.put("platforms", at, info.Get("CFBundleSupportedPlatforms"), "CFBundleSupportedPlatforms")
	if fam := info.Get("UIDeviceFamily"); fam != nil {
		for _, it := range fam.Items {
			o.Families = append(o.Families, it.Int)
		}
		if fam.Kind == plist.Integer {
			o.Families = []int64{fam.Int}
		}
	}
	r.put("families", at, info.Get("UIDeviceFamily"), "UIDeviceFamily")
	if v := info.Get("ITSAppUsesNonExemptEncryption"); v != nil {
		o.EncryptionSaid = true
		switch {
		case v.Kind == plist.Boolean:
			o.Encryption = &v.Bool
		default:
			o.SetUnread("encryption", fmt.Sprintf("ITSAppUsesNonExemptEncryption is %s, not a boolean", v.Kind.Noun()))
		}
	} else {
		o.SetUnread("encryption", "the property list has no ITSAppUsesNonExemptEncryption")
	}
	r.put("encryption", at, info.Get("ITSAppUsesNonExemptEncryption"), "ITSAppUsesNonExemptEncryption")
	r.put("encryption_said", at, info.Get("ITSAppUsesNonExemptEncryption"), "ITSAppUsesNonExemptEncryption")
	o.PackageType = info.Get("CFBundlePackageType").Text()
	r.put("package_type", at, info.Get("CFBundlePackageType"), "CFBundlePackageType")
	o.RequiresIOS = info.Get("LSRequiresIPhoneOS").IsTrue()
	r.put("requires_ios", at, info.Get("LSRequiresIPhoneOS"), "LSRequiresIPhoneOS")
	o.FullScreen = info.Get("UIRequiresFullScreen").IsTrue()
	turns := info.Get("UISupportedInterfaceOrientations~ipad")
	if turns == nil {
		turns = info.Get("UISupportedInterfaceOrientations")
	}
	o.Orientations = turns.Texts()
	r.put("orientations", at, turns, "UISupportedInterfaceOrientations")
	o.Capabilities = info.Get("UIRequiredDeviceCapabilities").Texts()
	r.put("capabilities", at, info.Get("UIRequiredDeviceCapabilities"), "UIRequiredDeviceCapabilities")
	o.QuerySchemes = info.Get("LSApplicationQueriesSchemes").Texts()
	r.put("query_schemes", at, info.Get("LSApplicationQueriesSchemes"), "LSApplicationQueriesSchemes")
	o.TaskIDs = info.Get("BGTaskSchedulerPermittedIdentifiers").Texts()
	r.put("task_ids", at, info.Get("BGTaskSchedulerPermittedIdentifiers"), "BGTaskSchedulerPermittedIdentifiers")
	o.BonjourServices = info.Get("NSBonjourServices").Texts()
	unexpanded("", info, &o.Unexpanded)
	o.Put("unexpanded", at)
	launch := info.Get("UILaunchStoryboardName")
	if launch == nil {
		launch = info.Get("UILaunchScreen")
	}
	if launch == nil {
		launch = info.Get("UILaunchScreens")
	}
	o.LaunchScreen = launch != nil
	r.put("launch_screen", at, launch, "UILaunchScreen")
	o.BackgroundModes = info.Get("UIBackgroundModes").Texts()
	r.put("background_modes", at, info.Get("UIBackgroundModes"), "UIBackgroundModes")
	if types := info.Get("CFBundleURLTypes"); types != nil {
		for _, t := range types.Items {
			o.URLSchemes = append(o.URLSchemes, t.Get("CFBundleURLSchemes").Texts()...)
		}
		r.put("url_schemes", at, types, "CFBundleURLTypes")
	}
	r.named(info, at)
	r.documents(info, at)
	o.BoundDomains = info.Get("WKAppBoundDomains").Texts()
	r.put("bound_domains", at, info.Get("WKAppBoundDomains"), "WKAppBoundDomains")
	r.put("bonjour_services", at, info.Get("NSBonjourServices"), "NSBonjourServices")
	if hosts := info.Path("NSAppTransportSecurity", "NSExceptionDomains"); hosts != nil {
		for _, host := range hosts.SortedKeys() {
			v := hosts.Get(host)
			e := &facts.HostException{Host: host}
			for _, k := range []string{"NSExceptionAllowsInsecureHTTPLoads", "NSThirdPartyExceptionAllowsInsecureHTTPLoads", "NSTemporaryExceptionAllowsInsecureHTTPLoads"} {
				e.Insecure = e.Insecure || v.Get(k).IsTrue()
			}
			for _, k := range []string{"NSExceptionMinimumTLSVersion", "NSThirdPartyExceptionMinimumTLSVersion", "NSTemporaryExceptionMinimumTLSVersion"} {
				if t := v.Get(k).Text(); t != "" {
					e.MinTLS = t
				}
			}
			e.SetSelf(valueAt(at, v, "NSAppTransportSecurity.NSExceptionDomains."+host))
			o.HostExceptions = append(o.HostExceptions, e)
		}
	}
	ats := info.Path("NSAppTransportSecurity", "NSAllowsArbitraryLoads")
	o.ArbitraryLoads = ats.IsTrue()
	// From iOS 10 on, any of the narrower keys takes its place.
	for _, k := range []string{"NSAllowsArbitraryLoadsInWebContent", "NSAllowsArbitraryLoadsForMedia", "NSAllowsLocalNetworking"} {
		if info.Path("NSAppTransportSecurity", k) != nil && o.MinOS != "" && !strings.HasPrefix(o.MinOS, "9.") && !strings.HasPrefix(o.MinOS, "8.") {
			o.ArbitraryLoads = false
		}
	}
	r.put("arbitrary_loads", at, ats, "NSAppTransportSecurity.NSAllowsArbitraryLoads")
}

// named looks for the files that the property list names.
func (r *reader) named(info *plist.Value, at place.Place) {
	interfaces := map[string]bool{}
	files := map[string]bool{}
	for _, e := range r.tree.Entries {
		files[e.Name] = true
		// A compiled interface is a file or a folder, at the root or in the
		// folder of a language.
		dir := e.Name
		for dir != "." {
			if ext := path.Ext(dir); ext == ".storyboardc" || ext == ".nib" {
				if up := path.Dir(dir); up == "." || path.Ext(up) == ".lproj" {
					interfaces[strings.TrimSuffix(path.Base(dir), ext)] = true
				}
			}
			dir = path.Dir(dir)
		}
	}
	add := func(kind, key string, v *plist.Value, present func(string) bool) {
		names := v.Texts()
		if n := v.Text(); n != "" {
			names = []string{n}
		}
		for _, n := range names {
			f := &facts.NamedFile{Kind: kind, Key: key, Name: n, Present: present(n)}
			f.SetSelf(valueAt(at, v, key))
			r.out.Named = append(r.out.Named, f)
		}
	}
	isFile := func(n string) bool { return files[strings.TrimPrefix(path.Clean(n), "./")] }
	isInterface := func(n string) bool {
		return interfaces[strings.TrimSuffix(strings.TrimSuffix(n, ".storyboard"), ".nib")]
	}
	add("font", "UIAppFonts", info.Get("UIAppFonts"), isFile)
	for _, k := range info.SortedKeys() {
		switch base, _, _ := strings.Cut(k, "~"); base {
		case "UILaunchStoryboardName":
			add("launch-screen", k, info.Get(k), isInterface)
		case "UIMainStoryboardFile", "NSMainNibFile":
			add("interface", k, info.Get(k), isInterface)
		}
	}
	sets, why := r.setNames()
	for _, k := range []string{"UIImageName", "UIColorName"} {
		v := info.Path("UILaunchScreen", k)
		add("launch-part", "UILaunchScreen."+k, v, func(n string) bool {
			return sets[n] || k == "UIImageName" && (files[n] || files[n+".png"] || files[n+"@2x.png"] || files[n+"@3x.png"])
		})
		if why != "" && v.Text() != "" && !r.out.Named[len(r.out.Named)-1].Present {
			r.out.Named[len(r.out.Named)-1].SetUnread("present", why)
		}
	}
	if scenes := info.Path("UIApplicationSceneManifest", "UISceneConfigurations"); scenes != nil {
		for _, role := range scenes.SortedKeys() {
			for _, c := range scenes.Get(role).List() {
				add("interface", "UISceneStoryboardFile", c.Get("UISceneStoryboardFile"), isInterface)
			}
		}
	}
}

// documents reads which kinds of documents the app opens, and how.
func (r *reader) documents(info *plist.Value, at place.Place) {
	for i, d := range info.Get("CFBundleDocumentTypes").List() {
		t := &facts.DocumentType{Name: d.Get("CFBundleTypeName").Text(), Rank: d.Get("LSHandlerRank").Text()}
		t.SetSelf(valueAt(at, d, fmt.Sprintf("CFBundleDocumentTypes[%d]", i)))
		r.out.DocumentTypes = append(r.out.DocumentTypes, t)
	}
	r.put("document_types", at, info.Get("CFBundleDocumentTypes"), "CFBundleDocumentTypes")
	r.out.OpensInPlace = info.Get("UISupportsDocumentBrowser").IsTrue() || info.Get("LSSupportsOpeningDocumentsInPlace") != nil
}

// valueAt is the place of a property-list value.
func valueAt(at place.Place, v *plist.Value, key string) place.Place {
	at.Key = key
	if v != nil {
		at.Offset = v.Offset
	}
	return at
}

// unexpanded lists the keys whose value still holds a build variable.
func unexpanded(path string, v *plist.Value, out *[]string) {
	switch v.Kind {
	case plist.String:
		if strings.Contains(v.Str, "$(") || strings.Contains(v.Str, "${") {
			*out = append(*out, strings.TrimPrefix(path, "."))
		}
	case plist.Dict:
		for _, k := range v.Keys() {
			unexpanded(path+"."+k, v.Get(k), out)
		}
	case plist.Array:
		for i, it := range v.Items {
			unexpanded(fmt.Sprintf("%s[%d]", path, i), it, out)
		}
	}
}

// purposes reads the texts that the system shows when it asks for access, and
// their translations.
func (r *reader) purposes(info *plist.Value, at place.Place) {
	byKey := map[string]*facts.Purpose{}
	for _, k := range info.SortedKeys() {
		if !strings.HasPrefix(k, "NS") || !strings.HasSuffix(k, "UsageDescription") {
			continue
		}
		v := info.Get(k)
		p := &facts.Purpose{Key: k, Text: v.Text()}
		here := at
		here.Key, here.Offset = k, v.Offset
		p.SetSelf(here)
		if v.Kind != plist.String {
			w := &facts.WrongType{Key: k, Type: v.Kind.Noun(), Want: plist.String.Noun()}
			w.SetSelf(here)
			r.out.WrongTypes = append(r.out.WrongTypes, w)
			p.SetUnread("text", fmt.Sprintf("%s is %s, not a string", k, v.Kind.Noun()))
		}
		byKey[k] = p
		r.out.Purposes = append(r.out.Purposes, p)
	}
	for _, dir := range r.tree.Folders("") {
		lang, ok := strings.CutSuffix(dir, ".lproj")
		if !ok {
			continue
		}
		if lang != "Base" {
			r.out.Locales = append(r.out.Locales, lang)
		}
		strs, err := r.strings(dir + "/InfoPlist.strings")
		if err != nil {
			continue // no translations in this language, or none that can be read
		}
		for _, k := range []string{"CFBundleName", "CFBundleDisplayName"} {
			if n := strs[k]; n != "" && n != r.out.Name {
				if r.out.Names == nil {
					r.out.Names = map[string]string{}
				}
				r.out.Names[lang] = n
			}
		}
		for k, p := range byKey {
			if t, ok := strs[k]; ok {
				if p.Locales == nil {
					p.Locales = make(map[string]string)
				}
				p.Locales[lang] = t
			}
		}
	}
	r.out.Put("locales", place.Place{File: r.file, Entry: r.root})
}

// executables streams the main executable and those of nested bundles, each
// once, for all who need it.
func (r *reader) executables() {
	r.begin()
	app := r.bundle("app", ".", r.out.ID, r.out.Executable)
	app.MinOS = r.out.MinOS
	f, err := r.code(app)
	at := r.at(r.out.Executable)
	r.out.Put("slices", at)
	if err != nil {
		why := "the executable cannot be read: " + err.Error()
		for _, field := range []string{"slices", "libraries", "weak_libraries", "binaries"} {
			r.out.SetUnread(field, why)
		}
	} else {
		r.slices(f, at)
		r.binary(r.out.Executable, f)
	}
	if e := r.tree.Get(r.out.Executable); e != nil {
		r.out.Executable755 = e.Mode&0o111 != 0
	}
	r.sdk(f, at)
	for _, n := range r.out.Nested {
		b := r.bundle(n.Kind, n.Path, n.ID, executableOf(n))
		b.MinOS = n.MinOS
		if why := n.Unread("min_os"); why != "" {
			b.SetUnread("min_os", why)
		}
		if f, err := r.code(b); err == nil {
			r.binary(b.Executable, f)
		}
	}
}

// resources notes privacy manifests in bundles without code, as static
// libraries bring them.
func (r *reader) resources() {
	for _, e := range r.tree.Entries {
		dir := path.Dir(e.Name)
		if path.Base(e.Name) != "PrivacyInfo.xcprivacy" || path.Ext(dir) != ".bundle" {
			continue
		}
		b := &facts.Bundle{Kind: "resources", Path: dir}
		b.SetSelf(r.at(dir))
		r.privacy(b)
		b.SetUnread("signature", "a bundle without code is not signed by itself")
		b.SetUnread("profile", "a bundle without code has no profile")
		b.SetUnread("seal_faults", "a bundle without code has no seal of its own")
		r.out.Resources = append(r.out.Resources, b)
	}
}

// executableOf is the path of a nested bundle's executable within the app.
func executableOf(n *facts.Nested) string {
	name := n.Executable
	if name == "" {
		name = strings.TrimSuffix(path.Base(n.Path), path.Ext(n.Path))
	}
	return n.Path + "/" + name
}

// reading is an executable that is being read.
type reading struct {
	done chan struct{}
	file *macho.File
	err  error
}

// atOnce is how many executables are read at the same time: their names are
// held, so that more would need more memory.
const atOnce = 4

// begin reads all executables beside what else is read, the largest first:
// symbols and signatures stand at their ends.
func (r *reader) begin() {
	names := []string{r.out.Executable}
	for _, n := range r.out.Nested {
		names = append(names, executableOf(n))
	}
	size := func(name string) int64 {
		if e := r.tree.Get(name); e != nil {
			return e.Size
		}
		return 0
	}
	slices.SortStableFunc(names, func(a, b string) int { return cmp.Compare(size(b), size(a)) })
	r.begun = map[string]*reading{}
	queue := make(chan *reading, len(names))
	order := map[*reading]string{}
	for _, n := range names {
		if r.begun[n] == nil {
			x := &reading{done: make(chan struct{})}
			r.begun[n], order[x] = x, n
			queue <- x
		}
	}
	close(queue)
	for range min(atOnce, runtime.GOMAXPROCS(0)) {
		go func() {
			for x := range queue {
				x.file, x.err = r.readCode(order[x])
				close(x.done)
			}
		}()
	}
}

// macho waits for an executable that begin has begun to read.
func (r *reader) macho(name string) (*macho.File, error) {
	x := r.begun[name]
	if x == nil { // a second bundle with the same executable
		return r.readCode(name)
	}
	<-x.done
	delete(r.begun, name) // its names are held no longer than needed
	return x.file, x.err
}

func (r *reader) readCode(name string) (*macho.File, error) {
	e := r.tree.Get(name)
	if name == "" || e == nil {
		return nil, fmt.Errorf("the file %q is not in the package", name)
	}
	src, err := e.Open()
	if err != nil {
		return nil, err
	}
	defer src.Close()
	return macho.Read(src, r.digests)
}

// head reads the first bytes of a file, fewer when it is shorter.
func (r *reader) head(e *tree.Entry, n int) ([]byte, error) {
	if e == nil {
		return nil, fs.ErrNotExist
	}
	src, err := e.Open()
	if err != nil {
		return nil, err
	}
	defer src.Close()
	b := make([]byte, n)
	n, err = io.ReadFull(src, b)
	if errors.Is(err, io.ErrUnexpectedEOF) || errors.Is(err, io.EOF) {
		err = nil
	}
	return b[:n], err
}

func (r *reader) slices(f *macho.File, at place.Place) {
	for i := range f.Slices {
		fs := sliceFacts(&f.Slices[i], at)
		r.out.Slices = append(r.out.Slices, fs)
	}
	main := device(f)
	for _, l := range main.Libraries {
		if l.Weak {
			r.out.WeakLibraries = append(r.out.WeakLibraries, l.Name)
		} else {
			r.out.Libraries = append(r.out.Libraries, l.Name)
		}
	}
	r.out.Put("libraries", at)
}

func sliceFacts(s *macho.Slice, at place.Place) *facts.Slice {
	fs := &facts.Slice{CPU: s.CPU, Bits: int64(s.Bits), Platform: s.Platform, MinOS: s.MinOS, SDK: s.SDK, Encrypted: s.Encrypted,
		Text: s.Text, Bitcode: s.Bitcode, Swift: s.Swift, PIE: s.PIE, Stripped: s.Stripped, FileType: fileType(s.FileType),
		UUID: s.UUID, Encryptable: s.Encryptable, ExtensionSafe: s.ExtensionSafe}
	fs.SetSelf(place.Place{File: at.File, Entry: at.Entry, Key: s.CPU + " slice", Offset: s.Offset})
	if s.Platform == "" {
		fs.SetUnread("platform", "no load command tells the platform")
	}
	return fs
}

// fileType is the kind of a Mach-O file in words.
func fileType(t uint32) string {
	switch t {
	case macho.TypeObject:
		return "object"
	case macho.TypeExecute:
		return "executable"
	case macho.TypeDylib:
		return "library"
	case macho.TypeBundle:
		return "bundle"
	}
	return fmt.Sprintf("type %d", t)
}

// device is the slice that a phone would run: arm64 for devices, else the first.
func device(f *macho.File) *macho.Slice {
	for i := range f.Slices {
		if s := &f.Slices[i]; strings.HasPrefix(s.CPU, "arm64") && !strings.HasSuffix(s.Platform, "-simulator") {
			return s
		}
	}
	return &f.Slices[0]
}

func (r *reader) binary(name string, f *macho.File) {
	s := device(f)
	b := &facts.Binary{Path: name, CPU: s.CPU, RPaths: s.RPaths, Imports: s.Imports, Exports: s.Exports, Classes: s.Classes, Selectors: s.Selectors,
		Literals: s.Literals, Imported: int64(len(s.Imports)), Exported: int64(len(s.Exports))}
	b.SetSelf(r.at(name))
	for _, l := range s.Libraries {
		if l.Weak {
			b.Weak = append(b.Weak, l.Name)
		} else {
			b.Libraries = append(b.Libraries, l.Name)
		}
	}
	if s.Partial != "" {
		b.SetUnread("imports", s.Partial)
	}
	r.out.Binaries = append(r.out.Binaries, b)
}

// sdk takes the SDK version from the executable, where it cannot be edited by
// hand, and else from the property list.
func (r *reader) sdk(f *macho.File, at place.Place) {
	if f != nil {
		if s := device(f); s.SDK != "" {
			r.out.SDK = &s.SDK
			r.out.Put("sdk", place.Place{File: at.File, Entry: at.Entry, Key: s.CPU + " slice", Offset: s.Offset})
			return
		}
	}
	r.out.Put("sdk", r.out.Field("sdk_name"))
	if v := strings.TrimLeft(r.out.SDKName, "abcdefghijklmnopqrstuvwxyz"); v != "" {
		r.out.SDK = &v
		return
	}
	r.out.SetUnread("sdk", "neither the executable nor DTSDKName tells the SDK")
}

// iconMatches tells whether a file is a variant of an icon name: the name, an
// optional scale and device suffix, and the extension.
func iconMatches(file, name string) bool {
	rest, ok := strings.CutPrefix(file, strings.TrimSuffix(name, ".png"))
	if !ok {
		return false
	}
	rest = strings.TrimSuffix(rest, ".png")
	rest = strings.TrimSuffix(strings.TrimSuffix(rest, "~ipad"), "~iphone")
	return rest == "" || rest == "@2x" || rest == "@3x"
}

func (r *reader) presence() {
	r.out.PrivacyManifest = r.tree.Get("PrivacyInfo.xcprivacy") != nil
	r.out.Put("privacy_manifest", r.at("PrivacyInfo.xcprivacy"))
	for _, e := range r.tree.Entries {
		r.out.Unpacked += e.Size
	}
	for _, e := range r.tree.Below("SC_Info") {
		r.out.StoreCopy = r.out.StoreCopy || path.Ext(e.Name) == ".sinf" || path.Ext(e.Name) == ".supp"
	}
	for _, s := range r.out.Slices {
		r.out.StoreCopy = r.out.StoreCopy || s.Encrypted
	}
}
