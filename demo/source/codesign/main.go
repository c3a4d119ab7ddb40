// Command codesign puts a code signature into one of the demo's executables:
// a code directory, the entitlements in both forms, and a CMS signature. It is
// for the demo only; release builds are signed by the platform's own tools.
//
// Usage: codesign EXECUTABLE BUNDLE IDENTIFIER TEAM KEY CERTIFICATE ENTITLEMENT=VALUE…
package main

import (
	"crypto"
	"crypto/sha256"
	"crypto/x509"
	"encoding/binary"
	"encoding/pem"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"github.com/smallstep/pkcs7"
)

func main() {
	if len(os.Args) < 7 {
		fmt.Fprintln(os.Stderr, "usage: codesign EXECUTABLE BUNDLE IDENTIFIER TEAM KEY CERTIFICATE ENTITLEMENT=VALUE…")
		os.Exit(2)
	}
	if err := sign(os.Args[1], os.Args[2], os.Args[3], os.Args[4], os.Args[5], os.Args[6], os.Args[7:]); err != nil {
		fmt.Fprintln(os.Stderr, "codesign:", err)
		os.Exit(1)
	}
}

const (
	segment64     = 0x19
	codeSignature = 0x1d
	reserved      = 16 << 10 // bytes kept for the signature
	page          = 4096
)

func sign(exe, bundle, id, team, keyFile, certFile string, ents []string) error {
	code, err := os.ReadFile(exe)
	if err != nil {
		return err
	}
	limit, err := prepare(code)
	if err != nil {
		return err
	}
	code = code[:limit]
	special := map[int][]byte{}
	for slot, name := range map[int]string{1: "Info.plist", 3: "_CodeSignature/CodeResources"} {
		data, err := os.ReadFile(filepath.Join(bundle, name))
		if err != nil {
			return err
		}
		special[slot] = digest(data)
	}
	requirements := blob(0xfade0c01, make([]byte, 4))
	special[2] = digest(requirements)
	type part struct {
		slot uint32
		data []byte
	}
	parts := []part{{2, requirements}}
	if len(ents) > 0 {
		xml, der := entitlements(ents)
		special[5], special[7] = digest(xml), digest(der)
		parts = append(parts, part{5, xml}, part{7, der})
	}
	dir := directory(code, id, team, special)
	cms, err := seal(dir, keyFile, certFile)
	if err != nil {
		return err
	}
	parts = append([]part{{0, dir}}, append(parts, part{0x10000, blob(0xfade0b01, cms)})...)
	be := binary.BigEndian
	head := 12 + 8*len(parts)
	index, body := []byte{}, []byte{}
	for _, p := range parts {
		index = be.AppendUint32(be.AppendUint32(index, p.slot), uint32(head+len(body)))
		body = append(body, p.data...)
	}
	super := be.AppendUint32(be.AppendUint32(be.AppendUint32(nil, 0xfade0cc0), uint32(head+len(body))), uint32(len(parts)))
	super = append(append(super, index...), body...)
	if len(super) > reserved {
		return errors.New("the signature does not fit")
	}
	return os.WriteFile(exe, append(code, append(super, make([]byte, reserved-len(super))...)...), 0o755)
}

// prepare makes room for the signature in the load commands, and says where
// the code ends.
func prepare(code []byte) (int, error) {
	le := binary.LittleEndian
	if len(code) < 32 || le.Uint32(code) != 0xfeedfacf {
		return 0, errors.New("not a thin 64-bit executable")
	}
	at, limit := 32, 0
	linkedit := -1
	for range le.Uint32(code[16:]) {
		switch le.Uint32(code[at:]) {
		case segment64:
			if strings.HasPrefix(string(code[at+8:at+24]), "__LINKEDIT") {
				linkedit = at
			}
		case codeSignature:
			limit = int(le.Uint32(code[at+8:]))
			le.PutUint32(code[at+12:], reserved)
		}
		at += int(le.Uint32(code[at+4:]))
	}
	if limit == 0 || linkedit < 0 {
		return 0, errors.New("the linker left no place for a signature")
	}
	size := uint64(limit+reserved) - le.Uint64(code[linkedit+40:])
	le.PutUint64(code[linkedit+48:], size)
	le.PutUint64(code[linkedit+32:], (size+0x3fff)&^0x3fff)
	return limit, nil
}

func digest(b []byte) []byte {
	sum := sha256.Sum256(b)
	return sum[:]
}

func blob(magic uint32, b []byte) []byte {
	be := binary.BigEndian
	return append(be.AppendUint32(be.AppendUint32(nil, magic), uint32(8+len(b))), b...)
}

func directory(code []byte, id, team string, special map[int][]byte) []byte {
	const head, slots = 88, 7
	be := binary.BigEndian
	pages := (len(code) + page - 1) / page
	identAt := head
	teamAt := identAt + len(id) + 1
	hashAt := teamAt + len(team) + 1 + slots*32
	b := make([]byte, head-8)
	put := func(at int, v uint32) { be.PutUint32(b[at-8:], v) }
	put(8, 0x20400)
	put(16, uint32(hashAt))
	put(20, uint32(identAt))
	put(24, slots)
	put(28, uint32(pages))
	put(32, uint32(len(code)))
	b[36-8], b[37-8], b[39-8] = 32, 2, 12
	put(48, uint32(teamAt))
	be.PutUint64(b[64-8:], 0)
	be.PutUint64(b[80-8:], 1) // a main executable
	b = append(b, id+"\x00"+team+"\x00"...)
	for i := slots; i >= 1; i-- {
		if special[i] == nil {
			special[i] = make([]byte, 32)
		}
		b = append(b, special[i]...)
	}
	for i := 0; i < len(code); i += page {
		b = append(b, digest(code[i:min(i+page, len(code))])...)
	}
	return blob(0xfade0c02, b)
}

// entitlements writes KEY=VALUE pairs as a property list and in DER form. A
// value in brackets is a list.
func entitlements(pairs []string) (xml, der []byte) {
	text := "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<plist version=\"1.0\"><dict>\n"
	var set []byte
	for _, p := range pairs {
		k, v, _ := strings.Cut(p, "=")
		key := tlv(0x0c, []byte(k))
		switch v {
		case "true", "false":
			text += "<key>" + k + "</key><" + v + "/>\n"
			b := byte(0)
			if v == "true" {
				b = 0xff
			}
			set = append(set, tlv(0x30, append(key, tlv(0x01, []byte{b})...))...)
		default:
			list, isList := strings.CutPrefix(v, "[")
			if !isList {
				text += "<key>" + k + "</key><string>" + v + "</string>\n"
				set = append(set, tlv(0x30, append(key, tlv(0x0c, []byte(v))...))...)
				continue
			}
			var items []byte
			text += "<key>" + k + "</key><array>"
			for _, it := range strings.Split(strings.TrimSuffix(list, "]"), ",") {
				text += "<string>" + it + "</string>"
				items = append(items, tlv(0x0c, []byte(it))...)
			}
			text += "</array>\n"
			set = append(set, tlv(0x30, append(key, tlv(0x30, items)...))...)
		}
	}
	body := append(tlv(0x02, []byte{1}), tlv(0xb0, set)...)
	return blob(0xfade7171, []byte(text+"</dict></plist>\n")), blob(0xfade7172, tlv(0x70, body))
}

func tlv(tag byte, b []byte) []byte {
	switch n := len(b); {
	case n < 0x80:
		return append([]byte{tag, byte(n)}, b...)
	case n < 0x100:
		return append([]byte{tag, 0x81, byte(n)}, b...)
	default:
		return append([]byte{tag, 0x82, byte(n >> 8), byte(n)}, b...)
	}
}

func seal(dir []byte, keyFile, certFile string) ([]byte, error) {
	read := func(name string) ([]byte, error) {
		data, err := os.ReadFile(name)
		if err != nil {
			return nil, err
		}
		block, _ := pem.Decode(data)
		if block == nil {
			return nil, fmt.Errorf("%s is not in PEM form", name)
		}
		return block.Bytes, nil
	}
	der, err := read(certFile)
	if err != nil {
		return nil, err
	}
	cert, err := x509.ParseCertificate(der)
	if err != nil {
		return nil, err
	}
	if der, err = read(keyFile); err != nil {
		return nil, err
	}
	key, err := x509.ParsePKCS8PrivateKey(der)
	if err != nil {
		return nil, err
	}
	sd, err := pkcs7.NewSignedData(dir)
	if err != nil {
		return nil, err
	}
	sd.SetDigestAlgorithm(pkcs7.OIDDigestAlgorithmSHA256)
	if err := sd.AddSigner(cert, key.(crypto.PrivateKey), pkcs7.SignerInfoConfig{}); err != nil {
		return nil, err
	}
	sd.Detach()
	return sd.Finish()
}
