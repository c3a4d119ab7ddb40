package protores_test

import (
	"testing"

	"regola.example/regola/internal/core/format/protores"
	"regola.example/regola/internal/core/format/resource"
	"regola.example/regola/internal/seed"
)

// TestOutcomes holds what is read of sound files, and of damaged copies of them.
func TestOutcomes(t *testing.T) {
	seed.Outcomes(t, map[string][]byte{"manifest": seed.Entry(t, seed.Bundle, "base/manifest/AndroidManifest.xml"), "table": seed.Entry(t, seed.Bundle, "base/resources.pb")},
		func(data []byte) (any, error) {
			root, err := protores.ParseXML(data, nil)
			table, tableErr := protores.ParseTable(data, nil)
			if err != nil && tableErr != nil {
				return nil, err
			}
			out := []any{root, err, tableErr}
			if tableErr == nil {
				out = append(out, table.Locales(), table.Orphans(), table.Strings(), table.Densities())
				for id := uint32(0x7f010000); id < 0x7f0a0000; id += 0x10000 {
					for i := range uint32(3) {
						out = append(out, resource.Resolve(table, resource.Value{Kind: resource.Reference, Ref: id + i}, nil), resource.Inherited(table, id+i, nil))
					}
				}
			}
			return out, nil
		})
}
