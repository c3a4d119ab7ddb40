package privacyinfo_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/format/privacyinfo"
	"regola.example/regola/internal/seed"
)

func TestParse(t *testing.T) {
	m, err := privacyinfo.Parse(seed.Entry(t, seed.IPA, "Payload/Terrafuoco.app/PrivacyInfo.xcprivacy"), nil)
	require.NoError(t, err)
	assert.Empty(t, m.Faults)
	assert.True(t, m.TrackingDeclared)
	require.Len(t, m.Accessed, 1)
	assert.Equal(t, []string{"CA92.1"}, m.Accessed[0].Reasons)
}

// TestFaults puts every kind of mistake into one manifest.
func TestFaults(t *testing.T) {
	m, err := privacyinfo.Parse([]byte(`<plist><dict>
		<key>NSPrivacyTracking</key><string>no</string>
		<key>NSPrivacyTrackingDomain</key><array/>
		<key>NSPrivacyAccessedAPITypes</key><array><dict><key>NSPrivacyAccessedAPIType</key><string>A</string></dict><string>x</string></array>
		<key>NSPrivacyCollectedDataTypes</key><array><dict><key>NSPrivacyCollectedDataType</key><string>B</string>
			<key>NSPrivacyCollectedDataTypeLinked</key><true/><key>NSPrivacyCollectedDataTypeTracking</key><integer>0</integer>
			<key>NSPrivacyCollectedDataTypePurposes</key><array><integer>1</integer></array></dict></array>
	</dict></plist>`), nil)
	require.NoError(t, err)
	var got []string
	for _, f := range m.Faults {
		got = append(got, f.Key+" "+f.What)
	}
	assert.ElementsMatch(t, []string{
		"NSPrivacyTracking is a string, not a boolean",
		"NSPrivacyTrackingDomain is not a key of a privacy manifest",
		"NSPrivacyAccessedAPITypes[0].NSPrivacyAccessedAPITypeReasons is missing",
		"NSPrivacyAccessedAPITypes[1] is a string, not a dictionary",
		"NSPrivacyCollectedDataTypes[0].NSPrivacyCollectedDataTypeTracking is an integer, not a boolean",
		"NSPrivacyCollectedDataTypes[0].NSPrivacyCollectedDataTypePurposes[0] is an integer, not a string",
	}, got)
	_, err = privacyinfo.Parse([]byte("<plist><array/></plist>"), nil)
	assert.ErrorContains(t, err, "an array, not a dictionary")
}

func FuzzParse(f *testing.F) {
	f.Add(seed.Entry(f, seed.IPA, "Payload/Terrafuoco.app/PrivacyInfo.xcprivacy"))
	f.Fuzz(func(t *testing.T, data []byte) { _, _ = privacyinfo.Parse(data, nil) })
}
