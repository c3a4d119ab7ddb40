package android

import (
	"errors"
	"io"
	"path"
	"sort"
	"strings"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/format/elfscan"
	"regola.example/regola/internal/core/place"
)

// abiBits tells the word size of the architecture that a folder is for.
func abiBits(abi string) int64 {
	switch abi {
	case "arm64-v8a", "x86_64", "riscv64", "mips64":
		return 64
	}
	return 32
}

// libraryPath takes apart the path of a native library: its module (empty in
// an APK), its architecture's folder and its name.
func (r *reader) libraryPath(name string) (module, abi, lib string, ok bool) {
	if r.bundle {
		if module, name, ok = strings.Cut(name, "/"); !ok {
			return "", "", "", false
		}
	}
	rest, ok := strings.CutPrefix(name, "lib/")
	if !ok {
		return "", "", "", false
	}
	abi, lib, ok = strings.Cut(rest, "/")
	return module, abi, lib, ok && path.Ext(lib) == ".so" && !strings.Contains(lib, "/")
}

// architectures lists the folders of native code.
func (r *reader) architectures() {
	byName := map[string]*facts.ABI{}
	for _, e := range r.tree.Entries {
		_, abi, lib, ok := r.libraryPath(e.Name)
		if !ok {
			continue
		}
		a := byName[abi]
		if a == nil {
			a = &facts.ABI{Name: abi, Bits: abiBits(abi)}
			a.SetSelf(place.Place{File: r.file, Entry: path.Dir(e.Name)})
			byName[abi] = a
			r.out.Native.Architectures = append(r.out.Native.Architectures, a)
		}
		a.Libraries = append(a.Libraries, lib)
	}
	sort.Slice(r.out.Native.Architectures, func(i, j int) bool { return r.out.Native.Architectures[i].Name < r.out.Native.Architectures[j].Name })
	fact.Put(&r.out.Native, &r.out.Native.Architectures, place.Place{File: r.file, Entry: r.root + "lib"})
}

// loseLibrary leaves of a library what is known from its name and its entry alone.
func loseLibrary(l *facts.Library, gap fact.Gap) {
	fact.LoseAll(l, gap, &l.Path, &l.Name, &l.ABI, &l.Module, &l.Stored, &l.Offset, &l.Size)
}

// folderMachines says which machine a folder's libraries are for.
var folderMachines = map[string]string{
	"arm64-v8a": "arm64", "armeabi-v7a": "arm", "armeabi": "arm", "x86": "x86", "x86_64": "x86_64", "riscv64": "riscv64", "mips": "mips", "mips64": "mips",
}

// readLibrary reads one native library. One that is torn is lost whole.
func readLibrary(l *facts.Library, r io.Reader) {
	f, err := elfscan.Scan(r, l.Size)
	if err == nil && f.Incomplete != "" {
		err = errors.New(f.Incomplete)
	}
	if err != nil {
		loseLibrary(l, fact.Unread(err.Error()))
		return
	}
	l.Machine, l.Bits, l.Align, l.Congruent = f.Machine, int64(f.Bits), f.Align, f.Congruent
	l.Fits = folderMachines[l.ABI] == f.Machine && abiBits(l.ABI) == int64(f.Bits)
	l.Symbols, l.Debug, l.Sections, l.TextRelocations, l.WriteExec = f.Symbols, f.Debug, f.Sections, f.TextRel, f.WriteExec
	l.Needed, l.BuildID, l.DebugSections, l.Level = f.Needed, f.BuildID, f.DebugNames, f.Level
	if f.NoNames != "" {
		fact.Lose(l, &l.Needed, fact.Unread(f.NoNames))
	}
}
