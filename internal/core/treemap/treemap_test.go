package treemap_test

import (
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"

	"regola.example/regola/internal/core/treemap"
)

// TestLayout holds that areas are in proportion, that nothing overlaps or sticks out,
// and that the shapes stay near squares.
func TestLayout(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for n := range 60 {
		var sizes []int64
		var total int64
		for range n {
			s := 1 + r.Int64N(1000)
			sizes, total = append(sizes, s), total+s
		}
		slices.SortFunc(sizes, func(a, b int64) int { return int(b - a) })
		in := treemap.Rect{X: 5, Y: 7, W: 300, H: 200}
		out := treemap.Layout(sizes, in)
		assert.Len(t, out, n)
		for i, a := range out {
			assert.InDelta(t, float64(sizes[i])/float64(total)*in.W*in.H, a.W*a.H, 0.01)
			assert.True(t, a.X >= in.X-1e-6 && a.Y >= in.Y-1e-6 && a.X+a.W <= in.X+in.W+1e-6 && a.Y+a.H <= in.Y+in.H+1e-6)
			for _, b := range out[i+1:] {
				w := min(a.X+a.W, b.X+b.W) - max(a.X, b.X)
				h := min(a.Y+a.H, b.Y+b.H) - max(a.Y, b.Y)
				assert.False(t, w > 1e-6 && h > 1e-6, "%v and %v overlap", a, b)
			}
		}
	}
	six := treemap.Layout([]int64{6, 6, 4, 3, 2, 2, 1}, treemap.Rect{W: 6, H: 4})
	assert.InDelta(t, 3, six[0].W, 1e-9, "as in the paper")
	assert.InDelta(t, 2, six[0].H, 1e-9)
	assert.Equal(t, []treemap.Rect{{}, {}}, treemap.Layout([]int64{0, -1}, treemap.Rect{W: 1, H: 1}))
}
