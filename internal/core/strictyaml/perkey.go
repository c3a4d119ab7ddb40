package strictyaml

import (
	"slices"

	"go.yaml.in/yaml/v3"
)

// PerKey makes a document for each key, in which the values of a top-level block that are
// written for each key by itself, as in "version: {android: 1.4.0, ios: 1.4.1}", are those
// of that key. It is nil when no value of the block is written so.
func (doc *Document) PerKey(block string, keys []string) map[string]*Document {
	at := valueAt(doc.root, block)
	if at < 0 || !slices.ContainsFunc(doc.root.Content[at].Content, func(n *yaml.Node) bool { return isPerKey(n, keys) }) {
		return nil
	}
	out := map[string]*Document{}
	for _, k := range keys {
		root, values := *doc.root, *doc.root.Content[at]
		root.Content, values.Content = slices.Clone(root.Content), nil
		for i := 0; i+1 < len(doc.root.Content[at].Content); i += 2 {
			key, val := doc.root.Content[at].Content[i], doc.root.Content[at].Content[i+1]
			if isPerKey(val, keys) {
				own := valueAt(val, k)
				if own < 0 {
					continue
				}
				val = val.Content[own]
			}
			values.Content = append(values.Content, key, val)
		}
		root.Content[at] = &values
		files := doc.files
		if f, ok := doc.files[doc.root.Content[at]]; ok { // the block is another file's
			files = map[*yaml.Node]string{&values: f}
			for n, f := range doc.files {
				files[n] = f
			}
		}
		out[k] = &Document{File: doc.File, root: &root, files: files}
	}
	return out
}

// valueAt is where the value of a key stands among a node's contents; -1 for none.
func valueAt(n *yaml.Node, key string) int {
	if n.Kind != yaml.MappingNode {
		return -1
	}
	for i := 0; i+1 < len(n.Content); i += 2 {
		if n.Content[i].Value == key {
			return i + 1
		}
	}
	return -1
}

// isPerKey tells whether a node is a block of these keys and no others.
func isPerKey(n *yaml.Node, keys []string) bool {
	if n.Kind != yaml.MappingNode || len(n.Content) == 0 {
		return false
	}
	for i := 0; i < len(n.Content); i += 2 {
		if !slices.Contains(keys, n.Content[i].Value) {
			return false
		}
	}
	return true
}
