package dossier

import (
	"reflect"
	"slices"
	"strings"
	"sync"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/late"
)

// Field is one key of the dossier or of a listing, as its declaration in types.go says.
// Questions, duties, drafts, explanations and the paths of files follow from the fields;
// the tags by which they are declared stand above Dossier.
type Field struct {
	Path string   // such as answers.accounts.ways; of a listing, listing.name
	Name string   // the key alone
	Go   string   // its name in Go
	Doc  string   // what it says
	Act  string   // what people do for it: answer, declare, host or hand in
	Seen []string // the paths under which rules see it
	Read string   // the package of the calculation that reads it, where no rule does
	Enum []string // the words that it takes; none for others
	List bool     // it has several values
	Many bool     // it is a key of the items of a list
	Type reflect.Type
	Tag  reflect.StructTag
	In   []*Field // the keys of a block, or of a list's items
}

// Block tells whether the field is a block of further keys, or a list of such blocks.
func (f *Field) Block() bool { return len(f.In) > 0 }

// PerStore tells whether the field has one value for each store.
func (f *Field) PerStore() bool { return isPerStore(f.Type) }

// Fields are the keys of dossier.yaml in their order, and the block of a listing's last.
var Fields = sync.OnceValue(func() []*Field {
	out := fieldsOf(reflect.TypeFor[Dossier](), &Field{Act: "answer"})
	return append(out, fieldsOf(reflect.TypeFor[texts](), &Field{Act: "answer"})...)
})

// texts declares the listings as a block beside those of dossier.yaml.
type texts struct {
	Listing []*Texts `json:"listing" act:"hand in" seen:"listing texts wording" doc:"the texts of the page, in listing/<locale>.yaml"`
}

func fieldsOf(t reflect.Type, in *Field) (out []*Field) {
	for _, s := range reflect.VisibleFields(t) {
		name := fact.FieldName(s)
		if name == "" {
			continue
		}
		f := &Field{Path: strings.TrimPrefix(in.Path+"."+name, "."), Name: name, Go: s.Name, Doc: s.Tag.Get("doc"), Act: in.Act, Read: in.Read,
			List: s.Type.Kind() == reflect.Slice, Many: in.Many || in.List, Type: s.Type, Tag: s.Tag}
		if act := s.Tag.Get("act"); act != "" {
			f.Act = act
		}
		if read := s.Tag.Get("read"); read != "" {
			f.Read = read
		}
		if enum := s.Tag.Get("enum"); enum != "" {
			f.Enum = strings.Split(enum, "|")
		}
		f.Seen = []string{f.Path}
		if seen := s.Tag.Get("seen"); seen != "" {
			f.Seen = strings.Fields(seen)
		}
		if below := itemOf(s.Type); below.Kind() == reflect.Struct && below.PkgPath() == reflect.TypeFor[Dossier]().PkgPath() &&
			!isPerStore(below) && below != reflect.TypeFor[Secret]() {
			f.In = fieldsOf(below, f)
		}
		out = append(out, f)
	}
	return out
}

// itemOf is the type below pointers and lists.
func itemOf(t reflect.Type) reflect.Type {
	for t.Kind() == reflect.Pointer || t.Kind() == reflect.Slice {
		t = t.Elem()
	}
	return t
}

func isPerStore(t reflect.Type) bool {
	_, ok := reflect.New(t).Interface().(interface{ PerStoreValue() reflect.Type })
	return ok
}

// Walk calls f with every field, blocks before their keys.
func Walk(f func(*Field)) {
	var walk func([]*Field)
	walk = func(list []*Field) {
		for _, x := range list {
			f(x)
			walk(x.In)
		}
	}
	walk(Fields())
}

// byPath are the fields by their own paths and by those under which rules see them.
var byPath = sync.OnceValue(func() map[string]*Field {
	out := map[string]*Field{}
	Walk(func(f *Field) { out[f.Path] = f })
	Walk(func(f *Field) {
		for _, path := range f.Seen {
			if out[path] == nil {
				out[path] = f
			}
		}
	})
	return out
})

// position matches the place of an item in a list, as in answers.data[0].tracking.
var position = late.Regexp(`\[\d+\]`)

// FieldAt is the field that a path names, in the dossier or as rules see it, or the one
// to which a part of a value belongs, such as review.sign_in.password.given. It is nil
// where the dossier holds nothing.
func FieldAt(path string) *Field {
	path = position().ReplaceAllString(path, "")
	if f := byPath()[path]; f != nil {
		return f
	}
	if i := strings.LastIndexByte(path, '.'); i >= 0 {
		return byPath()[path[:i]]
	}
	return nil
}

// Own is where the dossier holds what rules see at a path: app.ids for app.id.
func Own(path string) string {
	path = position().ReplaceAllString(path, "")
	if f := byPath()[path]; f != nil {
		return f.Path
	}
	return path
}

// Question says in words what the dossier answers at a path, such as
// answers.accounts.created_in_app; empty where it answers nothing.
func Question(path string) string {
	if f := FieldAt(path); f != nil {
		return f.Doc
	}
	return ""
}

// ActAt is what people do for what the dossier holds at a path: that of the deepest field
// on the way to it.
func ActAt(path string) string {
	for p := path; p != ""; {
		if f := byPath()[p]; f != nil {
			return f.Act
		}
		i := strings.LastIndexByte(p, '.')
		if i < 0 {
			break
		}
		p = p[:i]
	}
	return "answer"
}

// fileKeys are the patterns of the values that name a file, relative to the dossier that
// holds them: "[]" stands for every item of a list, a dot at the end for every store.
var fileKeys = sync.OnceValue(func() (out []string) {
	Walk(func(f *Field) {
		if f.Tag.Get("file") == "" {
			return
		}
		path := f.Path
		if top, rest, deep := strings.Cut(path, "."); deep && f.Many {
			path = top + "[]." + rest // lists of files lie one deep
		}
		switch {
		case f.PerStore():
			path += "."
		case f.List:
			path += "[]"
		}
		out = append(out, path)
	})
	return out
})

// isFile tells whether the value at a path of the document names a file.
func isFile(path string) bool {
	return slices.ContainsFunc(fileKeys(), func(p string) bool {
		if strings.HasSuffix(p, ".") {
			return len(path) > len(p) && strings.HasPrefix(path, p)
		}
		return path == p
	})
}

// joinKeys are the lists of which a dossier gets those items of its base that it does not
// have, by the key that tells them apart.
var joinKeys = sync.OnceValue(func() map[string]string {
	out := map[string]string{}
	Walk(func(f *Field) {
		if key := f.Tag.Get("join"); key != "" {
			out[f.Path] = key
		}
	})
	return out
})

// The forms of a text on the page, as the tag text says.
const (
	OneLine  = "line"  // a name, or a sentence
	Prose    = "prose" // lines and paragraphs
	WordList = "words" // words, one beside another
)

// textIndex lists the fields of Texts that people read on the page.
var textIndex = sync.OnceValue(func() (out []reflect.StructField) {
	for _, f := range reflect.VisibleFields(reflect.TypeFor[Texts]()) {
		if f.Tag.Get("text") != "" {
			out = append(out, f)
		}
	}
	return out
})

// Each calls f with every text that people read on the page, by its key, in the order of
// the page. The items of a list are one text, with sep between them.
func (t *Texts) Each(sep string, f func(key, text string)) {
	v := reflect.ValueOf(t).Elem()
	for _, s := range textIndex() {
		x := v.FieldByIndex(s.Index)
		if list, ok := x.Interface().([]string); ok {
			f(fact.FieldName(s), strings.Join(list, sep))
			continue
		}
		f(fact.FieldName(s), x.String())
	}
}

// SetText writes the text of a key, and tells whether a page has such a text.
func (t *Texts) SetText(key, text string) bool {
	v := reflect.ValueOf(t).Elem()
	for _, s := range textIndex() {
		if fact.FieldName(s) != key {
			continue
		}
		x := v.FieldByIndex(s.Index)
		if x.Kind() == reflect.Slice {
			x.Set(reflect.ValueOf([]string{text}))
		} else {
			x.SetString(text)
		}
		return true
	}
	return false
}

// Text is the text of a key; empty for one that there is not.
func (t *Texts) Text(key string) (text string) {
	t.Each(", ", func(k, s string) {
		if k == key {
			text = s
		}
	})
	return text
}
