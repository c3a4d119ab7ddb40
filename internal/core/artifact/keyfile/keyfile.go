// Package keyfile finds private keys that were left in a package.
//
// Source of the form: RFC 7468.
package keyfile

import (
	"path"
	"regexp"
	"slices"
	"strings"

	"regola.example/regola/internal/core/files"
)

// pem matches a private key: the header alone is in every program that reads
// keys, so what follows must be a key's bytes.
var pem = regexp.MustCompile(`-----BEGIN (?:[A-Z0-9]+ )?PRIVATE KEY-----(?:\\n|\s)*[A-Za-z0-9+/=]{40}`)

// Holds tells whether a private key in PEM form is among some bytes.
func Holds(data []byte) bool { return pem.Match(data) }

// largest bounds the files that are looked through, in bytes.
const largest = 64 << 10

// other are extensions of files that hold no text.
var other = strings.Fields(".png .webp .jpg .jpeg .gif .ogg .mp3 .m4a .xml .ttf .otf .so .dex .car .nib .strings .dylib")

// Worth tells whether a file is worth looking through.
func Worth(e *files.Entry) bool {
	return e.Size >= 64 && e.Size <= largest && !slices.Contains(other, path.Ext(e.Name))
}
