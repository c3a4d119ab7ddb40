package cli

import (
	"strings"

	"github.com/spf13/cobra"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/report"
	"regola.example/regola/internal/run"
	"regola.example/regola/internal/view"
)

func (e *env) calendarCommand() *cobra.Command {
	var on, until, format, folder string
	var onlyStores []string
	var all, alone bool
	c := &cobra.Command{
		Use:   "calendar [PACKAGE…|DOSSIER]",
		Short: "List the days ahead on which something changes for a release",
		Long: `List the days ahead on which something changes: rules and limits that begin or end,
certificates, profiles, waivers and accounts that end. A release is judged as of each
of them: what would be found from then on stands beside the day. Without a release,
every built-in day is listed.

The form ical is a calendar file (RFC 5545); read again, it updates its events.`,
		Example: "  regola calendar\n  regola calendar --until 2027-12-31 --format ical > stores.ics",
		RunE: func(c *cobra.Command, args []string) error {
			if err := oneOf("--format", format, []string{"text", "json", "ical"}); err != nil {
				return err
			}
			on, err := e.narrowed("text", onlyStores, on)
			if err != nil {
				return err
			}
			last := day.Day{Time: on.AddDate(1, 0, 0)}
			if until != "" {
				if last, err = day.Parse(until); err != nil {
					return usageError("--until: "+err.Error(), "write year, month and day, such as 2027-12-31")
				}
			}
			if !last.After(on.Time) {
				return usageError("--until lies before the day of the judgement", "name a later day")
			}
			r, err := run.New(e.lib, run.Options{Options: check.Options{Day: on}, Stores: onlyStores})
			if err != nil {
				return err
			}
			var turns []*view.Milestone
			app := ""
			job, missing := input(args, folder, alone)
			switch {
			case missing != nil && (len(args) > 0 || folder != "" || alone):
				return missing
			case missing != nil:
				turns, err = r.Dates(last)
			default:
				var res *check.Result
				if turns, res, err = r.Ahead(c.Context(), job, last); err == nil {
					app = strings.TrimSpace(res.App + " " + res.Version)
				}
			}
			if err != nil {
				return err
			}
			d := report.NewCalendarDocument(app, on.String(), turns)
			switch format {
			case "json":
				return report.JSON(e.out, d)
			case "ical":
				return report.ICalendar(e.out, d, all)
			}
			look := e.look(e.out)
			look.All = all
			return report.Calendar(e.out, d, look)
		},
	}
	fl := c.Flags()
	fl.StringSliceVar(&onlyStores, "store", nil, "of this `STORE` only: "+strings.Join(e.storeIDs(), ", "))
	fl.StringVar(&on, "on", "", "from this `DAY` on (today by default)")
	fl.StringVar(&until, "until", "", "up to this `DAY` (a year ahead by default)")
	fl.StringVar(&format, "format", "text", "`FORM` of the output: text, json or ical")
	fl.StringVar(&folder, "dossier", "", "`FOLDER` of the dossier (the current one or the nearest above it by default)")
	fl.BoolVar(&alone, "alone", false, "look at the packages by themselves, without a dossier")
	fl.BoolVar(&all, "all", false, "list also the days that do not touch the release")
	_ = c.RegisterFlagCompletionFunc("store", choices(e.storeIDs()...))
	_ = c.RegisterFlagCompletionFunc("format", choices("text", "json", "ical"))
	return c
}
