package jarsig

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// TestSigns tells the files of a signature from what it signs (JAR File Specification).
func TestSigns(t *testing.T) {
	for name, want := range map[string]bool{
		"META-INF/MANIFEST.MF": true, "META-INF/KILN.SF": true, "META-INF/kiln.rsa": true, "META-INF/K.DSA": true, "META-INF/K.EC": true, "META-INF/SIG-KILN": true, "META-INF/sig-kiln.txt": true,
		"META-INF/KILN.TXT": false, "META-INF/services/KILN.SF": false, "KILN.SF": false, "assets/SIG-KILN": false, "assets/": true, "META-INF/": false,
	} {
		assert.Equal(t, want, Signs(name), name)
	}
}
