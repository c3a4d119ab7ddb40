package rulebook_test

import (
	"testing"

	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/seed"
)

const house = `rulebook: house
store: android
edition: 2026-11-23
limits:
  least_level:
    - {from: 2026-01-01, value: 24}
    - {from: 2027-01-01, value: 26}
  words: [{from: 2026-01-01, value: [a, b]}]
notes:
  - {of: pkg.android.manifest.min_level, when: "true", say: "least {limit.least_level}"}
rules:
  - id: house/level
    title: We serve from level 28
    stage: package
    impact: '1 > 0 ? "refused" : "craft"'
    raise: {to: limit.least_level, field: pkg.android.manifest.min_level}
    from: 2026-11-23
    until: 2027-03-31
    when: "true"
    each: pkg.android.manifest.permissions
    expect: it.name != ""
    at: it
    say: from level {it.name}
    why: Because.
    fix: Raise it.
    after: [house/other]
    duty: {what: declare it, because: it is there, write: answers.ads, act: declare}
    basis: {topic: ours, checked: 2026-11-23, confidence: high, note: from memory}
    examples:
      - {given: {pkg: {android: {manifest: {permissions: [{name: x}]}}}}, breaks: false}
      - {given: {}, on: 2026-12-01, breaks: unknown, says: a}
  - id: house/other
    title: Something was done
    stage: release
    impact: craft
    confirm: tested-on-device
    ask: Was it done?
    fix: Do it.
    basis: {topic: ours, checked: 2026-11-23, confidence: low}
`

// TestOutcomes holds what is read of a rulebook, and of damaged copies.
func TestOutcomes(t *testing.T) {
	seed.Outcomes(t, map[string][]byte{"house": []byte(house)}, func(data []byte) (any, error) {
		b, ps := rulebook.Load("house.yaml", data)
		if len(ps) > 0 {
			return nil, ps
		}
		out := []any{b}
		for _, d := range []string{"2025-12-31", "2026-01-01", "2026-12-31", "2027-01-01", "2027-03-31", "2027-04-01"} {
			on, err := day.Parse(d)
			if err != nil {
				return nil, err
			}
			for _, name := range []string{"least_level", "words", "none"} {
				if v := b.On(name, on); v != nil {
					out = append(out, d, name, v.Kind())
				}
			}
			for _, r := range b.Rules {
				out = append(out, r.ID, r.InForce(on), string(r.Fixed()), string(r.Fixed().Level()), b.For("ios"), b.For("android"))
			}
		}
		return out, nil
	})
}
