package artifact_test

import (
	"bytes"
	"go/ast"
	"go/parser"
	"go/token"
	"os"
	"path/filepath"
	"reflect"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/artifact/android"
	"regola.example/regola/internal/core/artifact/ios"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/files"
	"regola.example/regola/internal/core/submission"
)

// TestUnpackedOnce holds that no entry is unpacked twice, with every digest
// verified and every picture looked at.
func TestUnpackedOnce(t *testing.T) {
	for _, file := range []string{demo + "sound/build/terrafuoco.aab", demo + "faulty/build/Terrafuoco.ipa", "testdata/android/plain.apk", "testdata/ios/whole.ipa"} {
		data, err := os.ReadFile(file)
		require.NoError(t, err)
		tree, err := files.FromZip(t.Context(), bytes.NewReader(data), int64(len(data)))
		require.NoError(t, err)
		switch root, _, isApp := ios.FindApp(tree); {
		case isApp:
			_, err = ios.Read(file, tree, root, ios.Options{Digests: true})
		default:
			_, err = android.Read(file, tree, android.IsBundle(tree), true)
		}
		require.NoError(t, err)
		unpacked := 0
		for _, e := range tree.Entries {
			assert.LessOrEqual(t, e.Opened(), 1, "%s › %s", file, e.Name)
			unpacked += e.Opened()
		}
		assert.Greater(t, unpacked, len(tree.Entries)/2)
	}
}

// TestMarksNameFields holds that each name that readers give to a mark is a
// field of its struct: in everything that the test packages hold, and in every
// literal of the program.
func TestMarksNameFields(t *testing.T) {
	for _, file := range []string{demo + "sound/build/terrafuoco.aab", demo + "faulty/build/terrafuoco.aab", demo + "faulty/build/Terrafuoco.ipa",
		"testdata/android/plain.apk", "testdata/android/base.apk", "testdata/android/split.it.apk", "testdata/ios/whole.ipa"} {
		assert.Empty(t, fact.Unknown(open(t, file), "pkg"), file)
	}
	names := map[string]bool{}
	collect(reflect.TypeFor[submission.Submission](), names, map[reflect.Type]bool{})
	collect(reflect.TypeFor[facts.Package](), names, map[reflect.Type]bool{})
	collect(reflect.TypeFor[dossier.Dossier](), names, map[reflect.Type]bool{})
	seen := 0
	for _, dir := range []string{"android", "ios", "../evidence", "../submission", "../dossier"} {
		paths, err := filepath.Glob(dir + "/*.go")
		require.NoError(t, err)
		for _, path := range paths {
			if strings.HasSuffix(path, "_test.go") {
				continue
			}
			f, err := parser.ParseFile(token.NewFileSet(), path, nil, 0)
			require.NoError(t, err)
			ast.Inspect(f, func(n ast.Node) bool {
				call, ok := n.(*ast.CallExpr)
				if !ok || len(call.Args) == 0 {
					return true
				}
				sel, ok := call.Fun.(*ast.SelectorExpr)
				if !ok || !strings.Contains(" Put Lose LoseAll Gap Field HasField Unread ", " "+sel.Sel.Name+" ") {
					return true
				}
				if x, ok := sel.X.(*ast.Ident); ok && x.Name == "fact" { // a function, whose argument is a text
					return true
				}
				args := call.Args[:1]
				if sel.Sel.Name == "LoseAll" {
					args = call.Args[1:]
				}
				for _, a := range args {
					if lit, ok := a.(*ast.BasicLit); ok && lit.Kind == token.STRING {
						name, _ := strconv.Unquote(lit.Value)
						seen++
						assert.True(t, names[name], "%s: %s(%q) names no field", path, sel.Sel.Name, name)
					}
				}
				return true
			})
		}
	}
	assert.Greater(t, seen, 100)
}

// collect gathers the names of all fields below a type.
func collect(t reflect.Type, names map[string]bool, done map[reflect.Type]bool) {
	switch t.Kind() {
	case reflect.Pointer, reflect.Slice, reflect.Map:
		collect(t.Elem(), names, done)
	case reflect.Struct:
		if done[t] {
			return
		}
		done[t] = true
		for _, f := range reflect.VisibleFields(t) {
			if name := fact.RuleName(f); name != "" {
				names[name] = true
				collect(f.Type, names, done)
			}
		}
	}
}
