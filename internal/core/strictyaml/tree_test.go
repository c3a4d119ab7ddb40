package strictyaml_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/strictyaml"
)

// TestTree holds that a document read from its tree is the one that was read
// from YAML, places and all, and that a torn tree is refused.
func TestTree(t *testing.T) {
	const text = "name: |\n  Kiln\nlist:\n  - {on: 2026-11-23, no: yes}\n  - ''\n  - null\nvalue: 7\n"
	type anyDoc struct {
		Name  string `json:"name"`
		List  []any  `json:"list"`
		Value int    `json:"value"`
	}
	var plain, treed anyDoc
	require.Empty(t, strictyaml.Decode("a.yaml", []byte(text), &plain))
	tree, err := strictyaml.Tree("a.yaml", []byte(text))
	require.NoError(t, err)
	doc, err := strictyaml.FromTree("a.yaml", string(tree))
	require.NoError(t, err)
	require.Empty(t, doc.Decode(&treed))
	assert.Equal(t, plain, treed)
	for n := range tree {
		_, err := strictyaml.FromTree("a.yaml", string(tree[:n]))
		assert.Error(t, err, n)
	}
	_, err = strictyaml.FromTree("a.yaml", string(tree)+"x")
	assert.Error(t, err)
}
