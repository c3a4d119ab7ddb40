package plist

import (
	"encoding/binary"
	"math"
	"time"
	"unicode/utf16"

	"regola.example/regola/internal/core/budget"
	"regola.example/regola/internal/core/format"
)

type binaryReader struct {
	data    []byte
	table   []byte
	offSize int
	refSize int
	count   uint64
	budget  *budget.Budget
	scalars map[uint64]*Value // by object: many share one
	open    map[uint64]bool   // objects being read: a cycle is a fault
}

// trailerSize is the fixed part at the end of a binary property list.
const trailerSize = 32

func parseBinary(data []byte, b *budget.Budget) (*Value, error) {
	if len(data) < 8+trailerSize {
		return nil, format.Damagedf(0, "a binary property list of %d bytes is cut off", len(data))
	}
	be := binary.BigEndian
	at := len(data) - trailerSize
	t := data[at:]
	r := &binaryReader{data: data, offSize: int(t[6]), refSize: int(t[7]), count: be.Uint64(t[8:]), open: make(map[uint64]bool), scalars: make(map[uint64]*Value), budget: b}
	top, table := be.Uint64(t[16:]), be.Uint64(t[24:])
	if r.offSize < 1 || r.offSize > 8 || r.refSize < 1 || r.refSize > 8 {
		return nil, format.Damagedf(int64(at), "offsets of %d and references of %d bytes", r.offSize, r.refSize)
	}
	if table < 8 || table > uint64(at) || r.count > (uint64(at)-table)/uint64(r.offSize) {
		return nil, format.Damagedf(int64(at), "the offset table does not fit in the file")
	}
	r.table = data[table:at]
	return r.object(top, 0)
}

func number(b []byte) uint64 {
	var n uint64
	for _, c := range b {
		n = n<<8 | uint64(c)
	}
	return n
}

func (r *binaryReader) object(ref uint64, depth int) (*Value, error) {
	if v := r.scalars[ref]; v != nil {
		return v, r.budget.Step(1)
	}
	v, err := r.read(ref, depth)
	if err == nil && v.Kind != Dict && v.Kind != Array {
		r.scalars[ref] = v
	}
	return v, err
}

func (r *binaryReader) read(ref uint64, depth int) (*Value, error) {
	if ref >= r.count {
		return nil, format.Damagedf(int64(len(r.data)-trailerSize), "reference to object %d of %d", ref, r.count)
	}
	off := number(r.table[ref*uint64(r.offSize):][:r.offSize])
	if off < 8 || off >= uint64(len(r.data)-trailerSize) {
		return nil, format.Damagedf(int64(len(r.data)-trailerSize), "object %d lies outside the file", ref)
	}
	at := int64(off)
	if err := r.budget.Keep(valueSize); err != nil {
		return nil, err
	}
	if depth > maxDepth {
		return nil, format.Damagedf(at, "nested deeper than %d levels", maxDepth)
	}
	v := &Value{Offset: at}
	marker := r.data[at]
	body := r.data[at+1 : len(r.data)-trailerSize]
	low := int(marker & 0x0f)
	take := func(n int) ([]byte, error) {
		if n > len(body) {
			return nil, format.Damagedf(at, "a value of %d bytes is cut off", n)
		}
		return body[:n], nil
	}
	switch marker >> 4 {
	case 0x0:
		switch low {
		case 0x8, 0x9:
			v.Kind, v.Bool = Boolean, low == 0x9
			return v, nil
		}
		return nil, format.Damagedf(at, "unknown marker %#02x", marker)
	case 0x1: // integer of 1<<low bytes; 16 bytes hold unsigned 64-bit numbers
		b, err := take(1 << low)
		if err != nil {
			return nil, err
		}
		v.Kind, v.Int = Integer, int64(number(b))
		return v, nil
	case 0x2, 0x3:
		b, err := take(1 << low)
		if err != nil {
			return nil, err
		}
		var f float64
		switch len(b) {
		case 4:
			f = float64(math.Float32frombits(binary.BigEndian.Uint32(b)))
		case 8:
			f = math.Float64frombits(binary.BigEndian.Uint64(b))
		default:
			return nil, format.Damagedf(at, "a real number of %d bytes", len(b))
		}
		if marker>>4 == 0x3 {
			v.Kind, v.Time = Date, epoch(f)
		} else {
			v.Kind, v.Real = Real, f
		}
		return v, nil
	case 0x8:
		b, err := take(low + 1)
		if err != nil {
			return nil, err
		}
		v.Kind, v.Int = UID, int64(number(b))
		return v, nil
	}
	n := uint64(low)
	if low == 0x0f { // the count follows as an integer object
		if len(body) < 1 || body[0]>>4 != 1 || len(body) < 1+1<<(body[0]&0x0f) {
			return nil, format.Damagedf(at, "a count is cut off")
		}
		w := 1 << (body[0] & 0x0f)
		n = number(body[1 : 1+w])
		body = body[1+w:]
	}
	if n > uint64(len(body)) {
		return nil, format.Damagedf(at, "a value claims %d items, more than fit", n)
	}
	return v, r.sized(v, marker>>4, int(n), body, ref, depth)
}

// sized reads the kinds that carry a count.
func (r *binaryReader) sized(v *Value, kind byte, n int, body []byte, ref uint64, depth int) error {
	switch kind {
	case 0x4:
		v.Kind, v.Bytes = Data, body[:n]
	case 0x5:
		if err := r.budget.Keep(n); err != nil {
			return err
		}
		v.Kind, v.Str = String, string(body[:n])
	case 0x6:
		if 2*n > len(body) {
			return format.Damagedf(v.Offset, "a string of %d units is cut off", n)
		}
		if err := r.budget.Keep(2 * n); err != nil {
			return err
		}
		units := make([]uint16, n)
		for i := range units {
			units[i] = binary.BigEndian.Uint16(body[2*i:])
		}
		v.Kind, v.Str = String, string(utf16.Decode(units))
	case 0x7:
		if err := r.budget.Keep(n); err != nil {
			return err
		}
		v.Kind, v.Str = String, string(body[:n])
	case 0xa, 0xb, 0xc, 0xd:
		width := 1
		if kind == 0xd {
			width = 2
		}
		if n*r.refSize*width > len(body) {
			return format.Damagedf(v.Offset, "a collection claims %d items, more than fit", n)
		}
		if r.open[ref] {
			return format.Damagedf(v.Offset, "a collection contains itself")
		}
		r.open[ref] = true
		defer delete(r.open, ref)
		at := func(i int) uint64 { return number(body[i*r.refSize : (i+1)*r.refSize]) }
		v.Kind = Array
		if kind == 0xd {
			v.Kind = Dict
		}
		for i := range n {
			if kind != 0xd {
				it, err := r.object(at(i), depth+1)
				if err != nil {
					return err
				}
				if err := r.budget.Keep(16); err != nil {
					return err
				}
				v.Items = append(v.Items, it)
				continue
			}
			key, err := r.object(at(i), depth+1)
			if err != nil {
				return err
			}
			if key.Kind != String {
				return format.Damagedf(key.Offset, "a dictionary key is a %s, not a string", key.Kind)
			}
			val, err := r.object(at(n+i), depth+1)
			if err != nil {
				return err
			}
			if len(key.Str) > maxKey {
				return format.Damagedf(key.Offset, "a key of %d bytes", len(key.Str))
			}
			if err := r.budget.Keep(entrySize); err != nil {
				return err
			}
			v.Put(key.Str, val)
		}
	default:
		return format.Damagedf(v.Offset, "unknown marker %#02x", r.data[v.Offset])
	}
	return nil
}

// epoch turns seconds since 2001-01-01 into a time; absurd values are clamped.
func epoch(seconds float64) time.Time {
	base := time.Date(2001, 1, 1, 0, 0, 0, 0, time.UTC)
	if math.IsNaN(seconds) || math.Abs(seconds) > 1e11 {
		return base
	}
	return base.Add(time.Duration(seconds) * time.Second)
}
