// Package day is a calendar day without a time zone, as stores announce them.
package day

import (
	"encoding/json"
	"fmt"
	"time"
)

// Day is a calendar day. The zero Day is none.
type Day struct{ time.Time }

// Parse reads a day written as 2006-01-02.
func Parse(s string) (Day, error) {
	t, err := time.Parse(time.DateOnly, s)
	if err == nil {
		return Day{t}, nil
	}
	var y, m, d int
	if n, _ := fmt.Sscanf(s, "%4d-%2d-%2d", &y, &m, &d); n == 3 && len(s) == len(time.DateOnly) && y > 0 && m > 0 && d > 0 {
		if m > 12 {
			return Day{}, fmt.Errorf("%q is not a day: a year has 12 months", s)
		}
		last := time.Date(y, time.Month(m)+1, 0, 0, 0, 0, 0, time.UTC)
		return Day{}, fmt.Errorf("%q is not a day: %s %d has %d days", s, last.Month(), y, last.Day())
	}
	return Day{}, fmt.Errorf("%q is not a day of the form 2026-11-23", s)
}

// Of is the day of a moment, in the moment's own zone.
func Of(t time.Time) Day {
	return Day{time.Date(t.Year(), t.Month(), t.Day(), 0, 0, 0, 0, time.UTC)}
}

// String writes the day as 2006-01-02.
func (d Day) String() string { return d.Format(time.DateOnly) }

// Long writes the day for people, as 2 January 2006.
func (d Day) Long() string { return Long(d.Time) }

// Long writes the day of a moment for people.
func Long(t time.Time) string { return t.Format("2 January 2006") }

// MarshalJSON makes a Day a plain date in JSON; the form of the moment that it is
// made of would say more than a Day knows.
func (d Day) MarshalJSON() ([]byte, error) { return []byte(`"` + d.String() + `"`), nil }

// UnmarshalJSON reads what MarshalJSON writes.
func (d *Day) UnmarshalJSON(data []byte) error {
	var s string
	err := json.Unmarshal(data, &s)
	if err == nil {
		*d, err = Parse(s)
	}
	return err
}

// Between tells whether the day lies between two others, which belong to the
// span; a nil one is no bound.
func (d Day) Between(from, until *Day) bool {
	return (from == nil || !d.Before(from.Time)) && (until == nil || !d.After(until.Time))
}

// Bounded is a moment in UTC, within the years 1 to 9999: others cannot be
// written in the form that JSON and CEL use. A certificate can claim any.
func Bounded(t time.Time) time.Time {
	t = t.UTC()
	if first := (time.Time{}); t.Before(first) {
		return first
	}
	if last := time.Date(9999, time.December, 31, 23, 59, 59, 0, time.UTC); t.After(last) {
		return last
	}
	return t
}
