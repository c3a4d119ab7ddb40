package pgdump_test

import (
	"os"
	"testing"

	"regola.example/regola/internal/core/format/pgdump"
	"regola.example/regola/internal/seed"
)

// TestOutcomes holds what is read of sound files, and of damaged copies of them.
func TestOutcomes(t *testing.T) {
	files := map[string][]byte{"grants": []byte("CREATE TABLE a (id int, \"b c\" text); GRANT ALL ON ALL TABLES IN SCHEMA public TO PUBLIC, a, b; -- end")}
	for _, name := range dumps {
		data, err := os.ReadFile(name)
		if err != nil {
			t.Fatal(err)
		}
		files[name] = data
	}
	seed.Outcomes(t, files, func(data []byte) (any, error) {
		s, err := pgdump.Parse(string(data))
		if err != nil {
			return nil, err
		}
		out := []any{s}
		for _, r := range s.Relations {
			for _, p := range r.Policies {
				out = append(out, pgdump.Logic(p.Using))
			}
		}
		return out, nil
	})
}
