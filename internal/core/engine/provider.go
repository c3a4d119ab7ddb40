package engine

import (
	"fmt"
	"maps"
	"reflect"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"

	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/place"
)

// provider shows Go structs to CEL by their json tags. A field that was lost,
// or that nobody answered, is handed to CEL as an unknown value that carries
// its gap; CEL passes it on through operators, lists and functions, unless the
// result is decided without it.
//
// CEL's own patterns of unknown attributes do not reach fields of list items
// inside all() or filter(); this does.
type provider struct {
	types.Provider
	types.Adapter
	records map[string]Record
}

func newProvider(records []Record) (*provider, error) {
	reg, err := types.NewRegistry()
	if err != nil {
		return nil, err
	}
	p := &provider{Provider: reg, Adapter: reg, records: map[string]Record{}}
	for _, r := range records {
		p.records[r.Name] = r
	}
	return p, nil
}

// fieldNames lists the names of all fields of all types, for suggestions.
func (p *provider) fieldNames() []string {
	seen := map[string]bool{}
	for _, r := range p.records {
		for n := range r.Fields {
			seen[n] = true
		}
	}
	typeByName.Range(func(_, v any) bool {
		for _, n := range v.(*typeInfo).names {
			seen[n] = true
		}
		return true
	})
	return slices.Sorted(maps.Keys(seen))
}

// unknownID is shared by all unknowns: their trails keep them apart.
const unknownID = 1

// Unknown makes the value of something that is not known. CEL keeps nothing of
// an unknown but a text, so that the gap is written into it.
//
// CEL holds every unknown against every other one. Items far down a list share theirs,
// so that a long list of what could not be read takes no longer than any other.
func Unknown(g fact.Gap) *types.Unknown {
	if far(g.Path) {
		g.Path, g.At = farIndex.ReplaceAllString(g.Path, "[…]"), place.Place{}
		g.What = "further items could not be read"
	}
	at := g.At
	return types.NewUnknown(unknownID, types.NewAttributeTrail(strings.Join([]string{
		string(g.Kind), g.Path, g.What, at.File, at.Entry, at.Key,
		strconv.FormatInt(at.Offset, 10), strconv.Itoa(at.Line), strconv.Itoa(at.Column),
	}, "\x00")))
}

// farIndex matches an index of 64 and above.
var farIndex = regexp.MustCompile(`\[(?:6[4-9]|[7-9]\d|\d{3,})\]`)

// far tells whether a path goes through an item far down a list.
func far(path string) bool {
	for i := strings.IndexByte(path, '['); i >= 0 && i < len(path); {
		digits := 0
		for i++; i < len(path) && path[i] >= '0' && path[i] <= '9'; i++ {
			digits++
		}
		if digits > 1 && farIndex.MatchString(path) {
			return true
		}
		next := strings.IndexByte(path[i:], '[')
		if next < 0 {
			return false
		}
		i += next
	}
	return false
}

// gapsOf takes the gaps out of an unknown result.
func gapsOf(u *types.Unknown) []fact.Gap {
	var gaps []fact.Gap
	for _, id := range u.IDs() {
		trails, _ := u.GetAttributeTrails(id)
		for _, t := range trails {
			f := strings.Split(t.Variable(), "\x00")
			if len(f) != 9 {
				continue // an unknown of CEL's own making, which this engine never asks for
			}
			g := fact.Gap{Kind: fact.Kind(f[0]), Path: f[1], What: f[2], At: place.Place{File: f[3], Entry: f[4], Key: f[5]}}
			g.At.Offset, _ = strconv.ParseInt(f[6], 10, 64)
			g.At.Line, _ = strconv.Atoi(f[7])
			g.At.Column, _ = strconv.Atoi(f[8])
			gaps = append(gaps, g)
		}
	}
	return gaps
}

// typeInfo is what is known of one Go struct type.
type typeInfo struct {
	typ    reflect.Type
	name   string
	names  []string
	fields map[string]*types.FieldType
}

var (
	typeByName sync.Map // string → *typeInfo
	typeByGo   sync.Map // reflect.Type → *typeInfo
)

var (
	dayType  = reflect.TypeFor[day.Day]()
	timeType = reflect.TypeFor[time.Time]()
)

// infoOf describes a struct type, and all that it holds.
func infoOf(t reflect.Type) *typeInfo {
	if ti, ok := typeByGo.Load(t); ok {
		return ti.(*typeInfo)
	}
	ti := &typeInfo{typ: t, name: t.String(), fields: make(map[string]*types.FieldType)}
	for _, f := range reflect.VisibleFields(t) {
		if name := fact.RuleName(f); name != "" {
			ti.names = append(ti.names, name)
		}
	}
	// Types may hold each other; the entry stands before its fields are typed.
	typeByName.Store(ti.name, ti)
	for _, f := range reflect.VisibleFields(t) {
		if name := fact.RuleName(f); name != "" {
			ti.fields[name] = fieldType(t, name, f)
		}
	}
	typeByGo.Store(t, ti)
	return ti
}

func fieldType(owner reflect.Type, name string, f reflect.StructField) *types.FieldType {
	index := f.Index
	return &types.FieldType{
		Type:  typeOf(owner, f.Type),
		IsSet: func(any) bool { return true }, // has() is not available
		GetFrom: func(target any) (any, error) {
			if u, ok := target.(*types.Unknown); ok {
				return u, nil
			}
			v := reflect.ValueOf(target)
			if v.Kind() != reflect.Pointer || v.IsNil() || v.Elem().Type() != owner {
				return nil, fmt.Errorf("no such field: %s", name)
			}
			return fieldValue(target, name, v.Elem().FieldByIndex(index)), nil
		},
	}
}

// fieldValue is what CEL gets to see of a field.
func fieldValue(target any, name string, v reflect.Value) any {
	mark := fact.Of(target)
	if mark != nil {
		if g := mark.Gap(name); g != nil {
			return Unknown(*g)
		}
	}
	switch v.Kind() {
	case reflect.Pointer:
		if v.IsNil() {
			return Unknown(absent(mark, name))
		}
		if v.Elem().Kind() == reflect.Struct && v.Type().Elem() != dayType {
			return v.Interface()
		}
		return plain(v.Elem())
	case reflect.Struct:
		if v.Type() != dayType && v.Type() != timeType {
			return v.Addr().Interface()
		}
	}
	return plain(v)
}

// absent is the gap of a nil pointer for which no other reason was recorded.
func absent(m *fact.Mark, name string) fact.Gap {
	const untold = "the package does not say it"
	g := fact.Gap{Kind: fact.NotRead, Path: name, What: untold}
	if m == nil {
		return g
	}
	if m.Path() != "" {
		g.Path = m.Path() + "." + name
	}
	g.At = m.Field(name)
	switch g.Kind = m.Absent(); g.Kind {
	case fact.NotAnswered:
		g.What = "the dossier does not answer " + g.Path
	case fact.NotGiven:
		g.What = "it was not given"
	default:
		g.Kind = fact.NotRead
	}
	return g
}

func plain(v reflect.Value) any {
	if v.Type() == dayType {
		return v.Interface().(day.Day).Time
	}
	if v.Kind() == reflect.String { // named string types too
		return v.String()
	}
	return v.Interface()
}

// TypeFor is the type under which conditions see a Go type.
func TypeFor[T any]() *types.Type { return TypeOf(reflect.TypeFor[T]()) }

// TypeOf is the type under which conditions see a Go type.
func TypeOf(t reflect.Type) *types.Type { return typeOf(t, t) }

// typeOf is the CEL type of a Go type. A type that conditions cannot see is a
// mistake of the program, so that it panics when the environment is made.
func typeOf(owner, t reflect.Type) *types.Type {
	switch {
	case t == dayType || t == timeType:
		return types.TimestampType
	case t.Kind() == reflect.Pointer:
		return typeOf(owner, t.Elem())
	}
	switch t.Kind() {
	case reflect.String:
		return types.StringType
	case reflect.Bool:
		return types.BoolType
	case reflect.Int, reflect.Int64:
		return types.IntType
	case reflect.Float64:
		return types.DoubleType
	case reflect.Slice:
		return types.NewListType(typeOf(owner, t.Elem()))
	case reflect.Map:
		return types.NewMapType(types.StringType, typeOf(owner, t.Elem()))
	case reflect.Struct:
		if _, known := typeByName.Load(t.String()); !known {
			infoOf(t)
		}
		return types.NewObjectType(t.String())
	case reflect.Interface:
		if t.NumMethod() == 0 {
			return types.DynType // a value of a table without a type of its own
		}
	}
	panic(fmt.Sprintf("engine: %s has a field of type %s, which conditions cannot see", owner, t))
}

// FindStructType implements types.Provider.
func (p *provider) FindStructType(name string) (*types.Type, bool) {
	if _, ok := p.records[name]; ok {
		return types.NewTypeTypeWithParam(types.NewObjectType(name)), true
	}
	if _, ok := typeByName.Load(name); ok {
		return types.NewTypeTypeWithParam(types.NewObjectType(name)), true
	}
	return p.Provider.FindStructType(name)
}

// FindStructFieldNames implements types.Provider.
func (p *provider) FindStructFieldNames(name string) ([]string, bool) {
	if r, ok := p.records[name]; ok {
		return slices.Sorted(maps.Keys(r.Fields)), true
	}
	if ti, ok := typeByName.Load(name); ok {
		return ti.(*typeInfo).names, true
	}
	return p.Provider.FindStructFieldNames(name)
}

// FindStructFieldType implements types.Provider.
func (p *provider) FindStructFieldType(name, field string) (*types.FieldType, bool) {
	if r, ok := p.records[name]; ok {
		t, ok := r.Fields[field]
		if !ok {
			return nil, false
		}
		return &types.FieldType{
			Type:  t,
			IsSet: func(any) bool { return true },
			GetFrom: func(target any) (any, error) {
				switch v := target.(type) {
				case *types.Unknown:
					return v, nil
				case View:
					return show(v.Get(field)), nil
				}
				return nil, fmt.Errorf("no such field: %s", field)
			},
		}, true
	}
	if ti, ok := typeByName.Load(name); ok {
		ft, ok := ti.(*typeInfo).fields[field]
		return ft, ok
	}
	return p.Provider.FindStructFieldType(name, field)
}

// show turns what a record gives into what CEL takes.
func show(v any) any {
	switch v := v.(type) {
	case fact.Gap:
		return Unknown(v)
	case *fact.Gap:
		return Unknown(*v)
	case day.Day:
		return v.Time
	case int:
		return int64(v)
	}
	return v
}

// NativeToValue implements types.Adapter.
func (p *provider) NativeToValue(value any) ref.Val {
	switch v := value.(type) {
	case ref.Val:
		return v
	case View:
		return &object{ptr: v, name: reflect.TypeOf(v).String(), adapter: p}
	}
	rv := reflect.ValueOf(value)
	switch rv.Kind() {
	case reflect.Pointer:
		if !rv.IsNil() && rv.Elem().Kind() == reflect.Struct {
			return &object{ptr: value, name: rv.Elem().Type().String(), adapter: p}
		}
	case reflect.Slice:
		if rv.Type().Elem().Kind() != reflect.Uint8 {
			return types.NewDynamicList(p, value)
		}
	case reflect.Map:
		return types.NewDynamicMap(p, value)
	}
	return p.Adapter.NativeToValue(value)
}

// object is a Go struct as a CEL value.
type object struct {
	ptr     any
	name    string
	adapter *provider
}

// ConvertToNative implements ref.Val.
func (o *object) ConvertToNative(t reflect.Type) (any, error) {
	if reflect.TypeOf(o.ptr).AssignableTo(t) {
		return o.ptr, nil
	}
	return nil, fmt.Errorf("cannot convert %s to %s", o.name, t)
}

// ConvertToType implements ref.Val.
func (o *object) ConvertToType(t ref.Type) ref.Val {
	if t == types.TypeType {
		return types.NewObjectType(o.name)
	}
	return types.NewErr("cannot convert %s to %s", o.name, t.TypeName())
}

// Equal implements ref.Val: two views are equal when they show the same struct.
func (o *object) Equal(other ref.Val) ref.Val {
	oo, ok := other.(*object)
	return types.Bool(ok && oo.ptr == o.ptr)
}

// Type implements ref.Val.
func (o *object) Type() ref.Type { return types.NewObjectType(o.name) }

// Value implements ref.Val.
func (o *object) Value() any { return o.ptr }

// Get implements traits.Indexer, which field access on list items uses.
func (o *object) Get(index ref.Val) ref.Val {
	name, ok := index.Value().(string)
	if !ok {
		return types.NewErr("no such field: %v", index.Value())
	}
	ft, ok := o.adapter.FindStructFieldType(o.name, name)
	if !ok {
		return types.NewErr("no such field: %s", name)
	}
	v, err := ft.GetFrom(o.ptr)
	if err != nil {
		return types.WrapErr(err)
	}
	return o.adapter.NativeToValue(v)
}

// IsSet implements traits.FieldTester. has() is not available, so that nothing
// asks.
func (o *object) IsSet(ref.Val) ref.Val { return types.NewErr("has() is not available") }

// adapter shows the values that functions give.
var adapter = func() *provider {
	p, err := newProvider(nil)
	if err != nil {
		panic("engine: " + err.Error()) // CEL's own types are fixed
	}
	return p
}()

// Adapt shows a Go value to conditions: what a function gives.
func Adapt(v any) ref.Val { return adapter.NativeToValue(v) }
