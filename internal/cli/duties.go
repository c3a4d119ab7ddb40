package cli

import (
	"strings"

	"github.com/spf13/cobra"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/report"
	"regola.example/regola/internal/run"
)

func (e *env) dutiesCommand() *cobra.Command {
	var on, format, folder string
	var onlyStores, books []string
	var alone bool
	c := &cobra.Command{
		Use:   "duties [PACKAGE…|DOSSIER]",
		Short: "List what the stores will ask because of this package and dossier",
		Long: `List what the stores will make you answer, declare, host or hand in because of
this package and dossier, in working order: what is open first, the gravest
first, each with the evidence for which it is asked and the place where the
dossier answers it. Without a dossier everything is open.`,
		Example: "  regola duties\n  regola duties build/terrafuoco.aab",
		RunE: func(c *cobra.Command, args []string) error {
			on, err := e.narrowed(format, onlyStores, on)
			if err != nil {
				return err
			}
			jobs, err := inputs(args, folder, alone)
			if err != nil {
				return err
			}
			if len(jobs) > 1 {
				return usageError("these are several dossiers", "give one")
			}
			r, err := run.New(e.lib, run.Options{Options: check.Options{Day: on}, Stores: onlyStores, Rulebooks: books})
			if err != nil {
				return err
			}
			res, err := r.Check(c.Context(), jobs[0])
			if err != nil {
				return err
			}
			if format == "json" {
				return report.JSON(e.out, report.NewDutiesDocument(res))
			}
			return report.Duties(e.out, res, e.look(e.out))
		},
	}
	fl := c.Flags()
	fl.StringSliceVar(&onlyStores, "store", nil, "of this store only: "+strings.Join(e.storeIDs(), ", "))
	fl.StringVar(&on, "on", "", "as of a day, such as 2027-09-01 (today by default)")
	fl.StringVar(&format, "format", "text", "form of the output: text or json")
	fl.StringArrayVar(&books, "rulebook", nil, "also judge by the rules of this file; may be repeated")
	fl.StringVar(&folder, "dossier", "", "folder of the dossier (the current one or the nearest above it by default)")
	fl.BoolVar(&alone, "alone", false, "look at the packages by themselves, without a dossier")
	_ = c.RegisterFlagCompletionFunc("store", choices(e.storeIDs()...))
	_ = c.RegisterFlagCompletionFunc("format", choices("text", "json"))
	return c
}
