package report

import (
	"fmt"
	"io"
	"slices"
	"strings"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/rating"
	"regola.example/regola/internal/core/rulebook"
)

// RatingDocument is the JSON form of the expected age ratings.
type RatingDocument struct {
	Regola   int64        `json:"regola"` // version of this form
	App      string       `json:"app"`
	On       string       `json:"on"` // the day as of which it was estimated
	Estimate bool         `json:"estimate" doc:"always true: the boards publish no table"`
	Stores   []RatedStore `json:"stores"`
	Against  []WrongEntry `json:"against" doc:"rules on the ratings that are broken"`
}

// RatedStore is what one store makes of the answers.
type RatedStore struct {
	Store  string         `json:"store"`
	Name   string         `json:"name"`
	Rating *rating.Rating `json:"rating" doc:"null when nothing on the content is answered"`
}

// NewRatingDocument puts the expected ratings into their JSON form.
func NewRatingDocument(r *check.Result) *RatingDocument {
	d := &RatingDocument{Regola: FormatNumber, App: r.App, On: r.Day.String(), Estimate: true, Stores: []RatedStore{}, Against: []WrongEntry{}}
	for _, s := range r.Stores {
		d.Stores = append(d.Stores, RatedStore{Store: s.ID, Name: s.Name, Rating: s.Rating})
		for _, v := range s.Verdicts {
			if !onRating(v.Rule) {
				continue
			}
			for _, f := range v.Faults {
				i := slices.IndexFunc(d.Against, func(w WrongEntry) bool { return w.Rule == v.Rule.ID && w.Say == f.Say })
				if i < 0 {
					i = len(d.Against)
					d.Against = append(d.Against, WrongEntry{Rule: v.Rule.ID, Impact: string(f.Impact), Say: f.Say, Fix: f.Fix})
				}
				d.Against[i].Stores = append(d.Against[i].Stores, s.ID)
			}
		}
	}
	return d
}

// onRating tells whether a rule is about the content or the ages.
func onRating(r *rulebook.Rule) bool {
	for _, e := range []rulebook.Expr{r.When, r.Each, r.Faults, r.Expect} {
		if strings.Contains(e.Src, "rating.") || strings.Contains(e.Src, "answers.content") || strings.Contains(e.Src, "answers.audience") {
			return true
		}
	}
	return false
}

// Ratings writes the expected age ratings: what each board gives, why, what would
// change it, and what contradicts it.
func Ratings(w io.Writer, r *check.Result, look Style) error {
	p := &printer{w: w, look: look}
	title := strings.TrimSpace(r.App + " " + r.Version)
	right := "estimate as of " + r.Day.Long()
	p.line("%s%s%s", p.strong(title), strings.Repeat(" ", max(2, p.look.Columns()-len([]rune(title))-len(right))), p.dim(right))
	d := NewRatingDocument(r)
	for _, s := range d.Stores {
		p.line("")
		p.line("%s", p.strong(s.Name))
		if s.Rating == nil {
			p.block(2, "", nil, `Nothing on the content is answered. Write it under answers: content:, in dossier.yaml; "regola tables content" lists the questions.`, nil)
			continue
		}
		p.labels(s.Rating)
	}
	if len(d.Against) > 0 {
		p.line("")
		p.line("%s", p.strong(fmt.Sprintf("CONTRADICTIONS  %d", len(d.Against))))
		for _, x := range d.Against {
			p.line("")
			p.block(2, "", nil, x.Say, styleImpact[rulebook.Impact(x.Impact)])
			p.block(6, pad("fix", 6), styleDim, x.Fix, nil)
			p.line("      %s%s · %s", p.dim(pad("rule", 6)), x.Rule, strings.Join(x.Stores, ", "))
		}
	}
	p.line("")
	p.block(0, "", nil, "Estimates: the boards publish no table, and may set another label after the release.", styleDim)
	return p.err
}

// labels writes the labels of one store with their reasons: each reason once, with
// the labels that it sets where they have different ones.
func (p *printer) labels(r *rating.Rating) {
	wide := 0
	for _, l := range r.Labels {
		wide = max(wide, len([]rune(region(l))))
	}
	var reasons []string
	by := map[string][]string{}
	for _, l := range r.Labels {
		var because []string
		for _, b := range l.Because {
			if one := b.Question + ": " + b.Answer; !slices.Contains(because, one) {
				because = append(because, one)
			}
		}
		plausible := ""
		if l.Low != l.High {
			plausible = l.Low + " to " + l.High + " is plausible"
		}
		if l.Confidence == "low" {
			plausible = strings.TrimPrefix(plausible+", a guess", ", ")
		}
		p.line("  %s%s  %s", p.strong(pad(l.Label, 6)), pad(region(l), wide), p.dim(plausible))
		if reason := strings.Join(because, ", "); reason != "" {
			if by[reason] == nil {
				reasons = append(reasons, reason)
			}
			by[reason] = append(by[reason], fmt.Sprintf("%s (%s)", l.Label, l.By))
		}
	}
	if len(reasons) > 0 {
		p.line("")
	}
	for _, reason := range reasons {
		text := reason
		if len(by[reason]) < len(r.Labels) {
			text += " → " + strings.Join(by[reason], ", ")
		}
		p.block(2, pad("because", 9), styleDim, text, nil)
	}
	var changes []string
	for _, l := range r.Labels {
		for _, c := range l.Changes {
			one := fmt.Sprintf("%s: %s", c.Question, c.Answer)
			i := slices.IndexFunc(changes, func(x string) bool { return strings.HasPrefix(x, one+" gives ") })
			if i < 0 {
				changes = append(changes, fmt.Sprintf("%s gives %s (%s)", one, c.Label, l.By))
			} else {
				changes[i] += fmt.Sprintf(", %s (%s)", c.Label, l.By)
			}
		}
	}
	if len(changes) > 0 {
		p.line("")
		for i, c := range changes {
			label := pad("change", 9)
			if i > 0 {
				label = pad("", 9)
			}
			p.block(2, label, styleDim, c, nil)
		}
	}
	if len(r.Notices) > 0 {
		var notices []string
		for _, n := range r.Notices {
			notices = append(notices, n.What)
		}
		p.line("")
		p.block(2, pad("beside", 9), styleDim, strings.Join(notices, "; "), nil)
	}
	if r.Open {
		var open []string
		for _, q := range r.Questions {
			if !q.Answered {
				open = append(open, q.ID)
			}
		}
		p.line("")
		p.block(2, pad("open", 9), styleDim, fmt.Sprintf("%s, so that labels may be higher: %s", Count(len(open), "question is not answered", "questions are not answered"), strings.Join(open, ", ")), nil)
	}
}

// region is where a label holds, with its board.
func region(l *rating.Label) string {
	if l.Everywhere {
		return l.Region
	}
	return l.Region + " (" + l.By + ")"
}
