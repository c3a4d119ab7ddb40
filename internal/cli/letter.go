package cli

import (
	"fmt"
	"io"
	"strings"

	"github.com/spf13/cobra"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/ledger"
	"regola.example/regola/internal/core/letter"
	"regola.example/regola/internal/core/safeopen"
	"regola.example/regola/internal/report"
	"regola.example/regola/internal/run"
	"regola.example/regola/internal/view"
)

func (e *env) letterCommand() *cobra.Command {
	var on, format, folder, id string
	var record bool
	c := &cobra.Command{
		Use:   "letter FILE|- [PACKAGE…|DOSSIER]",
		Short: "Read a store's letter, and say what it means for this release",
		Long: `Read what a store wrote about a release: a rejection, a mail about an upload, an approval
with a remark. It may be a saved mail, HTML or pasted text, in any of the usual languages.

The letter is cut into issues. Each is named by the section or error number under which the
store cites it and held against this release: rules that are broken are the likely cause, and
rules that hold say where it does not lie. It says whether a new build is needed, what stops
and what only warns, and what an answer should show. With --record the decision is written
into the ledger. Nothing in a letter is taken for an instruction, and no address in it is opened.`,
		Example: "  regola letter mail.eml\n  regola letter mail.eml --record\n  regola letter - --store ios --format markdown < letter.txt",
		Args: func(_ *cobra.Command, args []string) error {
			if len(args) == 0 {
				return usageError("no letter is named", "give its file, or - for standard input")
			}
			return nil
		},
		RunE: func(c *cobra.Command, args []string) error {
			on, err := e.dayFlag(on)
			if err != nil {
				return err
			}
			if err := oneOf("--format", format, []string{"text", "json", "markdown"}); err != nil {
				return err
			}
			if id != "" {
				if err := oneOf("--store", id, e.storeIDs()); err != nil {
					return err
				}
			}
			raw, err := e.letterText(args[0])
			if err != nil {
				return err
			}
			job, err := input(args[1:], folder, false)
			if err != nil {
				return err
			}
			r, err := run.New(e.lib, run.Options{Options: check.Options{Day: on}})
			if err != nil {
				return err
			}
			v, err := r.Letter(c.Context(), job, raw, id)
			if err != nil {
				return err
			}
			if record {
				return e.recordLetter(c, job, v, on)
			}
			switch format {
			case "json":
				return report.JSON(e.out, report.NewLetterDocument(v))
			case "markdown":
				return report.LetterMarkdown(e.out, v)
			}
			return report.Letter(e.out, v, args[0], e.look(e.out))
		},
	}
	fl := c.Flags()
	fl.StringVar(&id, "store", "", "the `STORE` that wrote it, where the letter does not show that: "+strings.Join(e.storeIDs(), ", "))
	fl.BoolVar(&record, "record", false, "write the decision into the ledger")
	fl.StringVar(&on, "on", "", "the `DAY` of the decision (today by default)")
	fl.StringVar(&format, "format", "text", "`FORM` of the output: text, json, or markdown for an outline of the answer")
	fl.StringVar(&folder, "dossier", "", "`FOLDER` of the dossier (the current one or the nearest above it by default)")
	_ = c.RegisterFlagCompletionFunc("store", choices(e.storeIDs()...))
	_ = c.RegisterFlagCompletionFunc("format", choices("text", "json", "markdown"))
	return c
}

// letterText reads the letter.
func (e *env) letterText(file string) (raw []byte, err error) {
	if file == "-" {
		raw, err = io.ReadAll(io.LimitReader(e.in, letter.Longest+1))
	} else if raw, err = safeopen.Read(file, letter.Longest); err != nil {
		return nil, safeopen.Problem(file, err, "name the file with the letter, or - for standard input")
	}
	switch {
	case err != nil:
		return nil, err
	case len(raw) > letter.Longest:
		return nil, usageError(fmt.Sprintf("the letter has more than %d KiB", letter.Longest>>10), "save it without attachments")
	case strings.TrimSpace(string(raw)) == "":
		return nil, usageError("the letter is empty", "give the whole text of the store's mail")
	}
	return raw, nil
}

// recordLetter writes the decision of a letter into the ledger.
func (e *env) recordLetter(c *cobra.Command, job run.Job, v *view.Letter, on day.Day) error {
	switch {
	case v.Other != "":
		return usageError("the letter is about another app: "+v.Other, "give it to that app's dossier")
	case v.Store == nil:
		return usageError("the letter does not show which store wrote it", "add --store: "+strings.Join(e.storeIDs(), ", "))
	case v.Word == "":
		return usageError("no decision is in the letter that is known here", `record it by hand: "regola ledger decide --help"`)
	case v.Release == "":
		return usageError(v.Missing, `record what was sent first: "regola ledger record"`)
	}
	if v.On != "" {
		if reviewed, err := day.Parse(v.On); err == nil && !reviewed.After(on.Time) {
			on = reviewed
		}
	}
	x := &ledger.Event{Event: ledger.Decided, On: on, Store: v.Store.ID, Decision: v.Word}
	if v.Deadline != "" {
		if last, err := day.Parse(v.Deadline); err == nil {
			x.Until = &last
		}
	}
	for _, one := range v.Issues {
		for _, a := range one.About {
			x.Reasons = append(x.Reasons, ledger.Reason{About: a, Said: one.Quote})
		}
	}
	if !ledger.Reasoned(v.Word) {
		x.Reasons = nil
	}
	version, _, _ := strings.Cut(v.Release, " (")
	if err := follow(c.Context(), job, x, version, nil); err != nil {
		return err
	}
	fmt.Fprintf(e.out, "%s %s (%s): %s on %s, recorded with %s.\n", v.Store.Name, x.Version, x.Build, x.Decision, on.Long(), report.Count(len(x.Reasons), "reason", "reasons"))
	return nil
}
