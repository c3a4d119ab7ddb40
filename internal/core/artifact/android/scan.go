package android

import (
	"bytes"
	"cmp"
	"io"
	"slices"
	"strings"
	"sync"

	"regola.example/regola/internal/core/artifact/plainfile"
	"regola.example/regola/internal/core/budget"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/files"
	"regola.example/regola/internal/core/format/jarsig"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/work"
)

// scanned is what the scan learnt of one entry.
type scanned struct {
	dex     *facts.Dex
	code    *codeParts
	library *facts.Library
	fault   *jarsig.Fault
	key     string // the entry, when a private key is in it
	texts   *facts.TextFile
	partial error // why texts are missing
}

// scan goes through the entries once, the largest first, over all cores. Each
// is unpacked once and streamed to whoever needs it: the reader of code, the
// reader of libraries, the signature's digest.
func (r *reader) scan() {
	verify := r.digests && r.jar != nil && r.jar.Unread == ""
	wanted := map[string]bool{}
	for _, c := range r.out.Manifest.Components {
		// The platform brings some classes itself, such as the activity for native code.
		if c.Kind != "activity-alias" && !strings.HasPrefix(c.Name, "android.") {
			wanted[strings.ReplaceAll(c.Name, ".", "/")] = true
		}
	}
	for _, class := range r.out.Manifest.Classes {
		wanted[strings.ReplaceAll(class, ".", "/")] = true
	}
	type job struct {
		entry *files.Entry
		check *jarsig.Check
	}
	var jobs []job
	var faults []*jarsig.Fault
	for _, e := range r.tree.Entries {
		j := job{entry: e}
		if verify && !jarsig.Signs(e.Name) {
			var fault *jarsig.Fault
			if j.check, fault = r.jar.Want(e.Name); fault != nil {
				faults = append(faults, fault)
			}
		}
		_, _, _, isLib := r.libraryPath(e.Name)
		if _, _, isDex := r.isDex(e.Name); isDex || isLib || j.check != nil || isPlain(e) {
			jobs = append(jobs, j)
		}
	}
	slices.SortStableFunc(jobs, func(a, b job) int { return cmp.Compare(b.entry.Size, a.entry.Size) })
	results := make([]scanned, len(jobs))
	buffers := sync.Pool{New: func() any { b := make([]byte, 64<<10); return &b }}
	_ = work.Each(r.tree.Budget.Context(), len(jobs), func(i int) {
		buf := buffers.Get().(*[]byte)
		results[i] = r.visit(jobs[i].entry, jobs[i].check, wanted, *buf)
		buffers.Put(buf)
	})
	for _, s := range results {
		if s.fault != nil {
			faults = append(faults, s.fault)
		}
		if s.key != "" {
			k := &facts.KeyFile{Path: s.key}
			k.SetSelf(place.Place{File: r.file, Entry: s.key})
			r.out.PrivateKeys = append(r.out.PrivateKeys, k)
		}
		if s.texts != nil {
			r.out.TextFiles = append(r.out.TextFiles, s.texts)
		}
		if s.partial != nil {
			fact.Lose(r.out, &r.out.TextFiles, fact.Unread(s.partial.Error()))
		}
	}
	slices.SortFunc(r.out.TextFiles, func(a, b *facts.TextFile) int { return cmp.Compare(a.Path, b.Path) })
	slices.SortFunc(r.out.PrivateKeys, func(a, b *facts.KeyFile) int { return cmp.Compare(a.Path, b.Path) })
	slices.SortFunc(faults, func(a, b *jarsig.Fault) int { return cmp.Compare(a.Entry, b.Entry) })
	for _, f := range faults {
		r.signatureFault("jar", f.Entry, f.What)
	}
	r.verified()
	r.collect(results, wanted)
}

// verified draws from the faults whether every digest fits.
func (r *reader) verified() {
	s := r.out.Signing
	switch {
	case !r.digests:
	case len(s.Schemes) == 0:
		fact.Lose(s, &s.Verified, fact.Missing("the package is not signed"))
	default:
		ok := len(s.Faults) == 0 && s.MoreFaults == 0
		s.Verified = &ok
		if g := fact.GapOf(s, &s.Verified); g != nil && ok {
			fact.Lose(s, &s.Faults, fact.Gap{Kind: g.Kind, What: g.What, At: g.At})
		}
	}
}

// visit reads one entry for all who need it.
func (r *reader) visit(e *files.Entry, check *jarsig.Check, wanted map[string]bool, buf []byte) (out scanned) {
	at := place.Place{File: r.file, Entry: e.Name}
	if module, name, ok := r.isDex(e.Name); ok {
		out.dex = &facts.Dex{Name: name, Module: module}
		out.dex.SetSelf(at)
		release := r.tree.Budget.Hold(min(e.Size, budget.MaxWhole))
		defer release()
		data, err := e.ReadOnce(0)
		if err != nil {
			fact.LoseAll(out.dex, fact.Unread(err.Error()), &out.dex.Name, &out.dex.Module)
			out.fault = digest(e, check, buf)
			return out
		}
		if check != nil {
			out.fault = check.Verify(e.Name, bytes.NewReader(data), buf)
		}
		out.code = r.readDex(out.dex, data, wanted)
		if plainfile.HoldsKey(data) {
			out.key = e.Name
		}
		return out
	}
	module, abi, lib, ok := r.libraryPath(e.Name)
	if !ok && isPlain(e) {
		release := r.tree.Budget.Hold(e.Size)
		defer release()
		data, err := e.ReadOnce(0)
		if err != nil {
			out.fault = digest(e, check, buf)
			return out
		}
		if check != nil {
			out.fault = check.Verify(e.Name, bytes.NewReader(data), buf)
		}
		if plainfile.HoldsKey(data) {
			out.key = e.Name
		}
		if out.texts, out.partial = plainfile.Texts(e.Name, data, r.tree.Budget); out.texts != nil {
			out.texts.SetSelf(at)
		}
		return out
	}
	if !ok {
		out.fault = digest(e, check, buf)
		return out
	}
	l := &facts.Library{Path: e.Name, Name: lib, ABI: abi, Module: module, Stored: e.Stored, Size: e.Size}
	l.SetSelf(at)
	out.library = l
	if off, err := e.DataOffset(); err == nil {
		l.Offset = off
	}
	src, err := e.Open()
	if err != nil {
		loseLibrary(l, fact.Unread("it cannot be unpacked: "+err.Error()))
		if check != nil {
			out.fault = &jarsig.Fault{Entry: e.Name, What: "cannot be unpacked: " + err.Error()}
		}
		return out
	}
	defer src.Close()
	if check == nil {
		readLibrary(l, src)
		return out
	}
	// The scanner reads as far as it needs; the digest takes the rest too.
	pr, pw := io.Pipe()
	wait := work.Ahead(func() {
		readLibrary(l, pr)
		_, _ = io.Copy(io.Discard, pr)
	})
	out.fault = check.Verify(e.Name, io.TeeReader(src, pw), buf)
	pw.Close()
	wait()
	return out
}

// isPlain tells whether an entry is a plain file of the app's own.
func isPlain(e *files.Entry) bool {
	return plainfile.Worth(e) && (strings.Contains("/"+e.Name, "/assets/") || strings.Contains("/"+e.Name, "/res/raw"))
}

// digest verifies an entry that nobody else reads.
func digest(e *files.Entry, check *jarsig.Check, buf []byte) *jarsig.Fault {
	if check == nil {
		return nil
	}
	src, err := e.Open()
	if err != nil {
		return &jarsig.Fault{Entry: e.Name, What: "cannot be unpacked: " + err.Error()}
	}
	defer src.Close()
	return check.Verify(e.Name, src, buf)
}
