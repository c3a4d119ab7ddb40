package cli

import (
	"errors"
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/sanitize"
	"regola.example/regola/internal/report"
	"regola.example/regola/internal/run"
)

func (e *env) rulebookCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "rulebook",
		Short: "Check rules of your own, and list what they may use",
		Args:  cobra.NoArgs,
		RunE:  func(c *cobra.Command, _ []string) error { return c.Help() },
	}
	var own []string
	test := &cobra.Command{
		Use:   "test FILE…",
		Short: "Check the types of a rulebook's conditions and run its examples",
		Long: `Check the types of a rulebook's conditions and run its examples. A file with the name
of a built-in one, such as android/package.yaml, is tested as a further edition of it,
among the other rules of its store.`,
		Example: "  regola rulebook test --tables partners.yaml own-rules.yaml",
		Args:    cobra.MinimumNArgs(1),
		RunE: func(_ *cobra.Command, files []string) error {
			var problems place.Problems
			for _, f := range files { // what is wrong with one says nothing of the others
				if err := e.testBook(f, own); err != nil {
					problems = append(problems, problemsOf(err)...)
				}
			}
			return problems.Err()
		},
	}
	test.Flags().StringArrayVar(&own, "tables", nil, "also give the rules the tables of this `FILE`; may be repeated")
	c.AddCommand(test)
	c.AddCommand(&cobra.Command{
		Use:     "fields",
		Example: "  regola rulebook fields > fields.md",
		Short:   "List the fields and functions that rules may use",
		Args:    cobra.NoArgs,
		RunE:    func(*cobra.Command, []string) error { return report.FieldsMarkdown(e.out) },
	})
	return c
}

func (e *env) testBook(file string, own []string) error {
	t, problems := run.TestBook(e.lib, file, own)
	if len(problems) > 0 {
		return problems
	}
	if err := errors.Join(t.Failures...); err != nil {
		for l := range strings.SplitSeq(err.Error(), "\n") {
			fmt.Fprintln(e.out, sanitize.Text(l))
		}
		e.exit = exitFindings
		return nil
	}
	fmt.Fprintf(e.out, "%s: %s, %s: all pass\n", sanitize.Text(file), report.Count(t.Rules, "rule", "rules"), report.Count(t.Examples, "example", "examples"))
	return nil
}
