package didyoumean

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestNearest(t *testing.T) {
	for _, c := range []struct {
		word  string
		names []string
		want  string
	}{
		{"taget_level", []string{"min_level", "target_level"}, "target_level"},
		{"kiln", []string{"kinl", "klin"}, "kinl"}, // the first of two that are as near
		{"Kiln", []string{"kiln"}, "kiln"},
		{"abc", []string{"abd"}, "abd"},
		{"abc", []string{"xyc"}, "xyc"}, // two of three, which is the bound
		{"abc", []string{"xyz"}, ""},
		{"ab", []string{"ax"}, "ax"},
		{"ab", []string{"xy"}, ""},
		{"", []string{"a"}, "a"},
		{"", []string{"ab"}, ""},
		{"firing", []string{"firings", "fring"}, "firings"},
		{"firing", []string{"glaze", "firings"}, "firings"},
		{"firing", nil, ""},
		{"abcdef", []string{"bacdfe"}, "bacdfe"}, // two swaps are two steps
		{"abcdefgh", []string{"badcfehg"}, ""},   // four are too many
	} {
		assert.Equal(t, c.want, Nearest(c.word, c.names), "%q of %v", c.word, c.names)
	}
}

func TestOneOff(t *testing.T) {
	for _, c := range []struct {
		word string
		name string
		want bool
	}{
		{"kiln", "kiln", false}, {"kiln", "kin", true}, {"kiln", "kilns", true}, {"kiln", "akiln", true}, {"kiln", "kilx", true}, {"kiln", "xiln", true},
		{"kiln", "ikln", true}, {"kiln", "klin", true}, {"kiln", "kinl", true}, {"kiln", "ki", false}, {"kiln", "kilnss", false}, {"kiln", "kxlx", false},
		{"kiln", "nilk", false}, {"", "a", true}, {"a", "", true}, {"ab", "ba", true}, {"abcd", "badc", false},
	} {
		got := ByOneEdit(c.word, []string{"far away", c.name})
		if c.want {
			assert.Equal(t, c.name, got, c.word)
		} else {
			assert.Empty(t, got, "%s and %s", c.word, c.name)
		}
	}
}
