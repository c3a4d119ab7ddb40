package codesign_test

import (
	"testing"

	"regola.example/regola/internal/core/format/codesign"
	"regola.example/regola/internal/seed"
)

// TestOutcomes holds what is read of sound files, and of damaged copies of them.
func TestOutcomes(t *testing.T) {
	seed.Outcomes(t, map[string][]byte{"signature": slice(t, nil).Signature}, func(data []byte) (any, error) {
		s, err := codesign.Parse(data, nil)
		if err != nil {
			return nil, err
		}
		pages := s.VerifyPages(map[int64][][]byte{4096: {make([]byte, 32)}})
		s.VerifyFile(codesign.SlotInfo, "Info.plist", nil)
		return []any{s, s.Adhoc(), pages}, nil
	})
}
