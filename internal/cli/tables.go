package cli

import (
	"fmt"
	"maps"
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
each means. With the name of any other table that rules rest on, such as locales or
sdks, its rows. The rows are those in force today.`,
		Example: "  regola tables\n  regola tables restricted\n  regola tables locales",
		Args: func(_ *cobra.Command, args []string) error {
			if len(args) > 1 {
				return usageError("one table at a time", `"regola tables" lists them`)
			}
			return nil
		},
		ValidArgsFunction: func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
			names := e.vocabularies()
			if set, err := e.lib.Tables(); err == nil {
				names = append(names, slices.Sorted(maps.Keys(set.Rows()))...)
			}
			return slices.Compact(slices.Sorted(slices.Values(names))), cobra.ShellCompDirectiveNoFileComp
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
				if rows, ok := set.Rows()[args[0]]; ok && !slices.Contains(names, args[0]) {
					if format == "json" {
						return report.JSON(e.out, report.RowsDocument{Regola: report.FormatNumber, Table: args[0], Rows: rows})
					}
					return report.RowsText(e.out, rows, e.look(e.out))
				}
				if !slices.Contains(names, args[0]) {
					fix := `"regola tables" lists them`
					if near := didyoumean.Nearest(args[0], slices.Concat(names, slices.Sorted(maps.Keys(set.Rows())))); near != "" {
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
			var others []string
			if len(args) == 0 {
				others = slices.DeleteFunc(slices.Sorted(maps.Keys(set.Rows())), func(n string) bool { return slices.Contains(names, n) || n == "words" })
			}
			return report.TablesText(e.out, names, lists, others, e.look(e.out))
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
