// Package ios fills the facts of an app for the iOS store from its files.
//
// Source: the platform's documentation of bundle structures and of the
// information property list keys.
package ios

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"path"
	"strings"

	"regola.example/regola/internal/core/artifact/tree"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/format/assetcar"
	"regola.example/regola/internal/core/format/plist"
	"regola.example/regola/internal/core/place"
)

// maxInfo bounds a property list: real ones stay far below.
const maxInfo = 16 << 20

// FindApp finds the app's folder in a tree: Payload/X.app in an archive for
// the store, Products/Applications/X.app in a build archive, X.app at the
// root, or the root itself. ok is false when there is none.
func FindApp(t *tree.Tree) (root, layout string, ok bool) {
	for _, l := range []struct{ parent, layout string }{
		{"Payload", "ipa"}, {"Products/Applications", "archive"}, {"", "app"},
	} {
		for _, dir := range t.Folders(l.parent) {
			if path.Ext(dir) == ".app" && t.Get(dir+"/Info.plist") != nil {
				return dir, l.layout, true
			}
		}
	}
	for _, dir := range t.Folders("") { // a build archive that was zipped with its folder
		if path.Ext(dir) != ".xcarchive" {
			continue
		}
		for _, app := range t.Folders(dir + "/Products/Applications") {
			if path.Ext(app) == ".app" && t.Get(app+"/Info.plist") != nil {
				return app, "archive", true
			}
		}
	}
	if t.Get("Info.plist") != nil && !hasFolder(t, "Payload") {
		return "", "app", true
	}
	return "", "", false
}

func hasFolder(t *tree.Tree, name string) bool { return len(t.Below(name)) > 0 }

type reader struct {
	begun   map[string]*reading          // executables that are being read, by path
	ders    map[*facts.Bundle][][]byte   // certificates of profiles
	cars    map[string]*assetcar.Catalog // by the folder of their bundle
	digests bool
	quick   bool
	file    string
	root    string     // the app's folder, for places
	whole   *tree.Tree // the package
	tree    *tree.Tree // the app
	out     *facts.IOS
}

// Options say how much is read.
type Options struct {
	Digests bool // verify every signed digest
	Quick   bool // leave names and signature of large compressed executables, with the reason
}

// Read fills the facts of the app in a tree. The error, a *place.Problem, is
// for an app whose property list cannot be read; any other part that cannot be
// read leaves its facts unread, with the reason.
func Read(file string, t *tree.Tree, root string, opt Options) (*facts.IOS, error) {
	r := &reader{digests: opt.Digests, quick: opt.Quick, file: file, root: root, whole: t, tree: t.Sub(root), out: &facts.IOS{Root: root}}
	info, enc, err := r.plist("Info.plist")
	at := r.at("Info.plist")
	if err != nil {
		return nil, &place.Problem{At: at, What: "the app's property list cannot be read: " + err.Error(),
			Mend: "build the package again; if it was edited or transferred since, take the original"}
	}
	if info.Kind != plist.Dict {
		return nil, &place.Problem{At: at, What: fmt.Sprintf("the app's property list is %s, not a dictionary", info.Kind.Noun()),
			Mend: "build the package again"}
	}
	r.out.SetSelf(at)
	r.out.InfoEncoding = string(enc)
	r.catalogs()
	r.info(info, at)
	r.purposes(info, at)
	r.nested()
	r.executables()
	r.linked()
	r.classes(info, at)
	r.resources()
	r.out.Icon = r.icon(info, at, ".")
	r.out.Put("icon", r.out.Icon.Self())
	r.alternates(info, at)
	r.presence()
	r.services()
	r.startPages()
	r.translations(info)
	r.layout()
	r.archive()
	r.loose()
	r.debugInfo()
	return r.out, nil
}

func (r *reader) at(name string) place.Place {
	return place.Place{File: r.file, Entry: path.Join(r.root, name)}
}

func (r *reader) plist(name string) (*plist.Value, plist.Encoding, error) {
	data, err := r.tree.Read(name, maxInfo)
	if err != nil {
		return nil, "", err
	}
	return plist.Parse(data)
}

// put records where a key's value stands, or where the key is missing.
func (r *reader) put(field string, at place.Place, v *plist.Value, key string) {
	r.out.Put(field, valueAt(at, v, key))
}

// valueAt is the place of a property-list value.
func valueAt(at place.Place, v *plist.Value, key string) place.Place {
	at.Key = key
	if v != nil {
		at.Offset = v.Offset
	}
	return at
}

// resources notes privacy manifests in bundles without code, as static
// libraries bring them.
func (r *reader) resources() {
	for _, e := range r.tree.Entries {
		dir := path.Dir(e.Name)
		if path.Base(e.Name) != "PrivacyInfo.xcprivacy" || path.Ext(dir) != ".bundle" {
			continue
		}
		b := &facts.Bundle{Kind: "resources", Path: dir}
		b.SetSelf(r.at(dir))
		r.privacy(b)
		b.SetUnread("signature", "a bundle without code is not signed by itself")
		b.SetUnread("profile", "a bundle without code has no profile")
		b.SetUnread("seal_faults", "a bundle without code has no seal of its own")
		r.out.Resources = append(r.out.Resources, b)
	}
}

// head reads the first bytes of a file, fewer when it is shorter.
func (r *reader) head(e *tree.Entry, n int) ([]byte, error) {
	if e == nil {
		return nil, fs.ErrNotExist
	}
	src, err := e.Open()
	if err != nil {
		return nil, err
	}
	defer src.Close()
	b := make([]byte, n)
	n, err = io.ReadFull(src, b)
	if errors.Is(err, io.ErrUnexpectedEOF) || errors.Is(err, io.EOF) {
		err = nil
	}
	return b[:n], err
}

// iconMatches tells whether a file is a variant of an icon name: the name, an
// optional scale and device suffix, and the extension.
func iconMatches(file, name string) bool {
	rest, ok := strings.CutPrefix(file, strings.TrimSuffix(name, ".png"))
	if !ok {
		return false
	}
	rest = strings.TrimSuffix(rest, ".png")
	rest = strings.TrimSuffix(strings.TrimSuffix(rest, "~ipad"), "~iphone")
	return rest == "" || rest == "@2x" || rest == "@3x"
}

func (r *reader) presence() {
	r.out.PrivacyManifest = r.tree.Get("PrivacyInfo.xcprivacy") != nil
	r.out.Put("privacy_manifest", r.at("PrivacyInfo.xcprivacy"))
	for _, e := range r.tree.Entries {
		r.out.Unpacked += e.Size
	}
	for _, e := range r.tree.Below("SC_Info") {
		r.out.StoreCopy = r.out.StoreCopy || path.Ext(e.Name) == ".sinf" || path.Ext(e.Name) == ".supp"
	}
	for _, s := range r.out.Slices {
		r.out.StoreCopy = r.out.StoreCopy || s.Encrypted
	}
}
