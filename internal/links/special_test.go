package links

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/assert"
)

// TestOpen has an address of each special prefix at its edges, and of each form that
// holds another address.
func TestOpen(t *testing.T) {
	for address, want := range map[string]bool{
		"93.184.215.14": true, "1.0.0.1": true, "9.255.255.255": true, "11.0.0.0": true, "100.63.255.255": true, "100.128.0.0": true, "172.15.255.255": true, "172.32.0.0": true,
		"198.17.255.255": true, "198.20.0.0": true, "223.255.255.255": true, "126.255.255.255": true, "128.0.0.0": true, "192.0.1.0": true,
		"0.1.2.3": false, "10.0.0.0": false, "10.255.255.255": false, "100.64.0.0": false, "100.127.255.255": false, "127.0.0.1": false, "169.254.169.254": false, "172.16.0.0": false, "172.31.255.255": false,
		"192.0.0.5": false, "192.0.2.1": false, "192.88.99.1": false, "192.168.255.255": false, "198.18.0.1": false, "198.19.255.255": false, "198.51.100.1": false, "203.0.113.1": false, "224.0.0.1": false, "240.0.0.1": false, "255.255.255.255": false,
		"2606:2800:21f:cb07:6820:80da:af6b:8b2c": true, "2a00::1": true, "2400::1": true,
		"::": false, "::1": false, "::ffff:10.0.0.1": false, "::ffff:93.184.215.14": true, "fe80::1": false, "fe80::1%eth0": false, "fec0::1": false, "feff::1": false, "fc00::1": false, "fdff::1": false, "ff02::1": false,
		"100::1": false, "2001::1": false, "2001:1ff::1": false, "2001:200::1": true, "2001:db8::1": false, "3fff::1": false, "5f00::1": false, "64:ff9b:1::1": false,
		"64:ff9b::7f00:1": false, "64:ff9b::10.0.0.1": false, "64:ff9b::93.184.215.14": true,
		"2002:7f00:1::1": false, "2002:a00:1::1": false, "2002:5db8:d70e::1": true,
		"::10.0.0.1": false, "2400::5efe:10.0.0.1": false, "2400::200:5efe:192.168.0.1": false, "2400::5efe:93.184.215.14": true,
	} {
		assert.Equal(t, want, open(netip.MustParseAddr(address)), address)
	}
}
