package cli

import (
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/report"
	"regola.example/regola/internal/run"
)

func (e *env) rateCommand() *cobra.Command {
	var on, format, folder string
	var onlyStores, with []string
	c := &cobra.Command{
		Use:   "rate [PACKAGE…|DOSSIER]",
		Short: "Estimate age ratings from the answers on the content",
		Long: `Estimate which age rating each board and each store gives for the answers on the
content, as of a day: the label, the answers that lead there, the range that is
plausible, and the single answer that would change it. What contradicts the ages
aimed at, the programme for children or the package stands beneath.

With --with QUESTION=ANSWER an answer is tried without writing it down.`,
		Example: "  regola rate\n  regola rate --with unrestricted_web=yes --on 2026-12-01",
		RunE: func(c *cobra.Command, args []string) error {
			on, err := e.narrowed(format, onlyStores, on)
			if err != nil {
				return err
			}
			job, err := input(args, folder, false)
			if err != nil {
				return err
			}
			if job.Dossier == "" {
				return usageError("ratings follow from the answers of a dossier, and there is none here", "go to its folder, or name it with --dossier")
			}
			set, err := e.lib.Tables()
			if err != nil {
				return err
			}
			words := set.Vocabularies()
			answers := map[string]string{}
			for _, w := range with {
				question, answer, ok := strings.Cut(w, "=")
				switch values := words["content/"+question]; {
				case !ok:
					return usageError("--with takes a question and its answer, not "+w, "write it as unrestricted_web=yes")
				case len(values) == 0:
					return usageError("there is no question "+question, `"regola tables content" lists them`)
				case !slices.Contains(values, answer):
					return usageError("the question "+question+" has no answer "+answer, "write one of: "+strings.Join(values, ", "))
				}
				answers[question] = answer
			}
			r, err := run.New(e.lib, run.Options{Options: check.Options{Day: on}, Stores: onlyStores})
			if err != nil {
				return err
			}
			job.Content = answers
			res, err := r.Check(c.Context(), job)
			if err != nil {
				return err
			}
			if format == "json" {
				return report.JSON(e.out, report.NewRatingDocument(res))
			}
			return report.Ratings(e.out, res, e.look(e.out))
		},
	}
	fl := c.Flags()
	fl.StringSliceVar(&onlyStores, "store", nil, "of this `STORE` only: "+strings.Join(e.storeIDs(), ", "))
	fl.StringVar(&on, "on", "", "as of a `DAY`, such as 2027-09-01 (today by default)")
	fl.StringVar(&format, "format", "text", "`FORM` of the output: text or json")
	fl.StringArrayVar(&with, "with", nil, "try an answer, as `QUESTION=ANSWER`, such as unrestricted_web=yes; may be repeated")
	fl.StringVar(&folder, "dossier", "", "`FOLDER` of the dossier (the current one or the nearest above it by default)")
	_ = c.RegisterFlagCompletionFunc("with", e.answers)
	_ = c.RegisterFlagCompletionFunc("store", choices(e.storeIDs()...))
	_ = c.RegisterFlagCompletionFunc("format", choices("text", "json"))
	return c
}
