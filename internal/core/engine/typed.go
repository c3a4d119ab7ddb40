package engine

import (
	"bytes"
	"crypto/sha256"
	"encoding/binary"
	"errors"
	"hash/crc32"
	"maps"
	"regexp"
	"slices"

	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/operators"
	"cel.dev/cel-go/common/types"
)

// Typed holds conditions that were parsed and typed before, so that a start
// need not do it again. Parsing and typing are four fifths of what compiling
// takes. It is never needed, and what does not fit is not used: a condition is known by
// its text and by the types of all records' fields that it names, and a file that is
// damaged holds none.
type Typed struct {
	asts map[typedKey][]byte
}

// typedKey is the digest of a condition's text, of its item's type, and of the types of
// the records' fields that it names.
type typedKey [16]byte

// keyOf is the key of a condition in an environment. Records differ between
// environments: a limit or a table of the same name may be of another type there.
func (e *Env) keyOf(text string, item *types.Type) typedKey {
	h := sha256.New()
	h.Write([]byte(text))
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
	return typedKey(h.Sum(nil)[:16])
}

// fieldOf matches what may be a field of a record.
var fieldOf = regexp.MustCompile(`\b([a-z_]+)\s*\.\s*([A-Za-z_]\w*)`)

// typedMagic begins the file form: then follow the sum of what comes behind it (CRC-32,
// big-endian), and, in the order of the keys, key, length (unsigned varint) and the
// condition as encode writes it.
const typedMagic = "regola typed 3\n"

// ReadTyped reads the file form. The conditions themselves are decoded when
// they are asked for; data is kept. The error is for a file that is damaged, or of
// another program.
func ReadTyped(data []byte) (*Typed, error) {
	broken := errors.New("this is not a file of typed conditions")
	data, ok := bytes.CutPrefix(data, []byte(typedMagic))
	if !ok || len(data) < 4 || binary.BigEndian.Uint32(data) != sumOf(data[4:]) {
		return nil, broken
	}
	data = data[4:]
	t := &Typed{asts: make(map[typedKey][]byte, len(data)/500)}
	for len(data) > 0 {
		if len(data) < len(typedKey{}) {
			return nil, broken
		}
		key := typedKey(data)
		n, w := binary.Uvarint(data[len(key):])
		data = data[len(key):]
		if w <= 0 || n > uint64(len(data)-w) {
			return nil, broken
		}
		t.asts[key] = data[w : w+int(n)]
		data = data[w+int(n):]
	}
	return t, nil
}

// sumOf guards against damage.
func sumOf(data []byte) uint32 { return crc32.Checksum(data, crc32.MakeTable(crc32.Castagnoli)) }

// Bytes gives the file form.
func (t *Typed) Bytes() []byte {
	var out []byte
	for _, key := range slices.SortedFunc(maps.Keys(t.asts), func(a, b typedKey) int { return bytes.Compare(a[:], b[:]) }) {
		out = append(out, key[:]...)
		out = binary.AppendUvarint(out, uint64(len(t.asts[key])))
		out = append(out, t.asts[key]...)
	}
	return append(binary.BigEndian.AppendUint32([]byte(typedMagic), sumOf(out)), out...)
}

// add keeps a typed condition. One that has no short form is typed anew at each
// start.
func (t *Typed) add(key typedKey, typed *ast.AST) {
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
func (t *Typed) get(key typedKey) *ast.AST {
	if t == nil {
		return nil
	}
	data, ok := t.asts[key]
	if !ok {
		return nil
	}
	return decode(data)
}
