package engine

import (
	"encoding/binary"
	"errors"
	"maps"
	"math"
	"slices"

	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
)

// The form in which typed conditions are brought along: expressions in the
// order of their reading, numbers as varints, texts with their length before
// them. It is read straight into CEL's own tree; CEL's exchange format, a
// protobuf message, took four times as long to read.

// errUncodable tells that a condition uses what the form has no place for.
var errUncodable = errors.New("this condition has no short form")

// Tags of expressions, and of the values of literals.
const (
	tagIdent = iota + 1
	tagLiteral
	tagSelect
	tagCall
	tagMember // a call with a receiver
	tagList
	tagComprehension

	tagNull
	tagBool
	tagInt
	tagDouble
	tagString
)

// plainTypes are the types without parameters, by their kind.
var plainTypes = map[types.Kind]*types.Type{
	types.AnyKind: types.AnyType, types.BoolKind: types.BoolType, types.BytesKind: types.BytesType, types.DoubleKind: types.DoubleType,
	types.DurationKind: types.DurationType, types.DynKind: types.DynType, types.IntKind: types.IntType, types.NullTypeKind: types.NullType,
	types.StringKind: types.StringType, types.TimestampKind: types.TimestampType, types.UintKind: types.UintType,
}

// encode writes a typed condition. Of the types only those in used are kept.
func encode(a *ast.AST, used map[int64]bool) ([]byte, error) {
	w := &encoder{}
	w.expr(a.Expr())
	var ids []int64
	for id := range a.TypeMap() {
		if used[id] {
			ids = append(ids, id)
		}
	}
	slices.Sort(ids)
	w.number(uint64(len(ids)))
	for _, id := range ids {
		w.number(uint64(id))
		w.typ(a.GetType(id))
	}
	refs := a.ReferenceMap()
	w.number(uint64(len(refs)))
	for _, id := range slices.Sorted(maps.Keys(refs)) {
		r := refs[id]
		if r.Value != nil {
			return nil, errUncodable
		}
		w.number(uint64(id))
		w.text(r.Name)
		w.number(uint64(len(r.OverloadIDs)))
		for _, o := range r.OverloadIDs {
			w.text(o)
		}
	}
	return w.out, w.err
}

type encoder struct {
	out []byte
	err error
}

func (w *encoder) number(n uint64) { w.out = binary.AppendUvarint(w.out, n) }

func (w *encoder) text(s string) {
	w.number(uint64(len(s)))
	w.out = append(w.out, s...)
}

func (w *encoder) node(tag byte, id int64) {
	w.out = append(w.out, tag)
	w.number(uint64(id))
}

func (w *encoder) exprs(list []ast.Expr) {
	w.number(uint64(len(list)))
	for _, x := range list {
		w.expr(x)
	}
}

func (w *encoder) expr(x ast.Expr) {
	switch id := x.ID(); x.Kind() {
	case ast.IdentKind:
		w.node(tagIdent, id)
		w.text(x.AsIdent())
	case ast.LiteralKind:
		w.node(tagLiteral, id)
		w.literal(x.AsLiteral())
	case ast.SelectKind:
		if x.AsSelect().IsTestOnly() {
			w.err = errUncodable
		}
		w.node(tagSelect, id)
		w.text(x.AsSelect().FieldName())
		w.expr(x.AsSelect().Operand())
	case ast.CallKind:
		c := x.AsCall()
		if c.IsMemberFunction() {
			w.node(tagMember, id)
			w.expr(c.Target())
		} else {
			w.node(tagCall, id)
		}
		w.text(c.FunctionName())
		w.exprs(c.Args())
	case ast.ListKind:
		if len(x.AsList().OptionalIndices()) > 0 {
			w.err = errUncodable
		}
		w.node(tagList, id)
		w.exprs(x.AsList().Elements())
	case ast.ComprehensionKind:
		c := x.AsComprehension()
		w.node(tagComprehension, id)
		for _, s := range []string{c.IterVar(), c.IterVar2(), c.AccuVar()} {
			w.text(s)
		}
		for _, part := range []ast.Expr{c.IterRange(), c.AccuInit(), c.LoopCondition(), c.LoopStep(), c.Result()} {
			w.expr(part)
		}
	default:
		w.err = errUncodable
	}
}

func (w *encoder) literal(v ref.Val) {
	switch v := v.(type) {
	case types.Null:
		w.out = append(w.out, tagNull)
	case types.Bool:
		w.out = append(w.out, tagBool)
		w.number(map[types.Bool]uint64{true: 1}[v])
	case types.Int:
		w.out = binary.AppendVarint(append(w.out, tagInt), int64(v))
	case types.Double:
		w.out = binary.LittleEndian.AppendUint64(append(w.out, tagDouble), math.Float64bits(float64(v)))
	case types.String:
		w.out = append(w.out, tagString)
		w.text(string(v))
	default:
		w.err = errUncodable
	}
}

func (w *encoder) typ(t *types.Type) {
	w.number(uint64(t.Kind()))
	switch t.Kind() {
	case types.ListKind, types.MapKind, types.TypeKind:
		if len(t.Parameters()) != map[types.Kind]int{types.ListKind: 1, types.MapKind: 2, types.TypeKind: 1}[t.Kind()] {
			w.err = errUncodable
			return
		}
		for _, p := range t.Parameters() {
			w.typ(p)
		}
	case types.StructKind:
		w.text(t.TypeName())
	default:
		if plainTypes[t.Kind()] == nil {
			w.err = errUncodable
		}
	}
}

// decode reads a typed condition, or nil when it is broken.
func decode(data []byte) *ast.AST {
	r := &decoder{in: string(data), make: ast.NewExprFactory()}
	root := r.expr()
	n := r.count()
	kinds := make(map[int64]*types.Type, n)
	for range n {
		id := int64(r.number())
		kinds[id] = r.typ(0)
	}
	n = r.count()
	refs := make(map[int64]*ast.ReferenceInfo, n)
	for range n {
		id, info := int64(r.number()), &ast.ReferenceInfo{Name: r.text()}
		for range r.count() {
			info.OverloadIDs = append(info.OverloadIDs, r.text())
		}
		refs[id] = info
	}
	if r.broken || r.in != "" {
		return nil
	}
	return ast.NewCheckedAST(ast.NewAST(root, ast.NewSourceInfo(nil)), kinds, refs)
}

type decoder struct {
	in     string
	make   ast.ExprFactory
	depth  int
	broken bool
}

func (r *decoder) number() (n uint64) {
	for shift := uint(0); ; shift += 7 {
		if r.in == "" || shift > 63 {
			r.broken = true
			return 0
		}
		b := r.in[0]
		r.in = r.in[1:]
		n |= uint64(b&0x7f) << shift
		if b < 0x80 {
			return n
		}
	}
}

// count is the number of things that follow: each takes a byte at least.
func (r *decoder) count() int {
	n := r.number()
	if n > uint64(len(r.in)) {
		r.broken = true
		return 0
	}
	return int(n)
}

func (r *decoder) text() string {
	n := r.count()
	s := r.in[:n]
	r.in = r.in[n:]
	return s
}

func (r *decoder) byte() byte {
	if r.in == "" {
		r.broken = true
		return 0
	}
	b := r.in[0]
	r.in = r.in[1:]
	return b
}

func (r *decoder) exprs() []ast.Expr {
	out := make([]ast.Expr, r.count())
	for i := range out {
		out[i] = r.expr()
	}
	return out
}

func (r *decoder) expr() ast.Expr {
	const deepest = 1000
	r.depth++
	defer func() { r.depth-- }()
	tag := r.byte()
	id := int64(r.number())
	if r.broken = r.broken || r.depth > deepest; r.broken {
		return r.make.NewUnspecifiedExpr(0)
	}
	switch tag {
	case tagIdent:
		return r.make.NewIdent(id, r.text())
	case tagLiteral:
		return r.make.NewLiteral(id, r.literal())
	case tagSelect:
		field := r.text()
		return r.make.NewSelect(id, r.expr(), field)
	case tagCall:
		name := r.text()
		return r.make.NewCall(id, name, r.exprs()...)
	case tagMember:
		target := r.expr()
		name := r.text()
		return r.make.NewMemberCall(id, name, target, r.exprs()...)
	case tagList:
		return r.make.NewList(id, r.exprs(), nil)
	case tagComprehension:
		iter, iter2, accu := r.text(), r.text(), r.text()
		over, init, cond, step, result := r.expr(), r.expr(), r.expr(), r.expr(), r.expr()
		return r.make.NewComprehensionTwoVar(id, over, iter, iter2, accu, init, cond, step, result)
	}
	r.broken = true
	return r.make.NewUnspecifiedExpr(0)
}

func (r *decoder) literal() ref.Val {
	switch r.byte() {
	case tagNull:
		return types.NullValue
	case tagBool:
		return types.Bool(r.number() == 1)
	case tagInt:
		n := r.number()
		return types.Int(int64(n>>1) ^ -int64(n&1)) // zigzag, as encoding/binary writes it
	case tagDouble:
		if len(r.in) < 8 {
			break
		}
		bits := binary.LittleEndian.Uint64([]byte(r.in[:8]))
		r.in = r.in[8:]
		return types.Double(math.Float64frombits(bits))
	case tagString:
		return types.String(r.text())
	}
	r.broken = true
	return types.NullValue
}

func (r *decoder) typ(depth int) *types.Type {
	kind := types.Kind(r.number())
	if t := plainTypes[kind]; t != nil {
		return t
	}
	const deepest = 100
	if r.broken = r.broken || depth > deepest; r.broken {
		return types.DynType
	}
	switch kind {
	case types.ListKind:
		return types.NewListType(r.typ(depth + 1))
	case types.MapKind:
		key := r.typ(depth + 1)
		return types.NewMapType(key, r.typ(depth+1))
	case types.TypeKind:
		return types.NewTypeTypeWithParam(r.typ(depth + 1))
	case types.StructKind:
		return types.NewObjectType(r.text())
	}
	r.broken = true
	return types.DynType
}
