package plist_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/format/plist"
	"regola.example/regola/internal/seed"
)

const sample = `<?xml version="1.0" encoding="UTF-8"?>
<!DOCTYPE plist PUBLIC "-//EXAMPLE//DTD PLIST 1.0//EN" "http://example.org/plist.dtd">
<plist version="1.0"><dict>
 <key>name</key><string>Fornace &amp; Söhne</string>
 <key>heat</key><integer>0x4ec</integer>
 <key>ratio</key><real>0.5</real>
 <key>on</key><true/><key>off</key><false/>
 <key>day</key><date>2026-11-23T06:00:00Z</date>
 <key>blob</key><data>a2ls bg==</data>
 <key>cones</key><array><string>06</string><string>10</string></array>
 <key>name</key><string>again</string>
</dict></plist>`

func TestXML(t *testing.T) {
	v, enc, err := plist.Parse([]byte(sample), nil)
	require.NoError(t, err)
	assert.Equal(t, plist.XML, enc)
	assert.Equal(t, "Fornace & Söhne", v.Get("name").Text())
	assert.EqualValues(t, 1260, v.Get("heat").Int)
	assert.Equal(t, 0.5, v.Get("ratio").Real)
	assert.True(t, v.Get("on").IsTrue())
	assert.False(t, v.Get("off").IsTrue())
	assert.Equal(t, time.Date(2026, 11, 23, 6, 0, 0, 0, time.UTC), v.Get("day").Time)
	assert.Equal(t, "kiln", string(v.Get("blob").Bytes))
	assert.Equal(t, []string{"06", "10"}, v.Get("cones").Texts())
	assert.Equal(t, []string{"name"}, v.Twice)
	assert.Positive(t, v.Get("cones").Offset)
}

func TestBinary(t *testing.T) {
	v, enc, err := plist.Parse(seed.Entry(t, seed.IPA, "Payload/Terrafuoco.app/Info.plist"), nil)
	require.NoError(t, err)
	assert.Equal(t, plist.Binary, enc)
	assert.Equal(t, "org.example.terrafuoco", v.Get("CFBundleIdentifier").Text())
	assert.Equal(t, plist.Boolean, v.Get("LSRequiresIPhoneOS").Kind)
	assert.EqualValues(t, 1, v.Get("UIDeviceFamily").Items[0].Int)
	assert.Equal(t, "AppIcon", v.Path("CFBundleIcons", "CFBundlePrimaryIcon", "CFBundleIconName").Text())
}

// bplist lays objects out behind each other, with references of one byte; the
// first is the root.
func bplist(objects ...string) []byte {
	b := []byte("bplist00")
	var table []byte
	for _, o := range objects {
		table = append(table, byte(len(b)))
		b = append(b, o...)
	}
	at := byte(len(b))
	b = append(append(b, table...), 0, 0, 0, 0, 0, 0, 1, 1)
	b = append(b, 0, 0, 0, 0, 0, 0, 0, byte(len(objects)), 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, at)
	return b
}

func TestBinaryKinds(t *testing.T) {
	v, enc, err := plist.Parse(bplist("\xaa\x01\x02\x03\x04\x05\x06\x07\x08\x09\x0a",
		"\x13\xff\xff\xff\xff\xff\xff\xff\xfe", "\x11\x04\xec",
		"\x22\x3f\x00\x00\x00", "\x23\xbf\xe0\x00\x00\x00\x00\x00\x00", "\x33\x41\x00\x00\x00\x00\x00\x00\x00",
		"\x43abc", "\x81\x01\x02", "\x62\x00k\x00\xf6", "\x5f\x10\x10sixteen letters.", "\xd1\x08\x02"), nil)
	require.NoError(t, err)
	assert.Equal(t, plist.Binary, enc)
	it := v.List()
	require.Len(t, it, 10)
	assert.EqualValues(t, -2, it[0].Int)
	assert.EqualValues(t, 1260, it[1].Int)
	assert.Equal(t, 0.5, it[2].Real)
	assert.Equal(t, -0.5, it[3].Real)
	assert.Equal(t, time.Date(2001, 1, 2, 12, 24, 32, 0, time.UTC), it[4].Time)
	assert.Equal(t, "abc", string(it[5].Bytes))
	assert.Equal(t, plist.UID, it[6].Kind)
	assert.EqualValues(t, 0x102, it[6].Int)
	assert.Equal(t, "k\u00f6", it[7].Str)
	assert.Equal(t, "sixteen letters.", it[8].Str)
	assert.EqualValues(t, 1260, it[9].Get("k\u00f6").Int)

	for name, o := range map[string][]string{
		"an unknown marker":      {"\x07"},
		"a real of two bytes":    {"\x21\x00\x00"},
		"a count that is none":   {"\x5f\x50"},
		"more than fits":         {"\x5f\x11\xff\xff"},
		"units cut off":          {"\x63\x00a"},
		"a reference to nowhere": {"\xa1\x07"},
		"a key of numbers":       {"\xd1\x01\x01", "\x10\x05"},
		"an unknown collection":  {"\x91\x00"},
	} {
		_, _, err := plist.Parse(bplist(o...), nil)
		assert.Error(t, err, name)
	}
}

func TestDamaged(t *testing.T) {
	cyclic := append([]byte("bplist00\xa1\x00"), 8) // an array that holds itself
	cyclic = append(cyclic, 0, 0, 0, 0, 0, 0, 1, 1, 0, 0, 0, 0, 0, 0, 0, 1, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 10)
	for name, c := range map[string]struct{ data, want string }{
		"empty":      {"", "empty"},
		"other root": {"<html/>", "not a property list"},
		"cut off":    {sample[:300], "cut off"},
		"no value":   {"<plist><dict><key>a</key></dict></plist>", `"a" has no value`},
		"bad number": {"<plist><integer>ten</integer></plist>", "is not an integer"},
		"short":      {"bplist00", "cut off"},
		"cycle":      {string(cyclic), "contains itself"},
	} {
		_, _, err := plist.Parse([]byte(c.data), nil)
		assert.ErrorContains(t, err, c.want, name)
	}
}

func TestStrings(t *testing.T) {
	got, err := plist.ParseStrings([]byte("/* kiln */ \"a\" = \"say \\\"hot\\\"\";\nb = c; // end\n"), nil)
	require.NoError(t, err)
	assert.Equal(t, map[string]string{"a": `say "hot"`, "b": "c"}, got)
	wide, err := plist.ParseStrings([]byte("\xff\xfe\"\x00k\x00\"\x00=\x00\"\x00\xe0\x00\"\x00;\x00"), nil)
	require.NoError(t, err)
	assert.Equal(t, map[string]string{"k": "à"}, wide)
	for _, mark := range []string{"\xff\xfe", "\xfe\xff", "\xef\xbb\xbf"} { // the mark of an order of bytes alone
		none, err := plist.ParseStrings([]byte(mark), nil)
		require.NoError(t, err, "%x", mark)
		assert.Empty(t, none)
	}
	_, err = plist.ParseStrings([]byte(`"a" = "b"`), nil)
	assert.ErrorContains(t, err, "semicolon")
}

func TestDifference(t *testing.T) {
	parse := func(body string) *plist.Value {
		v, _, err := plist.Parse([]byte("<plist>"+body+"</plist>"), nil)
		require.NoError(t, err)
		return v
	}
	const whole = "<dict><key>a</key><array><string>x</string><integer>2</integer></array><key>b</key><dict><key>c</key><true/><key>d</key><data>AQI=</data></dict></dict>"
	for from, c := range map[[2]string]string{
		{"", ""}: "",
		{"<string>x</string>", "<string>y</string>"}: "a",
		{"<integer>2</integer>", ""}:                 "a",
		{"<true/>", "<false/>"}:                      "b.c",
		{"AQI=", "AQM="}:                             "b.d",
		{"<key>c</key><true/>", ""}:                  "b.c",
		{"<integer>2</integer>", "<real>2</real>"}:   "a",
	} {
		at, same := plist.Difference(parse(whole), parse(strings.Replace(whole, from[0], from[1], 1)))
		assert.Equal(t, c, at, from)
		assert.Equal(t, c == "", same, from)
	}
}

func FuzzParse(f *testing.F) {
	f.Add([]byte(sample))
	f.Add([]byte("<plist/>"))
	f.Add(seed.Entry(f, seed.IPA, "Payload/Terrafuoco.app/Info.plist"))
	f.Fuzz(func(t *testing.T, data []byte) {
		defer seed.Bounds(t, len(data))()
		if v, _, err := plist.Parse(data, nil); err == nil {
			if v == nil {
				t.Fatal("neither a value nor an error")
			}
			v.SortedKeys()
		}
		_, _ = plist.ParseStrings(data, nil)
	})
}
