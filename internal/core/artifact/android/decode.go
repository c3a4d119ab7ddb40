package android

import (
	"cmp"
	"fmt"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"sync"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/format/resource"
	"regola.example/regola/internal/core/place"
)

// A manifest is decoded by the axml tags of the facts' fields. A tag is a path of element
// names with "/" between them and an attribute behind "@"; "[]" after a name stands for
// every element of that name, without it the first is meant. A path that begins with "@"
// is an attribute of the element itself. Several paths have "|" between them: the first
// whose attribute is there holds, and a list takes what all of them give. Attributes of
// the platform are found by their ids, or by their names where the id is not known
// (resource.Element.Attr). Options follow, with commas before them:
//
//	default=V  what an attribute that is missing means; without it the zero value, or nil
//	present    the field says whether the element or the attribute is there
//	element    the field is the name of the element itself
//	element=A B  the field says whether that is one of these
//	needed     an attribute that is missing loses the field
//	codename   a text is the code name of a preview platform (Manifest.LevelCodename)
//	class      a class name, which may be relative to the package
//	plain      the attribute has no namespace
//	flag=N     the attribute is a number, and the field says whether it has these bits
//	words=T    the attribute is a number for which a table has a word, or a word per bit
//	split=S    the attribute is a text whose parts have S between them
//	is=A B     the field says whether the attribute is one of these numbers or words
//	not        the field is the opposite of the attribute
//	mask=N     the bits of a number that count
//
// A value of another kind than the field's, or a reference that leads nowhere, loses the
// field with what was found and what was wanted.
type axmlTag struct {
	paths   [][]step // of elements; the last may be empty
	attrs   []string // behind them, one a path; empty for the element
	opts    map[string]string
	structs bool
}

// step is one element name of a path.
type step struct {
	name string
	each bool
}

// axmlField is a field with an axml tag.
type axmlField struct {
	index int
	name  string // for rules
	tag   axmlTag
}

var axmlTypes sync.Map // reflect.Type → []axmlField

// axmlFields are the tagged fields of a struct.
func axmlFields(t reflect.Type) []axmlField {
	if known, ok := axmlTypes.Load(t); ok {
		return known.([]axmlField)
	}
	var out []axmlField
	for i := range t.NumField() {
		f := t.Field(i)
		text, ok := f.Tag.Lookup("axml")
		if !ok {
			continue
		}
		parts := strings.Split(text, ",")
		tag := axmlTag{opts: map[string]string{}, structs: f.Type.Kind() == reflect.Slice && f.Type.Elem().Kind() == reflect.Pointer}
		for path := range strings.SplitSeq(parts[0], "|") {
			elements, attr, _ := strings.Cut(path, "@")
			var steps []step
			for name := range strings.SplitSeq(elements, "/") {
				if name != "" {
					base, each := strings.CutSuffix(name, "[]")
					steps = append(steps, step{base, each})
				}
			}
			tag.paths, tag.attrs = append(tag.paths, steps), append(tag.attrs, attr)
		}
		for _, o := range parts[1:] {
			k, v, _ := strings.Cut(o, "=")
			tag.opts[k] = v
		}
		out = append(out, axmlField{i, fact.FieldName(f), tag})
	}
	axmlTypes.Store(t, out)
	return out
}

// node is an element with the names that lead to it.
type node struct {
	e   *resource.Element
	key string
}

// decode fills the tagged fields of the struct that into points to. places says whether
// the places of fields are kept: those of a list's items are the items' own.
func (r *reader) decode(into any, from node, doc place.Place, places bool) {
	mark, v := fact.Of(into), reflect.ValueOf(into).Elem()
	for _, f := range axmlFields(v.Type()) {
		if f.tag.structs {
			r.items(v.Field(f.index), f.tag, from, doc)
			continue
		}
		where, lost := r.field(v.Field(f.index), f.tag, from, doc)
		if places {
			mark.Put(f.name, where)
		}
		if lost != "" {
			v.Field(f.index).SetZero()
			gap := fact.Unread(lost)
			gap.At = where
			mark.Lose(f.name, gap)
		}
	}
}

// items decodes elements into a list of structs, in the order of the document.
func (r *reader) items(into reflect.Value, t axmlTag, from node, doc place.Place) {
	parents := []node{from}
	first := t.paths[0]
	for _, s := range first[:len(first)-1] {
		parents = follow(parents, s)
	}
	for _, p := range parents {
		for _, e := range p.e.Children {
			if !slices.ContainsFunc(t.paths, func(path []step) bool { return path[len(path)-1].name == e.Name }) {
				continue
			}
			one := reflect.New(into.Type().Elem().Elem())
			k := keyOf(p.key, e.Name)
			if name := r.string(e.Attr("name")); name != "" {
				k += " " + name
			}
			fact.Of(one.Interface()).SetSelf(key(doc, k, "", e.Offset))
			r.decode(one.Interface(), node{e, k}, doc, false)
			if name := one.Elem().FieldByName("Name").String(); !strings.HasSuffix(k, " "+name) {
				fact.Of(one.Interface()).SetSelf(key(doc, keyOf(p.key, e.Name)+" "+name, "", e.Offset))
			}
			into.Set(reflect.Append(into, one))
		}
	}
}

// keyOf is the key of an element below another; the root's name stands in none.
func keyOf(parent, name string) string {
	if parent == "manifest" {
		return name
	}
	return parent + "/" + name
}

// follow takes one step from some elements.
func follow(from []node, s step) (out []node) {
	for _, f := range from {
		for _, e := range f.e.Children {
			if e.Name == s.name {
				out = append(out, node{e, keyOf(f.key, e.Name)})
				if !s.each {
					break
				}
			}
		}
	}
	return out
}

// field reads one field. where is its attribute, or the element that would have it.
func (r *reader) field(into reflect.Value, t axmlTag, from node, doc place.Place) (where place.Place, lost string) {
	where = key(doc, from.key, "", from.e.Offset)
	if names, ok := t.opts["element"]; ok {
		if names == "" {
			into.SetString(from.e.Name)
		} else {
			into.SetBool(slices.Contains(strings.Fields(names), from.e.Name))
		}
		return where, ""
	}
	list := into.Kind() == reflect.Slice
	_, present := t.opts["present"]
	_, plain := t.opts["plain"]
	found, nameless := false, false
	for i, path := range t.paths {
		owners := []node{from}
		for _, s := range path {
			next := follow(owners, s)
			if len(next) > 0 && i == 0 {
				where = key(doc, next[0].key, "", next[0].e.Offset)
			}
			owners = next
		}
		for _, o := range owners {
			a := o.e.Attr(t.attrs[i])
			if plain {
				a = o.e.Plain(t.attrs[i])
			}
			if t.attrs[i] != "" && a == nil {
				nameless = nameless || !resource.HasID(t.attrs[i]) && o.e.Nameless()
				continue
			}
			if !found {
				if where = key(doc, o.key, "", o.e.Offset); a != nil {
					where = key(doc, o.key, t.attrs[i], a.Offset)
				}
			}
			found = true
			if present {
				into.SetBool(true)
				return where, ""
			}
			lost = cmp.Or(lost, r.set(into, t.opts, t.attrs[i], a))
		}
		if found && !list {
			break
		}
	}
	if found || lost != "" {
		return where, lost
	}
	if nameless && !plain {
		return where, "the manifest's attributes have no names, and the number of this one is not known here"
	}
	if _, needed := t.opts["needed"]; needed {
		return where, fmt.Sprintf("the manifest has no %s attribute", t.attrs[0])
	}
	if def, ok := t.opts["default"]; ok {
		setDefault(into, def)
	}
	return where, ""
}

// setDefault writes what an attribute that is missing means.
func setDefault(into reflect.Value, def string) {
	switch into.Kind() {
	case reflect.Pointer:
		into.Set(reflect.New(into.Type().Elem()))
		setDefault(into.Elem(), def)
	case reflect.Bool:
		into.SetBool(def == "true")
	case reflect.Int64:
		n, err := strconv.ParseInt(def, 0, 64)
		if err != nil {
			panic("android: the default " + def + " is no number")
		}
		into.SetInt(n)
	default:
		into.SetString(def)
	}
}

// set puts an attribute's value into a field. It gives the reason for which it cannot.
func (r *reader) set(into reflect.Value, opts map[string]string, name string, a *resource.Attr) string {
	if table, ok := opts["words"]; ok {
		n, text, ok := r.number(a)
		if !ok {
			return fmt.Sprintf("%s is %q, not a number", name, text)
		}
		if into.Kind() == reflect.String {
			into.SetString(enums[table][n])
			return ""
		}
		for _, f := range flags[table] {
			if n&f.bit != 0 {
				into.Set(reflect.Append(into, reflect.ValueOf(f.word)))
			}
		}
		return ""
	}
	switch into.Kind() {
	case reflect.Pointer:
		into.Set(reflect.New(into.Type().Elem()))
		return r.set(into.Elem(), opts, name, a)
	case reflect.String:
		into.SetString(r.textOf(opts, a))
	case reflect.Slice:
		text := r.textOf(opts, a)
		if sep, ok := opts["split"]; ok {
			into.Set(reflect.AppendSlice(into, reflect.ValueOf(strings.Split(text, sep))))
		} else {
			into.Set(reflect.Append(into, reflect.ValueOf(text)))
		}
	case reflect.Int64:
		n, text, ok := r.number(a)
		if _, codename := opts["codename"]; !ok && codename && text != "" {
			r.out.Manifest.LevelCodename = text
			return fmt.Sprintf("%s is the code name %q of a preview platform", name, text)
		}
		if !ok {
			return fmt.Sprintf("%s is %q, not a number", name, text)
		}
		if mask, ok := opts["mask"]; ok {
			n &= bits(mask)
		}
		into.SetInt(n)
	case reflect.Bool:
		return r.setBool(into, opts, name, a)
	}
	return ""
}

// setBool puts an attribute's value into a field that is true or false.
func (r *reader) setBool(into reflect.Value, opts map[string]string, name string, a *resource.Attr) string {
	if flag, ok := opts["flag"]; ok {
		n, text, ok := r.number(a)
		if !ok {
			return fmt.Sprintf("%s is %q, not a number", name, text)
		}
		into.SetBool(n&bits(flag) != 0)
		return ""
	}
	if words, ok := opts["is"]; ok {
		n, text, number := r.number(a)
		into.SetBool(slices.ContainsFunc(strings.Fields(words), func(w string) bool { return w == text || number && w == strconv.FormatInt(n, 10) }))
		return ""
	}
	b, why := r.bool(name, a)
	_, not := opts["not"]
	into.SetBool(b != not)
	return why
}

func bits(text string) int64 {
	n, err := strconv.ParseInt(text, 0, 64)
	if err != nil {
		panic("android: " + text + " is no number")
	}
	return n
}

// textOf is an attribute's value as a text: of a class with its package.
func (r *reader) textOf(opts map[string]string, a *resource.Attr) string {
	text := r.string(a)
	if _, ok := opts["class"]; ok {
		return r.class(text)
	}
	return text
}

// string is an attribute's value as a text; of a reference that leads nowhere its name.
func (r *reader) string(a *resource.Attr) string {
	if a == nil {
		return ""
	}
	if v, ok := r.literal(a); ok {
		return v.AsString()
	}
	return a.Value.AsString()
}

// bool is an attribute's value as true or false. why is set for what is neither.
func (r *reader) bool(name string, a *resource.Attr) (value bool, why string) {
	v, ok := r.literal(a)
	switch {
	case !ok:
		return false, fmt.Sprintf("%s refers to %s, which is not in the resource table", name, a.Value.AsString())
	case v.Kind == resource.Bool || v.Kind == resource.Int:
		return v.Int != 0, ""
	case v.Kind == resource.String:
		switch v.Text {
		case "true", "1":
			return true, ""
		case "false", "0":
			return false, ""
		}
	}
	return false, fmt.Sprintf("%s is %q, not true or false", name, v.AsString())
}

// number is an attribute's value as a whole number, also when it is written as text. text
// is what stands there.
func (r *reader) number(a *resource.Attr) (n int64, text string, ok bool) {
	v, lit := r.literal(a)
	switch {
	case a == nil:
		return 0, "", false
	case !lit:
		return 0, a.Value.AsString(), false
	case v.Kind == resource.Int || v.Kind == resource.Color || v.Kind == resource.Bool:
		return v.Int, v.AsString(), true
	case v.Kind == resource.String:
		n, err := strconv.ParseInt(strings.TrimSpace(v.Text), 0, 64)
		return n, v.Text, err == nil
	}
	return 0, v.AsString(), false
}

// attrPlace is the place of an attribute, or of its element where it is not there.
func attrPlace(doc place.Place, e *resource.Element, element, attr string) place.Place {
	if a := e.Attr(attr); a != nil {
		return key(doc, element, attr, a.Offset)
	}
	return key(doc, element, "", e.Offset)
}

// key is the place of an attribute, or of an element where attr is empty.
func key(at place.Place, element, attr string, offset int64) place.Place {
	if attr != "" {
		element += "@" + attr
	}
	at.Key, at.Offset = element, offset
	return at
}

// enums are the words for numbers of attributes. Source: the platform's documentation of
// the attribute of the same name.
var enums = map[string]map[int64]string{
	"screenOrientation": {0: "landscape", 1: "portrait", 6: "landscape", 7: "portrait", 8: "landscape", 9: "portrait", 11: "landscape", 12: "portrait"},
}

// flags are the words for bits of attributes. Source: as for enums.
var flags = map[string][]struct {
	bit  int64
	word string
}{
	"foregroundServiceType": {
		{0x1, "dataSync"}, {0x2, "mediaPlayback"}, {0x4, "phoneCall"}, {0x8, "location"}, {0x10, "connectedDevice"},
		{0x20, "mediaProjection"}, {0x40, "camera"}, {0x80, "microphone"}, {0x100, "health"}, {0x200, "remoteMessaging"},
		{0x400, "systemExempted"}, {0x800, "shortService"}, {0x2000, "mediaProcessing"}, {0x40000000, "specialUse"},
	},
}
