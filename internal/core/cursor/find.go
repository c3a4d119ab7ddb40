package cursor

import (
	"strconv"
	"strings"

	"go.yaml.in/yaml/v3"
)

// Find is the line and column, from 1, of the key at a path such as answers.data[0].kind, or
// of the nearest key above it that is written; 1 and 1 when none is, or when the document
// cannot be read.
func Find(doc []byte, path string) (line, column int) {
	line, column = 1, 1
	var root yaml.Node
	if yaml.Unmarshal(doc, &root) != nil || len(root.Content) == 0 {
		return line, column
	}
	n := root.Content[0]
	for _, step := range strings.FieldsFunc(strings.ReplaceAll(path, "[", ".["), func(r rune) bool { return r == '.' }) {
		var next *yaml.Node
		if i, err := strconv.Atoi(strings.Trim(step, "[]")); step[0] == '[' && err == nil && n.Kind == yaml.SequenceNode && i >= 0 && i < len(n.Content) {
			next = n.Content[i]
			line, column = next.Line, next.Column
		} else if n.Kind == yaml.MappingNode {
			for k := 0; k+1 < len(n.Content); k += 2 {
				if n.Content[k].Value == step {
					next = n.Content[k+1]
					line, column = n.Content[k].Line, n.Content[k].Column
				}
			}
		}
		if next == nil {
			return line, column
		}
		n = next
	}
	return line, column
}

// Symbol is a key of a document, with the last line of its value.
type Symbol struct {
	Name         string
	Detail       string // of a single value, the value
	Line, Column int
	EndLine      int
	Below        []*Symbol
}

// maxSymbols bounds the outline of a document.
const maxSymbols = 5_000

// Outline lists the keys of a document, in levels; nil when it cannot be read.
func Outline(doc []byte) []*Symbol {
	var root yaml.Node
	if yaml.Unmarshal(doc, &root) != nil || len(root.Content) == 0 {
		return nil
	}
	left := maxSymbols
	return outline(root.Content[0], &left)
}

func outline(n *yaml.Node, left *int) (out []*Symbol) {
	add := func(name string, at, value *yaml.Node) {
		if *left--; *left < 0 {
			return
		}
		s := &Symbol{Name: name, Line: at.Line, Column: at.Column, EndLine: last(value, at.Line), Below: outline(value, left)}
		if value.Kind == yaml.ScalarNode {
			s.Detail, _, _ = strings.Cut(value.Value, "\n")
		}
		out = append(out, s)
	}
	switch n.Kind {
	case yaml.MappingNode:
		for i := 0; i+1 < len(n.Content); i += 2 {
			add(n.Content[i].Value, n.Content[i], n.Content[i+1])
		}
	case yaml.SequenceNode:
		for i, item := range n.Content {
			if item.Kind == yaml.MappingNode {
				name := "[" + strconv.Itoa(i) + "]"
				if len(item.Content) > 1 && item.Content[1].Kind == yaml.ScalarNode && item.Content[1].Value != "" {
					name, _, _ = strings.Cut(item.Content[1].Value, "\n") // such as a rule's id or a kind of data
				}
				add(name, item, item)
			}
		}
	}
	return out
}

// last is the last line of a node.
func last(n *yaml.Node, line int) int {
	line = max(line, n.Line)
	if n.Kind == yaml.ScalarNode && n.Style&(yaml.LiteralStyle|yaml.FoldedStyle) != 0 {
		line += strings.Count(n.Value, "\n")
	}
	for _, below := range n.Content {
		line = last(below, line)
	}
	return line
}
