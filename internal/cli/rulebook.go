package cli

import (
	"errors"
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/visible"
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
		Use:     "test FILE…",
		Short:   "Check the types of a rulebook's conditions and run its examples",
		Example: "  regola rulebook test --tables partners.yaml own-rules.yaml",
		Args:    cobra.MinimumNArgs(1),
		RunE: func(_ *cobra.Command, files []string) error {
			for _, f := range files {
				if err := e.testBook(f, own); err != nil {
					return err
				}
			}
			return nil
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
	b, problems := run.ReadBook(e.lib, file)
	if len(problems) > 0 {
		return problems
	}
	set, err := e.lib.Tables()
	if err != nil {
		return err
	}
	if len(own) > 0 {
		set = set.Clone()
	}
	for _, name := range own {
		more, ps := run.ReadTables(name)
		if len(ps) > 0 {
			return ps
		}
		set.Add(more)
	}
	env, problems := check.NewEnv([]*rulebook.Book{b}, set, nil)
	if len(problems) > 0 {
		return problems
	}
	problems = env.CheckNotes(b)
	var failures []error
	examples := 0
	for _, r := range b.Rules {
		p := env.Prepare(r)
		ps := p.Check()
		problems = append(problems, ps...)
		if len(ps) == 0 {
			examples += len(r.Examples)
			failures = append(failures, p.TestExamples())
		}
	}
	if len(problems) > 0 {
		return problems
	}
	if err := errors.Join(failures...); err != nil {
		for l := range strings.SplitSeq(err.Error(), "\n") {
			fmt.Fprintln(e.out, visible.Text(l))
		}
		e.exit = exitFindings
		return nil
	}
	fmt.Fprintf(e.out, "%s: %s, %s, all as they say\n", visible.Text(file), report.Count(len(b.Rules), "rule", "rules"), report.Count(examples, "example", "examples"))
	return nil
}
