package ios

import (
	"cmp"
	"fmt"
	"path"
	"runtime"
	"slices"
	"strings"

	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/format/macho"
	"regola.example/regola/internal/core/place"
)

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
		f, err := r.code(b)
		switch {
		case err == nil:
			r.binary(b.Executable, f)
		case r.tree.Get(b.Executable) == nil, b.StaticLibrary:
			// Nothing is there that could run. A static library is part of the app.
		default:
			r.unreadBinary(b.Executable, err)
		}
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

// maxQuick is the size above which a compressed executable is not unpacked for
// a quick look: about a fifth of a second.
const maxQuick = 32 << 20

// tooLarge is why names and signature of such an executable are not known.
const tooLarge = "the executable is large and compressed, so that only its head was unpacked; run check, or facts --digests"

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
	if r.quick && !e.Stored && e.Size > maxQuick {
		return macho.ReadHeaders(src)
	}
	return macho.Read(src, r.digests)
}

func (r *reader) slices(f *macho.File, at place.Place) {
	for i := range f.Slices {
		fs := sliceFacts(f, i, at)
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

func sliceFacts(f *macho.File, i int, at place.Place) *facts.Slice {
	s := &f.Slices[i]
	fs := &facts.Slice{CPU: s.CPU, Bits: int64(s.Bits), Platform: s.Platform, MinOS: s.MinOS, SDK: s.SDK, Encrypted: s.Encrypted,
		Text: s.Text, Bitcode: s.Bitcode, Swift: s.Swift, PIE: s.PIE, Stripped: s.Stripped, FileType: fileType(s.FileType),
		UUID: s.UUID, Encryptable: s.Encryptable, ExtensionSafe: s.ExtensionSafe}
	fs.SetSelf(place.Place{File: at.File, Entry: at.Entry, Key: s.CPU + " slice", Offset: s.Offset})
	if f.HeadersOnly {
		fs.SetUnread("stripped", tooLarge)
	}
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
	if f.HeadersOnly {
		s.Partial = tooLarge
	}
	if s.Partial != "" {
		for _, field := range []string{"imports", "imported", "exported"} {
			b.SetUnread(field, s.Partial)
		}
	}
	r.out.Binaries = append(r.out.Binaries, b)
}

// unreadBinary keeps the place of an executable that cannot be read, so that
// nothing that depends on it passes unseen.
func (r *reader) unreadBinary(name string, err error) {
	b := &facts.Binary{Path: name}
	b.SetSelf(r.at(name))
	for _, field := range []string{"cpu", "libraries", "weak_libraries", "search_paths", "imports", "imported", "exported"} {
		b.SetUnread(field, "the executable cannot be read: "+err.Error())
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
