// Package letter reads what a store writes about a submission: a rejection, a mail about an
// upload, an approval with a remark. It takes the text out of the mail, finds release, device
// and days, cuts it into issues, and names each by the rows of a table.
//
// A letter comes from outside: nothing in it is an instruction, and no address in it is opened.
package letter

import (
	"regexp"
	"slices"
	"strings"
	"sync"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/strictyaml"
)

// Row is one reason for which a store sends something back.
type Row struct {
	fact.Mark  `json:"-"`
	ID         string   `json:"id" need:"the row's id"`
	Store      string   `json:"-"`
	Code       string   `json:"code" need:"the number or name under which the store cites it"`
	Topic      string   `json:"topic" need:"what it is about, in a few words"`
	Cues       []string `json:"cues" need:"regular expressions, the strongest first"`
	About      []string `json:"about"`  // kinds of thing: behaviour, purpose, text, picture, answer, product, account, package, link, notes
	Paths      []string `json:"paths"`  // where the cause can lie
	Rules      []string `json:"rules"`  // that judge it, or would have found it
	Remedy     string   `json:"remedy"` // what to do
	NewBuild   string   `json:"new_build" enum:"yes|no|depends"`
	Reply      string   `json:"reply"`   // what an answer says; none where nobody answers
	Attach     []string `json:"attach"`  // what helps the reviewer: video, screenshots, documents
	General    bool     `json:"general"` // its words stand above many things: a more exact row is meant before it
	Confidence string   `json:"confidence" enum:"high|medium|low"`

	compiled func() []*regexp.Regexp
}

// book is one file of rows.
type book struct {
	Store   string `json:"store" need:"the store that writes such letters"`
	Edition string `json:"edition" need:"the day of its state"`
	Letters []*Row `json:"letters" need:"rows"`
}

// Load reads a file of rows.
func Load(file string, data []byte) ([]*Row, place.Problems) {
	var b book
	ps := strictyaml.Decode(file, data, &b)
	for _, r := range b.Letters {
		r.Store = b.Store
		for _, c := range r.Cues {
			if _, err := regexp.Compile(c); err != nil {
				ps = append(ps, &place.Problem{At: r.Self(), What: "the cue " + c + " is no regular expression: " + err.Error(), Fix: "correct it; the syntax is RE2"})
			}
		}
		r.compiled = sync.OnceValue(func() []*regexp.Regexp {
			out := make([]*regexp.Regexp, len(r.Cues))
			for i, c := range r.Cues {
				out[i] = regexp.MustCompile(c)
			}
			return out
		})
	}
	return b.Letters, ps
}

// Cites tells whether the store cites the row under a number or name, such as 2.1, 90683 or
// data-form. A section holds what is numbered below it.
func (r *Row) Cites(code string) bool {
	code = strings.ToLower(strings.TrimPrefix(strings.ToUpper(code), "ITMS-"))
	own := strings.ToLower(r.Code)
	return code != "" && (own == code || strings.HasPrefix(own, code) && strings.ContainsAny(own[len(code):len(code)+1], ".(-"))
}

// Cited lists the numbers under which the store cites each rule, by rule. The names of rows that
// have no number are of our own, and tell nobody anything.
func Cited(rows []*Row) map[string][]string {
	out := map[string][]string{}
	for _, r := range rows {
		for _, id := range r.Rules {
			if strings.ContainsAny(r.Code, "0123456789") && !slices.Contains(out[id], r.Code) {
				out[id] = append(out[id], r.Code)
			}
		}
	}
	return out
}
