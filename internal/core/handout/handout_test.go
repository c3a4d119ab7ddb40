package handout_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"regola.example/regola/internal/core/disclosure"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/handout"
	"regola.example/regola/internal/core/ledger"
	"regola.example/regola/internal/core/pictures"
	"regola.example/regola/internal/core/submission"
)

// sheet lists the rows of a sheet, each in one line.
func sheet(in handout.Input) (out []string) {
	for _, p := range handout.Of(in).Parts {
		for _, g := range p.Groups {
			for _, r := range g.Rows {
				line := p.Title + " / " + g.Title + " / " + r.Label + ": " + r.Value + r.File
				if r.Most > 0 {
					line += " [" + strings.Repeat("x", r.Count) + "]"
				}
				out = append(out, line+strings.TrimSuffix(" "+r.Is, " "))
			}
		}
	}
	return out
}

func TestOf(t *testing.T) {
	yes, no := true, false
	testers := int64(12)
	in := handout.Input{
		Submission: &submission.Submission{
			App:       &submission.App{ID: "org.kiln", Category: []string{"tools", "art"}, Genres: []string{"word"}, Price: "free"},
			Contact:   &dossier.Contact{Email: "a@kiln.example"},
			Answers:   &dossier.Answers{Ads: &no, Accounts: dossier.Accounts{CreatedInApp: &yes, Ways: []string{"password"}}},
			Review:    &dossier.Review{Notes: "Tap.", SignIn: dossier.SignIn{User: "u", Password: dossier.Secret{Given: true, Ref: "env:KILN"}, Others: []*dossier.Entry{{For: "a teacher", User: "t", Password: dossier.Secret{Given: true, Literal: true}}}}},
			Release:   &dossier.Release{Version: "1.2", Testing: dossier.Testing{Testers: &testers}},
			Countries: []string{"IT", "DE"},
			Listing:   []*submission.Texts{{Locale: "it", StoreCode: "it-IT", Texts: dossier.Texts{Name: "Forno", Keywords: []string{"a", "b"}, Video: "https://kiln.example", ReleaseNotes: "Nuovo.", AltTexts: map[string]string{"1.png": "Un forno"}}}},
			Pictures: &pictures.Gallery{DefaultLanguage: "it", Sets: []*pictures.Set{
				{Language: "de", Class: "phone", Files: []string{"pictures/de/1.png"}, Items: []*pictures.Item{{}}},
				{Language: "it", Class: "phone", Files: []string{"pictures/it/1.png", "pictures/it/2.png"}, Items: []*pictures.Item{{}, {}}},
			}},
			Disclosure: &disclosure.Disclosure{Answered: true, Encrypted: &yes, Asks: []string{"linked", "kept"}, Rows: []*disclosure.Row{{Kind: "email", Linked: true, Purposes: []string{"app-functionality"}}}},
			Products:   []*dossier.Product{{ID: "kiln.pro", Kind: "lasting", Price: "4.99 EUR", Texts: []*dossier.ProductText{{Locale: "it", Name: "Pro"}}}},
		},
		Now:    &ledger.Release{Texts: map[string]string{"it/name": "2", "it/keywords": "1"}, Answers: map[string]string{"answers.ads": "false"}},
		Before: &ledger.Release{Texts: map[string]string{"it/name": "1", "it/keywords": "1"}},
		Limit:  func(name string) int { return map[string]int{"longest_name": 30}[name] },
		Count:  func(s string) int { return len(s) },
		Shows:  func(text string) bool { return text != "video" },
		Asked:  func(path string) bool { return path != "app.genres" && path != "review.notes" },
		Word:   func(_, w string) string { return map[string]string{"password": "a name with a password"}[w] },
	}
	assert.Equal(t, []string{
		"The app /  / id: org.kiln", "The app /  / category: tools, art", "The app /  / price: free",
		"Texts of the page / Italian (it-IT) / name: Forno [xxxxx] changed", "Texts of the page / Italian (it-IT) / keywords: a,b",
		"Pictures and films / Italian: phone / 1 of 2: Un fornopictures/it/1.png", "Pictures and films / Italian: phone / 2 of 2: pictures/it/2.png", "Pictures and films / German: phone / 1 of 1: pictures/de/1.png",
		"Addresses /  / email: a@kiln.example",
		"Answers /  / whether the app shows advertising: no new",
		"Answers / accounts of the app's users / whether people can make an account in the app: yes", "Answers / accounts of the app's users / how people sign in: password (a name with a password)",
		"Data /  / everything travels encrypted: yes", "Data / email / linked: yes", "Data / email / kept: no", "Data / email / used for: app-functionality",
		"What is sold / kiln.pro / id: kiln.pro", "What is sold / kiln.pro / kind: lasting", "What is sold / kiln.pro / price: 4.99 EUR", "What is sold / kiln.pro / texts: it; Pro",
		"The release /  / version: 1.2", "The release /  / countries: 2: IT, DE", "The release / What is new / Italian: Nuovo.",
		"For the reviewer /  / user: u", "For the reviewer /  / password: kept as env:KILN", "For the reviewer /  / others: a teacher; t; kept in the dossier, where no secret belongs",
	}, sheet(in))
	in.Before = nil
	for _, l := range sheet(in) {
		assert.NotRegexp(t, "(new|changed)$", l, "nothing is known of a release before")
	}
	assert.Empty(t, sheet(handout.Input{Submission: &submission.Submission{}, Asked: in.Asked}))
}
