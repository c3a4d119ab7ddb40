package format

import (
	"bytes"
	"errors"
	"io"
	"strings"
	"testing"
	"testing/iotest"

	"github.com/stretchr/testify/assert"
)

func TestErrors(t *testing.T) {
	assert.EqualError(t, Damagedf(16, "cut off after %d", 3), "cut off after 3 (byte 0x10)")
	assert.EqualError(t, Unsupportedf(int64(0), "a form"), "a form (byte 0x0)")
	assert.EqualError(t, TooMuchf(uint32(255), "more"), "more (byte 0xff)")
	var d *Damaged
	assert.ErrorAs(t, Damagedf(1, ""), &d)
	assert.False(t, errors.As(TooMuchf(1, ""), &d), "the three are apart")
}

func TestReadAll(t *testing.T) {
	data := bytes.Repeat([]byte("kiln"), 1000)
	for _, claimed := range []int64{-1, 0, 1, 3999, 4000, 4001, 1 << 40} {
		for name, r := range map[string]io.Reader{"at once": bytes.NewReader(data), "byte by byte": iotest.OneByteReader(bytes.NewReader(data)), "with its end": iotest.DataErrReader(bytes.NewReader(data))} {
			got, err := ReadAll(r, claimed, 4000)
			assert.NoError(t, err, "%s, %d claimed", name, claimed)
			assert.Equal(t, data, got)
		}
	}
	got, err := ReadAll(bytes.NewReader(data), 4000, 3999)
	assert.EqualError(t, err, "more than the 3999 bytes that are read of such a file (byte 0xf9f)")
	assert.GreaterOrEqual(t, len(got), 3999)
	_, err = ReadAll(io.MultiReader(strings.NewReader("a"), iotest.ErrReader(io.ErrUnexpectedEOF)), 1, 10)
	assert.ErrorIs(t, err, io.ErrUnexpectedEOF)
	empty, err := ReadAll(strings.NewReader(""), 0, 0)
	assert.NoError(t, err)
	assert.Empty(t, empty)
	assert.Equal(t, "3 MiB", size(3<<20))
	assert.Equal(t, "1048575 bytes", size(1<<20-1))
}
