package strictyaml

import (
	"encoding/binary"
	"errors"

	"go.yaml.in/yaml/v3"
)

// A tree is a parsed document in a form that is read ten times as fast as
// YAML: each node as its kind, style, tag, line, column and value, then its
// children. Numbers are unsigned varints; a text is its length and its bytes.
// It holds what Value needs: comments, anchors and aliases are left out.

// errTree is returned for bytes that are no tree.
var errTree = errors.New("this is not the tree of a document")

// Tree parses a document, which must have no problems, into the tree form.
func Tree(file string, data []byte) ([]byte, error) {
	d, ps := Parse(file, data)
	if len(ps) > 0 {
		return nil, ps
	}
	return appendNode(nil, d.root), nil
}

func appendNode(b []byte, n *yaml.Node) []byte {
	b = append(b, byte(n.Kind), byte(n.Style))
	b = appendText(b, n.Tag)
	b = binary.AppendUvarint(b, uint64(n.Line))
	b = binary.AppendUvarint(b, uint64(n.Column))
	b = appendText(b, n.Value)
	b = binary.AppendUvarint(b, uint64(len(n.Content)))
	for _, c := range n.Content {
		b = appendNode(b, c)
	}
	return b
}

func appendText(b []byte, s string) []byte {
	return append(binary.AppendUvarint(b, uint64(len(s))), s...)
}

// FromTree reads the tree of a file.
func FromTree(file, tree string) (*Document, error) {
	r := treeReader{rest: tree}
	root := r.node(0)
	if r.failed || r.rest != "" {
		return nil, errTree
	}
	return &Document{File: file, root: root}, nil
}

// treeReader reads nodes; their texts are parts of rest.
type treeReader struct {
	rest   string
	failed bool
	slab   []yaml.Node // nodes are made many at a time
}

func (r *treeReader) node(depth int) *yaml.Node {
	if len(r.rest) < 2 || depth > maxDepth {
		r.failed = true
		return nil
	}
	if len(r.slab) == 0 {
		r.slab = make([]yaml.Node, 256)
	}
	n := &r.slab[0]
	r.slab = r.slab[1:]
	n.Kind, n.Style, r.rest = yaml.Kind(r.rest[0]), yaml.Style(r.rest[1]), r.rest[2:]
	n.Tag = r.text()
	n.Line, n.Column = r.number(), r.number()
	n.Value = r.text()
	if count := r.number(); count > 0 && count <= len(r.rest) {
		n.Content = make([]*yaml.Node, 0, count)
		for range count {
			if r.failed {
				return nil
			}
			n.Content = append(n.Content, r.node(depth+1))
		}
	} else if count > 0 {
		r.failed = true
	}
	return n
}

func (r *treeReader) number() int {
	var v uint64
	for i := 0; i < len(r.rest) && i < 5; i++ {
		c := r.rest[i]
		v |= uint64(c&0x7f) << (7 * i)
		if c < 0x80 {
			r.rest = r.rest[i+1:]
			return int(v)
		}
	}
	r.failed, r.rest = true, ""
	return 0
}

func (r *treeReader) text() string {
	n := r.number()
	if n > len(r.rest) {
		r.failed, r.rest = true, ""
		return ""
	}
	s := r.rest[:n]
	r.rest = r.rest[n:]
	return s
}
