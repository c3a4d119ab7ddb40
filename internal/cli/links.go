package cli

import (
	"strings"

	"github.com/spf13/cobra"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/links"
	"regola.example/regola/internal/report"
	"regola.example/regola/internal/run"
)

func (e *env) linksCommand() *cobra.Command {
	var on, format, folder string
	var onlyStores []string
	var private bool
	c := &cobra.Command{
		Use:   "links [DOSSIER|PACKAGE…]",
		Short: "Fetch what the links of a dossier lead to, and judge it",
		Long: `Fetch the links of a dossier, and the files by which web sites name the app of a
package: whether they open, where they end, whether the privacy page is one. Each
page takes a few seconds and megabytes at most. Nothing of the dossier is sent, and
private and local addresses are not fetched unless --links-private says so.

Exit status: 0 when nothing is likely to be rejected for it, 1 when something is.`,
		Example: "  regola links\n  regola links --format json",
		RunE: func(c *cobra.Command, args []string) error {
			on, err := e.narrowed(format, onlyStores, on)
			if err != nil {
				return err
			}
			job, err := input(args, folder, false)
			if err != nil {
				return err
			}
			r, err := run.New(e.lib, run.Options{Options: check.Options{Day: on}, Stores: onlyStores, Links: &links.Fetcher{Private: private}})
			if err != nil {
				return err
			}
			res, err := r.Check(c.Context(), job)
			if err != nil {
				return err
			}
			d := report.NewLinksDocument(res)
			if d.Failed() {
				e.exit = exitFindings
			}
			if format == "json" {
				return report.JSON(e.out, d)
			}
			return report.LinksText(e.out, d, e.look(e.out))
		},
	}
	fl := c.Flags()
	fl.StringSliceVar(&onlyStores, "store", nil, "for this `STORE` only: "+strings.Join(e.storeIDs(), ", "))
	fl.StringVar(&on, "on", "", "by the rules of a `DAY`, such as 2027-09-01 (today by default)")
	fl.StringVar(&format, "format", "text", "`FORM` of the output: text or json")
	fl.StringVar(&folder, "dossier", "", "`FOLDER` of the dossier (the current one or the nearest above it by default)")
	fl.BoolVar(&private, "links-private", false, "fetch private and local addresses, too")
	_ = c.RegisterFlagCompletionFunc("store", choices(e.storeIDs()...))
	_ = c.RegisterFlagCompletionFunc("format", choices("text", "json"))
	return c
}
