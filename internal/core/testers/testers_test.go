package testers_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"regola.example/regola/internal/core/testers"
)

func TestParse(t *testing.T) {
	l := testers.Parse("testers.csv", "\ufeffname;address\nAda;ada@terrafuoco.example\nBea;\"Bea Forni <bea@terrafuoco.example>\"\n\n# later\nCarlo;carlo@\nDora\nADA@terrafuoco.example\nemil@localhost\n\xff@x.example\n")
	assert.Equal(t, int64(2), l.Count)
	var lines []int64
	for _, f := range l.Faults {
		lines = append(lines, f.Line)
	}
	assert.Equal(t, []int64{6, 7, 8, 9, 10}, lines)
	assert.Contains(t, l.Faults[2].What, "on line 2 already")
	assert.Equal(t, int64(1), testers.Parse("", "ada@terrafuoco.example").Count)
	assert.Len(t, testers.Parse("", strings.Repeat("x\n", 500)).Faults, 100)
}

func FuzzParse(f *testing.F) {
	f.Add("name,mail\nAda,ada@terrafuoco.example\n")
	f.Fuzz(func(t *testing.T, s string) { testers.Parse("x", s) })
}
