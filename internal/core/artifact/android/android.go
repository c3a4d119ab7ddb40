// Package android fills the facts of an APK or an app bundle from its files.
//
// Source: the platform's documentation of the manifest file and of the bundle
// format; package resource names that of the encodings.
package android

import (
	"fmt"
	"sync"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/files"
	"regola.example/regola/internal/core/format/axml"
	"regola.example/regola/internal/core/format/jarsig"
	"regola.example/regola/internal/core/format/protores"
	"regola.example/regola/internal/core/format/resource"
	"regola.example/regola/internal/core/place"
)

const manifestName = "AndroidManifest.xml"

// maxManifest bounds the manifest: real ones stay far below.
const maxManifest = 16 << 20

// IsAPK reports whether a tree looks like an APK: a compiled manifest at its root.
func IsAPK(t *files.Tree) bool { return t.Get(manifestName) != nil }

// IsBundle reports whether a tree looks like an app bundle.
func IsBundle(t *files.Tree) bool {
	return t.Get("base/manifest/"+manifestName) != nil || t.Get("BundleConfig.pb") != nil
}

type reader struct {
	file    string
	tree    *files.Tree
	bundle  bool
	digests bool
	root    string // folder of the base module, with a slash; empty in an APK
	table   resource.Table
	noTable fact.Gap // why there is no table
	jar     *jarsig.Signature
	out     *facts.Android

	hosts    map[string]bool            // of deep links, each once
	themes   map[string]bool            // by name, each once
	plain    sync.Map                   // resource.Value by reference: what it leads to without qualifiers
	pictures map[string]*facts.IconFile // that were read, by path
}

// Read fills the facts of an APK or a bundle. With digests, the signed digest
// of every entry is verified. The error, a *place.Problem, is for a package
// whose manifest cannot be read; any other part that cannot be read is lost
// whole, with the reason.
func Read(file string, t *files.Tree, bundle, digests bool) (*facts.Android, error) {
	r := &reader{file: file, tree: t, bundle: bundle, digests: digests, out: &facts.Android{}}
	if bundle {
		r.root = "base/"
	}
	manifest, at, err := r.manifest(r.manifestPath(r.root))
	if err != nil {
		return nil, err
	}
	r.loadTable()
	r.out.SetSelf(at)
	r.out.Manifest.SetSelf(at)
	r.base(manifest, at)
	app := manifest.Child("application")
	switch {
	case r.out.Manifest.Split != "":
		gap := fact.Missing("a split is no app of its own; its base tells this")
		fact.Lose(&r.out.Manifest, &r.out.Manifest.VersionName, gap)
		fact.Lose(&r.out.Resources, &r.out.Resources.Label, gap)
		fact.Lose(r.out, &r.out.Icon, gap)
		fact.Lose(&r.out.Resources, &r.out.Resources.StringsWithoutDefault, gap)
	case app == nil:
		gap := fact.Unread("the manifest has no application element")
		fact.Lose(&r.out.Resources, &r.out.Resources.Label, gap)
		fact.Lose(r.out, &r.out.Icon, gap)
	}
	r.implied()
	r.placeholders(manifest, at)
	r.architectures()
	r.codeFiles()
	if bundle {
		if err := r.modules(); err != nil {
			return nil, err
		}
		r.bundleConfig()
	} else {
		fact.LoseAll(&r.out.Bundle, fact.Missing("an APK is no bundle"), &r.out.Bundle.Modules, &r.out.Bundle.Duplicates, &r.out.Bundle.Metadata)
	}
	r.metadata()
	r.versions()
	r.archive()
	r.densities()
	r.signing()
	r.scan()
	r.sizes()
	if r.out.Manifest.Split != "" {
		r.out.Resources.ByID = r.translatedTexts()
	}
	if r.table != nil && r.table.Err() != nil {
		gap := fact.Unread("the resource table: " + r.table.Err().Error())
		fact.LoseAll(&r.out.Resources, gap, &r.out.Resources.Densities)
		fact.Lose(r.out, &r.out.Icon, gap)
	}
	return r.out, nil
}

func (r *reader) manifestPath(root string) string {
	if r.bundle {
		return root + "manifest/" + manifestName
	}
	return manifestName
}

func (r *reader) manifest(name string) (*resource.Element, place.Place, error) {
	at := place.Place{File: r.file, Entry: name}
	fail := func(what string) (*resource.Element, place.Place, error) {
		return nil, at, &place.Problem{At: at, What: what, Fix: "build the package again; if it was edited or transferred since, take the original"}
	}
	if r.tree.Get(name) == nil {
		return fail("the package has no " + name)
	}
	data, err := r.tree.Read(name, maxManifest)
	if err != nil {
		return fail("the manifest cannot be read: " + err.Error())
	}
	root, err := r.xml(data)
	if err != nil {
		return fail("the manifest is damaged: " + err.Error())
	}
	if root.Name != "manifest" {
		return fail(fmt.Sprintf("the root element is %q, not \"manifest\"", root.Name))
	}
	return root, at, nil
}

func (r *reader) xml(data []byte) (root *resource.Element, err error) {
	if r.bundle {
		root, err = protores.ParseXML(data, r.tree.Budget)
	} else {
		root, err = axml.Parse(data, r.tree.Budget)
	}
	if err == nil {
		resource.Name(root)
	}
	return root, err
}

// literal resolves a value to one literal for the default configuration.
func (r *reader) literal(a *resource.Attr) (resource.Value, bool) {
	if a == nil {
		return resource.Value{}, false
	}
	if a.Value.Kind != resource.Reference {
		return a.Value, true
	}
	best, known := r.plain.Load(a.Value.Ref) // a manifest refers to few values again and again
	if !known {
		items := r.resolve(a.Value)
		value := items[0].Value
		for _, it := range items {
			if it.Config == (resource.Config{}) {
				value = it.Value
			}
		}
		best = value
		r.plain.Store(a.Value.Ref, best)
	}
	v := best.(resource.Value)
	return v, v.Kind != resource.Reference
}

// resolve follows a value through the table.
func (r *reader) resolve(v resource.Value) []resource.Item {
	return resource.Resolve(r.table, v, r.tree.Budget)
}
