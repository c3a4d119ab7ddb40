package strictyaml_test

import (
	"testing"

	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/strictyaml"
	"regola.example/regola/internal/seed"
)

type firing struct {
	fact.Mark `json:"-"`
	Name      string             `json:"name" need:"its name" also:"title"`
	Kind      string             `json:"kind" enum:"bisque|glaze|true"`
	Code      string             `json:"code" like:"^[a-z]+$" hint:"small letters"`
	Heat      int64              `json:"heat"`
	Share     float64            `json:"share"`
	Done      *bool              `json:"done"`
	Day       *day.Day           `json:"day"`
	Words     []string           `json:"words" most:"3" words:"glazes"`
	Steps     []*firing          `json:"steps"`
	By        map[string]string  `json:"by" words:"cones"`
	Rest      map[string]*firing `json:"-" rest:"kilns"`
}

const document = `name: First firing
kind: glaze
code: abc
heat: 1_240
share: 0.25
done: true
day: 2026-11-25
words: [celadon, ash]
steps:
  - {name: "one", heat: 600}
  - name: two
    kind: 'true'
by: {slow: "6"}
big:
  name: |
    Two lines
    of text
`

// TestOutcomes holds what is read of a document, and of damaged copies of it.
func TestOutcomes(t *testing.T) {
	words := map[string][]string{"glazes": {"celadon", "ash", "tenmoku"}, "cones": {"slow", "fast"}, "cones/slow": {"6", "7"}}
	seed.Outcomes(t, map[string][]byte{"document": []byte(document), "anchors": []byte("name: &a x\nsteps: [{name: *a}]\nday: 2026-13-01\nheat: 9223372036854775808\nname: y\nnam: z\n...\n---\nb: 1\n")}, func(data []byte) (any, error) {
		var f firing
		ps := strictyaml.DecodeKeys("kiln.yaml", data, &f, []string{"big", "small"}, words)
		var fixes []string
		for _, p := range ps {
			fixes = append(fixes, p.Error()+" | "+p.Fix)
		}
		return []any{f, fixes}, nil
	})
}
