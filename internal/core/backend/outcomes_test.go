package backend_test

import (
	"os"
	"testing"

	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/backend"
	"regola.example/regola/internal/core/format/pgdump"
	"regola.example/regola/internal/core/strictyaml"
	"regola.example/regola/internal/seed"
)

// TestOutcomes holds who reaches what by the demo's dumps and rules, and by damaged ones.
func TestOutcomes(t *testing.T) {
	set := names(t)
	files := map[string][]byte{}
	for _, name := range []string{"demo/sound/backend/schema.sql", "demo/faulty/backend/schema.sql"} {
		data, err := os.ReadFile("../../../" + name)
		require.NoError(t, err)
		files[name] = data
	}
	files["rules"] = []byte("regola: 1\ndefault: deny\ncollections:\n  - {name: kilns, holds: [name], owner_field: owner, list: owner, get: anyone, create: signed-in, fields: [role, note], immutable: [note]}\n  - {name: firings, read: owner, update: owner, until: 2027-01-31, fields: [is_admin], server_only: [x]}\n")
	seed.Outcomes(t, files, func(data []byte) (any, error) {
		if len(data) > 6 && string(data[:6]) == "regola" {
			rules := &backend.Rules{}
			if ps := strictyaml.Decode("rules.yaml", data, rules); len(ps) > 0 {
				return nil, ps
			}
			return backend.FromRules(rules, set), nil
		}
		s, err := pgdump.Parse(string(data))
		if err != nil {
			return nil, err
		}
		return backend.FromDump("schema.sql", string(data), s, backend.Setup{}, set), nil
	})
}
