package place

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestPlace(t *testing.T) {
	text := Place{File: "dossier.yaml", Line: 3, Column: 5, Key: "app.name"}
	entry := Place{File: "a.aab", Entry: "base/manifest", Key: "application", Offset: 12}
	for want, p := range map[string]Place{
		"dossier.yaml:3:5": text, "a.aab › base/manifest › application": entry, "a.aab": {File: "a.aab"}, "base": {Entry: "base"}, "": {},
		"a.aab › key": {File: "a.aab", Key: "key"}, "dossier.yaml:1:0": {File: "dossier.yaml", Line: 1},
	} {
		assert.Equal(t, want, p.String())
	}
	assert.Equal(t, "a.aab › base/manifest › application, byte 12", entry.Exact())
	assert.Equal(t, "dossier.yaml:3:5", text.Exact())
	assert.Equal(t, "a.aab", Place{File: "a.aab"}.Exact())
	assert.Empty(t, Place{Offset: 3}.Exact())
	assert.Equal(t, "application.label", entry.In("label").Key)
	assert.Equal(t, "application", entry.In("").Key)
	assert.Equal(t, "x", Place{}.In("x").Key)
	assert.EqualValues(t, 99, entry.At(99).Offset)
	assert.Equal(t, "base/manifest › application", entry.Within())
	assert.Empty(t, text.Within())
	assert.True(t, Place{}.IsZero())
	assert.False(t, Place{Column: 1}.IsZero())

	p := &Problem{At: text, What: "a name is missing"}
	assert.EqualError(t, p, "dossier.yaml:3:5: a name is missing")
	assert.EqualError(t, &Problem{What: "nothing there"}, "nothing there")
	assert.EqualError(t, Problems{p, {What: "b"}}, "dossier.yaml:3:5: a name is missing\nb")
	assert.NoError(t, Problems{}.Err())
	assert.Error(t, Problems{p}.Err())
}
