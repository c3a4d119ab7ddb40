package links

import "net/netip"

// special are the prefixes of addresses that are no hosts of the open net: those of the
// registries of special-purpose addresses for IPv4 (RFC 6890 and its updates) and IPv6,
// multicast, and what was deprecated and may still lead into a local network.
var special = prefixes(
	"0.0.0.0/8",       // this network
	"10.0.0.0/8",      // private
	"100.64.0.0/10",   // shared by customers of a provider
	"127.0.0.0/8",     // loopback
	"169.254.0.0/16",  // link-local
	"172.16.0.0/12",   // private
	"192.0.0.0/24",    // protocol assignments
	"192.0.2.0/24",    // documentation
	"192.88.99.0/24",  // relays of 6to4, deprecated
	"192.168.0.0/16",  // private
	"198.18.0.0/15",   // benchmarks
	"198.51.100.0/24", // documentation
	"203.0.113.0/24",  // documentation
	"224.0.0.0/4",     // multicast
	"240.0.0.0/4",     // reserved, and broadcast

	"::/128",            // unspecified
	"::1/128",           // loopback
	"64:ff9b:1::/48",    // translation within a network
	"100::/64",          // discard
	"100:0:0:1::/64",    // dummy
	"2001::/23",         // protocol assignments, Teredo among them
	"2001:db8::/32",     // documentation
	"3fff::/20",         // documentation
	"5f00::/16",         // segment routing
	"fc00::/7",          // unique local
	"fe80::/10",         // link-local
	"fec0::/10",         // site-local, deprecated
	"ff00::/8",          // multicast
	"2620:4f:8000::/48", // sinks of reverse look-ups
	"192.31.196.0/24",   // the same
	"192.175.48.0/24",   // the same
	"192.52.193.0/24",   // relays of multicast
)

func prefixes(list ...string) (out []netip.Prefix) {
	for _, s := range list {
		out = append(out, netip.MustParsePrefix(s))
	}
	return out
}

// Forms of IPv6 addresses that lead to an IPv4 address inside them.
var (
	translated = netip.MustParsePrefix("64:ff9b::/96") // RFC 6052
	tunnelled  = netip.MustParsePrefix("2002::/16")    // 6to4, RFC 3056
	compatible = netip.MustParsePrefix("::/96")        // deprecated, RFC 4291
)

// open tells whether an address is a host of the open net: the address itself, and the
// IPv4 address that it leads to.
func open(ip netip.Addr) bool {
	ip = ip.Unmap().WithZone("")
	for _, p := range special {
		if p.Contains(ip) {
			return false
		}
	}
	if inner, ok := embedded(ip); ok {
		return open(inner)
	}
	return ip.IsGlobalUnicast()
}

// embedded is the IPv4 address that an IPv6 address leads to.
func embedded(ip netip.Addr) (netip.Addr, bool) {
	if !ip.Is6() {
		return ip, false
	}
	b := ip.As16()
	switch {
	case translated.Contains(ip), compatible.Contains(ip):
		return netip.AddrFrom4([4]byte(b[12:])), true
	case tunnelled.Contains(ip):
		return netip.AddrFrom4([4]byte(b[2:6])), true
	case b[9] == 0 && b[10] == 0x5e && b[11] == 0xfe && b[8]&^2 == 0: // ISATAP, RFC 5214
		return netip.AddrFrom4([4]byte(b[12:])), true
	}
	return ip, false
}
