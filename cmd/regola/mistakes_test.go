package main_test

import (
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.yaml.in/yaml/v3"
)

// words is a text, or a list of texts.
type words []string

func (w *words) UnmarshalYAML(n *yaml.Node) error {
	if n.Kind == yaml.ScalarNode {
		*w = words{n.Value}
		return nil
	}
	return n.Decode((*[]string)(w))
}

// TestMistakes makes each mistake of testdata/mistakes.yaml and reads what the
// built program says: what is wrong, where, and how to fix it.
func TestMistakes(t *testing.T) {
	data, err := os.ReadFile("testdata/mistakes.yaml")
	require.NoError(t, err)
	var cases []struct {
		Name, Base            string
		Run, Edit, File, Rule words
		Exit                  int
		Want, Not             words
	}
	require.NoError(t, yaml.Unmarshal(data, &cases))
	sound := filepath.Join(demo(t), "sound")
	for _, c := range cases {
		t.Run(c.Name, func(t *testing.T) {
			t.Parallel()
			dir := t.TempDir()
			if c.Base != "bare" {
				copyDossier(t, sound, dir)
			}
			write := func(name, text string) {
				file := filepath.Join(dir, name)
				require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
				require.NoError(t, os.WriteFile(file, []byte(text), 0o644))
			}
			if len(c.Rule) > 0 {
				require.Contains(t, ownRules, c.Rule[0])
				write("house.yaml", strings.Replace(ownRules, c.Rule[0], c.Rule[1], 1))
				if len(c.Edit) == 0 {
					c.Edit = words{"dossier.yaml", "tables:", "rulebooks: [house.yaml]\ntables:"}
				}
			}
			if len(c.Edit) > 0 {
				text, err := os.ReadFile(filepath.Join(dir, c.Edit[0]))
				require.NoError(t, err)
				require.Contains(t, string(text), c.Edit[1])
				c.Want = placed(c.Want, strings.Count(string(text)[:strings.Index(string(text), c.Edit[1])], "\n")+1)
				write(c.Edit[0], strings.Replace(string(text), c.Edit[1], c.Edit[2], 1))
			}
			if len(c.File) > 0 {
				write(c.File[0], c.File[1])
			}
			args := c.Run
			if args[0] == "check" && !strings.Contains(strings.Join(args, " "), "--on") {
				args = append(words{"check", "--on", on}, args[1:]...)
			}
			out, stderr, exit := regola(t, dir, args...)
			assert.Equal(t, c.Exit, exit, stderr)
			for _, want := range c.Want {
				assert.Contains(t, out+stderr, want)
			}
			for _, not := range c.Not {
				assert.NotContains(t, out+stderr, not)
			}
			if exit == 2 {
				assert.Contains(t, stderr, "  fix  ", "every mistake has a way out")
			}
		})
	}
}

// edited is a line of the edited file, counted from the line of the edit.
var edited = regexp.MustCompile(`dossier\.yaml:@([+-]\d+)?`)

// placed writes the lines of expected places, so that the demo can grow.
func placed(want words, line int) (out words) {
	for _, w := range want {
		out = append(out, edited.ReplaceAllStringFunc(w, func(s string) string {
			by, _ := strconv.Atoi(strings.TrimPrefix(s, "dossier.yaml:@"))
			return fmt.Sprintf("dossier.yaml:%d", line+by)
		}))
	}
	return out
}

// copyDossier copies a dossier, its packages as links.
func copyDossier(t *testing.T, from, to string) {
	require.NoError(t, filepath.WalkDir(from, func(path string, e fs.DirEntry, err error) error {
		rel, _ := filepath.Rel(from, path)
		switch into := filepath.Join(to, rel); {
		case err != nil || e.IsDir():
			return os.MkdirAll(into, 0o755)
		case filepath.Ext(path) == ".yaml":
			data, err := os.ReadFile(path)
			require.NoError(t, err)
			return os.WriteFile(into, data, 0o644)
		default:
			return os.Link(path, into)
		}
	}))
}
