package tables_test

import (
	"testing"

	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/tables"
	"regola.example/regola/internal/seed"
)

const rows = `densities: {mdpi: 160, hdpi: 240}
words:
  glazes:
    - {word: ash, what: of wood, values: [thin, thick]}
    - {word: celadon}
  glazes_more:
    - {word: tenmoku, from: 2026-01-01, until: 2026-06-30}
junk:
  - {name: backups, pattern: "\\.bak$"}
loan_barred:
  - {permission: a.b.SMS, from: 2025-01-01}
  - {permission: a.b.OLD, until: 2025-12-31}
purpose_data: {camera: [photos]}
closed_calls: [a.b.c]
mine:
  - {kiln: one, heat: 1240, from: 2026-11-25}
  - {kiln: two, until: 2026-11-24}
  - {kiln: three, until: 2026-11-25}
plain: [a, b]
pairs: {a: 1, b: 2}
`

// TestOutcomes holds what is read of tables, what is in force on a day, and what is read
// of damaged copies.
func TestOutcomes(t *testing.T) {
	on, err := day.Parse("2026-11-25")
	if err != nil {
		t.Fatal(err)
	}
	seed.Outcomes(t, map[string][]byte{"rows": []byte(rows)}, func(data []byte) (any, error) {
		s, ps := tables.Parse("own.yaml", data)
		if len(ps) > 0 {
			return nil, ps
		}
		o := s.On(on)
		out := []any{s.Names(), o.Names(), s.Known, o.Known, s.Vocabularies()}
		for _, n := range o.Names() {
			out = append(out, n, o.Get(n))
		}
		both := s.Clone()
		both.Add(s)
		return append(out, s.Vocabulary("glazes"), both.Names(), len(both.Words["glazes"]), len(both.Junk)), nil
	})
}
