package cli

import (
	"errors"
	"fmt"

	"github.com/spf13/cobra"

	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/editor"
	"regola.example/regola/internal/lsp"
	"regola.example/regola/internal/view"
)

func (e *env) lspCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "lsp",
		Short: "Serve an editor: what is wrong as you type, what keys mean, what can stand there",
		Long: `Speak the Language Server Protocol (3.17) over standard input and output, for
dossier.yaml, the texts in listing/, rulebooks and tables of your own. An editor starts it;
docs/recipes.md says how for three of them.

What is wrong with the submission stands where it is written, as you type; what the package
shows comes from its last build. A key says what it means and who asks for it, words and
rules are completed, corrections and answers are offered, texts tell how much room is left.

Exit status: 0 when the editor ended it in order, 1 when it broke off.`,
		Example: "  regola lsp --help",
		Args:    cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			ed := editor.New(editor.Sources{Lib: e.lib, Today: e.today,
				Rules: func() ([]*rulebook.Rule, error) { return e.allRules(nil) },
				Keys: func(rules []*rulebook.Rule) []*view.Key {
					set, err := e.lib.Tables()
					if err != nil {
						return nil
					}
					return view.Keys(rules, e.readers(rules), set.On(e.today()))
				}})
			err := lsp.Serve(c.Context(), e.in, e.out, ed, Version)
			if errors.Is(err, lsp.ErrNoShutdown) {
				fmt.Fprintln(e.err, "regola: "+err.Error())
				e.exit = exitFindings
				return nil
			}
			return err
		},
	}
}
