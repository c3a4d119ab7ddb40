package android

import (
	"cmp"
	"maps"
	"regexp"
	"slices"
	"sort"
	"strconv"
	"strings"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/format/dex"
	"regola.example/regola/internal/core/format/literal"
	"regola.example/regola/internal/core/place"
)

// platformPrefixes are the classes whose methods are noted when the code
// refers to them: rules ask for calls of the platform only.
var platformPrefixes = []string{"android/", "java/", "javax/", "dalvik/", "org/apache/http/"}

// attributed are those whose callers are noted too: whether a library or the
// app itself calls them makes a difference.
var attributed = []string{"android/", "dalvik/system/", "org/apache/http/"}

// mostCallers bounds the packages that are noted for a method.
const mostCallers = 64

// codeParts is what one code file adds to the facts of all code.
type codeParts struct {
	packages map[string]int64
	defined  []uint64
	calls    map[string][]string
	found    map[string]bool // components that it defines
	texts    map[string][]string
	careless []*facts.Careless
	markers  []string
	classes  int64
	short    int64
}

// dexNumber is the position of a code file: classes.dex is the first.
func dexNumber(name string) int {
	n, err := strconv.Atoi(strings.TrimSuffix(strings.TrimPrefix(name, "classes"), ".dex"))
	if err != nil {
		return 1
	}
	return n
}

// codeName matches the files that the platform loads code from.
var codeName = regexp.MustCompile(`^classes[0-9]*\.dex$`)

// isDex takes apart the path of a code file.
func (r *reader) isDex(name string) (module, file string, ok bool) {
	if r.bundle {
		if module, name, ok = strings.Cut(name, "/"); !ok {
			return "", "", false
		}
		if name, ok = strings.CutPrefix(name, "dex/"); !ok {
			return "", "", false
		}
	}
	return module, name, codeName.MatchString(name)
}

// codeFiles lists the code files of the base.
func (r *reader) codeFiles() {
	r.out.Code = &facts.Code{}
	for _, e := range r.tree.Entries {
		if module, name, ok := r.isDex(e.Name); ok && (module == "" || module == "base") {
			r.out.Code.Files = append(r.out.Code.Files, name)
		}
	}
	sort.SliceStable(r.out.Code.Files, func(i, j int) bool { return dexNumber(r.out.Code.Files[i]) < dexNumber(r.out.Code.Files[j]) })
	fact.Put(r.out.Code, &r.out.Code.Files, place.Place{File: r.file, Entry: strings.TrimSuffix(r.root, "/")})
}

// readDex reads one code file. One that is torn is lost whole.
func (r *reader) readDex(d *facts.Dex, data []byte, wanted map[string]bool) *codeParts {
	f, err := dex.Parse(data, r.tree.Budget)
	if err != nil {
		fact.LoseAll(d, fact.Unread(err.Error()), &d.Name, &d.Module)
		return nil
	}
	d.Version, d.Methods, d.Fields, d.Classes = f.Version, int64(f.Methods), int64(f.Fields), int64(f.ClassCount)
	d.Checksum, d.Size = f.Checksum && f.Signature, f.Size
	c := &codeParts{packages: map[string]int64{}, calls: map[string][]string{}, texts: map[string][]string{}, found: map[string]bool{}, markers: f.Markers()}
	f.Classes(func(name string) {
		c.classes++
		c.defined = append(c.defined, facts.ClassKey(name))
		if wanted[name] {
			c.found[name] = true
		}
		if i := strings.LastIndexByte(name, '/'); i > 0 {
			c.packages[name[:i]]++
		}
		simple := name[strings.LastIndexByte(name, '/')+1:]
		if i := strings.IndexByte(simple, '$'); i > 0 {
			simple = simple[:i]
		}
		if len(simple) <= 2 && simple != "R" { // R is the resource class, which every build has
			c.short++
		}
	})
	f.Calls(platformPrefixes, func(class, method string) { c.calls[class+"."+method] = nil })
	f.Uses(attributed, literal.Worth, func(u dex.Use) {
		into, key := c.calls, u.Class+"."+u.Method
		if u.Text != "" {
			into, key = c.texts, u.Text
		}
		from := u.Caller[:max(0, strings.LastIndexByte(u.Caller, '/'))]
		switch {
		case u.Caller == "":
			into[key] = nil
		case len(into[key]) < mostCallers && !slices.Contains(into[key], from):
			into[key] = append(into[key], from)
		}
	})
	f.Careless(func(x dex.Careless) {
		one := &facts.Careless{Class: strings.ReplaceAll(x.Class, "/", "."), What: x.What}
		one.SetSelf(d.Self())
		c.careless = append(c.careless, one)
	})
	if err := f.Err(); err != nil {
		fact.LoseAll(d, fact.Unread(err.Error()), &d.Name, &d.Module)
		return nil
	}
	return c
}

// join adds to the callers of a method, as many as are noted.
func join(a, b []string) []string {
	for _, s := range b {
		if len(a) < mostCallers && !slices.Contains(a, s) {
			a = append(a, s)
		}
	}
	slices.Sort(a)
	return a
}

// collect puts together what the scan found, in an order of its own.
func (r *reader) collect(results []scanned, wanted map[string]bool) {
	c := r.out.Code
	c.SetSelf(place.Place{File: r.file, Entry: fact.PlaceOf(c, &c.Files).Entry})
	c.Packages, c.Calls, c.Defined = map[string]int64{}, map[string][]string{}, map[uint64]bool{}
	found, texts := map[string]bool{}, map[string][]string{}
	var short int64
	for _, s := range results {
		if s.library != nil {
			r.out.Native.Libraries = append(r.out.Native.Libraries, s.library)
		}
		if s.dex == nil {
			continue
		}
		c.Dex = append(c.Dex, s.dex)
		if g := s.dex.Gone(); g != nil {
			fact.LoseAll(c, fact.Gap{Kind: g.Kind, What: s.dex.Name + " cannot be read: " + g.What, At: s.dex.Self()}, &c.Files, &c.Dex, &c.LibraryVersions, &c.Texts, &c.Careless)
		}
		if s.code == nil {
			continue
		}
		c.Methods += s.dex.Methods
		c.Classes += s.code.classes
		short += s.code.short
		for k, n := range s.code.packages {
			c.Packages[k] += n
		}
		for _, key := range s.code.defined {
			c.Defined[key] = true
		}
		for call, from := range s.code.calls {
			c.Calls[call] = join(c.Calls[call], from)
		}
		for text, from := range s.code.texts {
			texts[text] = join(texts[text], from)
		}
		c.Careless = append(c.Careless, s.code.careless...)
		maps.Copy(found, s.code.found)
		for _, m := range s.code.markers {
			if !slices.Contains(c.Compilers, m) {
				c.Compilers = append(c.Compilers, m)
			}
		}
	}
	for _, text := range slices.Sorted(maps.Keys(texts)) {
		one := &facts.CodeText{Text: text, From: texts[text]}
		one.SetSelf(c.Self())
		c.Texts = append(c.Texts, one)
	}
	slices.SortFunc(c.Careless, func(a, b *facts.Careless) int {
		return cmp.Or(cmp.Compare(a.Class, b.Class), cmp.Compare(a.What, b.What))
	})
	if c.Classes > 0 {
		c.ShortNames = short * 100 / c.Classes
	}
	for _, class := range r.out.Manifest.Classes {
		if name := strings.ReplaceAll(class, ".", "/"); wanted[name] && !found[name] && !slices.Contains(c.Missing, class) {
			c.Missing = append(c.Missing, class)
		}
	}
	missing := map[string]bool{}
	for _, comp := range r.out.Manifest.Components {
		name := strings.ReplaceAll(comp.Name, ".", "/")
		if wanted[name] && comp.Enabled && comp.Kind != "activity-alias" && !found[name] && !missing[comp.Name] {
			missing[comp.Name], comp.Undefined = true, true
			c.Missing = append(c.Missing, comp.Name)
		}
	}
	if r.out.Manifest.SplitRequired || r.out.Manifest.Split != "" {
		fact.Lose(c, &c.Missing, fact.Missing("parts of the code may lie in splits that were not given"))
	}
	slices.Sort(c.Compilers)
	slices.SortFunc(c.Dex, func(a, b *facts.Dex) int {
		return cmp.Or(cmp.Compare(a.Module, b.Module), cmp.Compare(dexNumber(a.Name), dexNumber(b.Name)))
	})
	slices.SortFunc(r.out.Native.Libraries, func(a, b *facts.Library) int { return cmp.Compare(a.Path, b.Path) })
}
