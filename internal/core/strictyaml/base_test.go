package strictyaml_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.yaml.in/yaml/v3"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/strictyaml"
)

type part struct {
	fact.Mark `json:"-"`
	A         string   `json:"a"`
	B         string   `json:"b"`
	List      []string `json:"list"`
}

type whole struct {
	fact.Mark `json:"-"`
	Base      string            `json:"base"`
	Part      part              `json:"part"`
	Waivers   []*waived         `json:"waivers"`
	Words     map[string]string `json:"words"`
}

type waived struct {
	fact.Mark `json:"-"`
	Rule      string `json:"rule"`
	By        string `json:"by"`
}

func parse(t *testing.T, file, text string) *strictyaml.Document {
	t.Helper()
	doc, ps := strictyaml.Parse(file, []byte(text))
	require.Empty(t, ps)
	return doc
}

// TestTake joins three documents: the nearest says what holds, and every value keeps
// the place of the one that holds it.
func TestTake(t *testing.T) {
	doc := parse(t, "mine.yaml", "base: x\npart:\n  a: mine\n  list: [one]\nwaivers:\n  - {rule: r/1, by: me}\nwords: {base: w}\n")
	base := parse(t, "base.yaml", "part:\n  a: theirs\n  b: theirs\n  list: [two, three]\nwaivers:\n  - {rule: r/1, by: them}\n  - {rule: r/2, by: them}\n")
	base.Take(parse(t, "far.yaml", "part: {b: far}\nwords: {k: v, base: far}\nwaivers:\n  - {rule: r/3, by: far}\n"), map[string]string{"waivers": "rule"})
	doc.Take(base, map[string]string{"waivers": "rule"})
	var w whole
	require.Empty(t, doc.Decode(&w))
	assert.Equal(t, []any{"mine", "theirs", []string{"one"}}, []any{w.Part.A, w.Part.B, w.Part.List}, "an own list is kept")
	assert.Equal(t, map[string]string{"base": "w", "k": "v"}, w.Words)
	var who []string
	for _, x := range w.Waivers {
		who = append(who, x.Rule+" "+x.By+" "+x.Self().File)
	}
	assert.Equal(t, []string{"r/1 me mine.yaml", "r/2 them base.yaml", "r/3 far far.yaml"}, who)
	assert.Equal(t, "mine.yaml:3:3", w.Part.Field("a").String())
	assert.Equal(t, "base.yaml:3:3", w.Part.Field("b").String())

	bad := parse(t, "mine.yaml", "part: {a: x}\n")
	bad.Take(parse(t, "base.yaml", "part:\n  kidn: y\n"), nil)
	ps := bad.Decode(&w)
	require.Len(t, ps, 1)
	assert.Equal(t, "base.yaml:2:3", ps[0].At.String(), "a mistake in a base is reported there")
	odd := parse(t, "mine.yaml", "part: x\n")
	odd.Take(parse(t, "base.yaml", "part: {a: y}\n"), nil)
	require.Len(t, odd.Decode(&w), 1, "a value of another kind stands")
}

// TestEach goes through all single values, with their paths.
func TestEach(t *testing.T) {
	doc := parse(t, "f", "a: 1\nb: [x, {c: y}]\nd: {e: z}\n")
	var got []string
	doc.Each(func(path string, n *yaml.Node) {
		got = append(got, path+"="+n.Value)
		n.Value += "!"
	})
	assert.Equal(t, []string{"a=1", "b[]=x", "b[].c=y", "d.e=z"}, got)
	n, ok := doc.Value("a")
	assert.True(t, ok && n.Value == "1!")
	_, ok = doc.Value("b")
	assert.False(t, ok, "a list is no single value")
}
