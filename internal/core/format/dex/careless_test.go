package dex_test

import (
	"encoding/binary"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/format/dex"
	"regola.example/regola/internal/core/format/literal"
)

// method is one virtual method of a class that assemble makes.
type method struct {
	name string
	code func(text func(string) uint16, call func(class, name string) uint16) []uint16
}

type class struct {
	name, implements string
	methods          []method
}

// assemble makes a DEX file of classes: enough of it for what this package reads.
func assemble(texts []string, calls [][2]string, classes ...class) []byte {
	all := slices.Clone(texts)
	for _, c := range classes {
		all = append(all, c.name, c.implements)
		for _, m := range c.methods {
			all = append(all, m.name)
			calls = append(calls, [2]string{c.name, m.name})
		}
	}
	for _, c := range calls {
		all = append(all, c[0], c[1])
	}
	slices.Sort(all)
	all = slices.Compact(all)
	text := func(s string) uint16 { return uint16(slices.Index(all, s)) } // every string is a type, too: the indices are alike
	call := func(class, name string) uint16 { return uint16(slices.Index(calls, [2]string{class, name})) }
	le := binary.LittleEndian
	out := make([]byte, 0x70)
	table := func(at, n, width int) []byte {
		le.PutUint32(out[at:], uint32(n))
		le.PutUint32(out[at+4:], uint32(len(out)))
		out = append(out, make([]byte, n*width)...)
		return out[len(out)-n*width:]
	}
	copy(out, "dex\n038\x00")
	le.PutUint32(out[0x28:], 0x12345678)
	table(0x38, len(all), 4)
	table(0x40, len(all), 4)
	table(0x58, len(calls), 8)
	table(0x60, len(classes), 32)
	place := func(table, width, i, field int) []byte { return out[int(le.Uint32(out[table+4:]))+width*i+field:] }
	for i, s := range all {
		le.PutUint32(place(0x38, 4, i, 0), uint32(len(out)))
		le.PutUint32(place(0x40, 4, i, 0), uint32(i))
		out = append(append(append(out, byte(len(s))), s...), 0)
	}
	for i, c := range calls {
		le.PutUint16(place(0x58, 8, i, 0), text(c[0]))
		le.PutUint32(place(0x58, 8, i, 4), uint32(text(c[1])))
	}
	number := func(n int) { out = append(out, byte(n&0x7f|0x80), byte(n>>7&0x7f|0x80), byte(n>>14)) }
	for i, c := range classes {
		le.PutUint32(place(0x60, 32, i, 0), uint32(text(c.name)))
		if c.implements != "" {
			le.PutUint32(place(0x60, 32, i, 12), uint32(len(out)))
			out = le.AppendUint16(append(out, 1, 0, 0, 0), text(c.implements))
		}
		var places []int
		for _, m := range c.methods {
			places = append(places, len(out))
			insns := m.code(text, call)
			out = le.AppendUint32(append(out, make([]byte, 12)...), uint32(len(insns)))
			for _, u := range insns {
				out = le.AppendUint16(out, u)
			}
		}
		le.PutUint32(place(0x60, 32, i, 24), uint32(len(out)))
		for _, n := range []int{0, 0, 0, len(c.methods)} {
			number(n)
		}
		last := 0
		for j, m := range c.methods {
			number(int(call(c.name, m.name)) - last)
			last = int(call(c.name, m.name))
			number(1)
			number(places[j])
		}
	}
	le.PutUint32(out[0x20:], uint32(len(out)))
	return out
}

type units = []uint16

func plain(u ...uint16) func(func(string) uint16, func(string, string) uint16) []uint16 {
	return func(func(string) uint16, func(string, string) uint16) []uint16 { return u }
}

// TestCareless parts code that answers at once from code that looks first.
func TestCareless(t *testing.T) {
	const verifier = "Ljavax/net/ssl/HostnameVerifier;"
	proceed := [2]string{"Landroid/webkit/SslErrorHandler;", "proceed"}
	goesOn := func(first ...uint16) func(func(string) uint16, func(string, string) uint16) []uint16 {
		return func(_ func(string) uint16, call func(string, string) uint16) []uint16 {
			return append(first, 0x106e, call(proceed[0], proceed[1]), 0, 0x0e)
		}
	}
	data := assemble(nil, [][2]string{proceed},
		class{"La/Trust;", "", []method{{"checkServerTrusted", plain(0x0e)}}},
		class{"La/Looks;", "", []method{{"checkServerTrusted", plain(0x0000, 0x0e)}}},
		class{"La/Client;", "", []method{{"checkClientTrusted", plain(0x0e)}}},
		class{"La/Any;", verifier, []method{{"verify", plain(0x1012, 0x000f)}}},
		class{"La/None;", verifier, []method{{"verify", plain(0x0012, 0x000f)}}},
		class{"La/OtherRegister;", verifier, []method{{"verify", plain(0x1112, 0x000f)}}},
		class{"La/Sums;", "Ljava/lang/Runnable;", []method{{"verify", plain(0x1012, 0x000f)}}},
		class{"La/Web;", "", []method{{"first", plain(0x0e)}, {"onReceivedSslError", goesOn()}}},
		class{"La/Asks;", "", []method{{"onReceivedSslError", goesOn(0x0138, 0x0002)}}},
		class{"La/Stops;", "", []method{{"onReceivedSslError", plain(0x0e)}}},
	)
	f, err := dex.Parse(data, nil)
	require.NoError(t, err)
	var got []string
	f.Careless(func(c dex.Careless) { got = append(got, c.Class+" "+c.What) })
	require.NoError(t, f.Err())
	assert.Equal(t, []string{"a/Trust trusts-all", "a/Any any-host", "a/Web goes-on"}, got)
}

// TestTexts says which classes load a text, and finds those that none loads.
func TestTexts(t *testing.T) {
	const host, other = "https://kiln.example", "https://other.example"
	loads := func(u ...uint16) method {
		return method{"run", func(text func(string) uint16, _ func(string, string) uint16) []uint16 {
			return append(units{0x001a, text(host), 0x011a, text(host), 0x021a, text("no address")}, append(u, 0x0e)...)
		}}
	}
	jumbo := method{"far", func(text func(string) uint16, _ func(string, string) uint16) []uint16 {
		return units{0x001b, text(host), 0, 0x0e}
	}}
	f, err := dex.Parse(assemble([]string{host, other, "no address"}, nil, class{"La/A;", "", []method{loads()}}, class{"La/B;", "", []method{jumbo}}, class{"La/C;", "", nil}), nil)
	require.NoError(t, err)
	var got []string
	f.Uses([]string{"android/"}, literal.Worth, func(u dex.Use) { got = append(got, u.Text+" by "+u.Caller) })
	require.NoError(t, f.Err())
	assert.Equal(t, []string{host + " by a/A", host + " by a/B", other + " by "}, got)
}
