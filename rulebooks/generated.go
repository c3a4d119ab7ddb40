package rulebooks

import (
	"bytes"
	_ "embed"
	"encoding/binary"
	"hash/crc32"
	"io/fs"
	"path"
	"slices"
	"sync"

	"regola.example/regola/internal/core/engine"
	"regola.example/regola/internal/core/store"
	"regola.example/regola/internal/core/strictyaml"
)

// A start would spend most of its time on parsing YAML and CEL, so both are
// brought along parsed. What was edited since is recognised by its text and is
// parsed as ever: the two files are never needed, and never wrong.

// treesData holds the trees of all rulebooks and tables: for each, name,
// digest of the YAML and tree, each with its length before it (unsigned
// varint).
//
//go:embed trees.bin
var treesData string

// tree is one document that was parsed before.
type tree struct{ digest, tree string }

var trees = sync.OnceValue(func() map[string]tree {
	out := map[string]tree{}
	rest := treesData
	text := func() (s string) {
		n, w := binary.Uvarint([]byte(rest[:min(len(rest), binary.MaxVarintLen64)]))
		if w <= 0 || n > uint64(len(rest)-w) {
			rest = ""
			return ""
		}
		s, rest = rest[w:w+int(n)], rest[w+int(n):]
		return s
	}
	for rest != "" {
		name := text()
		out[name] = tree{text(), text()}
	}
	return out
})

// document reads a rulebook without its examples, or a file of tables.
func (l *Library) document(name string) (*strictyaml.Document, error) {
	data, err := fs.ReadFile(l.files, name)
	if err != nil {
		return nil, err
	}
	if t, ok := trees()[name]; ok && t.digest == digest(data) {
		if y, err := strictyaml.FromTree(l.prefix+name, t.tree); err == nil {
			return y, nil
		}
	}
	y, ps := strictyaml.Parse(l.prefix+name, withoutExamples(data))
	return y, ps.Err()
}

// digest tells an edited file from the one that was parsed. It guards against
// forgetting, not against an attack: both are inside the program.
func digest(data []byte) string {
	return string(binary.BigEndian.AppendUint32(nil, crc32.Checksum(data, castagnoli)))
}

var castagnoli = crc32.MakeTable(crc32.Castagnoli)

// Trees makes the content of trees.bin.
func Trees() ([]byte, error) {
	names, err := fs.Glob(files, "*/*.yaml")
	if err != nil {
		return nil, err
	}
	slices.Sort(names)
	var b []byte
	for _, name := range names {
		if path.Base(name) == store.FileName {
			continue
		}
		data, err := fs.ReadFile(files, name)
		if err != nil {
			return nil, err
		}
		t, err := strictyaml.Tree(name, withoutExamples(data))
		if err != nil {
			return nil, err
		}
		for _, s := range []string{name, digest(data), string(t)} {
			b = append(binary.AppendUvarint(b, uint64(len(s))), s...)
		}
	}
	return b, nil
}

// typedFile, in a store's folder, holds the conditions of its rules as the
// engine typed them.
const typedFile = "typed.bin"

// Typed gives the conditions of a store's rules as they were typed before; nil when
// nobody did, or when the file cannot be used: they are typed when they are needed.
func (l *Library) Typed(s *store.Store) *engine.Typed {
	data, err := fs.ReadFile(l.files, path.Join(s.ID, typedFile))
	if err != nil {
		return nil
	}
	t, err := engine.ReadTyped(data)
	if err != nil {
		return nil // a test holds that the file of the program is whole
	}
	return t
}

// withoutExamples blanks the examples of the rules, which are half of the text
// and serve the tests only. Lines keep their numbers.
func withoutExamples(data []byte) []byte {
	var out bytes.Buffer
	out.Grow(len(data))
	inside := false
	for line := range bytes.Lines(data) {
		switch {
		case bytes.Equal(line, []byte("    examples:\n")):
			inside = true
			out.WriteByte('\n')
			continue
		case inside && (bytes.HasPrefix(line, []byte("      ")) || len(bytes.TrimSpace(line)) == 0):
			out.WriteByte('\n')
			continue
		}
		inside = false
		out.Write(line)
	}
	return out.Bytes()
}
