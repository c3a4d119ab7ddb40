package testers_test

import (
	"testing"

	"regola.example/regola/internal/core/testers"
	"regola.example/regola/internal/seed"
)

// TestOutcomes holds what is read of a list of testers, and of damaged copies.
func TestOutcomes(t *testing.T) {
	seed.Outcomes(t, map[string][]byte{
		"csv":   []byte("First,Last,Email\nAda,Argilla,ada@terrafuoco.example\n\"Bo, B\",Brocca,bo@terrafuoco.example\n,,ada@terrafuoco.example\nCy,Ciotola,cy.example\n"),
		"lines": []byte("ada@terrafuoco.example\n# potters\n\nbo@terrafuoco.example;cy@terrafuoco.example\nnobody\n"),
	}, func(data []byte) (any, error) { return testers.Parse("testers.csv", string(data)), nil })
}
