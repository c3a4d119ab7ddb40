package cli

import (
	"strings"

	"github.com/spf13/cobra"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/report"
	"regola.example/regola/internal/run"
)

func (e *env) nextCommand() *cobra.Command {
	var on, format, folder string
	var onlyStores []string
	var alone, all bool
	c := &cobra.Command{
		Use:   "next [PACKAGE…|DOSSIER]",
		Short: "Say the first thing to do, how, and what is left behind it",
		Long: `Say the first thing to do for this release, in working order: the gravest fault, then
what a store will ask, then what to confirm. One screen, never more; with --all, the whole list, with the line
behind which everything only improves the release.`,
		Example: "  regola next\n  regola next --all\n  regola next --store ios",
		RunE: func(c *cobra.Command, args []string) error {
			on, err := e.narrowed(format, onlyStores, on)
			if err != nil {
				return err
			}
			job, err := input(args, folder, alone)
			if err != nil {
				return err
			}
			r, err := run.New(e.lib, run.Options{Options: check.Options{Day: on}, Stores: onlyStores})
			if err != nil {
				return err
			}
			res, err := r.Check(c.Context(), job)
			if err != nil {
				return err
			}
			d := report.NewNextDocument(res, all)
			if format == "json" {
				return report.JSON(e.out, d)
			}
			if all {
				return report.NextAll(e.out, d, e.look(e.out))
			}
			return report.Next(e.out, d, e.look(e.out))
		},
	}
	fl := c.Flags()
	fl.StringSliceVar(&onlyStores, "store", nil, "for this `STORE` only: "+strings.Join(e.storeIDs(), ", "))
	fl.StringVar(&on, "on", "", "as of a `DAY`, such as 2027-09-01 (today by default)")
	fl.StringVar(&format, "format", "text", "`FORM` of the output: text or json")
	fl.StringVar(&folder, "dossier", "", "`FOLDER` of the dossier (the current one or the nearest above it by default)")
	fl.BoolVar(&all, "all", false, "list everything, in working order, and where what is needed ends")
	fl.BoolVar(&alone, "alone", false, "look at the packages by themselves, without a dossier")
	_ = c.RegisterFlagCompletionFunc("store", choices(e.storeIDs()...))
	_ = c.RegisterFlagCompletionFunc("format", choices("text", "json"))
	return c
}
