package engine

import (
	"crypto/sha256"
	"encoding/hex"
	"regexp"

	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/operators"
	"cel.dev/cel-go/common/types"
)

// Typed holds conditions that were parsed and typed before, so that a start
// need not do it again. Parsing and typing are four fifths of what compiling
// takes. It is never needed, and what does not fit is not used: a condition is known by
// its text and by the types of all records' fields that it names.
type Typed struct {
	asts map[string][]byte                            // that are added
	find func(key string) (condition []byte, ok bool) // that were added before
}

// NewTyped are conditions that find gives by their keys, as All gave them. It may be asked
// from several goroutines.
func NewTyped(find func(key string) (condition []byte, ok bool)) *Typed { return &Typed{find: find} }

// All are the conditions that were added, by their keys, which are hexadecimal digits.
func (t *Typed) All() map[string][]byte { return t.asts }

// typedForm is the number of the form in which conditions are written (encode). It is part
// of every key.
const typedForm = "4"

// keyOf is the key of a condition in an environment: the digest of its text, of its item's
// type, and of the types of the records' fields that it names. Records differ between
// environments: a limit or a table of the same name may be of another type there.
func (e *Env) keyOf(text string, item *types.Type) string {
	h := sha256.New()
	h.Write([]byte(typedForm + text))
	if item != nil {
		h.Write([]byte("\x00" + item.String()))
	}
	for _, m := range fieldOf.FindAllStringSubmatch(text, -1) {
		if r, ok := e.provider.records[m[1]]; ok {
			h.Write([]byte("\x00" + m[0] + " "))
			if t := r.Fields[m[2]]; t != nil {
				h.Write([]byte(t.String()))
			}
		}
	}
	return hex.EncodeToString(h.Sum(nil)[:16])
}

// fieldOf matches what may be a field of a record.
var fieldOf = regexp.MustCompile(`\b([a-z_]+)\s*\.\s*([A-Za-z_]\w*)`)

// add keeps a typed condition. One that has no short form is typed anew at each
// start.
func (t *Typed) add(key string, typed *ast.AST) {
	if data, err := encode(typed, usedTypes(typed)); err == nil {
		t.asts[key] = data
	}
}

// usedTypes finds the expressions whose types are needed to run a condition:
// the whole, and what a field or an item is taken from. Most of the size and of
// the time to read are the types of all the others.
func usedTypes(a *ast.AST) map[int64]bool {
	used := map[int64]bool{a.Expr().ID(): true}
	ast.PreOrderVisit(a.Expr(), ast.NewExprVisitor(func(x ast.Expr) {
		switch x.Kind() {
		case ast.SelectKind:
			used[x.AsSelect().Operand().ID()] = true
		case ast.CallKind:
			if args := x.AsCall().Args(); x.AsCall().FunctionName() == operators.Index {
				used[args[0].ID()] = true
			}
		case ast.IdentKind:
			if t := a.GetType(x.ID()); t.Kind() == types.TypeKind {
				used[x.ID()] = true // the name of a type
			}
		}
	}))
	return used
}

// get gives a condition that was typed before, or nil.
func (t *Typed) get(key string) *ast.AST {
	if t == nil || t.find == nil {
		return nil
	}
	data, ok := t.find(key)
	if !ok {
		return nil
	}
	return decode(data)
}
