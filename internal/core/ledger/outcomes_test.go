package ledger

import (
	"os"
	"testing"

	"regola.example/regola/internal/seed"
)

// TestOutcomes holds what is read of a ledger and follows from it, and of damaged copies.
func TestOutcomes(t *testing.T) {
	data, err := os.ReadFile("../../../demo/faulty/ledger.jsonl")
	if err != nil {
		t.Fatal(err)
	}
	seed.Outcomes(t, map[string][]byte{"demo": data}, func(data []byte) (any, error) {
		l := Parse("ledger.jsonl", data)
		out := []any{l, l.Gap()}
		for _, store := range []string{"android", "ios"} {
			last := l.Last(store)
			now := &Release{Version: "9.0", Build: "9000", Texts: map[string]string{"it/name": "0"}}
			out = append(out, last, l.Of(store, now, last), l.Sent(store, "1400"), l.Sent(store, "9000"))
			if last != nil {
				out = append(out, Compare(last, now), last.Parts("permission"), last.Parts("purpose"))
			}
		}
		return out, nil
	})
}
