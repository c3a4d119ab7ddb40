package report

import (
	"bytes"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/rulebook"
)

// TestNext says the first thing to do as the work goes on: fix the gravest fault, then
// answer, confirm, look at what could not be read, and send.
func TestNext(t *testing.T) {
	rule := func(id, stage string) *rulebook.Rule { return &rulebook.Rule{ID: id, Title: id, Stage: stage} }
	broken := func(id string, impact rulebook.Impact) *check.Verdict {
		return &check.Verdict{Rule: rule(id, "package"), Store: "ios", State: check.Broken, Faults: []*check.Fault{{Impact: impact, Say: "says " + id, Fix: "fix " + id, At: place.Place{File: "f.yaml", Line: 3, Column: 1}}}}
	}
	refused, craft := broken("ios/refused", rulebook.Refused), broken("ios/craft", rulebook.Craft)
	due := &check.Verdict{Rule: rule("ios/due", "declarations"), Store: "ios", State: check.ToAnswer, Gaps: []fact.Gap{{Kind: fact.NotAnswered, Path: "answers.ads", What: "not answered"}},
		Duties: []*check.Duty{{Rule: rule("ios/due", "declarations"), State: check.Due, What: "whether there are ads", Write: "answers.ads", Act: "answer"}}}
	ask := &check.Verdict{Rule: rule("ios/ask", "review"), Store: "ios", State: check.ToConfirm, Question: &check.Question{Ask: "Was it tried?", What: "tested-on-device"}}
	unread := &check.Verdict{Rule: rule("ios/unread", "package"), Store: "ios", State: check.NotRead, Gaps: []fact.Gap{{Kind: fact.NotRead, Path: "pkg.ios", What: "it is torn"}}}
	held := &check.Verdict{Rule: rule("ios/held", "package"), Store: "ios", State: check.Held, Judged: 1}
	for _, c := range []struct {
		verdicts []*check.Verdict
		kind     string
		what     string
		rule     string
	}{
		{[]*check.Verdict{held, ask, craft, due, unread, refused}, "fix", "says ios/refused", "ios/refused"},
		{[]*check.Verdict{held, ask, craft, due, unread}, "answer", "whether there are ads", "ios/due"},
		{[]*check.Verdict{held, ask, craft}, "confirm", "Was it tried?", "ios/ask"},
		{[]*check.Verdict{held, craft}, "fix", "says ios/craft", "ios/craft"},
		{[]*check.Verdict{held}, "send", "", ""},
	} {
		d := NewNextDocument(&check.Result{App: "Terrafuoco", Version: "1.4.0", Stores: []*check.Store{{ID: "ios", Name: "iOS store", Verdicts: c.verdicts}}}, false, "")
		assert.Equal(t, c.kind, d.Kind)
		assert.Equal(t, c.rule, d.Rule)
		if c.what != "" {
			assert.Equal(t, c.what, d.What)
		}
		assert.Equal(t, "Terrafuoco 1.4.0", d.App)
	}
}

// TestNextPostponed puts what waits behind everything else.
func TestNextPostponed(t *testing.T) {
	broken := func(id string, impact rulebook.Impact) *check.Verdict {
		return &check.Verdict{Rule: &rulebook.Rule{ID: id, Title: id, Stage: "package"}, Store: "ios", State: check.Broken, Faults: []*check.Fault{{Impact: impact, Say: id, At: place.Place{File: "f.yaml"}}}}
	}
	until, err := day.Parse("2027-01-15")
	require.NoError(t, err)
	wait := &dossier.Postponed{Rule: "a", Because: "a library", Until: until}
	for _, c := range []struct {
		verdicts      []*check.Verdict
		first, shown  string
		unlocks, text string
	}{
		{[]*check.Verdict{broken("a", rulebook.Refused), broken("b", rulebook.Rejected), broken("c", rulebook.Craft)}, "b", "", "1 matter of craft, 1 thing that is postponed", "2027-01-15"},
		{[]*check.Verdict{broken("a", rulebook.Refused), broken("c", rulebook.Craft)}, "c", "", "1 thing that is postponed", "2027-01-15"},
		{[]*check.Verdict{broken("a", rulebook.Refused)}, "a", "2027-01-15", "", "2027-01-15"},
		{[]*check.Verdict{broken("b", rulebook.Refused)}, "b", "", "", ""},
	} {
		r := &check.Result{Stores: []*check.Store{{ID: "ios", Verdicts: c.verdicts}}, Postponed: []*dossier.Postponed{wait}}
		d := NewNextDocument(r, true, "")
		assert.Equal(t, []string{c.first, c.shown, c.unlocks}, []string{d.Rule, d.Until, d.Unlocks})
		assert.Equal(t, c.verdicts[0].Faults[0].Say, d.All[0].What, "the list keeps its order")
		var b bytes.Buffer
		require.NoError(t, NextAll(&b, d, Style{}))
		assert.Equal(t, c.text != "", strings.Contains(b.String(), "postponed until "+c.text+": a library"))
	}
}

// TestNextFor narrows the list to the work of one role.
func TestNextFor(t *testing.T) {
	broken := func(id, stage, who string, impact rulebook.Impact) *check.Verdict {
		return &check.Verdict{Rule: &rulebook.Rule{ID: id, Title: id, Stage: stage, Who: who}, Store: "ios", State: check.Broken, Faults: []*check.Fault{{Impact: impact, Say: id}}}
	}
	r := &check.Result{Stores: []*check.Store{{ID: "ios", Verdicts: []*check.Verdict{
		broken("a", "package", "", rulebook.Refused), broken("b", "listing", "", rulebook.Rejected), broken("c", "package", "writer", rulebook.Craft), broken("d", "graphics", "", rulebook.Craft)}}}}
	for _, c := range []struct {
		who, kind, rule string
		others          int64
		text            string
	}{
		{"", "fix", "a", 0, "then it can be sent; 2 things more"},
		{"developer", "fix", "a", 3, "then nothing more is needed of the developer, and 3 things are left for others"},
		{"writer", "fix", "b", 2, "then nothing more is needed of the writer, and 2 things are left for others; 1 thing more"},
		{"designer", "fix", "d", 3, "Nothing more is needed of the designer, and 3 things are left for others; 1 thing more"},
		{"owner", "others", "", 4, "Nothing is left to do here: nothing more is needed of the owner"},
	} {
		d := NewNextDocument(r, true, c.who)
		assert.Equal(t, []string{c.kind, c.rule}, []string{d.Kind, d.Rule}, c.who)
		assert.Equal(t, c.others, d.Others, c.who)
		var b bytes.Buffer
		require.NoError(t, NextAll(&b, d, Style{}))
		assert.Contains(t, b.String(), c.text)
	}
}
