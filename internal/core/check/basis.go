package check

import (
	"maps"
	"slices"

	"regola.example/regola/internal/core/day"
)

// MaxEditionAge is how old an edition of rules may be on the judged day before reports say
// so, in days: stores change something every month.
const MaxEditionAge = 120

// MaxPackageAge is how many days a package may lie about before reports say so.
const MaxPackageAge = 30

// Basis is what a verdict rests on beside the packages: what was looked at, how old it is,
// and what nobody looked at.
type Basis struct {
	Dossier   bool           `json:"dossier" doc:"a dossier was judged, so that what it leaves open counts"`
	Base      string         `json:"base" doc:"the folder of the dossier on which that stands; empty for none"`
	Rules     string         `json:"rules" doc:"the day of the newest edition of the rules"`
	Old       []string       `json:"old" doc:"files of rules whose edition is older than 120 days on the judged day"`
	Ledger    LedgerBasis    `json:"ledger" doc:"the history that the release was held against"`
	Packages  []PackageBasis `json:"packages" doc:"what was judged"`
	First     []string       `json:"first" doc:"names of the stores in which it is the first public release"`
	Confirmed int64          `json:"confirmed" doc:"confirmations that count"`
	Oldest    string         `json:"oldest" doc:"the day of the oldest of them; empty without any"`
	Languages []string       `json:"languages" doc:"of the page, whose words were looked at"`
	Unjudged  []string       `json:"unjudged" doc:"languages of the page for whose words no rule has a list"`
	Pictures  bool           `json:"pictures" doc:"pictures of the page were judged"`
	Links     bool           `json:"links" doc:"links were fetched"`
	Backend   bool           `json:"backend" doc:"the app's backend was judged"`
	Unread    int64          `json:"unread" doc:"rules that could not be judged because a part was not read"`
}

// PackageBasis is a package that was judged.
type PackageBasis struct {
	Store   string `json:"store" doc:"for which: the store's id, or that with a channel and a kind of device"`
	File    string `json:"file"`
	Digest  string `json:"digest" doc:"SHA-256; empty where the call did not need it"`
	Version string `json:"version"`
	Build   string `json:"build" doc:"version code or build number"`
	Other   string `json:"other" doc:"the version that the dossier releases, where the package has another"`
	Age     int64  `json:"age" doc:"days from the last change of the file to the judged day, where they are more than 30; 0 otherwise"`
	Sent    string `json:"sent" doc:"the day on which the ledger recorded this very package first; empty where it did not"`
}

// LedgerBasis is the ledger of a release.
type LedgerBasis struct {
	Events int64  `json:"events" doc:"lines that were read"`
	Unread int64  `json:"unread" doc:"lines that could not be read"`
	Last   string `json:"last" doc:"the day of the last line; empty without any"`
}

// Age fills what follows from the editions: the newest, and which are old on a day.
func (b *Basis) Age(editions map[string]string, on day.Day) {
	b.Old = []string{}
	for _, file := range slices.Sorted(maps.Keys(editions)) {
		e, err := day.Parse(editions[file])
		if err != nil {
			continue
		}
		b.Rules = max(b.Rules, editions[file])
		if e.AddDate(0, 0, MaxEditionAge).Before(on.Time) {
			b.Old = append(b.Old, file)
		}
	}
}

// Confirms fills what follows from the confirmations that verdicts rest on.
func (b *Basis) Confirms(stores []*Store) {
	seen := map[string]bool{}
	for _, s := range stores {
		b.Unread += int64(s.Count(NotRead))
		for _, v := range s.Verdicts {
			q := v.Question
			if q == nil || !q.Confirmed || seen[q.What] {
				continue
			}
			seen[q.What] = true
			b.Confirmed++
			if on := q.On.String(); b.Oldest == "" || on < b.Oldest {
				b.Oldest = on
			}
		}
	}
}
