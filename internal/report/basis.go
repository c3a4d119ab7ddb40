package report

import (
	"fmt"
	"path/filepath"
	"strings"

	"regola.example/regola/internal/core/check"
)

// basisOf says what a result rests on: what is as it should be, and what a reader must know
// before trusting it.
func basisOf(r *check.Result) (well, doubts []string) {
	b := r.Basis
	if b == nil {
		return nil, nil
	}
	if b.Rules != "" {
		well = append(well, "rules of "+b.Rules)
	}
	if len(b.Old) > 0 {
		doubts = append(doubts, fmt.Sprintf("%s older than %d days on that day: take a newer program, or newer files", Count(len(b.Old), "file of rules is", "files of rules are"), check.MaxEditionAge))
	}
	if !b.Dossier {
		return well, doubts
	}
	if b.Ledger.Last != "" {
		well = append(well, "ledger to "+b.Ledger.Last)
	} else {
		well = append(well, "no ledger")
	}
	if b.Ledger.Unread > 0 {
		doubts = append(doubts, fmt.Sprintf("%s of the ledger could not be read", Count(int(b.Ledger.Unread), "line", "lines")))
	}
	if len(b.First) > 0 {
		well = append(well, "first in public: "+strings.Join(b.First, ", "))
	}
	for _, x := range b.Packages {
		if x.Sent != "" {
			well = append(well, filepath.Base(x.File)+" was sent on "+x.Sent)
		}
	}
	if b.Confirmed > 0 {
		well = append(well, Count(int(b.Confirmed), "confirmation", "confirmations")+" from "+b.Oldest)
	}
	for _, x := range b.Packages {
		if x.Age > 0 {
			doubts = append(doubts, fmt.Sprintf("%s was last changed %d days before", filepath.Base(x.File), x.Age))
		}
		if x.Other != "" {
			doubts = append(doubts, fmt.Sprintf("%s is version %s, and %s is to be released", filepath.Base(x.File), x.Version, x.Other))
		}
	}
	if len(b.Unjudged) > 0 {
		doubts = append(doubts, "no list of words for "+strings.Join(b.Unjudged, ", ")+": what such a page claims was not looked at")
	}
	var not []string
	for _, x := range []struct {
		judged bool
		what   string
	}{{b.Pictures, "pictures"}, {b.Links, "links"}} {
		if !x.judged {
			not = append(not, x.what)
		}
	}
	if len(not) > 0 {
		well = append(well, "no "+strings.Join(not, ", no "))
	}
	return well, doubts
}

// nextOf says of releases to testers what the channel to which they are promoted still
// asks.
func nextOf(r *check.Result) (out []string) {
	for _, s := range r.Stores {
		if n := s.Next; n != nil && n.Grave+n.Open > 0 {
			out = append(out, fmt.Sprintf("for the %s in the %s still to do: %s", n.Name, storeOnly(s), nextCounts(n)))
		}
	}
	return out
}

// basisLine is one sentence of what a result rests on, with its key word.
type basisLine struct{ Key, Text string }

// basisLines are all sentences of it, for forms without columns.
func basisLines(r *check.Result) (out []basisLine) {
	well, doubts := basisOf(r)
	if len(well) > 0 {
		out = append(out, basisLine{"rests on", strings.Join(well, " · ")})
	}
	for _, d := range doubts {
		out = append(out, basisLine{"but", d})
	}
	for _, n := range nextOf(r) {
		out = append(out, basisLine{"then", n})
	}
	return out
}
