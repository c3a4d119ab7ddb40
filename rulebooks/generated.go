package rulebooks

import (
	"bytes"
	"encoding/base64"
	"encoding/binary"
	"encoding/hex"
	"fmt"
	"hash/crc32"
	"io/fs"
	"path"
	"slices"
	"strings"
	"sync"

	"regola.example/regola/internal/core/engine"
	"regola.example/regola/internal/core/store"
	"regola.example/regola/internal/core/strictyaml"
)

// A start would spend most of its time on parsing YAML and CEL, so both are brought along
// parsed, in one file a folder. Each line of it holds one thing: a word for its kind, a
// key, the sum of what follows (CRC-32C) and the thing itself in base64.
//
//	tree  NAME@DIGEST  the tree of a rulebook or a file of tables, by the digest of its YAML
//	cond  KEY          a condition of a store's rules as the engine typed it (engine.Typed)
//
// A line that does not fit what is asked for is passed over: the files are never needed,
// and versions that were merged line by line hold all that both had.
const generatedFile = "generated.txt"

// lines are the things of a generated file, by kind and key, with their sums.
type lines map[string]string

// generatedIn reads the generated file of a folder, once; there may be none.
func (l *Library) generatedIn(folder string) lines {
	f, _ := l.loaded.LoadOrStore(folder+"/", sync.OnceValue(func() lines {
		data, err := fs.ReadFile(l.files, path.Join(folder, generatedFile))
		if err != nil {
			return nil
		}
		text := string(data)
		out := make(lines, strings.Count(text, "\n"))
		for line := range strings.Lines(text) {
			kind, rest, _ := strings.Cut(strings.TrimSuffix(line, "\n"), " ")
			key, rest, ok := strings.Cut(rest, " ")
			if ok && kind != "" {
				out[kind+" "+key] = rest
			}
		}
		return out
	}))
	return f.(func() lines)()
}

// get is the thing of a kind and key; ok is false where there is none, or its line was
// damaged.
func (g lines) get(kind, key string) (thing []byte, ok bool) {
	line, ok := g[kind+" "+key]
	if !ok {
		return nil, false
	}
	sum, text, _ := strings.Cut(line, " ")
	thing, err := base64.RawStdEncoding.DecodeString(text)
	return thing, err == nil && sum == digest(thing)
}

// generatedLine is the line of a thing.
func generatedLine(kind, key string, thing []byte) string {
	return fmt.Sprintf("%s %s %s %s\n", kind, key, digest(thing), base64.RawStdEncoding.EncodeToString(thing))
}

// document reads a rulebook without its examples, or a file of tables.
func (l *Library) document(name string) (*strictyaml.Document, error) {
	data, err := fs.ReadFile(l.files, name)
	if err != nil {
		return nil, err
	}
	if t, ok := l.generatedIn(path.Dir(name)).get("tree", treeKey(name, data)); ok {
		if y, err := strictyaml.FromTree(l.prefix+name, string(t)); err == nil {
			return y, nil
		}
	}
	y, ps := strictyaml.Parse(l.prefix+name, withoutExamples(data))
	return y, ps.Err()
}

func treeKey(name string, data []byte) string { return path.Base(name) + "@" + digest(data) }

// digest tells an edited file from the one that was parsed. It guards against
// forgetting, not against an attack: both are inside the program.
func digest(data []byte) string {
	return hex.EncodeToString(binary.BigEndian.AppendUint32(nil, crc32.Checksum(data, castagnoli)))
}

var castagnoli = crc32.MakeTable(crc32.Castagnoli)

// Generate makes the lines of a folder's generated file: typed are the conditions of its
// rules, where it is a store's.
func (l *Library) Generate(folder string, typed *engine.Typed) ([]string, error) {
	names, err := fs.Glob(l.files, folder+"/*.yaml")
	if err != nil {
		return nil, err
	}
	var out []string
	for _, name := range names {
		if path.Base(name) == store.FileName {
			continue
		}
		data, err := fs.ReadFile(l.files, name)
		if err != nil {
			return nil, err
		}
		t, err := strictyaml.Tree(name, withoutExamples(data))
		if err != nil {
			return nil, err
		}
		out = append(out, generatedLine("tree", treeKey(name, data), t))
	}
	if typed != nil {
		for key, condition := range typed.All() {
			out = append(out, generatedLine("cond", key, condition))
		}
	}
	slices.Sort(out)
	return out, nil
}

// Typed gives the conditions of a store's rules as they were typed before.
func (l *Library) Typed(s *store.Store) *engine.Typed {
	g := l.generatedIn(s.ID)
	return engine.NewTyped(func(key string) ([]byte, bool) { return g.get("cond", key) })
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
