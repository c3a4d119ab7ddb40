package coderes_test

import (
	"io"
	"testing"

	"regola.example/regola/internal/core/format/coderes"
	"regola.example/regola/internal/seed"
)

// TestOutcomes holds what is read of sound files, and of damaged copies of them.
func TestOutcomes(t *testing.T) {
	seed.Outcomes(t, map[string][]byte{
		"app": seed.Entry(t, seed.IPA, app+"_CodeSignature/CodeResources"), "whole": seed.Entry(t, seed.WholeIPA, app+"_CodeSignature/CodeResources"),
	}, func(data []byte) (any, error) {
		s, err := coderes.Parse(data, nil)
		if err != nil {
			return nil, err
		}
		faults := s.Verify(t.Context(), []string{"Info.plist", "a", "Frameworks/b", "Assets.car"}, "a", func(name string, buf []byte) ([]byte, error) {
			if name == "Assets.car" {
				return nil, io.EOF
			}
			return make([]byte, 32), nil
		})
		return []any{s, faults}, nil
	})
}
