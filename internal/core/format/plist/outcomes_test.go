package plist_test

import (
	"testing"

	"regola.example/regola/internal/core/format/plist"
	"regola.example/regola/internal/seed"
)

// TestOutcomes holds what is read of sound files, and of damaged copies of them.
func TestOutcomes(t *testing.T) {
	seed.Outcomes(t, map[string][]byte{
		"xml": []byte(sample), "binary": seed.Entry(t, seed.IPA, "Payload/Terrafuoco.app/Info.plist"), "clip": seed.Entry(t, seed.WholeIPA, "Payload/Terrafuoco.app/AppClips/Clip.app/Info.plist"),
		"strings": []byte("/* texts */\n\"a\" = \"b\\n\\U00e9\";\nplain = 'c'; // end\n"), "wide strings": {0xfe, 0xff, 0, '"', 0, 'a', 0, '"', 0, '=', 0, '"', 0, 'b', 0, '"', 0, ';'},
	}, func(data []byte) (any, error) {
		v, enc, err := plist.Parse(data, nil)
		texts, textErr := plist.ParseStrings(data, nil)
		if err != nil && textErr != nil {
			return nil, err
		}
		return []any{v, enc, texts, textErr}, nil
	})
}
