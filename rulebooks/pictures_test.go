package rulebooks_test

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/tables"
	"regola.example/regola/rulebooks"
)

// TestPictureTables holds what the tables of pictures and languages say of each
// other: classes that exist, sizes of one class only where folders tell them
// apart, codes that occur once.
func TestPictureTables(t *testing.T) {
	set, err := rulebooks.BuiltIn.Tables()
	require.NoError(t, err)
	classes := map[string]*tables.PictureClass{}
	for _, c := range set.PictureClasses {
		id := c.Store + "/" + c.ID
		assert.NotEmpty(t, c.What, id)
		assert.NotEmpty(t, c.Formats, id)
		assert.Equal(t, len(c.Sizes) == 0, c.Shortest > 0, "%s: sizes or bounds", id)
		assert.True(t, c.Slot != "preview" || len(c.Seconds) == 2 && c.FrameRate > 0 && len(c.Codecs) > 0, id)
		classes[id] = c
	}
	today, err := day.Parse("2026-11-25")
	require.NoError(t, err)
	on := set.On(today)
	seen := map[string]string{}
	for _, c := range on.PictureClasses {
		for _, from := range c.ScaledFrom {
			assert.NotNil(t, classes[c.Store+"/"+from], "%s is shown from %s", c.ID, from)
		}
		for _, s := range c.Sizes {
			key := c.Store + " " + c.Slot + " " + s
			if seen[key] != "" && !c.Named && c.Slot == "screenshot" {
				assert.Contains(t, []string{"tablet-12.9"}, c.ID, "%s is also a size of %s", s, seen[key])
			}
			seen[key] = c.ID
		}
	}
	for _, n := range set.PictureNeeds {
		for _, id := range n.Any {
			assert.NotNil(t, classes[n.Store+"/"+id], id)
		}
	}
	codes := map[string]int{}
	for _, l := range set.Locales {
		codes[l.Store+" "+l.Code]++
		assert.NotContains(t, l.Also, l.Code)
	}
	for code, n := range codes {
		assert.Equal(t, 1, n, code)
	}
	assert.Greater(t, len(codes), 120)
}

// TestPhraseTables holds that each kind of words that the table has is read by a
// rule, in each language that it says it knows.
func TestPhraseTables(t *testing.T) {
	set, err := rulebooks.BuiltIn.Tables()
	require.NoError(t, err)
	stores, err := rulebooks.BuiltIn.Stores()
	require.NoError(t, err)
	var sources strings.Builder
	for _, s := range stores {
		books, err := rulebooks.BuiltIn.Books(s)
		require.NoError(t, err)
		for _, b := range books {
			for _, r := range b.Rules {
				sources.WriteString(r.Faults.Src + "\n" + r.Expect.Src + "\n")
			}
		}
	}
	languages := map[string][]string{}
	for _, p := range set.Phrases {
		assert.Contains(t, sources.String(), `"`+p.Kind+`"`)
		languages[p.Kind] = append(languages[p.Kind], p.Languages...)
		assert.NotEqual(t, p.Pattern == "", len(p.Stems) == 0, "%s %v: a pattern, or stems", p.Kind, p.Languages)
		assert.True(t, p.Pattern == "" || len(p.Pattern.All("(?i)", "Terrafuoco", 1)) == 0, p.Pattern)
	}
	for _, kind := range []string{"ranking", "price", "install", "unfinished"} {
		for _, l := range []string{"en", "de", "it", "fr", "es", "pt", "nl", "pl", "ru", "tr", "ja", "ko", "zh"} {
			assert.True(t, slices.Contains(languages[kind], l), "%s in %s", kind, l)
		}
	}
	for l, words := range set.FrequentWords {
		assert.GreaterOrEqual(t, len(words), 15, l)
		assert.Equal(t, len(words), len(slices.Compact(slices.Sorted(slices.Values(words)))), "%s has a word twice", l)
	}
}
