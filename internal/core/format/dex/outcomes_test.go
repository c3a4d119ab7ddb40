package dex_test

import (
	"testing"

	"regola.example/regola/internal/core/format/dex"
	"regola.example/regola/internal/core/format/literal"
	"regola.example/regola/internal/seed"
)

// TestOutcomes holds what is read of sound files, and of damaged copies of them.
func TestOutcomes(t *testing.T) {
	seed.Outcomes(t, map[string][]byte{"code": code(t)}, func(data []byte) (any, error) {
		d, err := dex.Parse(data, nil)
		if err != nil {
			return nil, err
		}
		var out []string
		d.Classes(func(c string) { out = append(out, "class "+c) })
		d.Types(func(c string) { out = append(out, "type "+c) })
		d.Calls([]string{"java/", "android/"}, func(class, method string) { out = append(out, "calls "+class+"."+method) })
		d.Uses([]string{"java/", "android/"}, literal.Worth, func(u dex.Use) {
			if u.Text != "" {
				out = append(out, u.Caller+" loads "+u.Text)
			} else {
				out = append(out, u.Class+" calls "+u.Method+"."+u.Caller)
			}
		})
		d.Careless(func(c dex.Careless) { out = append(out, c.Class+" is careless: "+c.What) })
		return []any{d, out, d.Markers()}, nil
	})
}
