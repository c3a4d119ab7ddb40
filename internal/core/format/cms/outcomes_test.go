package cms_test

import (
	"os"
	"path/filepath"
	"testing"

	"regola.example/regola/internal/core/format/cms"
	"regola.example/regola/internal/seed"
)

// TestOutcomes holds what is read of sound files, and of damaged copies of them.
func TestOutcomes(t *testing.T) {
	files := map[string][]byte{}
	names, _ := filepath.Glob("testdata/*.p7")
	for _, name := range names {
		data, err := os.ReadFile(name)
		if err != nil {
			t.Fatal(err)
		}
		files[filepath.Base(name)] = data
	}
	seed.Outcomes(t, files, func(data []byte) (any, error) {
		p, err := cms.Parse(data)
		if err != nil {
			return nil, err
		}
		return []any{p.Content, len(p.Certificates), len(p.Signers), cms.Verify(p, p.Content), cms.Verify(p, []byte("kiln"))}, nil
	})
}
