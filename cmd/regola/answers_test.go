package main_test

import (
	"encoding/json"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.yaml.in/yaml/v3"
)

// answers lists every answer of a dossier: the path of each leaf below answers.
func answers(n *yaml.Node, path []string) (out [][]string) {
	if n.Kind != yaml.MappingNode || len(n.Content) == 0 {
		return [][]string{slices.Clone(path)}
	}
	for i := 0; i+1 < len(n.Content); i += 2 {
		key, val := n.Content[i].Value, n.Content[i+1]
		if val.Kind == yaml.SequenceNode && len(val.Content) > 0 && val.Content[0].Kind == yaml.MappingNode {
			for _, leaf := range answers(val.Content[0], append(path, key, "0")) {
				if leaf[len(leaf)-1] != "kind" { // without it the entry itself is an error
					out = append(out, leaf)
				}
			}
			continue
		}
		out = append(out, answers(val, append(path, key))...)
	}
	return out
}

// without removes a path.
func without(n *yaml.Node, path []string) {
	if n.Kind == yaml.SequenceNode {
		without(n.Content[0], path[1:])
		return
	}
	for i := 0; i+1 < len(n.Content); i += 2 {
		if n.Content[i].Value != path[0] {
			continue
		}
		if len(path) == 1 {
			n.Content = slices.Delete(n.Content, i, i+2)
			return
		}
		without(n.Content[i+1], path[1:])
		return
	}
}

// TestEveryAnswer removes each answer of the sound demo by itself: what is then found,
// or to be answered, is about that answer and nothing else.
func TestEveryAnswer(t *testing.T) {
	dir := filepath.Join(demo(t), "sound")
	file := filepath.Join(dir, "dossier.yaml")
	source, err := os.ReadFile(file)
	require.NoError(t, err)
	var doc yaml.Node
	require.NoError(t, yaml.Unmarshal(source, &doc))
	var paths [][]string
	root := doc.Content[0]
	for i := 0; i+1 < len(root.Content); i += 2 {
		if root.Content[i].Value == "answers" {
			paths = answers(root.Content[i+1], []string{"answers"})
		}
	}
	require.Greater(t, len(paths), 20)
	// A list without a member is an answer, so that its absence in an entry is a fault.
	findings := map[string][]string{"answers.content.others": {"common/content-answered"}, "answers.data.0.purposes": {"common/data-accounts", "common/data-complete"}}
	for _, path := range paths {
		name := strings.Join(path, ".")
		var doc yaml.Node
		require.NoError(t, yaml.Unmarshal(source, &doc))
		without(doc.Content[0], path)
		text, err := yaml.Marshal(&doc)
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(file, text, 0o600))
		out, stderr, _ := regola(t, dir, "check", "--on", on, "--format", "json")
		var result struct {
			Findings []struct{ Rule, Say string }
			Open     []struct {
				State   string
				Reasons []struct{ Field string }
			} `json:"not_judged"`
		}
		require.NoError(t, json.Unmarshal([]byte(out), &result), "%s: %s", name, stderr)
		var found []string
		for _, f := range result.Findings {
			found = append(found, f.Rule)
		}
		slices.Sort(found)
		assert.Equal(t, findings[name], slices.Compact(found), name)
		asked := 0
		for _, o := range result.Open {
			for _, g := range o.Reasons {
				if o.State != "to-answer" {
					continue
				}
				asked++
				field := strings.ReplaceAll(strings.ReplaceAll(g.Field, "[0]", ".0"), "rating", "answers.content")
				about := strings.HasPrefix(field, name) || strings.HasSuffix(name, ".others") && strings.HasPrefix(field, strings.TrimSuffix(name, ".others"))
				assert.True(t, about, "%s: %s is asked for", name, g.Field)
			}
		}
		assert.Positive(t, asked+len(found), "%s: without it nothing is asked", name)
	}
}
