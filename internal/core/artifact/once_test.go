package artifact_test

import (
	"bytes"
	"go/ast"
	"go/parser"
	"go/token"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/artifact/android"
	"regola.example/regola/internal/core/artifact/ios"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/files"
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

// TestMarksNameFields holds that each name in a mark is a field of its struct, in
// everything that the test packages hold, and that readers name no field in a text: the
// functions of package fact take the field itself.
func TestMarksNameFields(t *testing.T) {
	for _, file := range []string{demo + "sound/build/terrafuoco.aab", demo + "faulty/build/terrafuoco.aab", demo + "faulty/build/Terrafuoco.ipa",
		"testdata/android/plain.apk", "testdata/android/base.apk", "testdata/android/split.it.apk", "testdata/ios/whole.ipa"} {
		assert.Empty(t, fact.Unknown(open(t, file), "pkg"), file)
	}
	seen := 0
	for _, dir := range []string{"android", "ios", "../evidence", "../submission", "../dossier", "../pictures", "../backend"} {
		paths, err := filepath.Glob(dir + "/*.go")
		require.NoError(t, err)
		for _, path := range paths {
			if strings.HasSuffix(path, "_test.go") {
				continue
			}
			set := token.NewFileSet()
			f, err := parser.ParseFile(set, path, nil, 0)
			require.NoError(t, err)
			ast.Inspect(f, func(n ast.Node) bool {
				call, ok := n.(*ast.CallExpr)
				if !ok || len(call.Args) == 0 {
					return true
				}
				sel, ok := call.Fun.(*ast.SelectorExpr)
				if !ok {
					return true
				}
				if x, ok := sel.X.(*ast.Ident); ok && x.Name == "fact" {
					seen++
					return true
				}
				if strings.Contains(" Put Lose LoseAll Gap Field HasField Unread ", " "+sel.Sel.Name+" ") {
					for _, a := range call.Args {
						lit, ok := a.(*ast.BasicLit)
						assert.False(t, ok && lit.Kind == token.STRING, "%s: take the function of package fact, and the field itself", set.Position(call.Pos()))
					}
				}
				return true
			})
		}
	}
	assert.Greater(t, seen, 100)
}
