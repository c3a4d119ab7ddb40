package seed

import (
	"fmt"
	"reflect"
)

// Perturb changes one field after the other of everything below v (a pointer), calls visit
// after each change with its path, and changes it back: texts, numbers and truth values
// become others, lists, maps and pointers are emptied. Of a list the first three items are
// gone into.
func Perturb(v any, visit func(path string)) {
	perturb(reflect.ValueOf(v).Elem(), "", map[uintptr]bool{}, visit)
}

func perturb(v reflect.Value, path string, seen map[uintptr]bool, visit func(string)) {
	try := func(to reflect.Value) {
		was := reflect.New(v.Type()).Elem()
		was.Set(v)
		v.Set(to)
		visit(path)
		v.Set(was)
	}
	switch v.Kind() {
	case reflect.Pointer:
		if v.IsNil() || seen[v.Pointer()] {
			return
		}
		seen[v.Pointer()] = true
		perturb(v.Elem(), path, seen, visit)
		try(reflect.Zero(v.Type()))
	case reflect.Struct:
		for i := range v.NumField() {
			if f := v.Type().Field(i); f.IsExported() && !(f.Anonymous && f.Name == "Mark") {
				perturb(v.Field(i), path+"."+f.Name, seen, visit)
			}
		}
	case reflect.Slice:
		for i := range min(v.Len(), 3) {
			item := v.Index(i)
			if item.Kind() == reflect.Pointer { // a list holds no nil pointers
				if item = item.Elem(); seen[item.Addr().Pointer()] {
					continue
				}
			}
			perturb(item, fmt.Sprintf("%s[%d]", path, i), seen, visit)
		}
		if v.Len() > 0 {
			try(reflect.Zero(v.Type()))
			if v.Len() > 1 {
				try(v.Slice(0, v.Len()-1))
			}
		}
	case reflect.Map:
		if v.Len() > 0 {
			try(reflect.Zero(v.Type()))
		}
	case reflect.String:
		try(reflect.ValueOf("kiln").Convert(v.Type()))
		if v.Len() > 0 {
			try(reflect.Zero(v.Type()))
		}
	case reflect.Bool:
		try(reflect.ValueOf(!v.Bool()).Convert(v.Type()))
	case reflect.Int, reflect.Int64:
		try(reflect.ValueOf(v.Int() + 1).Convert(v.Type()))
		if v.Int() != 0 {
			try(reflect.Zero(v.Type()))
		}
	case reflect.Float64:
		try(reflect.ValueOf(v.Float() + 1))
	}
}
