package ios

import (
	"cmp"
	"fmt"
	"reflect"
	"slices"
	"strings"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/format/plist"
	"regola.example/regola/internal/core/place"
)

// decoder fills structs of facts from one property list, by their plist tags.
//
// A tag is a key, or a path of keys with dots between them; "[]" after a key goes
// through the dictionaries of a list, and "~*" stands for the key and all its forms for
// devices, such as KEY~ipad. Several of them have "|" between them: a boolean is true when
// one of them is, a list is that of the first one that is there, a text the first that is
// not empty. A comma and an option may follow:
//
//	present  the field says whether one of the keys is there, whatever its value is
//	set      the value is a list, or a dictionary whose true entries are its items
//	one      the value is a list, or a single item
//	text     a value of another kind is allowed, and leaves the field empty
//
// A struct that a dictionary's entries fill has the tag "," on the field that takes their
// key. A value of another kind than the field's is unknown, not empty: the field is lost
// and the key recorded in wrong.
type decoder struct {
	at    place.Place // of the property list
	wrong []*facts.WrongType
	seen  map[string]bool // keys in wrong
}

// tag is a plist tag, taken apart.
type tag struct {
	paths  [][]string
	option string
}

func parseTag(text string) tag {
	keys, option, _ := strings.Cut(text, ",")
	t := tag{option: option}
	for path := range strings.SplitSeq(keys, "|") {
		t.paths = append(t.paths, strings.Split(path, "."))
	}
	return t
}

// fill reads the tagged fields of the struct that into points to from a dictionary, whose
// keys have the prefix in the whole list.
func (d *decoder) fill(into any, dict *plist.Value, prefix string) {
	mark, v := fact.Of(into), reflect.ValueOf(into).Elem()
	for i := range v.NumField() {
		f := v.Type().Field(i)
		text, tagged := f.Tag.Lookup("plist")
		if !tagged || strings.HasPrefix(text, ",") {
			continue
		}
		d.field(mark, fact.FieldName(f), v.Field(i), parseTag(text), dict, prefix)
	}
}

// keyed is a value with the keys that lead to it.
type keyed struct {
	key   string
	value *plist.Value
}

// field reads one field.
func (d *decoder) field(mark *fact.Mark, name string, into reflect.Value, t tag, dict *plist.Value, prefix string) {
	var values []keyed
	lost := ""
	for _, path := range t.paths {
		more, why := d.walk([]keyed{{prefix, dict}}, path)
		values = append(values, more...)
		lost = cmp.Or(lost, why)
	}
	// Where a path goes through a list, the list is the field's place.
	first, whole := t.paths[0], false
	for i, step := range first {
		if base, each := strings.CutSuffix(step, "[]"); each {
			first, whole = append(slices.Clone(first[:i]), base), true
			break
		}
	}
	base, forms := strings.CutSuffix(join(prefix, strings.Join(first, ".")), "~*")
	switch {
	case whole:
		mark.Put(name, valueAt(d.at, dict.Path(first...), base))
	case len(values) > 0:
		mark.Put(name, valueAt(d.at, values[0].value, values[0].key))
	default:
		mark.Put(name, valueAt(d.at, nil, base))
	}
	whole = whole || forms
	for i, f := range values {
		if t.option == "present" {
			into.SetBool(true)
			break
		}
		if i > 0 && !whole && into.Kind() != reflect.Bool && !into.IsZero() {
			break
		}
		lost = cmp.Or(lost, d.set(into, t.option, f))
		if into.Kind() == reflect.Slice && !whole {
			break
		}
	}
	if lost != "" && !(into.Kind() == reflect.Bool && into.Bool()) {
		into.SetZero()
		mark.Lose(name, fact.Unread(lost))
	}
}

// walk follows keys from some values on. lost says why a step could not be taken.
func (d *decoder) walk(from []keyed, path []string) (out []keyed, lost string) {
	for _, step := range path {
		out = nil
		step, each := strings.CutSuffix(step, "[]")
		base, forms := strings.CutSuffix(step, "~*")
		for _, f := range from {
			if why := d.check(f, plist.Dict); why != "" {
				lost = cmp.Or(lost, why)
				continue
			}
			for _, k := range steps(f.value, base, forms) {
				next := keyed{join(f.key, k), f.value.Get(k)}
				if !each {
					out = append(out, next)
					continue
				}
				if why := d.check(next, plist.Array); why != "" {
					lost = cmp.Or(lost, why)
					continue
				}
				for i, it := range next.value.Items {
					out = append(out, keyed{fmt.Sprintf("%s[%d]", next.key, i), it})
				}
			}
		}
		from = out
	}
	return out, lost
}

// steps are the keys of a dictionary that a step of a path names.
func steps(v *plist.Value, key string, forms bool) []string {
	if !forms {
		if v.Get(key) == nil {
			return nil
		}
		return []string{key}
	}
	var out []string
	for _, k := range v.SortedKeys() {
		if base, _, _ := strings.Cut(k, "~"); base == key {
			out = append(out, k)
		}
	}
	return out
}

// set puts a value into a field. It gives the reason for which it cannot.
func (d *decoder) set(into reflect.Value, option string, f keyed) string {
	v := f.value
	switch into.Kind() {
	case reflect.Pointer:
		into.Set(reflect.New(into.Type().Elem()))
		return d.set(into.Elem(), option, f)
	case reflect.String:
		if option == "text" && v.Kind != plist.String {
			return ""
		}
		if why := d.check(f, plist.String); why != "" {
			return why
		}
		into.SetString(v.Str)
	case reflect.Bool:
		if why := d.check(f, plist.Boolean); why != "" {
			return why
		}
		into.SetBool(into.Bool() || v.Bool)
	case reflect.Int64:
		if why := d.check(f, plist.Integer); why != "" {
			return why
		}
		into.SetInt(v.Int)
	case reflect.Slice:
		return d.list(into, option, f)
	default:
		panic("ios: a field with a plist tag has a type that no property list has: " + into.Type().String())
	}
	return ""
}

// list appends the items of a value to a list.
func (d *decoder) list(into reflect.Value, option string, f keyed) string {
	item := into.Type().Elem()
	structs := item.Kind() == reflect.Pointer
	named := -1 // the field that takes an entry's key
	if structs {
		for i := range item.Elem().NumField() {
			if item.Elem().Field(i).Tag.Get("plist") == "," {
				named = i
			}
		}
	}
	items, lost := []keyed{}, ""
	switch {
	case named >= 0 || option == "set" && f.value.Kind == plist.Dict:
		if why := d.check(f, plist.Dict); why != "" {
			return why
		}
		for _, k := range f.value.SortedKeys() {
			items = append(items, keyed{join(f.key, k), f.value.Get(k)})
		}
	case option == "one" && f.value.Kind != plist.Array:
		items = []keyed{f}
	default:
		if why := d.check(f, plist.Array); why != "" {
			return why
		}
		for i, it := range f.value.Items {
			items = append(items, keyed{fmt.Sprintf("%s[%d]", f.key, i), it})
		}
	}
	for _, it := range items {
		switch {
		case structs:
			one := reflect.New(item.Elem())
			mark := fact.Of(one.Interface())
			mark.SetSelf(valueAt(d.at, it.value, it.key))
			var kept []string
			if named >= 0 {
				one.Elem().Field(named).SetString(strings.TrimPrefix(it.key, f.key+"."))
				kept = []string{fact.FieldName(item.Elem().Field(named))}
			}
			if why := d.check(it, plist.Dict); why != "" {
				mark.LoseAll(fact.Unread(why), kept...)
			} else {
				d.fill(one.Interface(), it.value, it.key)
			}
			into.Set(reflect.Append(into, one))
		case option == "set" && f.value.Kind == plist.Dict:
			if why := d.check(it, plist.Boolean); why != "" {
				lost = cmp.Or(lost, why)
			} else if it.value.Bool {
				into.Set(reflect.Append(into, reflect.ValueOf(strings.TrimPrefix(it.key, f.key+"."))))
			}
		default:
			one := reflect.New(item).Elem()
			if why := d.set(one, "", it); why != "" {
				lost = cmp.Or(lost, why)
				continue
			}
			into.Set(reflect.Append(into, one))
		}
	}
	return lost
}

// text is the text at a key of a dictionary; empty where there is none, or where it is of
// another kind, which is recorded.
func (d *decoder) text(dict *plist.Value, key, prefix string) string {
	if v := d.of(dict, key, prefix, plist.String); v != nil {
		return v.Str
	}
	return ""
}

// texts are the texts of a list at a key of a dictionary, recorded likewise.
func (d *decoder) texts(dict *plist.Value, key, prefix string) (out []string) {
	v := d.of(dict, key, prefix, plist.Array)
	if v == nil {
		return nil
	}
	for i, it := range v.Items {
		if d.check(keyed{fmt.Sprintf("%s[%d]", join(prefix, key), i), it}, plist.String) == "" {
			out = append(out, it.Str)
		}
	}
	return out
}

// of is the value of a kind at a key of a dictionary, or nil.
func (d *decoder) of(dict *plist.Value, key, prefix string, kind plist.Kind) *plist.Value {
	v := dict.Get(key)
	if v == nil || d.check(keyed{join(prefix, key), v}, kind) != "" {
		return nil
	}
	return v
}

// since is the gap that the values of a wrong kind leave that were met after the first n;
// nil where there are none.
func (d *decoder) since(n int) *fact.Gap {
	if len(d.wrong) <= n {
		return nil
	}
	w := d.wrong[n]
	g := fact.Unread(fmt.Sprintf("%s is %s, not %s", w.Key, w.Type, w.Want))
	g.At = w.Self()
	return &g
}

// check records a value of another kind than is wanted, once, and says so.
func (d *decoder) check(f keyed, want plist.Kind) string {
	if f.value.Kind == want {
		return ""
	}
	// A hostile list has thousands of them: the first ones say enough.
	const most = 200
	if !d.seen[f.key] && len(d.wrong) < most {
		if d.seen == nil {
			d.seen = map[string]bool{}
		}
		d.seen[f.key] = true
		w := &facts.WrongType{Key: f.key, Type: f.value.Kind.Noun(), Want: want.Noun()}
		w.SetSelf(valueAt(d.at, f.value, f.key))
		d.wrong = append(d.wrong, w)
	}
	return fmt.Sprintf("%s is %s, not %s", f.key, f.value.Kind.Noun(), want.Noun())
}

// join puts a key behind those that lead to it.
func join(prefix, key string) string {
	return strings.TrimPrefix(prefix+"."+key, ".")
}

// union sorts a list and drops what it holds twice.
func union(list []string) []string {
	slices.Sort(list)
	return slices.Compact(list)
}
