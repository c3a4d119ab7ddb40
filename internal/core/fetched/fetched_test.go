package fetched_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"regola.example/regola/internal/core/fetched"
)

func TestPage(t *testing.T) {
	data := []string{"personal data", "daten", "個人情報"}
	for name, c := range map[string]struct {
		final, body string
		want        fetched.Page
	}{
		"a policy":        {"https://a.example/privacy", "<h1>TERRAFUOCO</h1><p>Which personal data we keep.", fetched.Page{Words: 6, Names: true, Data: true}},
		"the home page":   {"https://a.example/", "Terrafuoco", fetched.Page{Words: 1, Names: true, Bare: true}},
		"a query":         {"https://a.example/?page=privacy", "Daten", fetched.Page{Words: 1, Data: true}},
		"a script only":   {"https://a.example/p", "<html><script>var personal = 'personal data Terrafuoco'</script><style>b{}</style><div id=a></div>", fetched.Page{}},
		"a script, open":  {"https://a.example/p", "<script>personal data", fetched.Page{}},
		"a long word":     {"https://a.example/p", "privacypolicy", fetched.Page{Words: 3}},
		"without blanks":  {"https://a.example/p", strings.Repeat("個人情報を集めません。", 40), fetched.Page{Words: 110, Data: true}},
		"a tag, not shut": {"https://a.example/p", "hello <b", fetched.Page{Words: 1}},
	} {
		p := &fetched.Page{Final: c.final}
		p.Read([]byte(c.body), []string{"Terrafuoco", ""}, data)
		c.want.Final, c.want.Bytes = c.final, int64(len(c.body))
		assert.Equal(t, c.want, *p, name)
	}
}

func TestStatement(t *testing.T) {
	links := &fetched.Statement{Kind: "assetlinks"}
	links.Read([]byte(`[{"relation":["x"],"target":{"namespace":"android_app","package_name":"org.example.terrafuoco","sha256_cert_fingerprints":["AA:BB"]}},{"target":{"namespace":"web","site":"https://a.example"}}]`))
	assert.Equal(t, []any{[]string{"org.example.terrafuoco"}, []string{"AA:BB"}, ""}, []any{links.Apps, links.Sums, links.Fault})
	site := &fetched.Statement{Kind: "association"}
	site.Read([]byte(`{"applinks":{"apps":[],"details":[{"appID":"T.org.example.a","paths":["*"]},{"appIDs":["T.org.example.b"]}]},"appclips":{"apps":["T.org.example.c"]},"webcredentials":{"apps":["T.org.example.d"]}}`))
	assert.Equal(t, []string{"T.org.example.a", "T.org.example.b", "T.org.example.c", "T.org.example.d"}, site.Apps)
	for _, kind := range []string{"assetlinks", "association"} {
		s := &fetched.Statement{Kind: kind}
		s.Read([]byte("<html>not found</html>"))
		assert.Contains(t, s.Fault, "not the JSON")
	}
}
