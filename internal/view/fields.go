package view

import (
	"reflect"
	"slices"
	"strings"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/engine"
	"regola.example/regola/internal/core/submission"
)

// Function is one function that conditions may call.
type Function struct{ Signature, Doc string }

// FieldGroup is one part of the tree that rules see, with its fields.
type FieldGroup struct {
	Name   string
	Fields []FieldRow
}

// FieldRow is a field by its path, with its type in CEL.
type FieldRow struct{ Path, Type string }

// RuleFunctions lists the functions that rules may call beside CEL's own.
func RuleFunctions() (out []Function) {
	for _, f := range slices.Concat(engine.Functions(), check.Functions()) {
		out = append(out, Function{f.Signature, f.Doc})
	}
	return out
}

// RuleFields lists the fields that rules may use, by parts in the order of the tree.
func RuleFields() (out []*FieldGroup) {
	groups := map[string]*FieldGroup{}
	for _, f := range engine.Fields(reflect.TypeFor[submission.Submission]()) {
		parts := strings.SplitN(f.Path, ".", 3)
		name := parts[0]
		if len(parts) > 2 && name == "pkg" && !strings.HasSuffix(parts[1], "[]") {
			name += "." + parts[1] // what only packages of one platform have
		}
		name = strings.TrimSuffix(name, "[]")
		if groups[name] == nil {
			groups[name] = &FieldGroup{Name: name}
			out = append(out, groups[name])
		}
		groups[name].Fields = append(groups[name].Fields, FieldRow{f.Path, f.Type})
	}
	return out
}
