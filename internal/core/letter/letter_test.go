package letter_test

import (
	"encoding/base64"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.yaml.in/yaml/v3"

	"regola.example/regola/internal/core/letter"
	"regola.example/regola/rulebooks"
)

// TestPeel takes the same words out of each form in which a letter comes.
func TestPeel(t *testing.T) {
	const want = "Guideline 2.3.3 - Größe\nThe screenshots are of another device."
	for name, raw := range map[string]string{
		"plain":            "Guideline 2.3.3 – Größe\nThe screenshots are of another device.",
		"soft hyphens":     "Guide\u00adline 2.3.3 - Größe\r\nThe screen\u00adshots are\u00a0of another device.",
		"quoted":           "> Guideline 2.3.3 - Größe\n> The screenshots are of another device.\n",
		"quoted, answered": "Hello, we will see.\n\n> > Guideline 2.3.3 - Größe\n> > The screenshots are of another device.",
		"HTML":             "<div>Guideline 2.3.3 - Gr&ouml;&szlig;e</div><div>The <b>screenshots</b> are of another device.<br></div>",
		"mail":             "From: a@store.example\nSubject: x\nMIME-Version: 1.0\nContent-Type: text/plain; charset=iso-8859-1\nContent-Transfer-Encoding: quoted-printable\n\nGuideline 2.3.3 - Gr=F6=DFe\nThe screenshots are of an=\nother device.\n",
		"mail in parts": "From: a@store.example\nMIME-Version: 1.0\nContent-Type: multipart/alternative; boundary=kiln\n\n--kiln\nContent-Type: text/html\n\n<p>Something else</p>\n--kiln\nContent-Type: text/plain; charset=utf-8\nContent-Transfer-Encoding: base64\n\n" +
			base64.StdEncoding.EncodeToString([]byte(want)) + "\n--kiln--\n",
		"HTML part alone": "From: a@store.example\nMIME-Version: 1.0\nContent-Type: multipart/mixed; boundary=kiln\n\n--kiln\nContent-Type: text/html; charset=utf-8\n\n<p>Guideline 2.3.3 - Größe<br>The screenshots are of another device.\n--kiln--\n",
		"pasted headers":  "Von: a@store.example\nBetreff: x\n\nGuideline 2.3.3 - Größe\nThe screenshots are of another device.",
	} {
		assert.Equal(t, want, letter.Peel([]byte(raw)), name)
	}
	long := strings.Repeat("word ", 13)
	assert.Equal(t, long+"and on", letter.Peel([]byte(long+"\nand on")), "a line that a mail program cut")
	assert.Equal(t, strings.TrimSpace(long)+"\n- and on", letter.Peel([]byte(long+"\n- and on")), "an item of a list")
	assert.Equal(t, "short\nand on", letter.Peel([]byte("short\nand on")))
}

func FuzzRead(f *testing.F) {
	rows, err := rulebooks.BuiltIn.Letters()
	require.NoError(f, err)
	f.Add([]byte("Guideline 2.1 - x\n> crashed by 31 May 2026"))
	f.Fuzz(func(t *testing.T, raw []byte) {
		for _, x := range letter.Read(letter.Peel(raw), rows).Issues {
			assert.NotEmpty(t, x.Quote)
		}
	})
}

// TestCites holds which rows a number means.
func TestCites(t *testing.T) {
	for _, c := range []struct {
		code, asked string
		want        bool
	}{
		{"5.1.1(ii)", "5.1.1", true}, {"5.1.1(ii)", "5.1", true}, {"5.1.1(ii)", "5.1.1(ii)", true}, {"5.1.1(ii)", "5.1.1(i)", false}, {"2.1", "2.1", true},
		{"2.10", "2.1", false}, {"2.1", "", false}, {"90683", "ITMS-90683", true}, {"90683", "9068", false}, {"sms-call-log", "sms", true}, {"data-form", "Data-Form", true},
	} {
		assert.Equal(t, c.want, (&letter.Row{Code: c.code}).Cites(c.asked), "%s by %s", c.code, c.asked)
	}
}

// TestFrame finds what a letter says of the release and its days.
func TestFrame(t *testing.T) {
	for text, want := range map[string]letter.Letter{
		"Version reviewed: 1.4.0 (1402)":                 {Version: "1.4.0", Build: "1402"},
		"Version 2.0\nBuild 57":                          {Version: "2.0", Build: "57"},
		"Your app \"Kiln\", bundle ID org.example.kiln.": {IDs: []string{"org.example.kiln"}, Name: "Kiln"},
		"Review date: November 27, 2026":                 {On: "2026-11-27"},
		"Review device: iPad Air, iPadOS 26.1":           {Device: "iPad Air, iPadOS 26.1", System: "iPadOS 26.1", Store: "ios"},
		"Found in: version code 88":                      {Build: "88", Store: "android"},
		"Please fix it by 31 May 2026.":                  {Deadline: "2026-05-31"},
		"bis zum 3. Dezember 2026":                       {Deadline: "2026-12-03"},
		"avant le 15 janvier 2027":                       {Deadline: "2027-01-15"},
		"antes del 2 de diciembre de 2026":               {Deadline: "2026-12-02"},
		"until 2027-02-01 at the latest":                 {Deadline: "2027-02-01"},
		"by 31 February 2026":                            {},
	} {
		got := letter.Read(letter.Peel([]byte(text)), nil)
		got.Issues = nil
		assert.Equal(t, &want, got, text)
	}
}

type sample struct {
	Name, Text, Store, Version, Build, Deadline string
	Want, Named, Languages                      []string
	NewBuild                                    string `yaml:"new_build"`
	Stops                                       *bool
	Stopping                                    []bool // by issue
	Builds                                      []string
	Approved                                    bool
}

// TestLetters reads letters about a made-up app, as stores write them.
func TestLetters(t *testing.T) {
	data, err := os.ReadFile("testdata/letters.yaml")
	require.NoError(t, err)
	var all struct{ Letters []sample }
	require.NoError(t, yaml.Unmarshal(data, &all))
	require.GreaterOrEqual(t, len(all.Letters), 80)
	rows, err := rulebooks.BuiltIn.Letters()
	require.NoError(t, err)
	for _, s := range all.Letters {
		t.Run(s.Name, func(t *testing.T) {
			l := letter.Read(letter.Peel([]byte(s.Text)), rows)
			var got []string
			for _, x := range l.Issues {
				id := "none"
				if x.Row != nil {
					id = x.Row.ID
				}
				got = append(got, id)
			}
			if assert.Len(t, got, len(s.Want), "%v", got) {
				for i, want := range s.Want {
					assert.Contains(t, strings.Split(want, "|"), got[i], "issue %d: %q", i, l.Issues[i].Quote)
				}
			}
			assert.Equal(t, s.Store, l.Store)
			assert.Equal(t, s.Approved, l.Approved)
			for want, is := range map[string]string{s.Version: l.Version, s.Build: l.Build, s.Deadline: l.Deadline} {
				if want != "" {
					assert.Equal(t, want, is)
				}
			}
			for _, x := range l.Issues {
				if s.NewBuild != "" {
					assert.Equal(t, s.NewBuild, x.NewBuild)
				}
				if s.Stopping == nil {
					assert.Equal(t, s.Stops == nil || *s.Stops, x.Stops)
				}
			}
			for i, want := range s.Builds {
				assert.Equal(t, want, l.Issues[i].NewBuild, "issue %d", i)
			}
			for i, want := range s.Stopping {
				assert.Equal(t, want, l.Issues[i].Stops, "issue %d", i)
			}
			var named, languages []string
			for _, x := range l.Issues {
				named, languages = append(named, x.Named...), append(languages, x.Locales...)
			}
			assert.Subset(t, named, s.Named)
			assert.Equal(t, s.Languages, languages)
		})
	}
}
