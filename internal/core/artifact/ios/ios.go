// Package ios fills the facts of an app for the iOS store from its files.
//
// Source: the platform's documentation of bundle structures and of the
// information property list keys.
package ios

import (
	"fmt"
	"maps"
	"path"
	"slices"
	"strings"

	"regola.example/regola/internal/core/artifact/plainfile"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/files"
	"regola.example/regola/internal/core/format/assetcar"
	"regola.example/regola/internal/core/format/coderes"
	"regola.example/regola/internal/core/format/plist"
	"regola.example/regola/internal/core/place"
)

// maxInfo bounds a property list: real ones stay far below.
const maxInfo = 16 << 20

// FindApp finds the app's folder in a tree: Payload/X.app in an archive for
// the store, Products/Applications/X.app in a build archive, X.app at the
// root, or the root itself. ok is false when there is none.
func FindApp(t *files.Tree) (root, layout string, ok bool) {
	for _, l := range []struct{ parent, layout string }{
		{"Payload", "ipa"}, {"Products/Applications", "archive"}, {"", "app"},
	} {
		if dir := meant(t, l.parent); dir != "" {
			return dir, l.layout, true
		}
	}
	for _, dir := range t.Folders("") { // a build archive that was zipped with its folder
		if path.Ext(dir) != ".xcarchive" {
			continue
		}
		if app := meant(t, dir+"/Products/Applications"); app != "" {
			return app, "archive", true
		}
	}
	if t.Get("Info.plist") != nil && !hasFolder(t, "Payload") {
		return "", "app", true
	}
	return "", "", false
}

// meant is the app in a folder, or "". Of several it is the one that is signed, and of
// those the largest: what lies beside it was left behind.
func meant(t *files.Tree, parent string) string {
	sizes := map[string]int64{} // of apps, by their folder
	for _, dir := range t.Folders(parent) {
		if path.Ext(dir) == ".app" && t.Get(dir+"/Info.plist") != nil {
			sizes[dir] = 0
		}
	}
	if len(sizes) > 1 {
		for _, e := range t.Entries {
			below, inside := e.Name, true
			if parent != "" {
				below, inside = strings.CutPrefix(e.Name, parent+"/")
			}
			name, _, _ := strings.Cut(below, "/")
			dir := path.Join(parent, name)
			if _, app := sizes[dir]; inside && app {
				sizes[dir] += e.Size
			}
		}
	}
	var app string
	var signed bool
	for _, dir := range slices.Sorted(maps.Keys(sizes)) {
		seal := t.Get(dir+"/_CodeSignature/CodeResources") != nil
		if app == "" || seal && !signed || seal == signed && sizes[dir] > sizes[app] {
			app, signed = dir, seal
		}
	}
	return app
}

func hasFolder(t *files.Tree, name string) bool { return len(t.Below(name)) > 0 }

type reader struct {
	digests bool
	quick   bool
	file    string
	root    string      // the app's folder, for places
	whole   *files.Tree // the package
	tree    *files.Tree // the app
	out     *facts.IOS

	lists    map[*facts.Bundle]*plist.Value  // the property lists that could be read
	decoders map[*facts.Bundle]*decoder      // that read them
	begun    map[string]*reading             // executables that are being read, by path
	seals    map[*facts.Bundle]*coderes.Seal // that could be read
	sealed   map[string]bool                 // files whose digest a seal holds
	ders     map[*facts.Bundle][][]byte      // certificates of profiles
	cars     map[string]*assetcar.Catalog    // by the folder of their bundle
	read     map[string]*facts.IconFile      // that were read, by path
	names    map[string][]*files.Entry       // files by their folder
}

// Options say how much is read.
type Options struct {
	Digests bool // verify every signed digest
	Quick   bool // leave names and signature of large compressed executables, with the reason
}

// Read fills the facts of the app in a tree. The error, a *place.Problem, is
// for an app whose property list cannot be read; any other part that cannot be
// read is lost whole, with the reason.
func Read(file string, t *files.Tree, root string, opt Options) (*facts.IOS, error) {
	r := &reader{digests: opt.Digests, quick: opt.Quick, file: file, root: root, whole: t, tree: t.Sub(root), out: &facts.IOS{Root: root},
		lists: map[*facts.Bundle]*plist.Value{}, decoders: map[*facts.Bundle]*decoder{}, seals: map[*facts.Bundle]*coderes.Seal{}, sealed: map[string]bool{}, names: map[string][]*files.Entry{}}
	for _, e := range r.tree.Entries {
		dir := path.Dir(e.Name)
		r.names[dir] = append(r.names[dir], e)
	}
	info, enc, err := r.plist("Info.plist")
	at := r.at("Info.plist")
	if err != nil {
		return nil, &place.Problem{At: at, What: "the app's property list cannot be read: " + err.Error(),
			Fix: "build the package again; if it was edited or transferred since, take the original"}
	}
	if info.Kind != plist.Dict {
		return nil, &place.Problem{At: at, What: fmt.Sprintf("the app's property list is %s, not a dictionary", info.Kind.Noun()),
			Fix: "build the package again"}
	}
	r.out.SetSelf(at)
	app := &facts.Bundle{Kind: "app", Path: "."}
	app.SetSelf(r.at(""))
	app.Info.Encoding = string(enc)
	r.lists[app] = info
	r.out.Bundles = []*facts.Bundle{app}
	r.info(app, info, at)
	r.nested()
	r.out.Alias()
	r.catalogs()
	for _, b := range r.out.Bundles {
		r.beside(b)
	}
	r.begin()
	ahead := r.digestAhead()
	r.executables()
	r.sdk(app, at)
	r.icons()
	r.presence()
	r.translations(info)
	r.references()
	r.wrongTypes()
	r.layout()
	r.archive()
	r.debugInfo()
	ahead()
	r.verifySeals()
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
	return plist.Parse(data, r.tree.Budget)
}

// valueAt is the place of a property-list value.
func valueAt(at place.Place, v *plist.Value, key string) place.Place {
	at.Key = key
	if v != nil {
		at.Offset = v.Offset
	}
	return at
}

// presence notes what marks and sizes of all files show.
func (r *reader) presence() {
	for _, e := range r.tree.Entries {
		r.out.Unpacked += e.Size
		r.out.Packed += e.Compressed
	}
	code := map[string]bool{}
	for _, b := range r.out.Bundles {
		code[r.executable(b)] = true
	}
	for _, e := range r.tree.Entries {
		if !plainfile.Worth(e) || path.Base(e.Name) == "CodeResources" || code[e.Name] {
			continue
		}
		data, err := e.ReadOnce(0)
		if err != nil {
			continue // a rule on the archive reports what cannot be unpacked
		}
		if plainfile.HoldsKey(data) {
			k := &facts.KeyFile{Path: e.Name}
			k.SetSelf(r.at(e.Name))
			r.out.PrivateKeys = append(r.out.PrivateKeys, k)
		}
		found, err := plainfile.Texts(e.Name, data, r.tree.Budget)
		if err != nil {
			fact.Lose(r.out, &r.out.TextFiles, fact.Unread(err.Error()))
		}
		if found != nil {
			found.SetSelf(r.at(e.Name))
			r.out.TextFiles = append(r.out.TextFiles, found)
		}
	}
	for _, e := range r.tree.Below("SC_Info") {
		r.out.StoreCopy = r.out.StoreCopy || path.Ext(e.Name) == ".sinf" || path.Ext(e.Name) == ".supp"
	}
	for _, s := range r.out.App.Code.Slices {
		r.out.StoreCopy = r.out.StoreCopy || s.Encrypted
	}
}
