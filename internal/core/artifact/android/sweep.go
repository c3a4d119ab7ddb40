package android

import (
	"bytes"
	"cmp"
	"fmt"
	"io"
	"runtime"
	"slices"
	"strings"
	"sync"

	"regola.example/regola/internal/core/artifact/tree"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/format/dex"
	"regola.example/regola/internal/core/format/elfscan"
	"regola.example/regola/internal/core/format/jarsig"
	"regola.example/regola/internal/core/place"
)

// platformPrefixes are the classes whose methods are noted when the code
// refers to them: rules ask for calls of the platform only.
var platformPrefixes = []string{"android/", "java/", "javax/", "dalvik/", "org/apache/http/"}

// finding is what one worker learnt of one entry.
type finding struct {
	dex     *facts.Dex
	code    *codeParts
	library *facts.Library
	fault   *jarsig.Fault
}

// codeParts is what one code file adds to the facts of all code.
type codeParts struct {
	packages   map[string]int64
	calls      map[string]bool
	found      map[string]bool // components that it defines
	markers    []string
	classes    int64
	short      int64
	privateKey bool
}

// sweep goes through the entries once, the largest first, over all cores.
// Each is unpacked at most once and streamed to whoever needs it: the parser
// of code, the parser of libraries, the signature's digest.
func (r *reader) sweep() {
	verify := r.digests && r.jar != nil
	wanted := map[string]bool{}
	for _, c := range r.out.Components {
		if name := strings.ReplaceAll(c.Name, ".", "/"); c.Kind != "activity-alias" {
			wanted[name] = true
		}
	}
	type job struct {
		entry *tree.Entry
		check *jarsig.Check
	}
	var jobs []job
	faults := []*jarsig.Fault{}
	for _, e := range r.tree.Entries {
		j := job{entry: e}
		if verify && !jarsig.Signs(e.Name) {
			var fault *jarsig.Fault
			if j.check, fault = r.jar.Want(e.Name); fault != nil {
				faults = append(faults, fault)
			}
		}
		_, _, _, isLib := r.libraryPath(e.Name)
		if _, _, isDex := r.isDex(e.Name); isDex || isLib || j.check != nil {
			jobs = append(jobs, j)
		}
	}
	slices.SortStableFunc(jobs, func(a, b job) int { return cmp.Compare(b.entry.Size, a.entry.Size) })
	results := make([]finding, len(jobs))
	next := make(chan int)
	var wg sync.WaitGroup
	for range runtime.GOMAXPROCS(0) {
		wg.Add(1)
		go func() {
			defer wg.Done()
			buf := make([]byte, 64<<10)
			for i := range next {
				results[i] = r.visit(jobs[i].entry, jobs[i].check, wanted, buf)
			}
		}()
	}
	for i := range jobs {
		next <- i
	}
	close(next)
	wg.Wait()
	for _, f := range results {
		if f.fault != nil {
			faults = append(faults, f.fault)
		}
	}
	slices.SortFunc(faults, func(a, b *jarsig.Fault) int { return cmp.Compare(a.Entry, b.Entry) })
	for _, f := range faults {
		r.signatureFault("jar", f.Entry, f.What)
	}
	if r.digests && len(r.out.Signing.Schemes) > 0 {
		ok := len(r.out.Signing.Faults) == 0
		r.out.Signing.Verified = &ok
		if why := r.out.Signing.Unread("verified"); why != "" && ok {
			r.out.Signing.SetUnread("faults", why)
		}
	} else if r.digests {
		r.out.Signing.SetUnread("verified", "the package is not signed")
	}
	r.collect(results, wanted)
}

// visit reads one entry for all who need it.
func (r *reader) visit(e *tree.Entry, check *jarsig.Check, wanted map[string]bool, buf []byte) (out finding) {
	src, err := e.Open()
	at := place.Place{File: r.file, Entry: e.Name}
	fail := func(what string) {
		if check != nil {
			out.fault = &jarsig.Fault{Entry: e.Name, What: what}
		}
	}
	if err != nil {
		fail("cannot be unpacked: " + err.Error())
	} else {
		defer src.Close()
	}
	if module, name, ok := r.isDex(e.Name); ok {
		d := &facts.Dex{Name: name, Module: module}
		d.SetSelf(at)
		out.dex = d
		var data []byte
		if err == nil {
			data, err = io.ReadAll(io.LimitReader(src, tree.MaxWhole))
		}
		if err == nil && check != nil {
			out.fault = check.Verify(e.Name, bytes.NewReader(data), buf)
		}
		if err != nil {
			fail("cannot be unpacked: " + err.Error())
			unreadDex(d, "it cannot be unpacked: "+err.Error())
			return out
		}
		out.code = readDex(d, data, wanted)
		return out
	}
	if module, abi, lib, ok := r.libraryPath(e.Name); ok {
		l := &facts.Library{Path: e.Name, Name: lib, ABI: abi, Module: module, Stored: e.Stored, Size: e.Size}
		l.SetSelf(at)
		out.library = l
		if off, err := e.DataOffset(); err == nil {
			l.Offset = off
		}
		if err != nil {
			unreadLibrary(l, "it cannot be unpacked: "+err.Error())
			return out
		}
		var stream io.Reader = src
		if check == nil {
			readLibrary(l, stream)
			return out
		}
		// The scanner reads as far as it needs; the digest takes the rest too.
		pr, pw := io.Pipe()
		done := make(chan struct{})
		go func() {
			defer close(done)
			readLibrary(l, pr)
			_, _ = io.Copy(io.Discard, pr)
		}()
		out.fault = check.Verify(e.Name, io.TeeReader(stream, pw), buf)
		pw.Close()
		<-done
		return out
	}
	if err == nil && check != nil {
		out.fault = check.Verify(e.Name, src, buf)
	}
	return out
}

func unreadDex(d *facts.Dex, why string) {
	for _, f := range []string{"version", "methods", "fields", "classes", "checksum"} {
		d.SetUnread(f, why)
	}
}

func readDex(d *facts.Dex, data []byte, wanted map[string]bool) *codeParts {
	f, err := dex.Parse(data)
	if err != nil {
		unreadDex(d, err.Error())
		return nil
	}
	d.Version, d.Methods, d.Fields, d.Classes = f.Version, int64(f.Methods), int64(f.Fields), int64(f.ClassCount)
	d.Checksum, d.Size = f.Checksum && f.Signature, f.Size
	c := &codeParts{packages: map[string]int64{}, calls: map[string]bool{}, found: map[string]bool{}, markers: f.Markers()}
	f.Types(func(name string) {
		if i := strings.LastIndexByte(name, '/'); i > 0 {
			c.packages[name[:i]]++
		}
	})
	f.Classes(func(name string) {
		c.classes++
		if wanted[name] {
			c.found[name] = true
		}
		simple := name[strings.LastIndexByte(name, '/')+1:]
		if i := strings.IndexByte(simple, '$'); i > 0 {
			simple = simple[:i]
		}
		if len(simple) <= 2 {
			c.short++
		}
	})
	f.Calls(platformPrefixes, func(class, method string) { c.calls[class+"."+method] = true })
	c.privateKey = bytes.Contains(data, []byte("PRIVATE KEY-----")) && bytes.Contains(data, []byte("-----BEGIN "))
	return c
}

func unreadLibrary(l *facts.Library, why string) {
	for _, f := range []string{"machine", "bits", "fits", "align", "congruent", "symbols", "debug", "sections", "text_relocations", "write_exec", "needed"} {
		l.SetUnread(f, why)
	}
}

// folderMachines says which machine a folder's libraries are for.
var folderMachines = map[string]string{
	"arm64-v8a": "arm64", "armeabi-v7a": "arm", "armeabi": "arm", "x86": "x86", "x86_64": "x86_64", "riscv64": "riscv64", "mips": "mips", "mips64": "mips",
}

func readLibrary(l *facts.Library, r io.Reader) {
	f, err := elfscan.Scan(r, l.Size)
	if err != nil {
		unreadLibrary(l, err.Error())
		return
	}
	l.Machine, l.Bits, l.Align, l.Congruent = f.Machine, int64(f.Bits), f.Align, f.Congruent
	l.Fits = folderMachines[l.ABI] == f.Machine && abiBits(l.ABI) == int64(f.Bits)
	l.Symbols, l.Debug, l.Sections, l.TextRel, l.WriteExec = f.Symbols, f.Debug, f.Sections, f.TextRel, f.WriteExec
	l.Needed, l.BuildID = f.Needed, f.BuildID
	if f.Incomplete != "" {
		for _, field := range []string{"symbols", "debug", "sections", "needed"} {
			l.SetUnread(field, f.Incomplete)
		}
	}
}

// collect puts together what the workers found, in an order of its own.
func (r *reader) collect(results []finding, wanted map[string]bool) {
	o := r.out
	c := &facts.Code{Packages: map[string]int64{}, Calls: map[string]bool{}}
	c.SetSelf(place.Place{File: r.file, Entry: o.Field("code_files").Entry})
	found := map[string]bool{}
	var short int64
	torn := ""
	for _, f := range results {
		if f.dex != nil {
			o.Dex = append(o.Dex, f.dex)
			c.Methods += f.dex.Methods
		}
		if f.library != nil {
			o.Libraries = append(o.Libraries, f.library)
		}
		if f.dex != nil && f.code == nil {
			torn = fmt.Sprintf("%s cannot be read: %s", f.dex.Name, f.dex.Unread("version"))
		}
		if f.code == nil {
			continue
		}
		c.Classes += f.code.classes
		short += f.code.short
		c.PrivateKey = c.PrivateKey || f.code.privateKey
		for k, n := range f.code.packages {
			c.Packages[k] += n
		}
		for k := range f.code.calls {
			c.Calls[k] = true
		}
		for k := range f.code.found {
			found[k] = true
		}
		for _, m := range f.code.markers {
			if !slices.Contains(c.Compilers, m) {
				c.Compilers = append(c.Compilers, m)
			}
			// The shrinker's marker bears its name; the plain compiler's does not.
			c.Shrunk = c.Shrunk || strings.HasPrefix(m, "~~R8")
		}
	}
	if c.Classes > 0 {
		c.ShortNames = short * 100 / c.Classes
		c.Shrunk = c.Shrunk || c.ShortNames >= 30
	}
	for _, comp := range o.Components {
		name := strings.ReplaceAll(comp.Name, ".", "/")
		if wanted[name] && comp.Kind != "activity-alias" && !found[name] && !slices.Contains(c.Missing, comp.Name) {
			c.Missing = append(c.Missing, comp.Name)
		}
	}
	switch {
	case torn != "":
		for _, f := range []string{"missing", "shrunk", "short_names", "private_key", "methods", "classes"} {
			c.SetUnread(f, torn)
		}
	case o.SplitRequired || o.Split != "":
		c.SetUnread("missing", "parts of the code may lie in splits that were not given")
	}
	c.ExactCheck = c.Calls["android/app/AlarmManager.canScheduleExactAlarms"]
	slices.Sort(c.Compilers)
	slices.SortFunc(o.Dex, func(a, b *facts.Dex) int {
		return cmp.Or(cmp.Compare(a.Module, b.Module), cmp.Compare(dexNumber(a.Name), dexNumber(b.Name)))
	})
	slices.SortFunc(o.Libraries, func(a, b *facts.Library) int { return cmp.Compare(a.Path, b.Path) })
	o.Code = c
}
