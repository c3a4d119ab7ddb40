package provision_test

import (
	"testing"
	"time"

	"github.com/smallstep/pkcs7"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/format/provision"
	"regola.example/regola/internal/seed"
)

const file = "Payload/Terrafuoco.app/embedded.mobileprovision"

func TestParse(t *testing.T) {
	p, err := provision.Parse(seed.Entry(t, seed.IPA, file), nil)
	require.NoError(t, err)
	assert.Equal(t, "store", p.Kind)
	assert.Equal(t, "K1LN7EAM42.org.example.terrafuoco", p.AppID)
	assert.Equal(t, []string{"K1LN7EAM42"}, p.Teams)
	assert.Equal(t, time.Date(2036, 10, 1, 8, 0, 0, 0, time.UTC), p.Expires)
	assert.Len(t, p.Certificates, 1)
	assert.Empty(t, p.Unsigned)
}

// TestKinds wraps property lists into envelopes and looks at the kind.
func TestKinds(t *testing.T) {
	for body, want := range map[string]string{
		"<key>Entitlements</key><dict/>":                                                                            "store",
		"<key>ProvisionedDevices</key><array><string>a</string></array>":                                            "ad-hoc",
		"<key>ProvisionedDevices</key><array/><key>Entitlements</key><dict><key>get-task-allow</key><true/></dict>": "development",
		"<key>ProvisionsAllDevices</key><true/>":                                                                    "enterprise",
	} {
		sd, err := pkcs7.NewSignedData([]byte("<plist><dict>" + body + "</dict></plist>"))
		require.NoError(t, err)
		der, err := sd.Finish()
		require.NoError(t, err)
		p, err := provision.Parse(der, nil)
		require.NoError(t, err, body)
		assert.Equal(t, want, p.Kind)
		assert.NotEmpty(t, p.Unsigned)
	}
}

func TestDamaged(t *testing.T) {
	data := seed.Entry(t, seed.IPA, file)
	for _, n := range []int{0, 10, len(data) / 2} {
		_, err := provision.Parse(data[:n], nil)
		assert.Error(t, err, "%d bytes", n)
	}
}

func FuzzParse(f *testing.F) {
	f.Add(seed.Entry(f, seed.IPA, file))
	f.Fuzz(func(t *testing.T, data []byte) { _, _ = provision.Parse(data, nil) })
}
