// Package plainfile looks into the plain files of a package, such as settings, pages,
// scripts and keys, for what rules ask about: private keys, and addresses, paths and
// secrets among their texts.
//
// Source of the form of keys: RFC 7468.
package plainfile

import (
	"path"
	"regexp"
	"slices"
	"strings"

	"regola.example/regola/internal/core/budget"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/files"
	"regola.example/regola/internal/core/format/literal"
)

// pem matches a private key: the header alone is in every program that reads
// keys, so what follows must be a key's bytes.
var pem = regexp.MustCompile(`-----BEGIN (?:[A-Z0-9]+ )?PRIVATE KEY-----(?:\\n|\s)*[A-Za-z0-9+/=]{40}`)

// HoldsKey tells whether a private key in PEM form is among some bytes.
func HoldsKey(data []byte) bool { return pem.Match(data) }

// Bounds of the files that are looked through, in bytes.
const (
	least       = 8
	largestKey  = 64 << 10 // of a file of any kind
	largestText = 8 << 20  // of one that holds texts by its name
)

// other are extensions of files that hold no text.
var other = strings.Fields(".png .webp .jpg .jpeg .gif .ogg .mp3 .m4a .xml .ttf .otf .so .dex .car .nib .strings .dylib")

// texts are extensions of files that programs read as text.
var texts = strings.Fields(".json .js .mjs .bundle .jsbundle .html .htm .txt .properties .cfg .conf .ini .env .yaml .yml .toml .lua .plist .csv")

// Worth tells whether a file is worth looking through.
func Worth(e *files.Entry) bool {
	ext := strings.ToLower(path.Ext(e.Name))
	return e.Size >= least && (e.Size <= largestKey && !slices.Contains(other, ext) || e.Size <= largestText && slices.Contains(texts, ext))
}

// Texts are the texts of a plain file that are worth keeping, each once, in the order of
// their bytes; nil when there are none, or when the file is binary after all. They take
// from the budget; an error of it means that there are more.
func Texts(name string, data []byte, b *budget.Budget) (*facts.TextFile, error) {
	if slices.Contains(data[:min(len(data), 4096)], 0) {
		return nil, nil
	}
	var err error
	found := map[string]bool{}
	literal.Among(data, func(text []byte) {
		if err != nil || found[string(text)] {
			return
		}
		if err = b.Keep(len(text) + 64); err == nil {
			found[string(text)] = true
		}
	})
	if len(found) == 0 {
		return nil, err
	}
	f := &facts.TextFile{Path: name}
	for text := range found {
		f.Texts = append(f.Texts, text)
	}
	slices.Sort(f.Texts)
	return f, err
}
