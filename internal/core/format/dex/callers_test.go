package dex

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"regola.example/regola/internal/seed"
)

// TestWidths holds the length of every instruction (Dalvik bytecode, instruction formats).
func TestWidths(t *testing.T) {
	var out strings.Builder
	for op := range 256 {
		fmt.Fprintf(&out, "%d", width(byte(op)))
		if op%16 == 15 {
			out.WriteByte('\n')
		}
	}
	seed.Golden(t, "widths.txt", out.String())
}

// TestPayload holds the length of tables behind the code, in units of two bytes.
func TestPayload(t *testing.T) {
	for _, c := range []struct {
		data string
		want int64
	}{
		{"\x00\x01\x03\x00", 10}, {"\x00\x02\x03\x00", 14}, {"\x00\x03\x04\x00\x03\x00\x00\x00", 10}, {"\x00\x03\x01\x00\x03\x00\x00\x00", 6},
		{"\x00\x01\x03", 1}, {"\x00\x02\x03", 1}, {"\x00\x03\x01\x00\x03\x00\x00", 1}, {"\x00\x04\x03\x00", 1}, {"\x00\x01\x00\x00", 4}, {"\x00\x02\x00\x00", 2},
	} {
		assert.Equal(t, c.want, payload([]byte(c.data)), "%x", c.data)
	}
}

// TestWalk finds the methods that instructions call and the texts that they load, past tables and other instructions.
func TestWalk(t *testing.T) {
	var got []string
	insns := "\x0e\x00" + // return-void
		"\x6e\x10\x05\x00\x00\x00" + // invoke-virtual, method 5
		"\x12\x01" + "\x18\x00" + strings.Repeat("\x6e\x00", 4) + // a wide constant that looks like calls
		"\x00\x01\x01\x00" + strings.Repeat("\x6e\x10", 4) + // a table of a switch
		"\x78\x01\x07\x00\x00\x00" + // invoke-interface/range, method 7
		"\x73\x00" + "\x79\x00" + "\x74\x01\x09\x00\x00\x00" + "\x6d\x00\x01\x00" +
		"\x1a\x00\x03\x00" + "\x1b\x00\x04\x00\x01\x00" + // two texts
		"\x72\x00" // cut off
	(&File{}).walk([]byte(insns), func(op byte, i uint32) { got = append(got, fmt.Sprintf("%x %d", op, i)) })
	assert.Equal(t, []string{"6e 5", "78 7", "74 9", "1a 3", "1b 65540"}, got)
}
