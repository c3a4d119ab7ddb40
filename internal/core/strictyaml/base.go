package strictyaml

import (
	"slices"

	"go.yaml.in/yaml/v3"
)

// Take adds to a document what another one has and it has not: keys at any depth. A
// value of its own stands, whatever its kind; so do lists, but those that lists names
// (a top-level key, with the key that tells its items apart), which get the other's
// items that are not in it. Every value keeps the file and line that hold it.
func (doc *Document) Take(other *Document, lists map[string]string) {
	if doc.files == nil {
		doc.files = map[*yaml.Node]string{}
	}
	other.Walk(func(n *yaml.Node) {
		if _, known := doc.files[n]; !known {
			doc.files[n] = other.fileOf(n)
		}
	})
	take(doc.root, other.root, lists)
}

func (doc *Document) fileOf(n *yaml.Node) string {
	if f, ok := doc.files[n]; ok {
		return f
	}
	return doc.File
}

func take(to, from *yaml.Node, lists map[string]string) {
	if to.Kind != yaml.MappingNode || from.Kind != yaml.MappingNode {
		return
	}
	for i := 0; i+1 < len(from.Content); i += 2 {
		key, val := from.Content[i], from.Content[i+1]
		at := slices.IndexFunc(to.Content, func(n *yaml.Node) bool { return n.Value == key.Value })
		for at >= 0 && at%2 == 1 { // a value that reads like the key
			next := slices.IndexFunc(to.Content[at+1:], func(n *yaml.Node) bool { return n.Value == key.Value })
			if next < 0 {
				at = -1
				break
			}
			at += 1 + next
		}
		switch {
		case at < 0:
			to.Content = append(to.Content, key, val)
		case lists[key.Value] != "":
			addItems(to.Content[at+1], val, lists[key.Value])
		default:
			take(to.Content[at+1], val, nil)
		}
	}
}

// addItems adds the items of a list that another list has not, by one of their keys.
func addItems(to, from *yaml.Node, by string) {
	if to.Kind != yaml.SequenceNode || from.Kind != yaml.SequenceNode {
		return
	}
	own := map[string]bool{}
	for _, n := range to.Content {
		own[valueOf(n, by)] = true
	}
	for _, n := range from.Content {
		if !own[valueOf(n, by)] {
			to.Content = append(to.Content, n)
		}
	}
}

func valueOf(n *yaml.Node, key string) string {
	for i := 0; n.Kind == yaml.MappingNode && i+1 < len(n.Content); i += 2 {
		if n.Content[i].Value == key {
			return n.Content[i+1].Value
		}
	}
	return ""
}

// Each calls f with every single value and its path, such as packages.android or
// pictures[].folder; f may change it.
func (doc *Document) Each(f func(path string, n *yaml.Node)) {
	var walk func(n *yaml.Node, path string, depth int)
	walk = func(n *yaml.Node, path string, depth int) {
		switch {
		case depth > maxDepth:
		case n.Kind == yaml.ScalarNode:
			f(path, n)
		case n.Kind == yaml.SequenceNode:
			for _, c := range n.Content {
				walk(c, path+"[]", depth+1)
			}
		case n.Kind == yaml.MappingNode:
			for i := 0; i+1 < len(n.Content); i += 2 {
				sub := n.Content[i].Value
				if path != "" {
					sub = path + "." + sub
				}
				walk(n.Content[i+1], sub, depth+1)
			}
		}
	}
	walk(doc.root, "", 0)
}

// Value is the single value of a key at the top, with its place; ok tells whether
// there is one.
func (doc *Document) Value(key string) (n *yaml.Node, ok bool) {
	for i := 0; doc.root.Kind == yaml.MappingNode && i+1 < len(doc.root.Content); i += 2 {
		if doc.root.Content[i].Value == key && doc.root.Content[i+1].Kind == yaml.ScalarNode {
			return doc.root.Content[i+1], true
		}
	}
	return nil, false
}
