// Command mutate changes lines of the core at random, one at a time, and runs the tests
// that should notice: those of the line's package, then those of the rules. It prints the
// changes that nobody noticed.
//
// Nothing in the tree is written: a changed file takes the place of the original through
// the compiler's overlay. The same seed makes the same changes to the same code.
package main

import (
	"bytes"
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"go/ast"
	"go/format"
	"go/parser"
	"go/token"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"time"

	"golang.org/x/sync/errgroup"
)

// mutant is one change of one file.
type mutant struct {
	file     string
	line     int
	kind     string
	was, now string
	source   []byte // of the changed file
	outcome  string
}

// The outcomes.
const (
	noticed  = "noticed"
	survived = "survived"
	refused  = "refused" // by the compiler or vet: no program
)

func main() {
	n := flag.Int("n", 30, "how many changes")
	seed := flag.Uint64("seed", 1, "where the sequence of random numbers begins")
	root := flag.String("root", "internal/core", "the folder whose files are changed")
	rules := flag.Bool("rules", true, "run the tests of the rules on what a package's own tests do not notice")
	jobs := flag.Int("jobs", max(1, runtime.NumCPU()-1), "how many at a time")
	limit := flag.Duration("limit", 4*time.Minute, "the time that one run of tests may take")
	flag.Parse()
	if err := run(*n, *seed, *root, *rules, *jobs, *limit); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(2)
	}
}

func run(n int, seed uint64, root string, rules bool, jobs int, limit time.Duration) error {
	all, err := candidates(root)
	if err != nil {
		return err
	}
	fmt.Printf("%d possible changes in %s, seed %d\n", len(all), root, seed)
	rand.New(rand.NewPCG(seed, seed)).Shuffle(len(all), func(i, j int) { all[i], all[j] = all[j], all[i] })
	dir, err := os.MkdirTemp("", "mutate")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)

	// What the compiler refuses does not count; the next one takes its place.
	var done []*mutant
	for next := 0; len(done) < n && next < len(all); {
		batch := all[next:min(len(all), next+n-len(done))]
		next += len(batch)
		var g errgroup.Group
		g.SetLimit(jobs)
		for i, m := range batch {
			g.Go(func() error {
				err := try(m, filepath.Join(dir, strconv.Itoa(next+i)), rules, limit)
				if m.outcome == survived {
					fmt.Printf("%s:%d: %s: %s => %s\n", m.file, m.line, m.kind, m.was, m.now)
				}
				return err
			})
		}
		if err := g.Wait(); err != nil {
			return err
		}
		for _, m := range batch {
			if m.outcome != refused {
				done = append(done, m)
			}
		}
	}
	got := 0
	for _, m := range done {
		if m.outcome == noticed {
			got++
		}
	}
	fmt.Printf("%d of %d noticed (%d %%)\n", got, len(done), 100*got/max(1, len(done)))
	return nil
}

// try runs the tests on one change.
func try(m *mutant, dir string, rules bool, limit time.Duration) error {
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	abs, err := filepath.Abs(m.file)
	if err != nil {
		return err
	}
	changed := filepath.Join(dir, filepath.Base(m.file))
	if err := os.WriteFile(changed, m.source, 0o644); err != nil {
		return err
	}
	overlay := filepath.Join(dir, "overlay.json")
	text, err := json.Marshal(map[string]map[string]string{"Replace": {abs: changed}})
	if err != nil {
		return err
	}
	if err := os.WriteFile(overlay, text, 0o644); err != nil {
		return err
	}
	pkg := "./" + filepath.ToSlash(filepath.Dir(m.file))
	ok := func(args ...string) bool {
		ctx, cancel := context.WithTimeout(context.Background(), limit)
		defer cancel()
		cmd := exec.CommandContext(ctx, "go", args...)
		cmd.WaitDelay = time.Second
		return cmd.Run() == nil
	}
	switch {
	case !ok("build", "-overlay", overlay, pkg) || !ok("vet", "-overlay", overlay, pkg):
		m.outcome = refused
	case !ok("test", "-overlay", overlay, "-timeout", limit.String(), "-failfast", pkg),
		rules && !ok("test", "-overlay", overlay, "-timeout", limit.String(), "-failfast", "./rulebooks"):
		m.outcome = noticed
	default:
		m.outcome = survived
	}
	return nil
}

// candidates lists all changes of the files below a folder.
func candidates(root string) ([]*mutant, error) {
	var out []*mutant
	err := filepath.WalkDir(root, func(path string, d os.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return err
		}
		more, err := ofFile(path)
		out = append(out, more...)
		return err
	})
	return out, err
}

// change is one way to change a tree, and the way back.
type change struct {
	at       token.Pos
	kind     string
	node     func() ast.Node // that is shown
	do, undo func()
}

func ofFile(path string) ([]*mutant, error) {
	fset := token.NewFileSet()
	f, err := parser.ParseFile(fset, path, nil, parser.ParseComments|parser.SkipObjectResolution)
	if err != nil {
		return nil, err
	}
	var out []*mutant
	for _, c := range changes(f) {
		m := &mutant{file: path, line: fset.Position(c.at).Line, kind: c.kind, was: show(fset, c.node())}
		c.do()
		m.now = show(fset, c.node())
		var b bytes.Buffer
		err := format.Node(&b, fset, f)
		c.undo()
		if err != nil {
			return nil, fmt.Errorf("%s:%d: %w", path, m.line, err)
		}
		if m.source = b.Bytes(); m.was != m.now {
			out = append(out, m)
		}
	}
	return out, nil
}

// show is a node in one short line.
func show(fset *token.FileSet, n ast.Node) string {
	var b bytes.Buffer
	if err := format.Node(&b, fset, n); err != nil {
		return err.Error()
	}
	line := strings.Join(strings.Fields(b.String()), " ")
	if len(line) > 100 {
		line = line[:100] + "…"
	}
	return line
}

// other is what an operator becomes.
var other = map[token.Token]token.Token{
	token.LSS: token.LEQ, token.LEQ: token.LSS, token.GTR: token.GEQ, token.GEQ: token.GTR,
	token.EQL: token.NEQ, token.NEQ: token.EQL, token.LAND: token.LOR, token.LOR: token.LAND,
	token.ADD: token.SUB, token.SUB: token.ADD, token.MUL: token.QUO, token.QUO: token.MUL,
	token.AND: token.OR, token.OR: token.AND, token.SHL: token.SHR, token.SHR: token.SHL,
	token.ADD_ASSIGN: token.SUB_ASSIGN, token.SUB_ASSIGN: token.ADD_ASSIGN, token.INC: token.DEC, token.DEC: token.INC,
}

// changes lists what can be changed in a file.
func changes(f *ast.File) []change {
	var out []change
	swap := func(at token.Pos, op *token.Token, kind string, n ast.Node) {
		was := *op
		if now, ok := other[was]; ok {
			out = append(out, change{at, kind, func() ast.Node { return n }, func() { *op = now }, func() { *op = was }})
		}
	}
	literal := func(x *ast.BasicLit) {
		if n, err := strconv.ParseInt(x.Value, 0, 64); err == nil && x.Kind == token.INT {
			was := x.Value
			out = append(out, change{x.Pos(), "constant", func() ast.Node { return x }, func() { x.Value = strconv.FormatInt(n+1, 10) }, func() { x.Value = was }})
		}
	}
	truth := func(x *ast.Ident) {
		if was := x.Name; was == "true" || was == "false" {
			now := strconv.FormatBool(was == "false")
			out = append(out, change{x.Pos(), "constant", func() ast.Node { return x }, func() { x.Name = now }, func() { x.Name = was }})
		}
	}
	lines := func(list []ast.Stmt) {
		for i, s := range list {
			if !removable(s) {
				continue
			}
			out = append(out, change{s.Pos(), "removed line", func() ast.Node { return list[i] }, func() { list[i] = &ast.EmptyStmt{Semicolon: s.Pos(), Implicit: true} }, func() { list[i] = s }})
		}
	}
	skip := map[ast.Node]bool{}
	ast.Inspect(f, func(n ast.Node) bool {
		if n == nil || skip[n] {
			return false
		}
		switch x := n.(type) {
		case *ast.GenDecl:
			return x.Tok != token.IMPORT
		case *ast.CallExpr:
			// How much room is made beforehand is nothing that a test could see.
			if name := show(token.NewFileSet(), x.Fun); name == "make" && len(x.Args) > 2 || name == "slices.Grow" {
				for _, a := range x.Args[1:] {
					skip[a] = true
				}
			}
		case *ast.BinaryExpr:
			if !ofTexts(x) {
				swap(x.OpPos, &x.Op, "operator", x)
			}
		case *ast.IncDecStmt:
			swap(x.TokPos, &x.Tok, "operator", x)
		case *ast.AssignStmt:
			if !slices.ContainsFunc(x.Rhs, isText) {
				swap(x.TokPos, &x.Tok, "operator", x)
			}
		case *ast.IfStmt:
			was := x.Cond
			kind := "condition"
			if b, ok := was.(*ast.BinaryExpr); ok && b.Op == token.NEQ && isNil(b.Y) && strings.HasPrefix(strings.ToLower(show(token.NewFileSet(), b.X)), "err") {
				kind = "dropped error"
			}
			now := ast.Expr(&ast.UnaryExpr{OpPos: was.Pos(), Op: token.NOT, X: &ast.ParenExpr{X: was}})
			if kind == "dropped error" {
				now = &ast.BinaryExpr{X: was, Op: token.LAND, Y: ast.NewIdent("false")}
			}
			out = append(out, change{was.Pos(), kind, func() ast.Node { return x.Cond }, func() { x.Cond = now }, func() { x.Cond = was }})
		case *ast.BlockStmt:
			lines(x.List)
		case *ast.CaseClause:
			lines(x.Body)
		case *ast.BasicLit:
			literal(x)
		case *ast.Ident:
			truth(x)
		case *ast.Field:
			return false // tags and types
		case *ast.FuncDecl:
			if x.Body == nil {
				return false
			}
		}
		return true
	})
	return out
}

// removable tells whether a program without the statement is likely to compile.
func removable(s ast.Stmt) bool {
	switch x := s.(type) {
	case *ast.ExprStmt, *ast.IncDecStmt, *ast.DeferStmt:
		return true
	case *ast.AssignStmt:
		return x.Tok != token.DEFINE
	case *ast.BranchStmt:
		return x.Label == nil && (x.Tok == token.BREAK || x.Tok == token.CONTINUE)
	}
	return false
}

func isNil(x ast.Expr) bool {
	i, ok := x.(*ast.Ident)
	return ok && i.Name == "nil"
}

func isText(x ast.Expr) bool {
	l, ok := x.(*ast.BasicLit)
	return ok && l.Kind == token.STRING
}

// ofTexts tells whether an addition joins texts, as far as that shows.
func ofTexts(x *ast.BinaryExpr) bool {
	if x.Op != token.ADD {
		return false
	}
	found := false
	ast.Inspect(x, func(n ast.Node) bool {
		if e, ok := n.(ast.Expr); ok && isText(e) {
			found = true
		}
		return !found
	})
	return found
}
