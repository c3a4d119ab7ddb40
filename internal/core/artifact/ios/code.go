package ios

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"path"
	"slices"
	"strings"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/format/macho"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/work"
)

// executables takes what begin reads: the executable of every bundle, each
// streamed once for all who need it.
func (r *reader) executables() {
	for _, b := range r.out.Bundles {
		r.code(b)
	}
}

// executable is the path of a bundle's executable within the app.
func (r *reader) executable(b *facts.Bundle) string {
	name := b.Info.Executable
	if name == "" && b.Kind != "app" {
		name = strings.TrimSuffix(path.Base(b.Path), path.Ext(b.Path))
	}
	return path.Join(b.Path, name)
}

// code reads a bundle's executable: its slices, its names, its signature. One
// that cannot be read loses them all.
func (r *reader) code(b *facts.Bundle) {
	c := &b.Code
	c.Path = r.executable(b)
	at := r.at(c.Path)
	c.SetSelf(at)
	fact.Put(b, &b.Signature, at)
	e := r.tree.Get(c.Path)
	c.ExecutableMode = e != nil && e.Mode&0o111 != 0
	f, err := r.macho(c.Path)
	if err != nil {
		c.StaticLibrary = errors.Is(err, macho.ErrStatic)
		if c.Fault = err.Error(); e == nil {
			c.Fault = "it is not in the package"
		}
		gap := fact.Unread("the executable cannot be read: " + c.Fault)
		if b.Kind != "app" && (e == nil || c.StaticLibrary) {
			gap = fact.Missing("nothing is there that could run: " + c.Fault)
		}
		gap.At = at
		fact.LoseAll(c, gap, &c.Path, &c.Fault, &c.StaticLibrary, &c.ExecutableMode)
		fact.Lose(b, &b.Signature, gap)
		return
	}
	for i := range f.Slices {
		c.Slices = append(c.Slices, sliceFacts(f, i, at))
	}
	s := device(f)
	c.CPU, c.SearchPaths = s.CPU, s.RPaths
	c.Imports, c.Exports, c.Classes, c.Selectors, c.Literals = s.Imports, s.Exports, s.Classes, s.Selectors, s.Literals
	c.Imported, c.Exported = int64(len(s.Imports)), int64(len(s.Exports))
	for _, l := range s.Libraries {
		if l.Weak {
			c.WeakLibraries = append(c.WeakLibraries, l.Name)
		} else {
			c.Libraries = append(c.Libraries, l.Name)
		}
	}
	names := fact.Unread(s.Partial)
	if f.HeadersOnly {
		names = fact.Unasked(tooLarge)
	}
	if names.What != "" {
		c.LoseNames(names)
	}
	switch {
	case f.HeadersOnly:
		fact.Lose(b, &b.Signature, fact.Unasked(tooLarge))
	case s.Signature == nil && s.HasSigning:
		fact.Lose(b, &b.Signature, fact.Unread("the code signature cannot be reached"))
	case s.Signature == nil:
		b.Signature = &facts.CodeSignature{Adhoc: true}
		b.Signature.SetSelf(at)
	default:
		r.signature(b, s)
	}
}

// reading is an executable that is being read.
type reading struct {
	name string
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
const tooLarge = "the executable is large and compressed, so that only its head was unpacked; facts --digests reads it"

// begin reads all executables beside what else is read, the largest first:
// symbols and signatures stand at their ends.
func (r *reader) begin() {
	var names []string
	for _, b := range r.out.Bundles {
		names = append(names, r.executable(b))
	}
	size := func(name string) int64 {
		if e := r.tree.Get(name); e != nil {
			return e.Size
		}
		return 0
	}
	slices.SortStableFunc(names, func(a, b string) int { return cmp.Compare(size(b), size(a)) })
	r.begun = map[string]*reading{}
	var queue []*reading
	for _, n := range names {
		if r.begun[n] == nil {
			x := &reading{name: n, done: make(chan struct{})}
			r.begun[n] = x
			queue = append(queue, x)
		}
	}
	// Readers end with the run; somebody waits for each of them.
	work.Ahead(func() {
		_ = work.EachOf(context.WithoutCancel(r.tree.Budget.Context()), len(queue), atOnce, func(i int) {
			x := queue[i]
			x.file, x.err = r.readCode(x.name)
			close(x.done)
		})
	})
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
	part := r.tree.Budget.Part(int(min(e.Size, 1<<30)))
	if r.quick && !e.Stored && e.Size > maxQuick {
		src, err := e.Open()
		if err != nil {
			return nil, err
		}
		defer src.Close()
		return macho.ReadHeaders(src, part)
	}
	if !r.sealed[name] {
		src, err := e.Open()
		if err != nil {
			return nil, err
		}
		defer src.Close()
		return macho.Read(src, r.digests, part)
	}
	// The bundle around it holds its digest: it is taken on the way.
	src, finish, err := e.OpenSHA256()
	if err != nil {
		return nil, err
	}
	defer src.Close()
	f, err := macho.Read(src, r.digests, part)
	_, _ = finish(nil) // what does not unpack is reported by the seal
	return f, err
}

func sliceFacts(f *macho.File, i int, at place.Place) *facts.Slice {
	s := &f.Slices[i]
	fs := &facts.Slice{CPU: s.CPU, Bits: int64(s.Bits), Platform: s.Platform, MinOS: s.MinOS, SDK: s.SDK, Encrypted: s.Encrypted,
		Text: s.Text, Bitcode: s.Bitcode, Swift: s.Swift, PIE: s.PIE, Stripped: s.Stripped, FileType: fileType(s.FileType),
		UUID: s.UUID, Encryptable: s.Encryptable, ExtensionSafe: s.ExtensionSafe}
	fs.SetSelf(place.Place{File: at.File, Entry: at.Entry, Key: s.CPU + " slice", Offset: s.Offset})
	if f.HeadersOnly {
		fact.Lose(fs, &fs.Stripped, fact.Unread(tooLarge))
	}
	if s.Platform == "" {
		fact.Lose(fs, &fs.Platform, fact.Unread("no load command tells the platform"))
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

// sdk takes the SDK version from the executable, where it cannot be edited by
// hand, and else from the property list.
func (r *reader) sdk(app *facts.Bundle, at place.Place) {
	fact.Put(r.out, &r.out.SDK, fact.PlaceOf(&app.Info, &app.Info.SDKName))
	for _, s := range app.Code.Slices {
		if s.CPU == app.Code.CPU && s.SDK != "" {
			sdk := s.SDK
			r.out.SDK = &sdk
			fact.Put(r.out, &r.out.SDK, s.Self())
			return
		}
	}
	if v := strings.TrimLeft(app.Info.SDKName, "abcdefghijklmnopqrstuvwxyz"); v != "" {
		r.out.SDK = &v
		return
	}
	fact.Lose(r.out, &r.out.SDK, fact.Unread("neither the executable nor DTSDKName tells the SDK"))
}
