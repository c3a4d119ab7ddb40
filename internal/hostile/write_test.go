package hostile

import (
	"archive/zip"
	"bytes"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/asn1"
	"encoding/binary"
	"fmt"
	"io"
	"maps"
	"math/big"
	"slices"
	"strings"
	"time"

	"google.golang.org/protobuf/encoding/protowire"
)

var le = binary.LittleEndian

// content writes one entry.
type content func(w io.Writer)

// of is an entry of some bytes; nil takes an entry away.
func of(b []byte) content { return func(w io.Writer) { w.Write(b) } }

func text(s string) content { return of([]byte(s)) }

// repeat is an entry of one text many times between two others.
func repeat(before, s string, n int, after string) content {
	return func(w io.Writer) {
		io.WriteString(w, before)
		block := strings.Repeat(s, min(n, 1+(64<<10)/len(s)))
		for n > 0 {
			k := min(n, len(block)/len(s))
			io.WriteString(w, block[:k*len(s)])
			n -= k
		}
		io.WriteString(w, after)
	}
}

func zeros(n int) content { return repeat("", "\x00", n, "") }

// change copies a package with some entries replaced, taken away or added.
func change(base string, entries map[string]content) func(w io.Writer) error {
	return func(w io.Writer) error {
		z, err := zip.OpenReader(base)
		if err != nil {
			return err
		}
		defer z.Close()
		out := zip.NewWriter(w)
		for _, f := range z.File {
			if _, other := entries[f.Name]; !other {
				if err := out.Copy(f); err != nil {
					return err
				}
			}
		}
		for _, name := range slices.Sorted(maps.Keys(entries)) {
			if entries[name] == nil {
				continue
			}
			e, err := out.Create(name)
			if err != nil {
				return err
			}
			entries[name](e)
		}
		return out.Close()
	}
}

// field appends a length-delimited field of a protobuf message.
func field(b []byte, num protowire.Number, data []byte) []byte {
	return protowire.AppendBytes(protowire.AppendTag(b, num, protowire.BytesType), data)
}

func number(b []byte, num protowire.Number, v uint64) []byte {
	return protowire.AppendVarint(protowire.AppendTag(b, num, protowire.VarintType), v)
}

// element is an element of a manifest.
type element struct {
	name     string
	attrs    []string // NAME, VALUE, …
	children []*element
}

func el(name string, attrs []string, children ...*element) *element {
	return &element{name, attrs, children}
}

const androidNS = "http://schemas.android.com/apk/res/android"

// proto writes an element as a bundle has it. A value @n is a reference.
func (e *element) proto() []byte {
	b := field(nil, 3, []byte(e.name))
	for i := 0; i+1 < len(e.attrs); i += 2 {
		name, value := e.attrs[i], e.attrs[i+1]
		var a []byte
		if bare, ok := strings.CutPrefix(name, ":"); ok {
			name = bare
		} else {
			a = field(a, 1, []byte(androidNS))
		}
		a = field(a, 2, []byte(name))
		if ref, ok := strings.CutPrefix(value, "@"); ok {
			var id uint64
			fmt.Sscan(ref, &id)
			a = field(a, 6, field(nil, 1, number(nil, 2, id)))
		} else {
			a = field(a, 3, []byte(value))
		}
		b = field(b, 4, a)
	}
	for _, c := range e.children {
		b = field(b, 5, c.proto())
	}
	return field(nil, 1, b)
}

// binary writes a document as an APK has it.
func (e *element) binary() []byte {
	var names []string
	index := map[string]uint32{}
	at := func(s string) uint32 {
		i, ok := index[s]
		if !ok {
			i = uint32(len(names))
			index[s], names = i, append(names, s)
		}
		return i
	}
	const none = 0xffffffff
	var body []byte
	chunk := func(kind uint16, rest ...uint32) {
		body = le.AppendUint16(le.AppendUint16(body, kind), 16)
		for _, v := range append([]uint32{uint32(16 + 4*len(rest)), 1, none}, rest...) {
			body = le.AppendUint32(body, v)
		}
	}
	chunk(0x0100, at("android"), at(androidNS))
	var write func(e *element)
	write = func(e *element) {
		rest := []uint32{none, at(e.name), 20<<16 | 20, uint32(len(e.attrs) / 2), 0}
		for i := 0; i+1 < len(e.attrs); i += 2 {
			name, ns := e.attrs[i], at(androidNS)
			if bare, ok := strings.CutPrefix(name, ":"); ok {
				name, ns = bare, none
			}
			rest = append(rest, ns, at(name), at(e.attrs[i+1]), 3<<24|8, at(e.attrs[i+1]))
		}
		chunk(0x0102, rest...)
		for _, c := range e.children {
			write(c)
		}
		chunk(0x0103, none, at(e.name))
	}
	write(e)
	chunk(0x0101, at("android"), at(androidNS))
	var texts []byte
	offsets := make([]byte, 0, 4*len(names))
	for _, s := range names {
		offsets = le.AppendUint32(offsets, uint32(len(texts)))
		if n := len(s); n < 0x8000 {
			texts = le.AppendUint16(texts, uint16(n))
		} else {
			texts = le.AppendUint16(le.AppendUint16(texts, uint16(n>>16)|0x8000), uint16(n))
		}
		for _, c := range []byte(s) {
			texts = append(texts, c, 0)
		}
		texts = append(texts, 0, 0)
	}
	for len(texts)%4 != 0 {
		texts = append(texts, 0)
	}
	pool := []byte{1, 0, 28, 0}
	for _, v := range []int{28 + len(offsets) + len(texts), len(names), 0, 0, 28 + len(offsets), 0} {
		pool = le.AppendUint32(pool, uint32(v))
	}
	pool = append(append(pool, offsets...), texts...)
	out := le.AppendUint32([]byte{3, 0, 8, 0}, uint32(8+len(pool)+len(body)))
	return append(append(out, pool...), body...)
}

// code writes a code file: strings, types that each name a string, and methods
// of one class, each with the index of its name.
func code(strs []string, types, methods []uint32) []byte {
	const header = 0x70
	stringsAt := header
	typesAt := stringsAt + 4*len(strs)
	methodsAt := typesAt + 4*len(types)
	at := methodsAt + 8*len(methods)
	b := make([]byte, header)
	copy(b, "dex\n035\x00")
	for _, s := range strs {
		b = le.AppendUint32(b, uint32(at))
		at += len(protowire.AppendVarint(nil, uint64(len(s)))) + len(s) + 1
	}
	for _, t := range types {
		b = le.AppendUint32(b, t)
	}
	for _, m := range methods {
		b = le.AppendUint32(b, 0)
		b = le.AppendUint32(b, m)
	}
	for _, s := range strs {
		b = append(append(protowire.AppendVarint(b, uint64(len(s))), s...), 0)
	}
	for i, v := range map[int]int{0x20: len(b), 0x24: header, 0x28: 0x12345678, 0x38: len(strs), 0x3c: stringsAt,
		0x40: len(types), 0x44: typesAt, 0x58: len(methods), 0x5c: methodsAt} {
		le.PutUint32(b[i:], uint32(v))
	}
	return b
}

// section is a section of an executable.
type section struct {
	name string
	size int
	fill string
}

// executable writes a 64-bit executable with one text segment, and a code
// signature when one is given.
func executable(signature []byte, sections ...section) []byte {
	segment := 72 + 80*len(sections)
	at := 32 + segment + 16
	commands := uint32(1)
	if signature != nil {
		commands++
	}
	var b []byte
	for _, v := range []uint32{0xfeedfacf, 0x0100000c, 0, 2, commands, uint32(segment + 16*int(commands-1)), 0x2000000, 0, 0x19, uint32(segment)} {
		b = le.AppendUint32(b, v)
	}
	b = append(b, "__TEXT\x00\x00\x00\x00\x00\x00\x00\x00\x00\x00"...)
	b = append(b, make([]byte, 40)...)
	b = le.AppendUint32(le.AppendUint32(b, uint32(len(sections))), 0)
	for _, s := range sections {
		b = append(b, s.name+strings.Repeat("\x00", 16-len(s.name))...)
		b = append(b, make([]byte, 24)...)
		b = le.AppendUint32(le.AppendUint64(b, uint64(s.size)), uint32(at))
		b = append(b, make([]byte, 28)...)
		at += s.size
	}
	for _, v := range []uint32{0x1d, 16, uint32(at), uint32(len(signature))} {
		b = le.AppendUint32(b, v)
	}
	for _, s := range sections {
		b = append(b, strings.Repeat(s.fill, 1+s.size/len(s.fill))[:s.size]...)
	}
	return append(b, signature...)
}

// directory is the part of a code signature that lists digests, with a count
// that it claims.
func directory(slots uint32) []byte {
	b := make([]byte, 44)
	be := binary.BigEndian
	for i, v := range []uint32{0xfade0c02, 48, 0x20400, 0, 44, 44, 0, slots, 1 << 20} {
		be.PutUint32(b[4*i:], v)
	}
	b[36], b[37], b[39] = 32, 2, 12
	return append(b, "app\x00"...)
}

// signature joins parts of a code signature; all slots point at the first part.
func signature(part []byte, slots int) []byte {
	be := binary.BigEndian
	at := 12 + 8*slots
	b := be.AppendUint32(nil, 0xfade0cc0)
	b = be.AppendUint32(be.AppendUint32(b, uint32(at+len(part))), uint32(slots))
	for i := range slots {
		kind := uint32(0)
		if i > 0 {
			kind = 0x1000 + uint32(i) - 1
		}
		b = be.AppendUint32(be.AppendUint32(b, kind), uint32(at))
	}
	return append(b, part...)
}

// plist writes a binary property list: an array or dictionary over objects that
// may be referred to many times.
func plist(root []byte, refs []uint32, objects ...[]byte) []byte {
	b := []byte("bplist00")
	offsets := []int{len(b)}
	b = append(b, root...)
	for _, r := range refs {
		b = binary.BigEndian.AppendUint32(b, r)
	}
	for _, o := range objects {
		offsets = append(offsets, len(b))
		b = append(b, o...)
	}
	table := len(b)
	for _, o := range offsets {
		b = binary.BigEndian.AppendUint32(b, uint32(o))
	}
	b = append(b, 0, 0, 0, 0, 0, 0, 4, 4)
	for _, v := range []int{len(offsets), 0, table} {
		b = binary.BigEndian.AppendUint64(b, uint64(v))
	}
	return b
}

// head is the head of an object of a binary property list with a long count.
func head(kind byte, n int) []byte {
	return binary.BigEndian.AppendUint32([]byte{kind<<4 | 15, 0x12}, uint32(n))
}

func info(more string) string {
	return `<?xml version="1.0" encoding="UTF-8"?><plist version="1.0"><dict>` +
		`<key>CFBundleIdentifier</key><string>org.example.terrafuoco</string><key>CFBundleExecutable</key><string>Terrafuoco</string>` +
		`<key>CFBundlePackageType</key><string>APPL</string><key>CFBundleVersion</key><string>1</string><key>CFBundleShortVersionString</key><string>1.0</string>` +
		more + `</dict></plist>`
}

// signed wraps contents in a message of the standard for signed messages, with
// certificates and one signer of a certificate's key.
func signed(contents []byte, certs [][]byte, signer []byte, sign []byte) []byte {
	raw := func(class, tag int, compound bool, b []byte) asn1.RawValue {
		return asn1.RawValue{Class: class, Tag: tag, IsCompound: compound, Bytes: b}
	}
	der := func(v any) []byte {
		b, err := asn1.Marshal(v)
		if err != nil {
			panic(err)
		}
		return b
	}
	data, signedData := asn1.ObjectIdentifier{1, 2, 840, 113549, 1, 7, 1}, asn1.ObjectIdentifier{1, 2, 840, 113549, 1, 7, 2}
	sha256 := pkix.AlgorithmIdentifier{Algorithm: asn1.ObjectIdentifier{2, 16, 840, 1, 101, 3, 4, 2, 1}}
	var signers []byte
	if signer != nil {
		c, err := x509.ParseCertificate(signer)
		if err != nil {
			panic(err)
		}
		signers = der(struct {
			Version int
			ID      struct {
				Issuer asn1.RawValue
				Serial *big.Int
			}
			Digest, Algorithm pkix.AlgorithmIdentifier
			Signature         []byte
		}{1, struct {
			Issuer asn1.RawValue
			Serial *big.Int
		}{asn1.RawValue{FullBytes: c.RawIssuer}, c.SerialNumber}, sha256, pkix.AlgorithmIdentifier{Algorithm: asn1.ObjectIdentifier{1, 2, 840, 113549, 1, 1, 1}}, sign})
	}
	inner := struct{ A, B, C, D, E asn1.RawValue }{
		asn1.RawValue{FullBytes: der(1)},
		raw(0, 17, true, der(sha256)),
		asn1.RawValue{FullBytes: der(struct {
			Kind asn1.ObjectIdentifier
			Data asn1.RawValue
		}{data, raw(2, 0, true, der(contents))})},
		raw(2, 0, true, bytes.Join(certs, nil)),
		raw(0, 17, true, signers),
	}
	return der(struct {
		Kind asn1.ObjectIdentifier
		Data asn1.RawValue
	}{signedData, raw(2, 0, true, der(inner))})
}

// certificates makes certificates of names that issue each other.
func certificates(n int, names ...string) [][]byte {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		panic(err)
	}
	var out [][]byte
	for i := range n {
		c := &x509.Certificate{SerialNumber: big.NewInt(int64(i + 1)), Subject: pkix.Name{CommonName: names[i%len(names)]},
			NotBefore: time.Unix(1_700_000_000, 0), NotAfter: time.Date(9999, 12, 31, 23, 59, 59, 0, time.UTC), IsCA: true, BasicConstraintsValid: true}
		issuer := &x509.Certificate{Subject: pkix.Name{CommonName: names[(i+1)%len(names)]}}
		b, err := x509.CreateCertificate(rand.Reader, c, issuer, &key.PublicKey, key)
		if err != nil {
			panic(err)
		}
		out = append(out, b)
	}
	return out
}

// longKey makes a certificate whose RSA key has so many bits, and a signature
// of that length.
func longKey(bits int) (cert, sign []byte) {
	cert = certificates(1, "Terrafuoco")[0]
	var parts struct {
		TBS       asn1.RawValue
		Algorithm pkix.AlgorithmIdentifier
		Signature asn1.BitString
	}
	var tbs struct {
		Version   int `asn1:"explicit,tag:0"`
		Serial    *big.Int
		Algorithm pkix.AlgorithmIdentifier
		Issuer    asn1.RawValue
		Validity  asn1.RawValue
		Subject   asn1.RawValue
		Key       struct {
			Algorithm pkix.AlgorithmIdentifier
			Key       asn1.BitString
		}
	}
	must := func(err error) {
		if err != nil {
			panic(err)
		}
	}
	_, err := asn1.Unmarshal(cert, &parts)
	must(err)
	_, err = asn1.Unmarshal(parts.TBS.FullBytes, &tbs)
	must(err)
	n := bytes.Repeat([]byte{0xff}, bits/8)
	key, err := asn1.Marshal(struct{ N, E *big.Int }{new(big.Int).SetBytes(n), big.NewInt(1<<31 - 1)})
	must(err)
	tbs.Key.Algorithm = pkix.AlgorithmIdentifier{Algorithm: asn1.ObjectIdentifier{1, 2, 840, 113549, 1, 1, 1}, Parameters: asn1.NullRawValue}
	tbs.Key.Key = asn1.BitString{Bytes: key, BitLength: 8 * len(key)}
	parts.TBS.FullBytes, err = asn1.Marshal(tbs)
	must(err)
	cert, err = asn1.Marshal(parts)
	must(err)
	return cert, n
}

// block puts a signing block with pairs of number and value before the
// directory of an archive.
func block(archive []byte, pairs ...func(b []byte) []byte) []byte {
	end := bytes.LastIndex(archive, []byte("PK\x05\x06"))
	dir := int(le.Uint32(archive[end+16:]))
	var body []byte
	for _, p := range pairs {
		body = p(body)
	}
	size := uint64(len(body) + 24)
	b := le.AppendUint64(nil, size)
	b = append(b, body...)
	b = append(le.AppendUint64(b, size), "APK Sig Block 42"...)
	out := append(append(append([]byte{}, archive[:dir]...), b...), archive[dir:]...)
	le.PutUint32(out[end+len(b)+16:], uint32(dir+len(b)))
	return out
}

func pair(id uint32, value []byte) func([]byte) []byte {
	return func(b []byte) []byte {
		b = le.AppendUint32(le.AppendUint64(b, uint64(4+len(value))), id)
		return append(b, value...)
	}
}

// long puts a length of four bytes before bytes.
func long(b ...[]byte) []byte {
	all := bytes.Join(b, nil)
	return append(le.AppendUint32(nil, uint32(len(all))), all...)
}
