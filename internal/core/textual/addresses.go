package textual

import (
	"net/url"
	"strings"
	"unicode"
)

// IsWebLink tells whether a text is an absolute http or https address whose host has a dot.
func IsWebLink(s string) bool {
	u, err := url.Parse(s)
	return err == nil && (u.Scheme == "https" || u.Scheme == "http") && isHost(u.Hostname()) && !strings.ContainsFunc(s, unicode.IsSpace)
}

func isHost(h string) bool {
	labels := strings.Split(h, ".")
	for _, l := range labels {
		if l == "" {
			return false
		}
	}
	return len(labels) > 1
}

// IsEmail tells whether a text has one @, a name before it and a host with a dot behind it.
func IsEmail(s string) bool {
	name, host, ok := strings.Cut(s, "@")
	return ok && name != "" && isHost(host) && !strings.Contains(host, "@") && !strings.ContainsFunc(s, unicode.IsSpace)
}

// IsPhone tells whether a text is a plus sign, a country code and at least six digits.
func IsPhone(s string) bool {
	n := 0
	for i, c := range s {
		switch {
		case c >= '0' && c <= '9':
			n++
		case c == '+' && i == 0, strings.ContainsRune(" -().", c):
		default:
			return false
		}
	}
	return strings.HasPrefix(s, "+") && n >= 6
}

// Host is the host of a web address, in small letters.
func Host(s string) string {
	u, err := url.Parse(strings.TrimSpace(s))
	if err != nil {
		return ""
	}
	return strings.TrimPrefix(strings.ToLower(u.Hostname()), "www.")
}
