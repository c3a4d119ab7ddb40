package privacyinfo_test

import (
	"testing"

	"regola.example/regola/internal/core/format/privacyinfo"
	"regola.example/regola/internal/seed"
)

// TestOutcomes holds what is read of sound files, and of damaged copies of them.
func TestOutcomes(t *testing.T) {
	seed.Outcomes(t, map[string][]byte{
		"app": seed.Entry(t, seed.IPA, "Payload/Terrafuoco.app/PrivacyInfo.xcprivacy"),
	}, func(data []byte) (any, error) { return privacyinfo.Parse(data, nil) })
}
