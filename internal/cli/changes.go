package cli

import (
	"github.com/spf13/cobra"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/report"
	"regola.example/regola/internal/run"
	"regola.example/regola/internal/view"
)

func (e *env) changesCommand() *cobra.Command {
	var format, folder string
	var onlyStores []string
	c := &cobra.Command{
		Use:   "changes OLD NEW",
		Short: "Show what differs between two releases, what brings a duty first",
		Long: `Show what differs between two releases: ids, levels, permissions, components,
third-party code and the data it takes, languages, libraries, sizes, certificate,
answers, texts and pictures. What brings a duty stands first.

OLD and NEW are packages, dossiers, dossiers as git has them (REVISION:FOLDER), or
versions and builds of the ledger. What only one of the two can tell is left out.`,
		Example: "  regola changes ../faulty/build/terrafuoco.aab build/terrafuoco.aab\n  regola changes 1.3.1 1.3.2\n  regola changes ../faulty . --format markdown",
		Args: func(_ *cobra.Command, args []string) error {
			if len(args) != 2 {
				return usageError("two releases are expected", `name the older and the newer one: "regola changes old.aab new.aab"`)
			}
			return nil
		},
		RunE: func(c *cobra.Command, args []string) error {
			if err := oneOf("--format", format, []string{"text", "json", "markdown"}); err != nil {
				return err
			}
			on, err := e.narrowed("text", onlyStores, "")
			if err != nil {
				return err
			}
			r, err := run.New(e.lib, run.Options{Options: check.Options{Day: on}, Stores: onlyStores})
			if err != nil {
				return err
			}
			if folder == "" { // a version may stand in for a file: the ledger of this place
				if jobs, err := inputs(nil, "", false); err == nil {
					folder = jobs[0].Dossier
				}
			}
			var sides [2]*view.Side
			for i, name := range args {
				if sides[i], err = r.Side(c.Context(), name, folder); err != nil {
					return err
				}
			}
			set, err := e.lib.Tables()
			if err != nil {
				return err
			}
			d := report.NewChangesDocument(sides[0], sides[1], r.Compare(sides[0], sides[1]), set.On(on))
			switch format {
			case "json":
				return report.JSON(e.out, d)
			case "markdown":
				return report.ChangesMarkdown(e.out, d)
			}
			return report.Changes(e.out, d, e.look(e.out))
		},
	}
	fl := c.Flags()
	fl.StringSliceVar(&onlyStores, "store", nil, "for these `STORES` only")
	fl.StringVar(&format, "format", "text", "`FORM` of the output: text, json or markdown")
	fl.StringVar(&folder, "dossier", "", "`FOLDER` of the dossier whose ledger is meant (the current one or the nearest above it by default)")
	_ = c.RegisterFlagCompletionFunc("store", choices(e.storeIDs()...))
	_ = c.RegisterFlagCompletionFunc("format", choices("text", "json", "markdown"))
	return c
}
