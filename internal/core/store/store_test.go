package store

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestLoad(t *testing.T) {
	s, ps := Load("store.yaml", []byte("store: bazaar\nname: the bazaar\nplatform: android\npackages: [aab, apk]\nrulebooks: [bazaar, common]\ndossier: [bazaar, android]\n"))
	assert.Empty(t, ps)
	assert.True(t, s.Takes(Android, "apk"))
	assert.False(t, s.Takes(IOS, "apk"))
	assert.False(t, s.Takes(Android, "ipa"))
	assert.Equal(t, []string{"bazaar", "android", "ios"}, Keys([]*Store{s, {Blocks: []string{"android", "ios"}}}))
	s, ps = Load("store.yaml", []byte("store: Bazaar\n"))
	assert.Nil(t, s)
	assert.Len(t, ps, 6, "the id is wrong, and five keys are missing: %v", ps)
}
