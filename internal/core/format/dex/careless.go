package dex

import (
	"bytes"
	"encoding/binary"
	"sort"
)

// What careless code does.
const (
	TrustsAll   = "trusts-all" // it takes every certificate of a server
	AnyHost     = "any-host"   // it takes a certificate for every host
	GoesOnAfter = "goes-on"    // a web view goes on after every error of a certificate
)

// Careless is a class of the file that does not look at certificates of servers.
type Careless struct {
	Class string // as org/example/Kiln
	What  string
}

// Careless visits the classes whose answer about a certificate of a server does not depend
// on it: checkServerTrusted of a trust manager that returns at once, verify of a host name
// verifier that is true at once, onReceivedSslError of a web view's client that goes on
// without a branch. The platform calls them by these names, so that no shrinker renames them.
func (f *File) Careless(visit func(Careless)) {
	trusts, verify, failed, proceed := f.find("checkServerTrusted"), f.find("verify"), f.find("onReceivedSslError"), f.find("proceed")
	if trusts < 0 && verify < 0 && failed < 0 {
		return
	}
	le := binary.LittleEndian
	nameOf := func(method uint32) int {
		if int64(method) >= int64(f.methods.count) {
			return -2
		}
		return int(le.Uint32(f.data[f.methods.at+8*int(method)+4:]))
	}
	for i := range f.classes.count {
		def := f.data[f.classes.at+32*i:]
		f.code(int64(le.Uint32(def[24:])), func(method uint32, insns []byte) {
			what := ""
			switch name := nameOf(method); {
			case name == trusts && len(insns) == 2 && insns[0] == 0x0e: // return-void
				what = TrustsAll
			case name == verify && len(insns) == 4 && insns[0] == 0x12 && insns[1]>>4 == 1 && insns[2] == 0x0f && insns[1]&15 == insns[3] &&
				f.implements(int64(le.Uint32(def[12:])), "Ljavax/net/ssl/HostnameVerifier;"): // const/4 v, 1; return v
				what = AnyHost
			case name == failed && f.straight(insns, func(m uint32) bool { return nameOf(m) == proceed }):
				what = GoesOnAfter
			default:
				return
			}
			if class := f.keepName(f.descriptor(int(le.Uint32(def)))); class != "" {
				visit(Careless{Class: class, What: what})
			}
		})
		if f.err != nil {
			return
		}
	}
}

// find is the index of a string, or -1. Strings are sorted.
func (f *File) find(text string) int {
	i := sort.Search(f.strings.count, func(i int) bool { return bytes.Compare(f.str(i), []byte(text)) >= 0 })
	if i < f.strings.count && string(f.str(i)) == text {
		return i
	}
	return -1
}

// implements tells whether a list of types, given its place, has one of that descriptor.
func (f *File) implements(at int64, descriptor string) bool {
	if at <= 0 || at+4 > int64(len(f.data)) {
		return false
	}
	le := binary.LittleEndian
	n := int64(le.Uint32(f.data[at:]))
	if at+4+2*n > int64(len(f.data)) {
		return false
	}
	for i := range n {
		if !f.spend(1) {
			return false
		}
		if string(f.descriptor(int(le.Uint16(f.data[at+4+2*i:])))) == descriptor {
			return true
		}
	}
	return false
}

// straight tells whether code invokes a wanted method and has no instruction at which its
// ways part.
func (f *File) straight(insns []byte, wanted func(method uint32) bool) bool {
	invoked := false
	for len(insns) >= 2 {
		op := insns[0]
		if op == 0x2b || op == 0x2c || op >= 0x32 && op <= 0x3d { // switches and conditions
			return false
		}
		units := int64(width(op))
		if op == 0 && insns[1] != 0 {
			units = payload(insns)
		}
		if 2*units > int64(len(insns)) {
			return false
		}
		if op >= 0x6e && op <= 0x72 || op >= 0x74 && op <= 0x78 {
			invoked = invoked || wanted(uint32(binary.LittleEndian.Uint16(insns[2:])))
		}
		insns = insns[2*units:]
	}
	return invoked
}
