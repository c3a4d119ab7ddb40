// Package rating estimates from the answers about an app's content which age
// rating it gets, where, and which answers lead there. What an answer leads to is
// data: the tables content_questions, rating_schemes, rating_rows and
// rating_notices. The boards publish no such table, so every label is an estimate.
package rating

import (
	"maps"
	"slices"
	"strings"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/tables"
)

// Others is the word of the dossier that answers every question which is not
// answered by itself: none, or no.
const Others = "others"

// Rating is what one store makes of the answers.
type Rating struct {
	fact.Mark `json:"-"`
	Questions []*Question `json:"questions"` // that the store asks, after these answers
	Labels    []*Label    `json:"labels"`    // one for each scheme
	Notices   []*Notice   `json:"notices"`   // beside the label
	Refused   []*Refusal  `json:"refused"`   // what the store takes under no label
	Age       int64       `json:"age"`       // the highest age that a label means, in years
	Open      bool        `json:"open"`      // a question is not answered: labels may be higher
	answers   map[string]string
}

// Question is one question about the content.
type Question struct {
	fact.Mark `json:"-"`
	ID        string `json:"id"`
	What      string `json:"what"`     // in words
	Answer    string `json:"answer"`   // empty when there is none
	Answered  bool   `json:"answered"` // also by the line others
}

// Label is the estimate of one scheme.
type Label struct {
	fact.Mark  `json:"-"`
	Scheme     string     `json:"scheme"`
	Region     string     `json:"region"`
	By         string     `json:"by"`
	Everywhere bool       `json:"everywhere"` // it is the same in every country
	Label      string     `json:"label"`
	Age        int64      `json:"age"`    // what it means, in years
	Lowest     bool       `json:"lowest"` // it is the scheme's lowest
	Low        string     `json:"low"`    // lowest label that is plausible
	High       string     `json:"high"`   // highest
	Confidence string     `json:"confidence"`
	Countries  []string   `json:"countries"` // those of the scheme; empty for all others
	Because    []*Because `json:"because"`   // the answers that led there
	Changes    []*Change  `json:"changes"`   // single answers by which the label would be lower
}

// Because is an answer that leads to a label.
type Because struct {
	fact.Mark `json:"-"`
	Question  string `json:"question"`
	Answer    string `json:"answer"`
}

// Change is another answer to one question, and the label that it would bring.
type Change struct {
	fact.Mark `json:"-"`
	Question  string `json:"question"`
	Answer    string `json:"answer"`
	Label     string `json:"label"`
}

// Notice is a line beside the label.
type Notice struct {
	fact.Mark `json:"-"`
	ID        string `json:"id"`
	What      string `json:"what"`
	Question  string `json:"question"`
}

// Refusal is an answer that the store takes under no label.
type Refusal struct {
	fact.Mark `json:"-"`
	Question  string `json:"question"`
	Answer    string `json:"answer"`
}

// Of estimates the ratings that a store gives. answers are those of the dossier;
// more are known from other parts of it, and hold where the dossier does not
// answer. tables hold on the day of the judgement.
func Of(store string, game bool, answers, more map[string]string, t *tables.Set) *Rating {
	r := &Rating{answers: complete(answers, more, t)}
	what := map[string]string{}
	for _, w := range t.Words["content"] {
		what[w.Word] = w.What
	}
	asked := map[string]bool{}
	for _, q := range t.ContentQuestions {
		if asked[q.Question] || !slices.Contains(q.Stores, store) || len(q.If)+len(q.Or) > 0 && !matches(q.If, q.Or, r.answers) {
			continue
		}
		asked[q.Question] = true
		answer, ok := r.answers[q.Question]
		r.Questions = append(r.Questions, &Question{ID: q.Question, What: what[q.Question], Answer: answer, Answered: ok})
		r.Open = r.Open || !ok
	}
	for _, s := range t.RatingSchemes {
		if s.Store != store || s.Games && !game || len(s.Labels) == 0 {
			continue
		}
		l := estimate(s, r.answers, t.RatingRows)
		l.Region, l.By, l.Everywhere, l.Countries = s.Region, s.By, s.Everywhere, s.Countries
		seen := map[string]bool{}
		for _, b := range l.Because {
			if seen[b.Question] {
				continue
			}
			seen[b.Question] = true
			other := maps.Clone(r.answers)
			other[b.Question] = least(b.Question, t)
			if x := estimate(s, other, t.RatingRows); x.Age < l.Age || x.Label != l.Label && rank(s, x.Label) < rank(s, l.Label) {
				l.Changes = append(l.Changes, &Change{Question: b.Question, Answer: other[b.Question], Label: x.Label})
			}
		}
		r.Labels = append(r.Labels, l)
		r.Age = max(r.Age, l.Age)
	}
	for _, n := range t.RatingNotices {
		if slices.Contains(n.Stores, store) && matches(n.If, nil, r.answers) {
			r.Notices = append(r.Notices, &Notice{ID: n.ID, What: n.What, Question: first(n.If)})
		}
	}
	for _, row := range t.RatingRows {
		if slices.Contains(row.Refuses, store) && matches(row.If, row.Or, r.answers) {
			for _, b := range because(row, r.answers) {
				if !slices.ContainsFunc(r.Refused, func(x *Refusal) bool { return x.Question == b.Question }) {
					r.Refused = append(r.Refused, &Refusal{Question: b.Question, Answer: b.Answer})
				}
			}
		}
	}
	return r
}

// Said is the answer to a question. It is empty and known for one that the store
// does not ask after these answers, and not known for one that it asks in vain.
func (r *Rating) Said(question string) (answer string, known bool) {
	if a, ok := r.answers[question]; ok {
		return a, true
	}
	return "", !slices.ContainsFunc(r.Questions, func(q *Question) bool { return q.ID == question })
}

// complete answers what the dossier leaves to other parts of it, or to the line
// others.
func complete(answers, more map[string]string, t *tables.Set) map[string]string {
	out := maps.Clone(more)
	if out == nil {
		out = map[string]string{}
	}
	maps.Copy(out, answers)
	delete(out, Others)
	if _, all := answers[Others]; all {
		for _, w := range t.Words["content"] {
			if _, ok := out[w.Word]; !ok && w.Word != Others && len(w.Values) > 0 {
				out[w.Word] = w.Values[0]
			}
		}
	}
	return out
}

// least is the answer to a question that leads to nothing: the first that its
// vocabulary lists.
func least(question string, t *tables.Set) string {
	for _, w := range t.Words["content"] {
		if w.Word == question && len(w.Values) > 0 {
			return w.Values[0]
		}
	}
	return ""
}

// estimate is the highest label over all rows that match.
func estimate(s *tables.RatingScheme, answers map[string]string, rows []*tables.RatingRow) *Label {
	at, low, high, sure := 0, 0, 0, "high"
	l := &Label{Scheme: s.ID}
	for _, row := range rows {
		label, ok := row.Then[s.ID]
		if !ok || !matches(row.If, row.Or, answers) {
			continue
		}
		i := rank(s, label)
		from, to := i, i
		if r := row.Range[s.ID]; len(r) == 2 {
			from, to = rank(s, r[0]), rank(s, r[1])
		}
		low, high = max(low, from), max(high, to)
		confidence := row.Confidence
		if slices.Contains(row.Sure, s.ID) {
			confidence = "high"
		}
		switch {
		case i > at:
			at, sure, l.Because = i, confidence, because(row, answers)
		case i == at && i > 0:
			l.Because = append(l.Because, because(row, answers)...)
			sure = firmer(sure, confidence)
		}
	}
	if raise, ok := answers["raise_to"]; ok {
		if i := rank(s, raise); i > at {
			at, low, high, sure = i, max(low, i), max(high, i), "high"
			l.Because = []*Because{{Question: "raise_to", Answer: raise}}
		}
	}
	l.Label, l.Age, l.Confidence, l.Lowest = s.Labels[at].Is, s.Labels[at].Age, sure, at == 0
	l.Low, l.High = s.Labels[min(low, at)].Is, s.Labels[max(high, at)].Is
	return l
}

func firmer(a, b string) string {
	order := []string{"low", "medium", "high"}
	return order[max(slices.Index(order, a), slices.Index(order, b), 0)]
}

// rank is where a label stands in its scheme; 0 when the scheme does not have it.
func rank(s *tables.RatingScheme, label string) int {
	return max(0, slices.IndexFunc(s.Labels, func(l *tables.RatingLabel) bool { return l.Is == label }))
}

// matches tells whether answers meet one of two sets of conditions. An empty set is
// met by nothing.
func matches(a, b tables.When, answers map[string]string) bool {
	met := func(w tables.When) bool {
		for q, any := range w {
			if answer, ok := answers[q]; !ok || !slices.Contains(any, answer) {
				return false
			}
		}
		return len(w) > 0
	}
	return met(a) || met(b)
}

// because lists the answers by which a row matches, in the order of their questions.
func because(row *tables.RatingRow, answers map[string]string) (out []*Because) {
	for _, w := range []tables.When{row.If, row.Or} {
		if !matches(w, nil, answers) {
			continue
		}
		for _, q := range slices.SortedFunc(maps.Keys(w), strings.Compare) {
			if !slices.ContainsFunc(out, func(b *Because) bool { return b.Question == q }) {
				out = append(out, &Because{Question: q, Answer: answers[q]})
			}
		}
	}
	return out
}

func first(w tables.When) string {
	for _, q := range slices.Sorted(maps.Keys(w)) {
		return q
	}
	return ""
}
