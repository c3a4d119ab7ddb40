// Package plist reads property lists in both encodings, binary ("bplist00")
// and XML, and keeps what a checker of hand-made files needs: the exact type
// of every value, its byte offset, and keys that occur twice.
//
// Source of the formats: for XML, the PropertyList-1.0 document type; for
// binary, the published description in the Core Foundation sources
// (CFBinaryPList.c).
package plist

import (
	"bytes"
	"sort"
	"strconv"
	"strings"
	"time"

	"regola.example/regola/internal/core/budget"
	"regola.example/regola/internal/core/format"
)

// Kind is the type of a value.
type Kind uint8

// The types of a property list.
const (
	Invalid Kind = iota
	Dict
	Array
	String
	Integer
	Real
	Boolean
	Date
	Data
	UID
)

var kindNames = [...]string{"invalid", "dictionary", "array", "string", "integer", "real", "boolean", "date", "data", "uid"}

// String is the type's name as the document type definition uses it.
func (k Kind) String() string { return kindNames[k] }

// Noun is the type's name with its article.
func (k Kind) Noun() string {
	if k == Array || k == Integer || k == Invalid {
		return "an " + k.String()
	}
	return "a " + k.String()
}

// Value is one value with its place in the file.
type Value struct {
	Kind   Kind
	Offset int64 // bytes from the start of the file
	Str    string
	Int    int64
	Real   float64
	Bool   bool
	Time   time.Time
	Bytes  []byte
	Items  []*Value // of an array
	keys   []string
	dict   map[string]*Value
	Twice  []string // keys that a dictionary holds more than once
}

// Encoding tells how a property list was written.
type Encoding string

// The encodings.
const (
	Binary Encoding = "binary"
	XML    Encoding = "xml"
)

// maxDepth bounds nesting.
const maxDepth = 128

// Bytes of memory that a value takes, and an entry of a dictionary beside it.
const valueSize, entrySize = 232, 80

// maxKey bounds one key of a dictionary, in bytes.
const maxKey = 4 << 10

// Parse reads a property list in either encoding. Errors are *format.Damaged, or
// *budget.Spent for one that takes more work or memory than its size is worth.
func Parse(data []byte, b *budget.Budget) (*Value, Encoding, error) {
	b = b.Part(len(data))
	if strings.HasPrefix(string(data[:min(len(data), 8)]), "bplist0") {
		v, err := parseBinary(data, b)
		return v, Binary, err
	}
	if text := bytes.TrimLeft(bytes.TrimPrefix(data, []byte("\xef\xbb\xbf")), " \t\r\n"); len(text) > 0 && text[0] != '<' && text[0] != 0xfe && text[0] != 0xff {
		return nil, XML, format.Damagedf(int64(len(data)-len(text)), "this is neither form of a property list")
	}
	v, err := parseXML(data, b)
	return v, XML, err
}

// Get is the value of a dictionary's key, or nil.
func (v *Value) Get(key string) *Value {
	if v == nil {
		return nil
	}
	return v.dict[key]
}

// Path follows keys through nested dictionaries; nil when one is missing.
func (v *Value) Path(keys ...string) *Value {
	for _, k := range keys {
		v = v.Get(k)
	}
	return v
}

// Keys lists a dictionary's keys in the file's order.
func (v *Value) Keys() []string {
	if v == nil {
		return nil
	}
	return v.keys
}

// SortedKeys lists a dictionary's keys in alphabetical order.
func (v *Value) SortedKeys() []string {
	out := append([]string(nil), v.Keys()...)
	sort.Strings(out)
	return out
}

// Text is the string value, or "" for any other type.
func (v *Value) Text() string {
	if v == nil || v.Kind != String {
		return ""
	}
	return v.Str
}

// IsTrue reports a boolean true.
func (v *Value) IsTrue() bool { return v != nil && v.Kind == Boolean && v.Bool }

// List is the items of an array; nothing for any other kind.
func (v *Value) List() []*Value {
	if v == nil || v.Kind != Array {
		return nil
	}
	return v.Items
}

// Texts lists the strings of an array.
func (v *Value) Texts() []string {
	if v == nil {
		return nil
	}
	var out []string
	for _, it := range v.Items {
		if it.Kind == String {
			out = append(out, it.Str)
		}
	}
	return out
}

// AsString writes a scalar as a person reads it.
func (v *Value) AsString() string {
	if v == nil {
		return ""
	}
	switch v.Kind {
	case String:
		return v.Str
	case Integer, UID:
		return strconv.FormatInt(v.Int, 10)
	case Real:
		return strconv.FormatFloat(v.Real, 'g', -1, 64)
	case Boolean:
		return strconv.FormatBool(v.Bool)
	case Date:
		return v.Time.Format(time.RFC3339)
	}
	return v.Kind.String()
}

// Put adds a key to a dictionary. A key that is there already keeps its value,
// as on the platform, and is noted in Twice.
func (v *Value) Put(key string, val *Value) {
	if v.dict == nil {
		v.dict = make(map[string]*Value)
	}
	if _, ok := v.dict[key]; ok {
		v.Twice = append(v.Twice, key)
		return // the platform keeps the first
	}
	v.dict[key] = val
	v.keys = append(v.keys, key)
}

// Difference finds the first key path at which two values differ, in
// alphabetical order. same is true when there is none.
func Difference(a, b *Value) (at string, same bool) {
	if a == nil || b == nil || a.Kind != b.Kind {
		return "", a == nil && b == nil
	}
	switch a.Kind {
	case Dict:
		keys := append(a.SortedKeys(), b.SortedKeys()...)
		sort.Strings(keys)
		for _, k := range keys {
			if at, same := Difference(a.Get(k), b.Get(k)); !same {
				return strings.TrimSuffix(k+"."+at, "."), false
			}
		}
		return "", true
	case Array:
		if len(a.Items) != len(b.Items) {
			return "", false
		}
		for i := range a.Items {
			if _, same := Difference(a.Items[i], b.Items[i]); !same {
				return "", false
			}
		}
		return "", true
	case Data:
		return "", string(a.Bytes) == string(b.Bytes)
	}
	return "", a.AsString() == b.AsString()
}
