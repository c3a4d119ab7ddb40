package ledger_test

import (
	"encoding/json"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/ledger"
)

func on(t testing.TB, s string) day.Day {
	d, err := day.Parse(s)
	require.NoError(t, err)
	return d
}

// whole is a release with something in every field that is compared.
func whole() *ledger.Release {
	return &ledger.Release{
		ID: "org.example.terrafuoco", Version: "1.3.0", Build: "1300", Channel: "public", Share: "100%", Price: "free",
		MinLevel: "26", TargetLevel: 35, Certificate: "aa", Team: "T1",
		Permissions: []string{"android.permission.CAMERA", "android.permission.INTERNET"}, Features: []string{"android.hardware.camera"},
		Components: []string{"activity .Main"}, Schemes: []string{"terrafuoco"}, Entitled: []string{"aps-environment"},
		Extensions: []string{"com.apple.widgetkit-extension"}, Languages: []string{"de", "it"}, Libraries: []string{"arm64-v8a/libkiln.so"},
		SDKs: []string{"org.example.lanterna"}, Implied: []string{"device-id"}, Data: []string{"email"}, Countries: []string{"IT"},
		Products: map[string]string{"glaze": "once 1.99 EUR"}, Purposes: map[string]string{"NSCameraUsageDescription": "p1"},
		Answers: map[string]string{"answers.ads": "false"}, Texts: map[string]string{"it/name": "t1"}, Pictures: map[string]string{"pictures/1.png": "1 x 1"},
		Sizes: map[string]int64{"package": 1000, "code": 400},
	}
}

// TestCompare changes one thing at a time: exactly that change is named.
func TestCompare(t *testing.T) {
	for want, change := range map[string]func(*ledger.Release){
		"~ id org.example.terrafuoco → org.example.forno": func(r *ledger.Release) { r.ID = "org.example.forno" },
		"~ version 1.3.0 → 1.4.0":                         func(r *ledger.Release) { r.Version = "1.4.0" },
		"~ build 1300 → 1400":                             func(r *ledger.Release) { r.Build = "1400" },
		"+ permission android.permission.BODY_SENSORS": func(r *ledger.Release) {
			r.Permissions = append(r.Permissions, "android.permission.BODY_SENSORS")
		},
		"- permission android.permission.INTERNET":   func(r *ledger.Release) { r.Permissions = r.Permissions[:1] },
		"+ third-party code org.example.fucina":      func(r *ledger.Release) { r.SDKs = append(r.SDKs, "org.example.fucina") },
		"- third-party code org.example.lanterna":    func(r *ledger.Release) { r.SDKs = nil },
		"+ kind of data implied precise-location":    func(r *ledger.Release) { r.Implied = append(r.Implied, "precise-location") },
		"- kind of data answered email":              func(r *ledger.Release) { r.Data = nil },
		"+ entitlement keychain-access-groups x":     func(r *ledger.Release) { r.Entitled = append(r.Entitled, "keychain-access-groups x") },
		"~ purpose string NSCameraUsageDescription":  func(r *ledger.Release) { r.Purposes = map[string]string{"NSCameraUsageDescription": "p2"} },
		"- component activity .Main":                 func(r *ledger.Release) { r.Components = nil },
		"+ extension com.apple.share-services":       func(r *ledger.Release) { r.Extensions = append(r.Extensions, "com.apple.share-services") },
		"+ link forno":                               func(r *ledger.Release) { r.Schemes = append(r.Schemes, "forno") },
		"- required feature android.hardware.camera": func(r *ledger.Release) { r.Features = nil },
		"~ least system 26 → 28":                     func(r *ledger.Release) { r.MinLevel = "28" },
		"~ target level 35 → 36":                     func(r *ledger.Release) { r.TargetLevel = 36 },
		"~ certificate aa → bb":                      func(r *ledger.Release) { r.Certificate = "bb" },
		"- team T1":                                  func(r *ledger.Release) { r.Team = "" },
		"+ language fr":                              func(r *ledger.Release) { r.Languages = append(r.Languages, "fr") },
		"- library arm64-v8a/libkiln.so":             func(r *ledger.Release) { r.Libraries = nil },
		"~ answer answers.ads":                       func(r *ledger.Release) { r.Answers = map[string]string{"answers.ads": "true"} },
		"+ answer answers.news": func(r *ledger.Release) {
			r.Answers = map[string]string{"answers.ads": "false", "answers.news": "true"}
		},
		"+ country AT":             func(r *ledger.Release) { r.Countries = append(r.Countries, "AT") },
		"~ price free → 1.99 EUR":  func(r *ledger.Release) { r.Price = "1.99 EUR" },
		"~ product glaze":          func(r *ledger.Release) { r.Products = map[string]string{"glaze": "once 2.99 EUR"} },
		"~ text it/name":           func(r *ledger.Release) { r.Texts = map[string]string{"it/name": "t2"} },
		"+ page fr":                func(r *ledger.Release) { r.Texts = map[string]string{"it/name": r.Texts["it/name"], "fr/name": "t"} },
		"- picture pictures/1.png": func(r *ledger.Release) { r.Pictures = nil },
		"~ size package":           func(r *ledger.Release) { r.Sizes = map[string]int64{"package": 1001, "code": 400} },
		"~ size of code code":      func(r *ledger.Release) { r.Sizes = map[string]int64{"package": 1000, "code": 401} },
		"":                         func(*ledger.Release) {},
	} {
		now := whole()
		change(now)
		c := ledger.Compare(whole(), now)
		var got []string
		for sign, list := range map[string][]*ledger.Difference{"+ ": c.Added, "- ": c.Removed, "~ ": c.Changed} {
			for _, d := range list {
				got = append(got, sign+d.Kind+" "+d.What)
			}
		}
		assert.Equal(t, want == "", c.Empty())
		assert.Equal(t, want, strings.Join(got, "; "))
	}
}

// write makes a ledger of events.
func write(t testing.TB, events ...*ledger.Event) *ledger.Ledger {
	t.Helper()
	var all []byte
	for _, e := range events {
		line, err := ledger.Encode(e)
		require.NoError(t, err)
		all = append(all, line...)
	}
	l := ledger.Parse("ledger.jsonl", all)
	require.Empty(t, l.Faults)
	return l
}

func released(t testing.TB, day string, r *ledger.Release) *ledger.Event {
	return &ledger.Event{Event: ledger.Released, On: on(t, day), Store: "ios", Version: r.Version, Build: r.Build, Release: r}
}

// TestRejections holds each cause against the next release, as it was and changed.
func TestRejections(t *testing.T) {
	for about, change := range map[string]func(*ledger.Release){
		"answer:answers.ads":               func(r *ledger.Release) { r.Answers = map[string]string{"answers.ads": "true"} },
		"text:it/name":                     func(r *ledger.Release) { r.Texts = map[string]string{"it/name": "t2"} },
		"picture:pictures/1.png":           func(r *ledger.Release) { r.Pictures = nil },
		"purpose:NSCameraUsageDescription": func(r *ledger.Release) { r.Purposes = map[string]string{"NSCameraUsageDescription": "p2"} },
		"rule:ios/icon":                    func(r *ledger.Release) { r.Broken = nil },
		"behaviour":                        func(r *ledger.Release) { r.Build, r.Digest = "1301", "d2" },
	} {
		sent := func() *ledger.Release {
			r := whole()
			r.Broken, r.Digest = []string{"ios/icon"}, "d1"
			return r
		}
		l := write(t, released(t, "2026-08-01", sent()),
			&ledger.Event{Event: ledger.Decided, Decision: "rejected", On: on(t, "2026-08-02"), Store: "ios", Version: "1.3.0", Build: "1300", Reasons: []ledger.Reason{{About: about, Said: "No."}}})
		now := sent()
		h := l.Of("ios", now, l.Last("ios"))
		require.Len(t, h.Rejections, 1)
		assert.True(t, h.Rejections[0].Unchanged, about)
		assert.Equal(t, "ledger.jsonl:2:1", h.Rejections[0].Self().String())
		assert.False(t, h.Rejections[0].Replied)
		change(now)
		assert.False(t, l.Of("ios", now, l.Last("ios")).Rejections[0].Unchanged, about)
		assert.Empty(t, l.Of("android", now, nil).Rejections, "another store")
	}
	// What neither release has is not the same in both.
	for _, about := range []string{"answer:answers.news", "text:xx/name", "picture:pictures/none.png", "purpose:NSFooBar"} {
		l := write(t, released(t, "2026-08-01", whole()),
			&ledger.Event{Event: ledger.Decided, Decision: "rejected", On: on(t, "2026-08-02"), Store: "ios", Version: "1.3.0", Build: "1300", Reasons: []ledger.Reason{{About: about, Said: "No."}}})
		assert.False(t, l.Of("ios", whole(), l.Last("ios")).Rejections[0].Unchanged, about)
	}
	assert.Equal(t, []string{"answers.ads"}, whole().Parts("answer"))
	assert.Empty(t, whole().Parts("behaviour"))
}

// TestAcceptedOlder lets the acceptance of a release settle what was open of it and of
// those before it, and nothing of a newer one.
func TestAcceptedOlder(t *testing.T) {
	first, second := whole(), whole()
	second.Version, second.Build = "1.4.0", "1400"
	no := func(version, build string) *ledger.Event {
		return &ledger.Event{Event: ledger.Decided, Decision: "rejected", On: on(t, "2026-08-02"), Store: "ios", Version: version, Build: build, Reasons: []ledger.Reason{{About: "behaviour"}}}
	}
	yes := func(version, build string) *ledger.Event {
		return &ledger.Event{Event: ledger.Decided, Decision: "accepted", On: on(t, "2026-08-03"), Store: "ios", Version: version, Build: build}
	}
	events := []*ledger.Event{released(t, "2026-08-01", first), no("1.3.0", "1300"), released(t, "2026-08-02", second), no("1.4.0", "1400")}
	for _, c := range []struct {
		last *ledger.Event
		left []string
	}{{yes("1.3.0", "1300"), []string{"1.4.0"}}, {yes("1.4.0", "1400"), nil}} {
		var left []string
		for _, r := range write(t, append(events, c.last)...).Of("ios", whole(), nil).Rejections {
			left = append(left, r.Version)
		}
		assert.Equal(t, c.left, left)
	}
}

// TestUnread keeps a history with a line that could not be read from being used, but for
// the lines themselves.
func TestUnread(t *testing.T) {
	data, err := ledger.Encode(released(t, "2026-08-01", whole()))
	require.NoError(t, err)
	l := ledger.Parse("l", append([]byte("\xef\xbb\xbf"), data...))
	assert.Len(t, l.Events, 1, "a byte order mark is passed over")
	assert.Nil(t, l.Gap())
	assert.Empty(t, l.Of("ios", whole(), nil).Unread("builds"))
	for _, odd := range []string{"{\n", "<<<<<<< HEAD\n", `{"regola":9}` + "\n"} {
		l := ledger.Parse("l", append([]byte(odd), data...))
		h := l.Of("ios", whole(), nil)
		assert.Contains(t, h.Unread("builds"), "line 1 of the ledger could not be read", odd)
		assert.NotEmpty(t, h.Unread("given"))
		assert.Empty(t, h.Unread("faults"))
		assert.Equal(t, strings.HasPrefix(odd, "<"), l.Conflict == 1)
	}
	for mark, is := range map[string]bool{"=======": true, "=======\r": true, "||||||| base": true, ">>>>>>> b": true, "========": false, "======": false, " =======": false} {
		assert.Equal(t, is, ledger.Parse("l", []byte(mark+"\n")).Conflict == 1, mark)
	}
}

// TestHistory counts what was sent, and lets an acceptance settle what was open.
func TestHistory(t *testing.T) {
	old, next, now := whole(), whole(), whole()
	next.Version, next.Build, next.Digest, next.Channel = "1.3.1", "1310", "d1", "team"
	now.Version, now.Build, now.Digest = "1.3.1", "1310", "d1"
	events := []*ledger.Event{
		released(t, "2026-08-01", old), released(t, "2026-08-03", next),
		{Event: ledger.Decided, Decision: "rejected", On: on(t, "2026-08-04"), Store: "ios", Version: "1.3.1", Build: "1310", Reasons: []ledger.Reason{{About: "behaviour"}}},
		{Event: ledger.Replied, On: on(t, "2026-08-05"), Store: "ios", Version: "1.3.1", Build: "1310", Text: "It was the kiln."},
	}
	l := write(t, events...)
	h := l.Of("ios", now, l.Last("ios"))
	assert.Equal(t, []string{"1300"}, h.Builds, "the very package is not sent anew")
	assert.Equal(t, []string{"1.3.0", "1.3.1"}, h.Versions)
	assert.Equal(t, []string{"1300"}, h.Public)
	assert.Equal(t, []string{"glaze"}, h.Products)
	assert.True(t, h.Given && h.Rejections[0].Replied && h.Rejections[0].Unchanged && !h.Rejections[0].Kept)
	for build, is := range map[string][2]bool{"1310": {true, true}, "1309": {}} { // a reply to another decision is none to this one
		x := *events[3]
		x.Build, x.Keeps = build, true
		r := write(t, events[0], events[1], events[2], &x).Of("ios", now, nil).Rejections[0]
		assert.Equal(t, is, [2]bool{r.Replied, r.Kept}, build)
	}
	other := *now
	other.Version = "1.4.0"
	assert.Equal(t, []string{"1300", "1310"}, l.Of("ios", &other, nil).Builds, "its number was used, for another version")
	now.Digest = "d2"
	assert.Equal(t, []string{"1300", "1310"}, l.Of("ios", now, l.Last("ios")).Builds)
	assert.True(t, l.Sent("ios", "1310"))
	assert.False(t, l.Sent("android", "1310"))
	l = write(t, append(events, &ledger.Event{Event: ledger.Decided, Decision: "accepted", On: on(t, "2026-08-06"), Store: "ios", Version: "1.3.1", Build: "1310"})...)
	assert.Empty(t, l.Of("ios", now, nil).Rejections)
	assert.False(t, l.Of("ios", nil, nil).Given)
}

// TestParse names each line that cannot be read, and uses the others.
func TestParse(t *testing.T) {
	good := `{"regola":1,"event":"reply","on":"2026-08-05","store":"ios","text":"x"}`
	for line, want := range map[string]string{
		`{`: "no event as regola ledger writes it: it is no JSON from byte 1 on",
		`{"regola":2,"event":{"kind":"reply"},"on":7}`: "written in format 2, by a newer program",
		good + good: "it is no JSON from byte",
		`{"regola":1,"event":"reply","on":"2026-08-05"}`:                                  "not an event: regola, on and store are needed",
		`{"regola":1,"event":"reply","on":"5 August","store":"ios"}`:                      `"5 August" is not a day`,
		`{"event":"reply","on":"2026-08-05","store":"ios"}`:                               "not an event",
		`{"regola":1,"event":"release","on":"2026-08-05","store":"ios"}`:                  "a release without what was released",
		`{"regola":1,"event":"decision","on":"2026-08-05","store":"ios","decision":"so"}`: `a decision of an unknown kind, "so"`,
		`{"regola":1,"event":"party","on":"2026-08-05","store":"ios"}`:                    `an event of an unknown kind, "party"`,
		`root:x:0:0`: "it is no JSON from byte 1 on", "[]": "the line should be an object", `{"regola":1,"store":7}`: "store should be a text",
		"=======": "a mark of a merge that was not finished",
	} {
		l := ledger.Parse("l", []byte(good+"\r\n\n"+line+"\n"+good))
		assert.Len(t, l.Events, 2, line)
		if assert.Len(t, l.Faults, 1, line) {
			assert.Contains(t, l.Faults[0].What, want)
			assert.EqualValues(t, 3, l.Faults[0].Line)
		}
	}
}

// FuzzParse reads any bytes: every line that is not blank is an event or a fault, and
// an event reads back as it was written.
func FuzzParse(f *testing.F) {
	line, err := ledger.Encode(released(f, "2026-08-01", whole()))
	require.NoError(f, err)
	f.Add(line)
	f.Add([]byte("{\"regola\":9}\n<<<<<<< HEAD\n"))
	f.Fuzz(func(t *testing.T, data []byte) {
		l := ledger.Parse("l", data)
		n := 0
		for _, s := range strings.Split(strings.TrimPrefix(string(data), "\ufeff"), "\n") {
			if strings.TrimSpace(s) != "" {
				n++
			}
		}
		if len(l.Events)+len(l.Faults) != n {
			t.Fatalf("%d events and %d faults of %d lines", len(l.Events), len(l.Faults), n)
		}
		for _, e := range l.Events {
			line, err := ledger.Encode(e)
			require.NoError(t, err)
			again := ledger.Parse("l", line)
			require.Len(t, again.Events, 1)
			a, err := json.Marshal(again.Events[0])
			require.NoError(t, err)
			require.Equal(t, strings.TrimSpace(string(line)), string(a))
		}
	})
}
