package dex

import "encoding/binary"

// Use is what one class of the file does, as far as it was asked for.
type Use struct {
	Caller string // the class, as org/example/Kiln
	Class  string // whose method is called; empty for a text
	Method string
	Text   string // that is loaded
}

// Uses visits what the code of each class of the file uses: the methods whose class lies
// below one of the prefixes, and the texts that worth takes. Each pair is visited once. A
// class whose code cannot be walked is left out: what it calls is still among Calls. A
// text that no code loads, such as the value of a constant, is visited without a caller.
//
// Source: the platform's description of the Dalvik bytecode and its
// instruction formats.
func (f *File) Uses(prefixes []string, worth func([]byte) bool, visit func(Use)) {
	type wanted struct {
		use  Use
		last int // the class, counted from 1, that was visited last
	}
	calls, texts := map[uint32]*wanted{}, map[uint32]*wanted{}
	var order []*wanted
	f.calls(prefixes, func(i int, class, method string) { calls[uint32(i)] = &wanted{use: Use{Class: class, Method: method}} })
	for i := range f.strings.count {
		if b := f.str(i); worth(b) {
			if f.err == nil {
				f.err = f.budget.Keep(len(b) + 128)
			}
			if f.err != nil {
				return
			}
			texts[uint32(i)] = &wanted{use: Use{Text: string(b)}}
			order = append(order, texts[uint32(i)])
		}
	}
	if len(calls)+len(texts) == 0 {
		return
	}
	le := binary.LittleEndian
	for i := range f.classes.count {
		def := f.data[f.classes.at+32*i:]
		caller := ""
		seen := func(w *wanted) {
			if w == nil || w.last == i+1 {
				return
			}
			w.last = i + 1
			if caller == "" {
				caller = f.keepName(f.descriptor(int(le.Uint32(def))))
			}
			if caller != "" {
				w.use.Caller = caller
				visit(w.use)
			}
		}
		f.code(int64(le.Uint32(def[24:])), func(_ uint32, insns []byte) {
			f.walk(insns, func(op byte, index uint32) {
				if op == constString || op == constStringJumbo {
					seen(texts[index])
				} else {
					seen(calls[index])
				}
			})
		})
		if f.err != nil {
			return
		}
	}
	for _, w := range order {
		if w.last == 0 {
			visit(w.use)
		}
	}
}

// code visits the index and the instructions of every method of a class, given the place
// of its class_data_item.
func (f *File) code(at int64, visit func(method uint32, insns []byte)) {
	if at <= 0 || at >= int64(len(f.data)) {
		return // an interface without anything, or a wrong place
	}
	b := f.data[at:]
	number := func() (n uint32) {
		for i := 0; i < 5 && len(b) > 0; i++ {
			c := b[0]
			b = b[1:]
			n |= uint32(c&0x7f) << (7 * i)
			if c < 0x80 {
				break
			}
		}
		return n
	}
	statics, fields, direct, virtual := number(), number(), number(), number()
	for range uint64(statics) + uint64(fields) {
		if len(b) == 0 || !f.spend(1) {
			return
		}
		number()
		number()
	}
	method := uint32(0)
	for i := range uint64(direct) + uint64(virtual) {
		if len(b) == 0 || !f.spend(1) {
			return
		}
		if i == uint64(direct) {
			method = 0 // each of the two lists counts its differences anew
		}
		method += number()
		number()
		item := int64(number())
		if item == 0 || item+16 > int64(len(f.data)) {
			continue // abstract or native, or a wrong place
		}
		units := int64(binary.LittleEndian.Uint32(f.data[item+12:]))
		if item+16+2*units > int64(len(f.data)) || !f.spend(1+int(units/8)) {
			continue
		}
		visit(method, f.data[item+16:item+16+2*units])
	}
}

// The instructions that load a text.
const (
	constString      = 0x1a
	constStringJumbo = 0x1b
)

// walk visits the index that every invoking or text-loading instruction carries: of a
// method, or of a string.
func (f *File) walk(insns []byte, visit func(op byte, index uint32)) {
	le := binary.LittleEndian
	for len(insns) >= 2 {
		op := insns[0]
		units := int64(width(op))
		if op == 0 && insns[1] != 0 { // data behind the code
			units = payload(insns)
		}
		if 2*units > int64(len(insns)) {
			return
		}
		switch {
		case op >= 0x6e && op <= 0x72, op >= 0x74 && op <= 0x78, op == constString:
			visit(op, uint32(le.Uint16(insns[2:])))
		case op == constStringJumbo:
			visit(op, le.Uint32(insns[2:]))
		}
		insns = insns[2*units:]
	}
}

// payload is the length, in units of two bytes, of a table of a switch or of
// an array's contents.
func payload(b []byte) int64 {
	le := binary.LittleEndian
	switch {
	case b[1] == 1 && len(b) >= 4:
		return 4 + 2*int64(le.Uint16(b[2:]))
	case b[1] == 2 && len(b) >= 4:
		return 2 + 4*int64(le.Uint16(b[2:]))
	case b[1] == 3 && len(b) >= 8:
		return 4 + (int64(le.Uint16(b[2:]))*int64(le.Uint32(b[4:]))+1)/2
	}
	return 1
}

// width is the length of an instruction in units of two bytes, by its opcode.
func width(op byte) int {
	switch {
	case op == 0x18:
		return 5
	case op == 0xfa, op == 0xfb:
		return 4
	case op == 0x03, op == 0x06, op == 0x09, op == 0x14, op == 0x17, op == 0x1b, op >= 0x24 && op <= 0x26,
		op >= 0x2a && op <= 0x2c, op >= 0x6e && op <= 0x72, op >= 0x74 && op <= 0x78, op == 0xfc, op == 0xfd:
		return 3
	case op == 0x02, op == 0x05, op == 0x08, op == 0x13, op == 0x15, op == 0x16, op == 0x19, op == 0x1a, op == 0x1c,
		op == 0x1f, op == 0x20, op == 0x22, op == 0x23, op == 0x29, op >= 0x2d && op <= 0x3d, op >= 0x44 && op <= 0x6d,
		op >= 0x90 && op <= 0xaf, op >= 0xd0 && op <= 0xe2, op == 0xfe, op == 0xff:
		return 2
	}
	return 1
}
