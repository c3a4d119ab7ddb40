package tables_test

import (
	"reflect"
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
  - {pattern: "\\.bak$", why: a backup}
loan_barred:
  - {permissions: [a.b.SMS], from: 2025-01-01}
  - {permissions: [a.b.OLD], until: 2025-12-31}
purpose_data: {camera: [photos]}
closed_calls: [a.b.c]
mine:
  - {kiln: one, heat: 1240, from: 2026-11-25}
  - {kiln: two, until: 2026-11-24}
  - {kiln: three, until: 2026-11-25}
plain: [{name: a}, {name: b}]
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

// TestLastDay holds that both ends of a row count.
func TestLastDay(t *testing.T) {
	s, ps := tables.Parse("own.yaml", []byte("loan_barred:\n  - {permissions: [a.b.SMS], from: 2026-01-02, until: 2026-03-04}\nmine:\n  - {kiln: one, from: 2026-01-02, until: 2026-03-04}\n"))
	if len(ps) > 0 {
		t.Fatal(ps)
	}
	for d, want := range map[string]int{"2026-01-01": 0, "2026-01-02": 1, "2026-03-04": 1, "2026-03-05": 0} {
		on, err := day.Parse(d)
		if err != nil {
			t.Fatal(err)
		}
		o := s.On(on)
		if n := len(o.LoanBarred); n != want {
			t.Errorf("%s: %d rows with a type, %d expected", d, n, want)
		}
		if n := reflect.ValueOf(o.Get("mine")).Len(); n != want {
			t.Errorf("%s: %d plain rows, %d expected", d, n, want)
		}
	}
}
