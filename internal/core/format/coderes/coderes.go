// Package coderes reads the resource seal of a bundle (CodeResources), which
// holds the digest of every file, and verifies files against it.
//
// Source of the format: the platform's technical note on code signing, and its
// published security framework (resources.cpp).
package coderes

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"path"
	"regexp"
	"sort"
	"strings"
	"sync"

	"regola.example/regola/internal/core/budget"
	"regola.example/regola/internal/core/format"
	"regola.example/regola/internal/core/format/plist"
	"regola.example/regola/internal/core/work"
)

// Seal is the list of sealed files.
type Seal struct {
	files map[string]file
	omit  []*regexp.Regexp
	whole bool // its rules take in every file, so that nested code that is not listed came later
}

type file struct {
	digest   []byte // SHA-256; nil for links and nested code
	cdhash   []byte // of nested code: the digest of its code directory
	require  string // of nested code: what its signature must be
	optional bool
	nested   bool
}

// Parse reads a seal.
//
// Errors are *format.Damaged, or *budget.Spent.
func Parse(data []byte, b *budget.Budget) (*Seal, error) {
	root, _, err := plist.Parse(data, b)
	if err != nil {
		return nil, err
	}
	list := root.Get("files2")
	if list == nil {
		return nil, format.Damagedf(root.Offset, "the resource seal has no list of SHA-256 digests (files2)")
	}
	s := &Seal{files: make(map[string]file, len(list.Keys()))}
	for _, name := range list.Keys() {
		v := list.Get(name)
		f := file{}
		switch v.Kind {
		case plist.Data:
			if len(v.Bytes) == sha256.Size {
				f.digest = v.Bytes
			}
		case plist.Dict:
			if h := v.Get("hash2"); h != nil && h.Kind == plist.Data {
				f.digest = h.Bytes
			}
			f.optional = v.Get("optional").IsTrue()
			if h := v.Get("cdhash"); h != nil && h.Kind == plist.Data {
				f.cdhash = h.Bytes
			}
			f.require = v.Get("requirement").Text()
			f.nested = v.Get("cdhash") != nil || v.Get("requirement") != nil
		}
		s.files[name] = f
	}
	rules := root.Get("rules2")
	s.whole = rules.Get("^.*") != nil
	for _, pattern := range rules.Keys() {
		if v := rules.Get(pattern); v.Get("omit").IsTrue() {
			const most = 64 // patterns; signing tools write a dozen
			if len(s.omit) >= most || len(pattern) > 1<<10 {
				return nil, format.Damagedf(v.Offset, "the resource seal leaves files out by more patterns than is sound")
			}
			if re, err := regexp.Compile(pattern); err == nil {
				s.omit = append(s.omit, re)
			}
		}
	}
	return s, nil
}

// Fault is a file that does not agree with the seal.
type Fault struct{ Path, What string }

// codeFolders hold nested code, which is sealed by its own signature.
var codeFolders = []string{"Frameworks/", "PlugIns/", "Extensions/", "Watch/", "AppClips/", "SystemExtensions/"}

// inCode tells whether a file lies within a nested bundle; one that lies loose in such a
// folder is sealed like any other.
func inCode(name string) bool {
	for _, dir := range codeFolders {
		if rest, ok := strings.CutPrefix(name, dir); ok {
			first, _, within := strings.Cut(rest, "/")
			return within && path.Ext(first) != ""
		}
	}
	return false
}

// Whole tells whether the seal's rules take in every file, nested code too.
func (s *Seal) Whole() bool { return s.whole }

// covers reports whether a file must be in the seal. The executable is signed
// by itself, the seal and the property list by the signature's slots.
func (s *Seal) covers(name, executable string) bool {
	if name == executable || strings.HasPrefix(name, "_CodeSignature/") || inCode(name) || name == "Info.plist" || name == "PkgInfo" ||
		path.Base(name) == ".DS_Store" || strings.HasPrefix(name, "SC_Info/") || name == "CodeResources" {
		return false
	}
	for _, re := range s.omit {
		if re.MatchString(name) {
			return false
		}
	}
	return true
}

// Digested lists the files that the seal holds a digest of.
func (s *Seal) Digested() []string {
	var out []string
	for n, f := range s.files {
		if f.digest != nil && !f.nested {
			out = append(out, n)
		}
	}
	return out
}

// Nested is what a seal says of nested code.
type Nested struct {
	CDHash      string // digest of its code directory, as hex
	Requirement string // what its signature must be
}

// Nested lists the nested code by its path.
func (s *Seal) Nested() map[string]Nested {
	out := map[string]Nested{}
	for n, f := range s.files {
		if f.cdhash != nil {
			out[n] = Nested{hex.EncodeToString(f.cdhash), f.require}
		}
	}
	return out
}

// Folders are the folders of the first two levels of which the seal holds a
// file.
func (s *Seal) Folders() map[string]bool {
	out := map[string]bool{}
	for n := range s.files {
		at := 0
		for range 2 {
			i := strings.IndexByte(n[at:], '/')
			if i < 0 {
				break
			}
			out[n[:at+i]] = true
			at += i + 1
		}
	}
	return out
}

// Verify holds the bundle's files against the seal. names are relative to the
// bundle; digest takes the SHA-256 of one, and is called by several goroutines
// at once.
func (s *Seal) Verify(ctx context.Context, names []string, executable string, digest func(name string, buf []byte) ([]byte, error)) []Fault {
	var faults []Fault
	there, folders := make(map[string]bool, len(names)), map[string]bool{}
	for _, n := range names {
		there[n] = true
		for dir := path.Dir(n); len(dir) > 1 && !folders[dir]; dir = path.Dir(dir) {
			folders[dir] = true
		}
		if _, sealed := s.files[n]; !sealed && s.covers(n, executable) {
			faults = append(faults, Fault{n, "was added after signing"})
		}
	}
	sealed := make([]string, 0, len(s.files))
	for n := range s.files {
		sealed = append(sealed, n)
	}
	sort.Strings(sealed)
	said := make([]string, len(sealed))
	buffers := sync.Pool{New: func() any { b := make([]byte, 64<<10); return &b }}
	_ = work.Each(ctx, len(sealed), func(i int) {
		switch f := s.files[sealed[i]]; {
		case f.nested && !f.optional && !there[sealed[i]] && !folders[sealed[i]]:
			said[i] = "was removed after signing"
		case f.nested || f.digest == nil:
		case there[sealed[i]]:
			buf := buffers.Get().(*[]byte)
			said[i] = verify(sealed[i], f.digest, digest, *buf)
			buffers.Put(buf)
		case !f.optional:
			said[i] = "was removed after signing"
		}
	})
	for i, what := range said {
		if what != "" {
			faults = append(faults, Fault{sealed[i], what})
		}
	}
	return faults
}

func verify(name string, want []byte, digest func(string, []byte) ([]byte, error), buf []byte) string {
	sum, err := digest(name, buf)
	if err != nil {
		return "cannot be unpacked: " + err.Error()
	}
	if !bytes.Equal(sum, want) {
		return "was changed after signing"
	}
	return ""
}
