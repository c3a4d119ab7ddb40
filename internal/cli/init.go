package cli

import (
	"errors"
	"io"
	"os"
	"path/filepath"

	"regola.example/regola/internal/write"

	"github.com/spf13/cobra"
	"golang.org/x/text/language"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/report"
	"regola.example/regola/internal/run"
)

func (e *env) initCommand() *cobra.Command {
	var out, name, locale, on string
	var full bool
	c := &cobra.Command{
		Use:   "init [PACKAGE…]",
		Short: "Write a dossier to fill in, as far as the packages already tell it",
		Long: `Write a dossier: ids, versions, languages, names and packages as the packages tell
them, and each question that a store asks for this app as a comment that says what the
answer means, marked "# needed"; what the evidence points to is marked "# suggested".
Nothing is answered for you. With --full, the keys that nobody asks for are there, too.

In a folder that has a dossier already nothing is written: the command tells which
languages and answers it lacks.`,
		Example: "  regola init build/terrafuoco.aab build/Terrafuoco.ipa --out new\n  regola init --name Terrafuoco --language en-GB --out empty",
		RunE: func(c *cobra.Command, args []string) error {
			if locale != "" {
				if _, err := language.Parse(locale); err != nil {
					return usageError("--language is no language tag", "write one such as en-GB or it")
				}
			}
			day, err := e.dayFlag(on)
			if err != nil {
				return err
			}
			r, err := run.New(e.lib, run.Options{Options: check.Options{Day: day}})
			if err != nil {
				return err
			}
			d, err := r.Draft(c.Context(), args, out, name, locale, full)
			if errors.Is(err, run.ErrNoName) && len(args) > 0 {
				return usageError("the packages do not tell the name of the app", "write it with --name")
			}
			if errors.Is(err, run.ErrNoName) {
				return usageError("there is neither a package nor a name to begin with", "name a package, or write --name and --language")
			}
			if err != nil {
				return err
			}
			if !d.Old {
				for _, f := range d.Files { // looked at before the first is written
					if _, err := os.Lstat(filepath.Join(out, filepath.FromSlash(f.Path))); err == nil {
						return usageError(filepath.Join(out, f.Path)+" is there already, without a dossier.yaml beside it", "choose another folder with --out, or move the file away")
					}
				}
				for _, f := range d.Files {
					target := filepath.Join(out, filepath.FromSlash(f.Path))
					if err := os.MkdirAll(filepath.Dir(target), 0o755); err != nil {
						return write.Problem(filepath.Dir(target), err)
					}
					if err := write.Whole(target, args, func(w io.Writer) error { _, err := io.WriteString(w, f.Text); return err }); err != nil {
						return err
					}
				}
			}
			return report.Drafted(e.out, out, d, e.look(e.out))
		},
	}
	c.Flags().StringVar(&out, "out", ".", "the `FOLDER` of the dossier")
	c.Flags().BoolVar(&full, "full", false, "write every key of a dossier, also those that nobody asks for")
	c.Flags().StringVar(&name, "name", "", "the app's `NAME` (the packages' by default)")
	c.Flags().StringVar(&locale, "language", "", "the default `LANGUAGE` of the pages, such as en-GB (the packages' by default)")
	c.Flags().StringVar(&on, "on", "", "by the rules of a `DAY`, such as 2027-09-01 (today by default)")
	return c
}
