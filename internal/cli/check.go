package cli

import (
	"fmt"
	"io"
	"os"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/report"
)

var checkFormats = []string{"text", "json"}

func (e *env) checkCommand() *cobra.Command {
	var (
		on, format, failOn, folder string
		onlyStores, stages, outs   []string
		books                      []string
		alone                      bool
	)
	c := &cobra.Command{
		Use:   "check [PACKAGE…]",
		Short: "Judge packages and their dossier against the stores' rules",
		Long: `Judge packages and the dossier of their submission. Without an argument, in a
folder with a dossier.yaml, everything that the dossier names is judged; a folder
with a dossier can also be given in the place of a package.

Exit status: 0 when nothing at or above --fail-on was found, 1 when something
was, 2 when the input or the call is wrong and nothing was judged.`,
		Example: `  regola check
  regola check build/terrafuoco.aab build/Terrafuoco.ipa
  regola check --on 2027-09-01 --store android
  regola check --out json=report.json`,
		RunE: func(_ *cobra.Command, args []string) error {
			q := &request{rulebooks: books, stores: onlyStores}
			for flag, v := range map[string]struct{ values, choices []string }{
				"--store":   {onlyStores, stores},
				"--stage":   {stages, rulebook.Stages},
				"--format":  {[]string{format}, checkFormats},
				"--fail-on": {[]string{failOn}, []string{"error", "warning", "note", "never"}},
			} {
				for _, val := range v.values {
					if err := oneOf(flag, val, v.choices); err != nil {
						return err
					}
				}
			}
			day, err := e.dayFlag(on)
			if err != nil {
				return err
			}
			q.options = check.Options{Day: day, Stages: stages}
			files, err := parseOuts(outs)
			if err != nil {
				return err
			}
			if err := q.inputs(args, folder, alone); err != nil {
				return err
			}
			res, err := q.judge()
			if err != nil {
				return err
			}
			e.exit = exitStatus(res, failOn)
			for _, f := range files {
				if err := writeFile(f.name, func(w io.Writer) error { return render(w, f.format, res, report.Look{}, e.exit) }); err != nil {
					return err
				}
			}
			return render(e.out, format, res, e.look(e.out), e.exit)
		},
	}
	fl := c.Flags()
	fl.StringSliceVar(&onlyStores, "store", nil, "judge for this store only: android or ios")
	fl.StringVar(&on, "on", "", "judge as of a day, such as 2027-09-01 (today by default)")
	fl.StringSliceVar(&stages, "stage", nil, "judge these stages only: "+strings.Join(rulebook.Stages, ", "))
	fl.StringVar(&failOn, "fail-on", "error", "least level that makes the exit status 1: error, warning, note, never")
	fl.StringVar(&format, "format", "text", "form of the output: text or json")
	fl.StringArrayVar(&outs, "out", nil, "also write a file, as FORMAT=FILE; may be repeated")
	fl.StringArrayVar(&books, "rulebook", nil, "also judge by the rules of this file; may be repeated")
	fl.StringVar(&folder, "dossier", "", "folder of the dossier (the current one by default, if it has one)")
	fl.BoolVar(&alone, "alone", false, "judge the packages by themselves, without a dossier")
	_ = c.RegisterFlagCompletionFunc("store", choices(stores...))
	_ = c.RegisterFlagCompletionFunc("stage", choices(rulebook.Stages...))
	_ = c.RegisterFlagCompletionFunc("fail-on", choices("error", "warning", "note", "never"))
	_ = c.RegisterFlagCompletionFunc("format", choices(checkFormats...))
	return c
}

// inputs sorts the arguments into packages and the dossier's folder.
func (q *request) inputs(args []string, folder string, alone bool) error {
	for _, a := range args {
		if info, err := os.Stat(a); err == nil && info.IsDir() && dossier.Exists(a) {
			if folder != "" {
				return usageError(fmt.Sprintf("two dossiers: %s and %s", folder, a), "give one; judge the other in a second call")
			}
			folder = a
			continue
		}
		q.packages = append(q.packages, a)
	}
	switch {
	case alone && folder != "":
		return usageError("--alone and a dossier exclude each other", "drop one of the two")
	case alone && len(q.packages) == 0:
		return usageError("--alone needs a package", "name the package file")
	case alone:
		return nil
	case folder != "":
		q.dossier = folder
		return nil
	case dossier.Exists("."):
		q.dossier = "."
		return nil
	case len(q.packages) == 0:
		return usageError("there is nothing to judge: no package was named, and this folder has no dossier.yaml",
			`name a package ("regola check app.aab"), go to the folder of a dossier, or see "regola demo"`)
	}
	return nil
}

type outFile struct{ format, name string }

func parseOuts(outs []string) ([]outFile, error) {
	var files []outFile
	for _, o := range outs {
		format, name, ok := strings.Cut(o, "=")
		if !ok || name == "" {
			return nil, usageError(fmt.Sprintf("--out: %q is not of the form FORMAT=FILE", o), "write --out json=report.json")
		}
		if err := oneOf("--out", format, checkFormats); err != nil {
			return nil, err
		}
		files = append(files, outFile{format, name})
	}
	return files, nil
}

func render(w io.Writer, format string, res *check.Result, look report.Look, exit int) error {
	if format == "json" {
		return report.JSON(w, report.NewCheckDocument(res, exit))
	}
	return report.Text(w, res, look, exit)
}

func exitStatus(res *check.Result, failOn string) int {
	order := []rulebook.Level{rulebook.Error, rulebook.Warning, rulebook.Note}
	worst := slices.Index(order, res.Worst())
	limit := slices.Index(order, rulebook.Level(failOn))
	if worst >= 0 && worst <= limit {
		return exitFindings
	}
	return exitClean
}
