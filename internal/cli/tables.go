package cli

import (
	"fmt"
	"slices"

	"github.com/spf13/cobra"

	"regola.example/regola/internal/core/didyoumean"
	"regola.example/regola/internal/core/tables"
	"regola.example/regola/internal/report"
)

func (e *env) tablesCommand() *cobra.Command {
	var format string
	c := &cobra.Command{
		Use:   "tables [NAME]",
		Short: "List the words that a dossier may use",
		Long: `List the vocabularies that a dossier keeps to, or the words of one with what
each means. The rows are those in force today.`,
		Example: "  regola tables\n  regola tables restricted",
		Args: func(_ *cobra.Command, args []string) error {
			if len(args) > 1 {
				return usageError("one table at a time", `"regola tables" lists them`)
			}
			return nil
		},
		ValidArgsFunction: func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
			return e.vocabularies(), cobra.ShellCompDirectiveNoFileComp
		},
		RunE: func(_ *cobra.Command, args []string) error {
			if err := oneOf("--format", format, []string{"table", "json"}); err != nil {
				return err
			}
			set, err := e.lib.Tables()
			if err != nil {
				return err
			}
			set = set.On(e.today())
			names := e.vocabularies()
			if len(args) == 1 {
				if !slices.Contains(names, args[0]) {
					fix := `"regola tables" lists them`
					if near := didyoumean.Nearest(args[0], names); near != "" {
						fix = fmt.Sprintf("did you mean %q? %s", near, fix)
					}
					return usageError(fmt.Sprintf("there is no table %q", args[0]), fix)
				}
				names = args
			}
			lists := map[string][]*tables.Word{}
			for _, n := range names {
				lists[n] = set.Vocabulary(n)
			}
			if format == "json" {
				return report.JSON(e.out, report.NewTablesDocument(names, lists))
			}
			return report.TablesText(e.out, names, lists, len(args) == 0, e.look(e.out))
		},
	}
	c.Flags().StringVar(&format, "format", "table", "`FORM` of the output: table or json")
	_ = c.RegisterFlagCompletionFunc("format", choices("table", "json"))
	return c
}

// vocabularies lists the names of the vocabularies.
func (e *env) vocabularies() []string {
	set, err := e.lib.Tables()
	if err != nil {
		return nil
	}
	names := []string{"data_types", "restricted"}
	for n := range set.Words {
		names = append(names, n)
	}
	slices.Sort(names)
	return names
}
