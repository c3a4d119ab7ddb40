package zipscan_test

import (
	"bytes"
	"io"
	"testing"

	"regola.example/regola/internal/core/format/zipscan"
	"regola.example/regola/internal/seed"
)

// TestOutcomes holds what is read of sound files, and of damaged copies of them.
func TestOutcomes(t *testing.T) {
	seed.Outcomes(t, map[string][]byte{"made": archive(t, "a", "res/b.png", "lib/x.so"), "stored": seed.Zip(t, map[string][]byte{"a": []byte("kiln"), "dir/": nil, "dir/b": bytes.Repeat([]byte("glaze"), 99)})},
		func(data []byte) (any, error) {
			a, err := zipscan.Scan(bytes.NewReader(data), int64(len(data)))
			if err != nil {
				return nil, err
			}
			out := []any{a}
			for _, e := range a.Entries {
				r, err := e.Open()
				if err != nil {
					out = append(out, err)
					continue
				}
				content, err := io.ReadAll(io.LimitReader(r, 1<<16))
				offset, offErr := e.DataOffset()
				out = append(out, content, err, offset, offErr)
			}
			return out, nil
		})
}
