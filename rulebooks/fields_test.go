package rulebooks_test

import (
	"go/ast"
	"go/parser"
	"go/token"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/engine"
	"regola.example/regola/internal/core/submission"
	"regola.example/regola/rulebooks"
)

// selects are the fields that the conditions of all built-in rules read.
func selects(t *testing.T) (fields map[engine.Select]bool, parts map[string]bool) {
	fields, parts = map[engine.Select]bool{}, map[string]bool{}
	stores, err := rulebooks.BuiltIn.Stores()
	require.NoError(t, err)
	set, err := rulebooks.BuiltIn.Tables()
	require.NoError(t, err)
	for _, s := range stores {
		books, err := rulebooks.BuiltIn.Books(s)
		require.NoError(t, err)
		env, problems := check.NewEnv(books, set, rulebooks.BuiltIn.Typed(s))
		require.Empty(t, problems)
		for _, b := range books {
			for _, r := range b.Rules {
				p := env.Prepare(r)
				for _, f := range p.Selects() {
					fields[f] = true
				}
				for _, part := range p.Needs() {
					parts[part] = true
				}
			}
		}
	}
	return fields, parts
}

// TestFieldsRead holds that each question of the dossier and each text of a listing is
// read by the condition of a rule, or by the calculation that its declaration names:
// nobody shall answer for nothing.
func TestFieldsRead(t *testing.T) {
	fields, parts := selects(t)
	seen := 0
	dossier.Walk(func(f *dossier.Field) {
		if f.Block() {
			return
		}
		seen++
		if f.Read != "" {
			assert.True(t, selectedIn(t, f), "%s: does internal/…/%s read it, as its declaration says?", f.Path, f.Read)
			return
		}
		read := false
		for _, path := range f.Seen {
			sel, ok := submission.SelectOf(path)
			read = read || ok && fields[sel] || !ok && parts[path]
		}
		assert.True(t, read, "%s: no condition of a rule reads it; write a rule, or name the package that calculates with it in its tag read", f.Path)
	})
	assert.Greater(t, seen, 100)
}

// selectedIn tells whether the package that a field's declaration names selects it.
func selectedIn(t *testing.T, f *dossier.Field) bool {
	for _, in := range []string{"../internal/core/", "../internal/"} {
		files, err := filepath.Glob(in + f.Read + "/*.go")
		require.NoError(t, err)
		for _, name := range files {
			if strings.HasSuffix(name, "_test.go") || strings.HasSuffix(name, "/types.go") {
				continue
			}
			tree, err := parser.ParseFile(token.NewFileSet(), name, nil, parser.SkipObjectResolution)
			require.NoError(t, err)
			found := false
			ast.Inspect(tree, func(n ast.Node) bool {
				switch x := n.(type) {
				case *ast.SelectorExpr:
					found = found || x.Sel.Name == f.Go
				case *ast.CallExpr: // a node that is looked for before anything is decoded
					for _, a := range x.Args {
						l, ok := a.(*ast.BasicLit)
						found = found || ok && l.Value == strconv.Quote(f.Path)
					}
				}
				return !found
			})
			if found {
				return true
			}
		}
	}
	return false
}
