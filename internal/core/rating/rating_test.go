package rating_test

import (
	"maps"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.yaml.in/yaml/v3"

	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/rating"
	"regola.example/regola/internal/core/tables"
	"regola.example/regola/rulebooks"
)

func built(t *testing.T) *tables.Set {
	set, err := rulebooks.BuiltIn.Tables()
	require.NoError(t, err)
	return set
}

// TestCases holds the calculation against ratings that were worked out by hand.
func TestCases(t *testing.T) {
	data, err := os.ReadFile("testdata/cases.yaml")
	require.NoError(t, err)
	var cases []struct {
		App, Because, On, IOS string
		Game                  bool
		Answers               map[string]string
		Android, Games        []string
	}
	require.NoError(t, yaml.Unmarshal(data, &cases))
	require.GreaterOrEqual(t, len(cases), 20)
	for _, c := range cases {
		on, _ := day.Parse("2026-11-25")
		if c.On != "" {
			on, _ = day.Parse(c.On[:10])
		}
		answers := maps.Clone(c.Answers)
		if answers == nil {
			answers = map[string]string{}
		}
		answers[rating.Others] = "none"
		want := map[string]string{}
		for i, s := range []string{"na", "eu", "de", "br", "gen"} {
			want[s] = c.Android[i]
		}
		for i := range c.Games {
			want[[]string{"kr", "au"}[i]] = c.Games[i]
		}
		got := map[string]string{}
		r := rating.Of("android", c.Game, answers, nil, built(t).On(on))
		assert.False(t, r.Open, c.App)
		for _, l := range r.Labels {
			got[l.Scheme] = l.Label
		}
		assert.Equal(t, want, got, c.App)
		ios := rating.Of("ios", c.Game, answers, nil, built(t).On(on))
		if assert.Len(t, ios.Labels, 1, c.App) {
			assert.Equal(t, c.IOS, ios.Labels[0].Label, c.App)
		}
	}
}

// TestQuestions follows what is asked, what is open and what a change brings.
func TestQuestions(t *testing.T) {
	on, _ := day.Parse("2026-11-25")
	set := built(t).On(on)
	r := rating.Of("android", true, map[string]string{"fantasy_violence": "frequent", "fantasy_violence_humanlike": "yes", "explicit_sex": "frequent"}, map[string]string{"unrestricted_web": "yes"}, set)
	assert.True(t, r.Open)
	said, known := r.Said("fantasy_violence")
	assert.Equal(t, "frequent", said)
	assert.True(t, known)
	_, known = r.Said("harm_shown") // opened by another answer, and not answered
	assert.False(t, known)
	said, known = r.Said("messaging") // not asked before people meet
	assert.Empty(t, said)
	assert.True(t, known)
	require.Len(t, r.Refused, 1)
	assert.Equal(t, "explicit_sex", r.Refused[0].Question)
	require.Len(t, r.Notices, 1)
	assert.Equal(t, "unrestricted-web", r.Notices[0].ID)

	r = rating.Of("android", true, map[string]string{"fantasy_violence": "frequent", "fantasy_violence_humanlike": "yes", rating.Others: "none"}, nil, set)
	na := r.Labels[0]
	assert.Equal(t, []string{"na", "T", "E10+", "T"}, []string{na.Scheme, na.Label, na.Low, na.High})
	require.Len(t, na.Changes, 2)
	assert.Equal(t, rating.Change{Question: "fantasy_violence_humanlike", Answer: "no", Label: "E10+"}, *na.Changes[1])
}
