package late_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"regola.example/regola/internal/core/late"
)

func TestRegexp(t *testing.T) {
	re := late.Regexp(`^k.ln$`)
	assert.True(t, re().MatchString("kiln"))
	assert.Same(t, re(), re(), "it is compiled once")
	broken := late.Regexp(`(`)
	assert.Panics(t, func() { broken() }, "when it is used, and not before")
}
