package fetched_test

import (
	"testing"

	"regola.example/regola/internal/core/fetched"
	"regola.example/regola/internal/seed"
)

// TestOutcomes holds what is read of pages and statements, and of damaged copies.
func TestOutcomes(t *testing.T) {
	seed.Outcomes(t, map[string][]byte{
		"page":      []byte("<html lang=it><head><title>Terrafuoco</title><script>var data = 'x'</script></head><body><h1>Privacy</h1><p>We store your data.</p><form action=/delete><input name=email></form></body></html>"),
		"android":   []byte(`[{"relation": ["delegate_permission/common.handle_all_urls"], "target": {"namespace": "android_app", "package_name": "org.example.terrafuoco", "sha256_cert_fingerprints": ["AA:BB"]}}]`),
		"ios":       []byte(`{"applinks": {"details": [{"appIDs": ["TEAM12345.org.example.terrafuoco"], "components": [{"/": "/firing/*"}]}, {"appID": "X.y", "paths": ["*"]}]}, "webcredentials": {"apps": ["TEAM12345.org.example.terrafuoco"]}}`),
		"no answer": {},
	}, func(data []byte) (any, error) {
		p, s := &fetched.Page{}, &fetched.Statement{}
		p.Read(data, []string{"Terrafuoco", "Argilla"}, []string{"data", "store"})
		s.Read(data)
		return []any{p, s}, nil
	})
}
