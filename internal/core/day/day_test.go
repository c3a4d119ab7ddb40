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

// TestParse reads days, and says what is wrong with what is none.
func TestParse(t *testing.T) {
	d, err := day.Parse("2028-02-29")
	assert.NoError(t, err)
	assert.Equal(t, []string{"2028-02-29", "29 February 2028"}, []string{d.String(), d.Long()})
	for text, want := range map[string]string{
		"2026-02-29": `"2026-02-29" is not a day: February 2026 has 28 days`,
		"2026-13-01": "a year has 12 months",
		"26-01-01":   "is not a day of the form",
		"tomorrow":   "is not a day of the form",
		"2026-1-1":   "is not a day of the form",
		"":           "is not a day of the form",
	} {
		_, err := day.Parse(text)
		assert.ErrorContains(t, err, want, text)
	}
}

// TestJSON writes a day as a plain date, and reads nothing else.
func TestJSON(t *testing.T) {
	var v struct{ On, Until *day.Day }
	assert.NoError(t, json.Unmarshal([]byte(`{"On":"2026-11-25"}`), &v))
	out, err := json.Marshal(v)
	assert.NoError(t, err)
	assert.Equal(t, `{"On":"2026-11-25","Until":null}`, string(out))
	for _, bad := range []string{`{"On":"2026-11-25T00:00:00Z"}`, `{"On":5}`, `{"On":""}`} {
		assert.Error(t, json.Unmarshal([]byte(bad), &v), bad)
	}
}

// TestBetween counts both ends.
func TestBetween(t *testing.T) {
	at := func(s string) *day.Day {
		d, err := day.Parse(s)
		assert.NoError(t, err)
		return &d
	}
	on := at("2026-11-25")
	for _, c := range []struct {
		from, until *day.Day
		want        bool
	}{{nil, nil, true}, {on, on, true}, {at("2026-11-26"), nil, false}, {nil, at("2026-11-24"), false}, {at("2026-11-24"), at("2026-11-26"), true}} {
		assert.Equal(t, c.want, on.Between(c.from, c.until))
	}
	late := time.Date(2026, 11, 25, 23, 59, 0, 0, time.FixedZone("", 9*3600))
	assert.Equal(t, "2026-11-25", day.Of(late).String(), "the day of the moment's own zone")
}
