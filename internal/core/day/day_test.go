package day_test

import (
	"encoding/json"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"regola.example/regola/internal/core/day"
)

// TestBounded writes moments that JSON has no form for.
func TestBounded(t *testing.T) {
	zone := time.FixedZone("", -7*3600)
	for _, c := range []struct{ at, want time.Time }{
		{time.Date(9999, 12, 31, 23, 59, 59, 0, zone), time.Date(9999, 12, 31, 23, 59, 59, 0, time.UTC)},
		{time.Unix(1<<60, 0), time.Date(9999, 12, 31, 23, 59, 59, 0, time.UTC)},
		{time.Date(-3, 1, 1, 0, 0, 0, 0, time.UTC), time.Time{}},
		{time.Date(2026, 11, 25, 10, 0, 0, 0, zone), time.Date(2026, 11, 25, 17, 0, 0, 0, time.UTC)},
	} {
		got := day.Bounded(c.at)
		assert.Equal(t, c.want, got)
		_, err := json.Marshal(got)
		assert.NoError(t, err)
	}
}
