package rulebook

import (
	"fmt"
	"reflect"
	"strings"
	"sync"
	"time"

	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"

	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/strictyaml"
)

// provider shows Go structs to CEL by their json tags. A field that could not
// be read, or that nobody answered, is handed to CEL as an unknown value that
// carries its path and the reason; CEL passes it on through operators, lists
// and functions, unless the result is decided without it.
type provider struct {
	types.Provider
	types.Adapter
	limits *limitTypes
}

const (
	limitType      = "limit"
	limitSinceType = "limit_since"
)

func newProvider(limits *limitTypes) (*provider, error) {
	reg, err := types.NewRegistry()
	if err != nil {
		return nil, err
	}
	return &provider{Provider: reg, Adapter: reg, limits: limits}, nil
}

// unknownID is shared by all unknowns: their trails keep them apart.
const unknownID = 1

// unknown makes an unknown value that says which field is missing and why.
func unknown(path, reason string) *types.Unknown {
	return types.NewUnknown(unknownID, types.NewAttributeTrail(path+"\x00"+reason))
}

// Gap is one field that a condition needed and that is not known.
type Gap struct {
	Path   string
	Reason string
}

// gapsOf takes the fields out of an unknown result.
func gapsOf(u *types.Unknown) []Gap {
	var gaps []Gap
	for _, id := range u.IDs() {
		trails, _ := u.GetAttributeTrails(id)
		for _, t := range trails {
			path, reason, _ := strings.Cut(t.Variable(), "\x00")
			gaps = append(gaps, Gap{path, reason})
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
	dayType  = reflect.TypeFor[strictyaml.Day]()
	timeType = reflect.TypeFor[time.Time]()
)

// infoOf describes a struct type, and all that it holds.
func infoOf(t reflect.Type) *typeInfo {
	if ti, ok := typeByGo.Load(t); ok {
		return ti.(*typeInfo)
	}
	ti := &typeInfo{typ: t, name: t.String(), fields: make(map[string]*types.FieldType)}
	if prior, loaded := typeByGo.LoadOrStore(t, ti); loaded {
		return prior.(*typeInfo)
	}
	for _, f := range reflect.VisibleFields(t) {
		name := place.FieldName(f)
		if name == "" {
			continue
		}
		ti.names = append(ti.names, name)
		ti.fields[name] = fieldType(name, f)
	}
	typeByName.Store(ti.name, ti)
	return ti
}

func fieldType(name string, f reflect.StructField) *types.FieldType {
	index := f.Index
	return &types.FieldType{
		Type: typeOf(f.Type),
		IsSet: func(target any) bool {
			v, ok := fieldOf(target, index)
			return ok && !v.IsZero()
		},
		GetFrom: func(target any) (any, error) {
			if u, ok := target.(*types.Unknown); ok {
				return u, nil
			}
			v, ok := fieldOf(target, index)
			if !ok {
				return nil, fmt.Errorf("no such field: %s", name)
			}
			return fieldValue(target, name, v), nil
		},
	}
}

// fieldOf reaches into a pointer to a struct.
func fieldOf(target any, index []int) (reflect.Value, bool) {
	v := reflect.ValueOf(target)
	if v.Kind() != reflect.Pointer || v.IsNil() || v.Elem().Kind() != reflect.Struct {
		return reflect.Value{}, false
	}
	return v.Elem().FieldByIndex(index), true
}

// fieldValue is what CEL gets to see of a field.
func fieldValue(target any, name string, v reflect.Value) any {
	mark := place.Of(target)
	path := name
	if mark != nil {
		if mark.Path() != "" {
			path = mark.Path() + "." + name
		}
		if why := mark.Unread(name); why != "" {
			return unknown(path, why)
		}
	}
	switch v.Kind() {
	case reflect.Pointer:
		if v.IsNil() {
			return unknown(path, "not answered")
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

func plain(v reflect.Value) any {
	if v.Type() == dayType {
		return v.Interface().(strictyaml.Day).Time
	}
	if v.Kind() == reflect.String { // named string types too
		return v.String()
	}
	return v.Interface()
}

// typeOf is the CEL type of a Go type.
func typeOf(t reflect.Type) *types.Type {
	switch {
	case t == dayType || t == timeType:
		return types.TimestampType
	case t.Kind() == reflect.Pointer:
		return typeOf(t.Elem())
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
		return types.NewListType(typeOf(t.Elem()))
	case reflect.Map:
		return types.NewMapType(types.StringType, typeOf(t.Elem()))
	case reflect.Struct:
		return types.NewObjectType(infoOf(t).name)
	}
	return types.DynType
}

// FindStructType implements types.Provider.
func (p *provider) FindStructType(name string) (*types.Type, bool) {
	if name == limitType || name == limitSinceType {
		return types.NewTypeTypeWithParam(types.NewObjectType(name)), true
	}
	if _, ok := typeByName.Load(name); ok {
		return types.NewTypeTypeWithParam(types.NewObjectType(name)), true
	}
	return p.Provider.FindStructType(name)
}

// FindStructFieldNames implements types.Provider.
func (p *provider) FindStructFieldNames(name string) ([]string, bool) {
	if name == limitType || name == limitSinceType {
		return p.limits.names, true
	}
	if ti, ok := typeByName.Load(name); ok {
		return ti.(*typeInfo).names, true
	}
	return p.Provider.FindStructFieldNames(name)
}

// FindStructFieldType implements types.Provider.
func (p *provider) FindStructFieldType(name, field string) (*types.FieldType, bool) {
	if name == limitType || name == limitSinceType {
		t, ok := p.limits.byKey[field]
		if !ok {
			return nil, false
		}
		if name == limitSinceType {
			t = types.TimestampType
		}
		return &types.FieldType{
			Type:    t,
			IsSet:   func(target any) bool { return target.(*limitView).book.On(field, target.(*limitView).day) != nil },
			GetFrom: func(target any) (any, error) { return target.(*limitView).get(field), nil },
		}, true
	}
	if ti, ok := typeByName.Load(name); ok {
		ft, ok := ti.(*typeInfo).fields[field]
		return ft, ok
	}
	return p.Provider.FindStructFieldType(name, field)
}

// NativeToValue implements types.Adapter.
func (p *provider) NativeToValue(value any) ref.Val {
	switch v := value.(type) {
	case ref.Val:
		return v
	case *limitView:
		return &object{ptr: v, name: limitType}
	}
	rv := reflect.ValueOf(value)
	switch rv.Kind() {
	case reflect.Pointer:
		if !rv.IsNil() && rv.Elem().Kind() == reflect.Struct {
			return &object{ptr: value, name: infoOf(rv.Elem().Type()).name, adapter: p}
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
	ti, known := typeByName.Load(o.name)
	if !ok || !known || ti.(*typeInfo).fields[name] == nil {
		return types.NewErr("no such field: %v", index.Value())
	}
	v, err := ti.(*typeInfo).fields[name].GetFrom(o.ptr)
	if err != nil {
		return types.WrapErr(err)
	}
	return o.adapter.NativeToValue(v)
}

// IsSet implements traits.FieldTester.
func (o *object) IsSet(field ref.Val) ref.Val {
	name, ok := field.Value().(string)
	ti, known := typeByName.Load(o.name)
	if !ok || !known || ti.(*typeInfo).fields[name] == nil {
		return types.NewErr("no such field: %v", field.Value())
	}
	return types.Bool(ti.(*typeInfo).fields[name].IsSet(o.ptr))
}
