// Package fetched is what the links of a dossier lead to, as rules see it. It
// fetches nothing itself.
package fetched

import (
	"encoding/json"
	"net/url"
	"strings"
	"unicode"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/htmltext"
)

// Fetched is everything that was fetched for one store.
type Fetched struct {
	fact.Mark  `json:"-"`
	Pages      []*Page      `json:"pages"`
	Statements []*Statement `json:"statements"` // files by which web sites name the app
}

// Page is one link and what it leads to.
type Page struct {
	fact.Mark `json:"-"`
	Key       string `json:"key"`     // where the dossier has it, such as links.privacy
	Address   string `json:"address"` // as the dossier has it
	Final     string `json:"final"`   // after redirects
	Status    int64  `json:"status"`  // of HTTP; 0 when there was no answer
	Fault     string `json:"fault"`   // why there is no page; empty when there is one
	Kind      string `json:"kind"`    // media type
	Bytes     int64  `json:"bytes"`
	Bare      bool   `json:"bare"`  // it is the first page of its site
	Words     int64  `json:"words"` // of its text
	Names     bool   `json:"names"` // it names the app or its maker
	Data      bool   `json:"data"`  // it speaks of data
}

// Statement is a file of a web site about apps.
type Statement struct {
	fact.Mark `json:"-"`
	Kind      string   `json:"kind"` // assetlinks, association, app-ads
	Host      string   `json:"host"`
	Address   string   `json:"address"`
	Status    int64    `json:"status"`
	Fault     string   `json:"fault"` // why it cannot be read; empty when it can
	Apps      []string `json:"apps"`  // ids of the apps that it names
	Sums      []string `json:"sums"`  // SHA-256 of certificates, with colons
}

// Read looks at what a link led to. names are the app's and the maker's, data the
// words by which a text speaks of data.
func (p *Page) Read(body []byte, names, data []string) {
	if u, err := url.Parse(p.Final); err == nil {
		p.Bare = strings.Trim(u.Path, "/") == "" && u.RawQuery == ""
	}
	p.Bytes = int64(len(body))
	text := strings.Join(strings.Fields(strings.ToLower(htmltext.Of(string(body)))), " ")
	p.Words = int64(len(strings.FieldsFunc(text, func(r rune) bool { return !unicode.IsLetter(r) })))
	if n := int64(len([]rune(text))); p.Words*10 < n { // scripts without blanks
		p.Words = n / 4
	}
	for _, n := range names {
		p.Names = p.Names || n != "" && strings.Contains(text, strings.ToLower(n))
	}
	for _, w := range data {
		p.Data = p.Data || strings.Contains(text, w)
	}
}

// Read looks at the content of a site's file. Sources: the Digital Asset Links
// specification, the platform documentation of associated domains, the IAB
// specification of app-ads.txt.
func (s *Statement) Read(body []byte) {
	switch s.Kind {
	case "assetlinks":
		var list []struct {
			Target struct {
				Package string   `json:"package_name"`
				Sums    []string `json:"sha256_cert_fingerprints"`
			} `json:"target"`
		}
		if err := json.Unmarshal(body, &list); err != nil {
			s.Fault = "it is not the JSON that was expected: " + err.Error()
			return
		}
		for _, x := range list {
			if x.Target.Package != "" {
				s.Apps, s.Sums = append(s.Apps, x.Target.Package), append(s.Sums, x.Target.Sums...)
			}
		}
	case "association":
		var file struct {
			Links struct {
				Details []struct {
					App  string   `json:"appID"`
					Apps []string `json:"appIDs"`
				} `json:"details"`
			} `json:"applinks"`
			Clips struct {
				Apps []string `json:"apps"`
			} `json:"appclips"`
			Credentials struct {
				Apps []string `json:"apps"`
			} `json:"webcredentials"`
		}
		if err := json.Unmarshal(body, &file); err != nil {
			s.Fault = "it is not the JSON that was expected: " + err.Error()
			return
		}
		for _, d := range file.Links.Details {
			if d.App != "" {
				s.Apps = append(s.Apps, d.App)
			}
			s.Apps = append(s.Apps, d.Apps...)
		}
		s.Apps = append(append(s.Apps, file.Clips.Apps...), file.Credentials.Apps...)
	}
}
