package restable_test

import (
	"testing"

	"regola.example/regola/internal/core/format/resource"
	"regola.example/regola/internal/core/format/restable"
	"regola.example/regola/internal/seed"
)

// TestOutcomes holds what is read of sound files, and of damaged copies of them.
func TestOutcomes(t *testing.T) {
	seed.Outcomes(t, map[string][]byte{
		"plain": seed.Entry(t, seed.APK, "resources.arsc"), "short": seed.Entry(t, seed.ShortAPK, "resources.arsc"),
	}, func(data []byte) (any, error) {
		table, err := restable.Parse(data, nil)
		if err != nil {
			return nil, err
		}
		out := []any{table.Locales(), table.Orphans(), table.Strings(), table.Densities()}
		for id := uint32(0x7f010000); id < 0x7f0a0000; id += 0x10000 {
			for i := range uint32(4) {
				out = append(out, resource.Resolve(table, resource.Value{Kind: resource.Reference, Ref: id + i}, nil), resource.Inherited(table, id+i, nil))
			}
		}
		table.Texts(func(id uint32, locale, text string) { out = append(out, []string{locale, text}) })
		return append(out, table.Err()), nil
	})
}
