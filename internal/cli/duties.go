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
	var onlyStores, books, since []string
	var alone, all bool
	c := &cobra.Command{
		Use:   "duties [PACKAGE…|DOSSIER]",
		Short: "List what the stores will ask because of this package and dossier",
		Long: `List what the stores will make you answer, declare, host or hand in because of
this package and dossier, in working order: what is open first, the gravest
first, each with the evidence for which it is asked and the place where the
dossier answers it. Without a dossier everything is open.

With --since OLD, an older package, only what is new is listed: what the stores will
ask because of this package and did not ask because of that one.`,
		Example: "  regola duties\n  regola duties build/terrafuoco.aab\n  regola duties --since ../faulty/build/terrafuoco.aab",
		RunE: func(c *cobra.Command, args []string) error {
			on, err := e.narrowed(format, onlyStores, on)
			if err != nil {
				return err
			}
			job, err := input(args, folder, alone)
			if err != nil {
				return err
			}
			r, err := run.New(e.lib, run.Options{Options: check.Options{Day: on}, Stores: onlyStores, Rulebooks: books})
			if err != nil {
				return err
			}
			res, err := r.Check(c.Context(), job)
			if err != nil {
				return err
			}
			var only []*check.Duty
			if len(since) > 0 {
				old, err := r.Check(c.Context(), run.Job{Dossier: job.Dossier, Packages: since})
				if err != nil {
					return err
				}
				if only = check.Since(res.Duties(), old); only == nil {
					only = []*check.Duty{}
				}
			}
			if format == "json" {
				return report.JSON(e.out, report.NewDutiesDocument(res, only))
			}
			look := e.look(e.out)
			look.All = all
			return report.Duties(e.out, res, only, look)
		},
	}
	fl := c.Flags()
	fl.StringSliceVar(&onlyStores, "store", nil, "of this `STORE` only: "+strings.Join(e.storeIDs(), ", "))
	fl.StringVar(&on, "on", "", "as of a `DAY`, such as 2027-09-01 (today by default)")
	fl.StringVar(&format, "format", "text", "`FORM` of the output: text or json")
	fl.StringArrayVar(&books, "rulebook", nil, "also judge by the rules of this `FILE`; may be repeated")
	fl.StringVar(&folder, "dossier", "", "`FOLDER` of the dossier (the current one or the nearest above it by default)")
	fl.StringArrayVar(&since, "since", nil, "list only what is new against this older `PACKAGE`; may be repeated, once a store")
	fl.BoolVar(&all, "all", false, "list every question on the content by itself")
	fl.BoolVar(&alone, "alone", false, "look at the packages by themselves, without a dossier")
	_ = c.RegisterFlagCompletionFunc("store", choices(e.storeIDs()...))
	_ = c.RegisterFlagCompletionFunc("format", choices("text", "json"))
	return c
}
