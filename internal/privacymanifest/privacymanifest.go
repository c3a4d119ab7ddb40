// Package privacymanifest writes privacy manifests to complete.
//
// Source of the format: the platform's documentation of privacy manifest files.
package privacymanifest

import (
	"encoding/xml"
	"fmt"
	"io"
	"strings"

	"regola.example/regola/internal/core/evidence"
	"regola.example/regola/internal/core/facts"
)

// Write writes a privacy manifest for one bundle: what it declares
// already, and every category that its code uses. A reason is never guessed:
// where one is missing, a comment lists the choices. open counts those.
func Write(w io.Writer, b *facts.Bundle, e *evidence.Evidence) (open int, err error) {
	p := &lines{w: w}
	esc := func(s string) string {
		var b strings.Builder
		_ = xml.EscapeText(&b, []byte(s))
		return b.String()
	}
	p.line(`<?xml version="1.0" encoding="UTF-8"?>`)
	p.line(`<plist version="1.0">`)
	p.line("<dict>")
	tracking, domains := false, []string{}
	if b.Privacy != nil {
		tracking, domains = b.Privacy.Tracking, b.Privacy.Domains
	}
	p.line("\t<key>NSPrivacyTracking</key>\n\t<%t/>", tracking)
	p.line("\t<key>NSPrivacyTrackingDomains</key>\n\t<array>")
	for _, d := range domains {
		p.line("\t\t<string>%s</string>", esc(d))
	}
	p.line("\t</array>\n\t<key>NSPrivacyCollectedDataTypes</key>\n\t<array>")
	if b.Privacy != nil {
		for _, c := range b.Privacy.Collected {
			p.line("\t\t<dict>\n\t\t\t<key>NSPrivacyCollectedDataType</key><string>%s</string>", esc(c.Type))
			p.line("\t\t\t<key>NSPrivacyCollectedDataTypeLinked</key><%t/>", c.Linked)
			p.line("\t\t\t<key>NSPrivacyCollectedDataTypeTracking</key><%t/>", c.Tracking)
			p.line("\t\t\t<key>NSPrivacyCollectedDataTypePurposes</key>\n\t\t\t<array>")
			for _, s := range c.Purposes {
				p.line("\t\t\t\t<string>%s</string>", esc(s))
			}
			p.line("\t\t\t</array>\n\t\t</dict>")
		}
	} else {
		p.line("\t\t<!-- list the kinds of data that the code collects, if any -->")
	}
	p.line("\t</array>\n\t<key>NSPrivacyAccessedAPITypes</key>\n\t<array>")
	entry := func(category string, reasons []string, note string) {
		p.line("\t\t<dict>\n\t\t\t<key>NSPrivacyAccessedAPIType</key>\n\t\t\t<string>%s</string>", esc(category))
		p.line("\t\t\t<key>NSPrivacyAccessedAPITypeReasons</key>\n\t\t\t<array>")
		for _, r := range reasons {
			p.line("\t\t\t\t<string>%s</string>", esc(r))
		}
		if note != "" {
			p.line("%s", note)
		}
		p.line("\t\t\t</array>\n\t\t</dict>")
	}
	written := map[string]bool{}
	for _, r := range e.Reasons {
		if r.Bundle != b.Path {
			continue
		}
		written[r.Category] = true
		note := ""
		if len(r.Reasons) == 0 {
			open++
			note = fmt.Sprintf("\t\t\t\t<!-- choose a reason; the code uses %s:\n", strings.ReplaceAll(strings.Join(r.Because, ", "), "--", "- -"))
			for _, code := range r.Choices {
				note += fmt.Sprintf("\t\t\t\t     %s  %s\n", code, r.Meanings[code])
			}
			note += "\t\t\t\t-->"
		}
		entry(r.Category, r.Reasons, note)
	}
	if b.Privacy != nil {
		for _, x := range b.Privacy.Accessed {
			if !written[x.Category] {
				entry(x.Category, x.Reasons, "")
			}
		}
	}
	p.line("\t</array>\n</dict>\n</plist>")
	return open, p.err
}

// lines writes lines, and keeps the first error.
type lines struct {
	w   io.Writer
	err error
}

func (l *lines) line(text string, args ...any) {
	if l.err == nil {
		_, l.err = fmt.Fprintf(l.w, text+"\n", args...)
	}
}
