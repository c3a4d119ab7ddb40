package internal_test

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const module = "regola.example/regola/internal/"

// eachFile calls visit with every file of the program below a folder.
func eachFile(t *testing.T, root string, visit func(path string, set *token.FileSet, f *ast.File)) {
	t.Helper()
	require.NoError(t, filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return err
		}
		set := token.NewFileSet()
		f, err := parser.ParseFile(set, path, nil, parser.SkipObjectResolution|parser.ParseComments)
		if err == nil {
			visit(path, set, f)
		}
		return err
	}))
}

// TestLayers holds which way data flows: the core knows nothing around it, and a renderer
// knows results and views, and nothing of how they came about.
func TestLayers(t *testing.T) {
	seen := 0
	for root, barred := range map[string][]string{
		"core": {"run", "cli", "report", "view", "sheet", "links", "git", "write", "ledgerfile", "privacymanifest"},
		"view": {"run", "cli", "report", "sheet", "links", "git", "write", "ledgerfile", "privacymanifest"},
		"report": {"run", "cli", "links", "git", "write", "ledgerfile", "privacymanifest", "schema",
			"core/engine", "core/submission", "core/artifact", "core/files", "core/format", "core/strictyaml", "core/draft", "core/snapshot", "core/signs", "core/origin", "core/phrases", "core/calendar"},
		"schema": {"run", "cli", "report", "view", "sheet", "links", "git", "write", "ledgerfile", "privacymanifest"},
		"sheet":  {"run", "cli", "report", "links", "git", "write", "ledgerfile", "privacymanifest"},
		"run":    {"cli", "report", "sheet", "editor", "lsp", "watch"},
		"editor": {"cli", "lsp", "sheet", "links", "write"},
		"lsp":    {"cli", "report", "run", "view", "core/check", "core/rulebook", "core/dossier"},
		"watch":  {"cli", "run", "report"},
	} {
		eachFile(t, root, func(path string, _ *token.FileSet, f *ast.File) {
			for _, i := range f.Imports {
				name, err := strconv.Unquote(i.Path.Value)
				require.NoError(t, err)
				seen++
				for _, b := range barred {
					assert.False(t, name == module+b || strings.HasPrefix(name, module+b+"/"), "%s imports %s", path, name)
				}
				if root == "core" {
					assert.NotContains(t, []string{"flag", "os/exec", "net/http"}, name, "%s: the core reads no flags, starts nothing and asks nobody", path)
				}
			}
		})
	}
	assert.Greater(t, seen, 500)
}

// TestRenderersKnowNoRule holds that no renderer names a rule, or one of the stores.
func TestRenderersKnowNoRule(t *testing.T) {
	rule := regexp.MustCompile(`^(common|android|ios)/[a-z0-9-]+$`)
	for _, root := range []string{"report", "sheet", "view"} {
		eachFile(t, root, func(path string, set *token.FileSet, f *ast.File) {
			ast.Inspect(f, func(n ast.Node) bool {
				b, ok := n.(*ast.BinaryExpr)
				if l, isLit := n.(*ast.BasicLit); isLit && l.Kind == token.STRING {
					text, _ := strconv.Unquote(l.Value)
					assert.False(t, rule.MatchString(text), "%s names the rule %s", set.Position(l.Pos()), text)
				}
				if !ok || b.Op != token.EQL && b.Op != token.NEQ {
					return true
				}
				for _, x := range []ast.Expr{b.X, b.Y} {
					if l, ok := x.(*ast.BasicLit); ok {
						assert.NotContains(t, []string{`"ios"`, `"android"`}, l.Value, "%s compares a store", set.Position(l.Pos()))
					}
				}
				return true
			})
		})
	}
}

// TestPackageComments holds that every package says what it is.
func TestPackageComments(t *testing.T) {
	said := map[string]bool{}
	for _, root := range []string{".", "../cmd", "../rulebooks", "../demo", "../scripts"} {
		eachFile(t, root, func(path string, _ *token.FileSet, f *ast.File) {
			dir := filepath.Dir(path)
			said[dir] = said[dir] || f.Doc != nil && len(f.Doc.Text()) > 20
		})
	}
	for dir, ok := range said {
		assert.True(t, ok, "%s has no package comment", dir)
	}
}
