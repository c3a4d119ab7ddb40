package fact

import (
	"fmt"
	"reflect"
	"sync"

	"regola.example/regola/internal/core/place"
)

// The functions below take a field of a marked struct as a pointer, so that no name of a
// field stands in a text: Put(&m, &m.ID, at).

// fieldNames are the names of a type's fields, by their offsets and types.
var fieldNames sync.Map // reflect.Type → map[fieldKey]string

type fieldKey struct {
	offset uintptr
	typ    reflect.Type
}

// nameOf is the name of a field. A pointer that leads to no field of the struct is a
// mistake of the program.
func nameOf(owner Marked, field any) string {
	o, f := reflect.ValueOf(owner), reflect.ValueOf(field)
	t := o.Type().Elem()
	known, ok := fieldNames.Load(t)
	if !ok {
		names := map[fieldKey]string{}
		collect(t, 0, names)
		known, _ = fieldNames.LoadOrStore(t, names)
	}
	name, ok := known.(map[fieldKey]string)[fieldKey{f.Pointer() - o.Pointer(), f.Type().Elem()}]
	if !ok {
		panic(fmt.Sprintf("fact: the pointer to %s leads to no field of %s", f.Type().Elem(), t))
	}
	return name
}

func collect(t reflect.Type, from uintptr, into map[fieldKey]string) {
	for i := range t.NumField() {
		f := t.Field(i)
		if name := RuleName(f); name != "" {
			into[fieldKey{from + f.Offset, f.Type}] = name
		} else if f.Anonymous && f.Type.Kind() == reflect.Struct && f.Type != reflect.TypeFor[Mark]() {
			collect(f.Type, from+f.Offset, into)
		}
	}
}

// Put records the place of a field.
func Put(owner Marked, field any, at place.Place) { owner.marks().Put(nameOf(owner, field), at) }

// Lose records that a field is not known. The first reason stays.
func Lose(owner Marked, field any, g Gap) { owner.marks().Lose(nameOf(owner, field), g) }

// LoseAll records that nothing of the struct is known but the fields that are kept: those
// that are known from elsewhere, such as the name of a file that is torn. The first reason
// stays.
func LoseAll(owner Marked, g Gap, kept ...any) {
	names := make([]string, len(kept))
	for i, f := range kept {
		names[i] = nameOf(owner, f)
	}
	owner.marks().LoseAll(g, names...)
}

// PlaceOf is the place of a field: its own, or that of the struct.
func PlaceOf(owner Marked, field any) place.Place { return owner.marks().Field(nameOf(owner, field)) }

// HasPlace tells whether a field's own place is known.
func HasPlace(owner Marked, field any) bool { return owner.marks().HasField(nameOf(owner, field)) }

// GapOf is why a field is not known, with its path and its place, or nil when it is known.
func GapOf(owner Marked, field any) *Gap { return owner.marks().Gap(nameOf(owner, field)) }

// ReasonOf is the reason why a field is not known, or "" when it is.
func ReasonOf(owner Marked, field any) string { return owner.marks().Unread(nameOf(owner, field)) }
