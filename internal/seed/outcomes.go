package seed

import (
	"cmp"
	"fmt"
	"hash/crc32"
	"maps"
	"os"
	"path/filepath"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"
)

// Outcomes holds what a reader makes of files against testdata/outcomes.txt beside the
// test: of each file everything that was read, and of copies that are cut off or have one
// byte changed the error, or what of the result differs. A reader that is changed on
// purpose writes the file anew with REGOLA_UPDATE=1 in the environment; the differences
// are then for the eyes of whoever reviews the change.
func Outcomes(t *testing.T, files map[string][]byte, read func(data []byte) (any, error)) {
	t.Helper()
	var r Record
	for _, name := range slices.Sorted(maps.Keys(files)) {
		data := files[name]
		whole, err := read(slices.Clone(data))
		r.Whole(name, whole, err)
		for _, n := range cuts(len(data)) {
			v, err := read(slices.Clone(data[:n]))
			r.Change(fmt.Sprintf("cut to %d", n), v, err)
		}
		for i, at := range spots(len(data)) {
			changed := slices.Clone(data)
			changed[at] += []byte{1, 255, 128, 16}[i%4]
			v, err := read(changed)
			r.Change(fmt.Sprintf("%d at %d", changed[at], at), v, err)
		}
	}
	Golden(t, "outcomes.txt", r.String())
}

// Record writes down what a calculation gives for a sound input, and in what it differs
// for changed ones.
type Record struct {
	b     strings.Builder
	sound string
}

// Whole begins with a sound input.
func (r *Record) Whole(name string, v any, err error) {
	fmt.Fprintf(&r.b, "== %s\n", name)
	if err != nil {
		fmt.Fprintf(&r.b, "error: %s\n", err)
	}
	r.sound = Dump(v)
	r.b.WriteString(r.sound)
}

// Change adds what a changed input gives; nothing where that is the same.
func (r *Record) Change(name string, v any, err error) {
	if err != nil {
		fmt.Fprintf(&r.b, "-- %s: error: %s\n", name, short(err.Error()))
	} else if text := Dump(v); text != r.sound {
		fmt.Fprintf(&r.b, "-- %s: %s\n", name, firstDifference(r.sound, text))
	}
}

// String is what was written down.
func (r *Record) String() string { return r.b.String() }

// Archives calls visit with a package and copies of it in which one entry is left out, cut
// in half, or has a byte changed in its middle.
func Archives(t *testing.T, archive string, visit func(change string, entries map[string][]byte)) {
	t.Helper()
	sound := map[string][]byte{}
	for _, name := range Names(t, archive) {
		sound[name] = Entry(t, archive, name)
	}
	visit("", sound)
	for _, name := range slices.Sorted(maps.Keys(sound)) {
		if strings.HasSuffix(name, "/") {
			continue
		}
		changed := maps.Clone(sound)
		delete(changed, name)
		visit("without "+name, changed)
		if data := sound[name]; len(data) > 1 {
			changed[name] = data[:len(data)/2]
			visit("half of "+name, changed)
			other := slices.Clone(data)
			other[len(other)/2] ^= 0x41
			changed[name] = other
			visit("changed "+name, changed)
		}
	}
}

// Golden holds a text against a file in testdata beside the test.
func Golden(t *testing.T, name, text string) {
	t.Helper()
	file := filepath.Join("testdata", name)
	if os.Getenv("REGOLA_UPDATE") != "" {
		if err := os.MkdirAll("testdata", 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(file, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	want, err := os.ReadFile(file)
	if err != nil {
		t.Fatalf("%v\nwrite it with REGOLA_UPDATE=1 in the environment", err)
	}
	if text != string(want) {
		t.Errorf("%s: %s\nIf it is meant: REGOLA_UPDATE=1 go test on this package writes the file anew; look at what git shows then.", file, firstDifference(string(want), text))
	}
}

// firstDifference shows where two texts part, and how many lines differ.
func firstDifference(was, is string) string {
	a, b := strings.Split(was, "\n"), strings.Split(is, "\n")
	n, first := 0, ""
	for i := range max(len(a), len(b)) {
		var x, y string
		if i < len(a) {
			x = a[i]
		}
		if i < len(b) {
			y = b[i]
		}
		if x != y {
			if n++; first == "" {
				first = fmt.Sprintf("line %d was %s, is %s", i+1, short(x), short(y))
			}
		}
	}
	return fmt.Sprintf("%s (%d lines of %d)", first, n, len(a))
}

// short is a line that may be long.
func short(s string) string {
	if len(s) > 90 {
		return fmt.Sprintf("%q… %08x", s[:80], crc32.ChecksumIEEE([]byte(s)))
	}
	return strconv.Quote(s)
}

// cuts are lengths to which a file is cut: all at its beginning, then some.
func cuts(n int) (out []int) {
	for i := 0; i < n; i += 1 + i/8 {
		out = append(out, i)
	}
	return out
}

// spots are the bytes that are changed: all at the beginning and the end, where headers
// and directories lie, then some.
func spots(n int) (out []int) {
	const small = 1300
	for i := 0; i < n; i++ {
		if n > small {
			i += i / 40
		}
		if i < n {
			out = append(out, i)
		}
	}
	for i := n - 96; i < n; i++ {
		if i > 0 && !slices.Contains(out, i) {
			out = append(out, i)
		}
	}
	return out
}

// Dump writes a value with all that it holds, also what is not exported, one field a line;
// what is zero is left out.
func Dump(v any) string {
	var b strings.Builder
	d := dumper{out: &b, seen: map[uintptr]string{}}
	d.value("", reflect.ValueOf(v))
	return b.String()
}

type dumper struct {
	out  *strings.Builder
	seen map[uintptr]string // where a pointer was met first
}

func (d *dumper) line(path, format string, args ...any) {
	fmt.Fprintf(d.out, "%s %s\n", cmp.Or(strings.TrimPrefix(path, "."), "."), fmt.Sprintf(format, args...))
}

func (d *dumper) value(path string, v reflect.Value) {
	if !v.IsValid() || v.IsZero() {
		return
	}
	switch v.Kind() {
	case reflect.Pointer:
		if first, ok := d.seen[v.Pointer()]; ok && v.Elem().Kind() == reflect.Struct {
			d.line(path, "= %s", cmp.Or(first, "."))
			return
		}
		d.seen[v.Pointer()] = path
		d.value(path, v.Elem())
	case reflect.Interface:
		d.value(path, v.Elem())
	case reflect.Struct:
		switch v.Type() {
		case reflect.TypeFor[time.Time]():
			d.line(path, "%s", show(v))
			return
		}
		switch v.Type().PkgPath() {
		case "sync", "sync/atomic", "context", "crypto/x509", "math/big":
			return
		}
		if line, ok := d.flat(v); ok {
			d.line(path, "%s", line)
			return
		}
		for i := range v.NumField() {
			if f := v.Type().Field(i); !seeded(f) {
				d.value(path+"."+f.Name, v.Field(i))
			}
		}
	case reflect.Slice, reflect.Array:
		if v.Type().Elem().Kind() == reflect.Uint8 {
			raw := make([]byte, v.Len())
			for i := range raw {
				raw[i] = byte(v.Index(i).Uint())
			}
			d.line(path, "%d bytes, %08x", len(raw), crc32.ChecksumIEEE(raw))
			return
		}
		most := 40 // the rest is summed up
		if v.Type().Elem().Kind() == reflect.Interface {
			most = v.Len()
		}
		for i := range min(v.Len(), most) {
			if k := v.Index(i).Kind(); k == reflect.String || k == reflect.Int64 || k == reflect.Int || k == reflect.Uint32 {
				d.line(path, "%s", d.scalars(v))
				break
			}
			d.value(fmt.Sprintf("%s[%d]", path, i), v.Index(i))
		}
		if v.Len() > most {
			var rest strings.Builder
			sum := dumper{out: &rest, seen: d.seen}
			for i := most; i < v.Len(); i++ {
				sum.value(fmt.Sprintf("[%d]", i), v.Index(i))
			}
			d.line(path, "%d items, %08x", v.Len(), crc32.ChecksumIEEE([]byte(rest.String())))
		}
	case reflect.Map:
		keys := v.MapKeys()
		slices.SortFunc(keys, func(a, b reflect.Value) int { return strings.Compare(show(a), show(b)) })
		const most = 40
		var rest strings.Builder
		for i, k := range keys {
			if i < most {
				d.value(fmt.Sprintf("%s[%s]", path, show(k)), v.MapIndex(k))
				if v.MapIndex(k).IsZero() {
					d.line(fmt.Sprintf("%s[%s]", path, show(k)), "zero")
				}
				continue
			}
			sum := dumper{out: &rest, seen: d.seen}
			sum.line(show(k), "")
			sum.value(show(k), v.MapIndex(k))
		}
		if len(keys) > most {
			d.line(path, "%d keys, %08x", len(keys), crc32.ChecksumIEEE([]byte(rest.String())))
		}
	case reflect.Func, reflect.Chan, reflect.UnsafePointer:
	default:
		d.line(path, "%s", show(v))
	}
}

// seeded tells whether a field is a sum that differs from run to run.
func seeded(f reflect.StructField) bool { return f.Name == "sum" && f.Type.Kind() == reflect.Uint64 }

// flat is a struct of texts and numbers in one line. Pointers to such structs are followed.
func (d *dumper) flat(v reflect.Value) (line string, ok bool) {
	var parts []string
	for i := range v.NumField() {
		f := v.Field(i)
		if f.IsZero() || seeded(v.Type().Field(i)) {
			continue
		}
		if f.Kind() == reflect.Pointer {
			f = f.Elem()
		}
		switch f.Kind() {
		case reflect.String, reflect.Bool, reflect.Int, reflect.Int32, reflect.Int64, reflect.Uint8, reflect.Uint16, reflect.Uint32, reflect.Uint64, reflect.Float64:
			parts = append(parts, v.Type().Field(i).Name+":"+show(f))
		case reflect.Struct:
			below, ok := d.flat(f)
			if !ok {
				return "", false
			}
			parts = append(parts, v.Type().Field(i).Name+":{"+below+"}")
		default:
			return "", false
		}
	}
	return strings.Join(parts, " "), true
}

// scalars are the items of a list of texts or numbers in one line.
func (d *dumper) scalars(v reflect.Value) string {
	var b strings.Builder
	for i := range v.Len() {
		fmt.Fprintf(&b, "%s ", show(v.Index(i)))
	}
	if text := b.String(); len(text) > 400 {
		return fmt.Sprintf("%s… %d items, %08x", strings.ToValidUTF8(text[:200], "?"), v.Len(), crc32.ChecksumIEEE([]byte(text)))
	}
	return b.String()
}

func show(v reflect.Value) string {
	switch v.Kind() {
	case reflect.String:
		if len(v.String()) > 300 {
			return fmt.Sprintf("%q… %d bytes, %08x", v.String()[:200], v.Len(), crc32.ChecksumIEEE([]byte(v.String())))
		}
		return fmt.Sprintf("%q", v.String())
	case reflect.Bool:
		return fmt.Sprint(v.Bool())
	case reflect.Int, reflect.Int8, reflect.Int16, reflect.Int32, reflect.Int64:
		return fmt.Sprint(v.Int())
	case reflect.Uint, reflect.Uint8, reflect.Uint16, reflect.Uint32, reflect.Uint64, reflect.Uintptr:
		return fmt.Sprint(v.Uint())
	case reflect.Float32, reflect.Float64:
		return fmt.Sprint(v.Float())
	}
	if v.CanInterface() {
		if t, ok := v.Interface().(time.Time); ok {
			return t.UTC().Format(time.RFC3339)
		}
		return fmt.Sprint(v.Interface())
	}
	return fmt.Sprintf("a value of %s", v.Type())
}
