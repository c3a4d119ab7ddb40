package cli

import (
	"bytes"
	"io"
	"os"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/safeopen"
	"regola.example/regola/internal/report"
	"regola.example/regola/internal/run"
	"regola.example/regola/internal/view"
	"regola.example/regola/internal/write"
)

func (e *env) fixCommand() *cobra.Command {
	var (
		onlyStores, rules []string
		on, format        string
		apply             bool
	)
	c := &cobra.Command{
		Use:   "fix [DOSSIER]",
		Short: "Correct what needs no decision: words, blanks, characters, names of files",
		Long: `Show the corrections of a dossier for which only one text can be meant, and make them
with --write: words and keys with a letter too many or too few, days and truths written in
another way, texts that need quotation marks, spaces at the ends of texts, characters that
cannot be seen, letters that were encoded twice, language tags in the names of files.

Everything else of the files stays as it is, byte for byte. What somebody has to decide is
never changed; the work list has it ("regola next"). Each correction is found again by
judging the dossier with those before it, and read back before it is shown.

Exit status: 0 when there is nothing to correct, or all was written; 1 when corrections are
left; 2 when the input or the call is wrong.`,
		Example: "  regola fix\n  regola fix --write\n  regola fix --rule common/text-clean --format diff",
		Args:    cobra.MaximumNArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			on, err := e.narrowed("text", onlyStores, on)
			if err != nil {
				return err
			}
			if err := oneOf("--format", format, report.FixForms); err != nil {
				return err
			}
			job, err := input(args, "", false)
			if err != nil {
				return err
			}
			if job.Dossier == "" || len(job.Packages) > 0 {
				return usageError("corrections are made in a dossier", "name the folder of one")
			}
			r, err := run.New(e.lib, run.Options{Options: check.Options{Day: on}, Stores: onlyStores, Again: true})
			if err != nil {
				return err
			}
			chosen, err := e.chosenRules(rules)
			if err != nil {
				return err
			}
			f, err := r.Fix(c.Context(), job, chosen)
			if err != nil {
				return err
			}
			if apply {
				if err := writeFixes(f.Files); err != nil {
					return err
				}
			}
			switch format {
			case "json":
				err = report.JSON(e.out, report.NewFixDocument(f, apply && len(f.Files) > 0))
			case "diff":
				err = report.FixDiff(e.out, f)
			default:
				err = report.Fixes(e.out, f, apply && len(f.Files) > 0, e.look(e.out))
			}
			if err == nil && (len(f.Left)+len(f.Broken) > 0 || !apply && len(f.Files) > 0) {
				e.exit = exitFindings
			}
			return err
		},
	}
	fl := c.Flags()
	fl.BoolVar(&apply, "write", false, "change the files")
	fl.StringSliceVar(&rules, "rule", nil, "correct what this `RULE` finds only; may be repeated")
	fl.StringSliceVar(&onlyStores, "store", nil, "for this `STORE` only: "+strings.Join(e.storeIDs(), ", "))
	fl.StringVar(&on, "on", "", "as of a `DAY`, such as 2027-09-01 (today by default)")
	fl.StringVar(&format, "format", "text", "`FORM` of the output: "+strings.Join(report.FixForms, ", "))
	_ = c.RegisterFlagCompletionFunc("store", choices(e.storeIDs()...))
	_ = c.RegisterFlagCompletionFunc("format", choices(report.FixForms...))
	return c
}

// chosenRules tells which rules a call names; nil for all.
func (e *env) chosenRules(names []string) (func(string) bool, error) {
	if len(names) == 0 {
		return nil, nil
	}
	all, err := e.allRules(nil)
	if err != nil {
		return nil, err
	}
	var ids []string
	for _, r := range all {
		if len(r.Edits) > 0 {
			ids = append(ids, r.ID)
		}
	}
	for _, name := range names {
		if err := oneOf("--rule", name, ids); err != nil {
			return nil, err
		}
	}
	return func(id string) bool { return slices.Contains(names, id) }, nil
}

// writeFixes changes the files, when they still are what was read.
func writeFixes(files []*view.FixedFile) error {
	for _, x := range files {
		now, err := safeopen.Read(x.Name, int64(len(x.Before))+1)
		if err != nil || !bytes.Equal(now, x.Before) {
			return &place.Problem{At: place.Place{File: x.Name}, What: "the file was changed meanwhile", Fix: "run the call again"}
		}
	}
	for _, x := range files {
		if !bytes.Equal(x.Before, x.After) {
			if err := write.Whole(x.Name, nil, func(w io.Writer) error {
				_, err := w.Write(x.After)
				return err
			}); err != nil {
				return err
			}
		}
		if x.Rename != "" {
			if err := os.Rename(x.Name, x.Rename); err != nil {
				return write.Problem(x.Name, err)
			}
		}
	}
	return nil
}
