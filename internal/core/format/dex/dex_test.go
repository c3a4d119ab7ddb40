package dex_test

import (
	"bytes"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/format/dex"
	"regola.example/regola/internal/core/format/literal"
	"regola.example/regola/internal/seed"
)

func code(tb testing.TB) []byte { return seed.Entry(tb, seed.APK, "classes.dex") }

func TestParse(t *testing.T) {
	f, err := dex.Parse(code(t), nil)
	require.NoError(t, err)
	assert.Equal(t, "038", f.Version)
	assert.True(t, f.Checksum && f.Signature)
	assert.Equal(t, 3, f.ClassCount)
	var classes, types, calls []string
	f.Classes(func(n string) { classes = append(classes, n) })
	f.Types(func(n string) { types = append(types, n) })
	f.Calls([]string{"java/"}, func(c, m string) { calls = append(calls, c+"."+m) })
	assert.Equal(t, []string{"org/example/terrafuoco/Curve", "org/example/terrafuoco/FiringLog", "org/example/terrafuoco/ProbeService"}, classes)
	assert.Contains(t, types, "android/app/Activity")
	assert.Equal(t, []string{"java/lang/System.loadLibrary"}, calls)
	var callers []string
	f.Uses([]string{"java/", "android/"}, literal.Worth, func(u dex.Use) { callers = append(callers, u.Class+"."+u.Method+" by "+u.Caller) })
	slices.Sort(callers)
	assert.Contains(t, callers, "java/lang/System.loadLibrary by org/example/terrafuoco/FiringLog")
	assert.Contains(t, callers, "android/app/Activity.<init> by org/example/terrafuoco/Curve", "direct methods count, too")
	assert.Len(t, slices.Compact(callers), len(callers), "each pair once")
	assert.NoError(t, f.Err())
}

func TestDamaged(t *testing.T) {
	data := code(t)
	changed := bytes.Clone(data)
	changed[len(changed)-1] ^= 1
	f, err := dex.Parse(changed, nil)
	require.NoError(t, err)
	assert.False(t, f.Checksum || f.Signature)
	for _, n := range []int{0, 50, 0x70, len(data) - 1} {
		_, err := dex.Parse(data[:n], nil)
		assert.Error(t, err, "%d bytes", n)
	}
}

func FuzzParse(f *testing.F) {
	f.Add(code(f))
	f.Fuzz(func(t *testing.T, data []byte) {
		defer seed.Bounds(t, len(data))()
		d, err := dex.Parse(data, nil)
		if err != nil {
			return
		}
		d.Classes(func(string) {})
		d.Types(func(string) {})
		d.Calls([]string{"java/", "android/"}, func(string, string) {})
		d.Uses([]string{"java/", "android/"}, literal.Worth, func(dex.Use) {})
		d.Careless(func(dex.Careless) {})
		d.Markers()
	})
}
