package plist_test

import (
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
	v, enc, err := plist.Parse([]byte(sample))
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
	v, enc, err := plist.Parse(seed.Entry(t, seed.IPA, "Payload/Terrafuoco.app/Info.plist"))
	require.NoError(t, err)
	assert.Equal(t, plist.Binary, enc)
	assert.Equal(t, "org.example.terrafuoco", v.Get("CFBundleIdentifier").Text())
	assert.Equal(t, plist.Boolean, v.Get("LSRequiresIPhoneOS").Kind)
	assert.EqualValues(t, 1, v.Get("UIDeviceFamily").Items[0].Int)
	assert.Equal(t, "AppIcon", v.Path("CFBundleIcons", "CFBundlePrimaryIcon", "CFBundleIconName").Text())
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
		_, _, err := plist.Parse([]byte(c.data))
		assert.ErrorContains(t, err, c.want, name)
	}
}

func TestStrings(t *testing.T) {
	got, err := plist.ParseStrings([]byte("/* kiln */ \"a\" = \"say \\\"hot\\\"\";\nb = c; // end\n"))
	require.NoError(t, err)
	assert.Equal(t, map[string]string{"a": `say "hot"`, "b": "c"}, got)
	wide, err := plist.ParseStrings([]byte("\xff\xfe\"\x00k\x00\"\x00=\x00\"\x00\xe0\x00\"\x00;\x00"))
	require.NoError(t, err)
	assert.Equal(t, map[string]string{"k": "à"}, wide)
	_, err = plist.ParseStrings([]byte(`"a" = "b"`))
	assert.ErrorContains(t, err, "semicolon")
}

func FuzzParse(f *testing.F) {
	f.Add([]byte(sample))
	f.Add(seed.Entry(f, seed.IPA, "Payload/Terrafuoco.app/Info.plist"))
	f.Fuzz(func(t *testing.T, data []byte) {
		if v, _, err := plist.Parse(data); err == nil {
			v.SortedKeys()
		}
		_, _ = plist.ParseStrings(data)
	})
}
