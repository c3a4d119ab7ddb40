package disclosure_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/disclosure"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/evidence"
	"regola.example/regola/internal/core/strictyaml"
	"regola.example/regola/internal/core/tables"
	"regola.example/regola/rulebooks"
)

// sheet is answers of which each store's form makes something else.
const sheet = `
data:
  - {kind: photos, purposes: [app-functionality], shared: false, linked: true, tracking: false, optional: true, stored: true}
  - {kind: videos, purposes: [diagnostics], shared: false, linked: false, tracking: false, optional: false, stored: true, collected_by: [org.example.scherbe]}
  - {kind: device-id, purposes: [third-party-advertising], shared: false, linked: false, tracking: true, optional: false, stored: true}
  - {kind: crash-logs, purposes: [diagnostics], shared: true, shared_because: service-provider, linked: false, tracking: false, optional: false, stored: false}
  - {kind: name, linked: true}
`

func forms(t *testing.T) map[string]*disclosure.Disclosure {
	var a dossier.Answers
	require.Empty(t, strictyaml.DecodeKeys("dossier.yaml", []byte(sheet), &a, nil, nil))
	set, err := rulebooks.BuiltIn.Tables()
	require.NoError(t, err)
	on, _ := day.Parse("2026-11-25")
	e := &evidence.Evidence{Data: []*evidence.Data{{Kind: "photos", By: "app", Sign: "permission CAMERA", Access: true}, {Kind: "sms", By: "app", Access: true}, {Kind: "sms", By: "org.example.scherbe"}}}
	out := map[string]*disclosure.Disclosure{}
	for _, s := range []string{"android", "ios"} {
		out[s] = disclosure.Of(s, &a, e, (*tables.Set)(set).On(on))
	}
	disclosure.Compare(out)
	return out
}

func row(d *disclosure.Disclosure, kind string) *disclosure.Row {
	for _, r := range d.Rows {
		if r.Kind == kind {
			return r
		}
	}
	return nil
}

func TestAndroid(t *testing.T) {
	d := forms(t)["android"]
	photos, videos, id, crash := row(d, "photos"), row(d, "videos"), row(d, "device-id"), row(d, "crash-logs")
	assert.False(t, photos.Required)
	assert.Len(t, photos.Implied, 1)
	assert.True(t, videos.Required)
	assert.Equal(t, []string{"analytics"}, videos.Purposes, "crashes are analysed, in this store's words")
	assert.Equal(t, []string{"org.example.scherbe"}, videos.By)
	assert.True(t, id.Shared, "tracking hands data on")
	assert.Equal(t, []string{"advertising"}, id.SharedFor)
	assert.False(t, crash.Shared, "a provider of services is nobody else")
	assert.False(t, crash.Shown, "asked for, and not shown: it is not kept")
	assert.Equal(t, []string{"shared", "tracking", "optional", "stored", "purposes"}, row(d, "name").Open)
	require.Len(t, d.Missing, 1)
	assert.False(t, d.Missing[0].Access, "code takes it, not only a permission")
}

func TestIOS(t *testing.T) {
	d := forms(t)["ios"]
	both := row(d, "photos-videos")
	require.NotNil(t, both)
	assert.Equal(t, []string{"photos", "videos"}, both.From)
	assert.True(t, both.Linked, "one of the two is")
	assert.Equal(t, []string{"app-functionality"}, both.Purposes)
	assert.Equal(t, []string{"app", "org.example.scherbe"}, both.By)
	assert.True(t, d.Tracking)
	assert.Equal(t, []string{"crash-logs"}, d.Hidden)
	require.Len(t, d.Differs, 1)
	assert.Equal(t, "android", d.Differs[0].Store)
	require.Len(t, d.Missing, 1)
	assert.Equal(t, "messages", d.Missing[0].Kind)
}
