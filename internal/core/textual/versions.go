package textual

import "strings"

// CompareVersions compares dotted numbers; what is not a number counts as 0.
func CompareVersions(a, b string) int {
	as, bs := strings.Split(a, "."), strings.Split(b, ".")
	for i := range max(len(as), len(bs)) {
		var x, y string
		if i < len(as) {
			x = strings.TrimLeft(digits(as[i]), "0")
		}
		if i < len(bs) {
			y = strings.TrimLeft(digits(bs[i]), "0")
		}
		if len(x) != len(y) { // no leading zeros: the longer number is the larger
			if len(x) < len(y) {
				return -1
			}
			return 1
		}
		if c := strings.Compare(x, y); c != 0 {
			return c
		}
	}
	return 0
}

func digits(s string) string {
	end := 0
	for end < len(s) && s[end] >= '0' && s[end] <= '9' {
		end++
	}
	return s[:end]
}

// IsVersion tells whether a text is whole numbers with full stops between them, at most so
// many.
func IsVersion(s string, most int) bool {
	parts := strings.Split(s, ".")
	for _, p := range parts {
		if p == "" || digits(p) != p {
			return false
		}
	}
	return len(parts) <= most
}
