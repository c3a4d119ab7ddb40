package cli

import (
	"errors"
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
	"regola.example/regola/internal/run"
)

func (e *env) checkCommand() *cobra.Command {
	var (
		on, format, failOn, folder string
		onlyStores, stages, outs   []string
		books                      []string
		alone                      bool
	)
	c := &cobra.Command{
		Use:   "check [PACKAGE…|DOSSIER…]",
		Short: "Judge packages and their dossier against the stores' rules",
		Long: `Judge packages and the dossier of their submission. Without an argument, in a
folder with a dossier.yaml, everything that the dossier names is judged; a folder
with a dossier can also be given in the place of a package, or several. A package
that is given with a dossier takes the place of the one that the dossier names.

Exit status: 0 when nothing at or above --fail-on was found, 1 when something
was, 2 when the input or the call is wrong and nothing was judged.`,
		Example: `  regola check
  regola check build/terrafuoco.aab build/Terrafuoco.ipa
  regola check --on 2027-09-01 --store android
  regola check --out json=report.json`,
		RunE: func(c *cobra.Command, args []string) error {
			for flag, v := range map[string]struct{ values, choices []string }{
				"--store":   {onlyStores, e.storeIDs()},
				"--stage":   {stages, rulebook.Stages},
				"--format":  {[]string{format}, report.FormNames()},
				"--fail-on": {[]string{failOn}, []string{"error", "warning", "note", "never"}},
			} {
				for _, val := range v.values {
					if err := oneOf(flag, val, v.choices); err != nil {
						return err
					}
				}
			}
			on, err := e.dayFlag(on)
			if err != nil {
				return err
			}
			files, err := parseOuts(outs)
			if err != nil {
				return err
			}
			jobs, err := inputs(args, folder, alone)
			if err != nil {
				return err
			}
			if len(jobs) > 1 && len(files) > 0 {
				return usageError("--out takes the result of one dossier", "judge the dossiers in calls of their own")
			}
			r, err := run.New(e.lib, run.Options{Options: check.Options{Day: on, Stages: stages}, Stores: onlyStores, Rulebooks: books})
			if err != nil {
				return err
			}
			form := report.FormOf(format)
			var first error
			err = r.CheckAll(c.Context(), jobs, func(i int, res *check.Result, err error) {
				if err == nil {
					exit := exitStatus(res, failOn)
					e.exit = max(e.exit, exit)
					err = e.results(res, form, files, exit)
				}
				if err != nil && len(jobs) > 1 {
					e.complain(err)
					err = errors.New("not every dossier could be judged")
				}
				if first == nil {
					first = err
				}
			})
			if err != nil {
				return err
			}
			return first
		},
	}
	fl := c.Flags()
	fl.StringSliceVar(&onlyStores, "store", nil, "judge for this store only: "+strings.Join(e.storeIDs(), ", "))
	fl.StringVar(&on, "on", "", "judge as of a day, such as 2027-09-01 (today by default)")
	fl.StringSliceVar(&stages, "stage", nil, "judge these stages only: "+strings.Join(rulebook.Stages, ", "))
	fl.StringVar(&failOn, "fail-on", "error", "least level that makes the exit status 1: error, warning, note, never")
	fl.StringVar(&format, "format", "text", "form of the output: "+strings.Join(report.FormNames(), ", "))
	fl.StringArrayVar(&outs, "out", nil, "also write a file, as FORMAT=FILE; may be repeated")
	fl.StringArrayVar(&books, "rulebook", nil, "also judge by the rules of this file; may be repeated")
	fl.StringVar(&folder, "dossier", "", "folder of the dossier (the current one by default, if it has one)")
	fl.BoolVar(&alone, "alone", false, "judge the packages by themselves, without a dossier")
	_ = c.RegisterFlagCompletionFunc("store", choices(e.storeIDs()...))
	_ = c.RegisterFlagCompletionFunc("stage", choices(rulebook.Stages...))
	_ = c.RegisterFlagCompletionFunc("fail-on", choices("error", "warning", "note", "never"))
	_ = c.RegisterFlagCompletionFunc("format", choices(report.FormNames()...))
	return c
}

// results writes one result, to the files that are asked for and to standard
// output.
func (e *env) results(res *check.Result, form *report.Form, files []outFile, exit int) error {
	for _, f := range files {
		err := writeFile(f.name, res.Read, func(w io.Writer) error {
			return report.FormOf(f.format).Write(w, res, report.Look{}, exit)
		})
		if err != nil {
			return err
		}
	}
	return form.Write(e.out, res, e.look(e.out), exit)
}

// inputs sorts the arguments into packages and folders of dossiers. Packages
// belong to one dossier; several dossiers are one job each.
func inputs(args []string, folder string, alone bool) ([]run.Job, error) {
	var packages, folders []string
	for _, a := range args {
		if info, err := os.Stat(a); err == nil && info.IsDir() && dossier.Exists(a) {
			folders = append(folders, a)
			continue
		}
		packages = append(packages, a)
	}
	if folder != "" {
		folders = append(folders, folder)
	}
	switch {
	case alone && len(folders) > 0:
		return nil, usageError("--alone and a dossier exclude each other", "drop one of the two")
	case alone && len(packages) == 0:
		return nil, usageError("--alone needs a package", "name the package file")
	case alone:
		return []run.Job{{Packages: packages}}, nil
	case len(folders) > 1 && len(packages) > 0:
		return nil, usageError("packages and several dossiers: which belong together is not known", "give one dossier with its packages, or dossiers alone")
	case len(folders) > 1:
		jobs := make([]run.Job, len(folders))
		for i, f := range folders {
			jobs[i].Dossier = f
		}
		return jobs, nil
	case len(folders) == 1:
		return []run.Job{{Packages: packages, Dossier: folders[0]}}, nil
	case dossier.Exists("."):
		return []run.Job{{Packages: packages, Dossier: "."}}, nil
	case len(packages) == 0:
		return nil, usageError("there is nothing to judge: no package was named, and this folder has no dossier.yaml",
			`name a package ("regola check app.aab"), go to the folder of a dossier, or see "regola demo"`)
	}
	return []run.Job{{Packages: packages}}, nil
}

type outFile struct{ format, name string }

func parseOuts(outs []string) ([]outFile, error) {
	var files []outFile
	for _, o := range outs {
		format, name, ok := strings.Cut(o, "=")
		if !ok || name == "" {
			return nil, usageError(fmt.Sprintf("--out: %q is not of the form FORMAT=FILE", o), "write --out json=report.json")
		}
		if err := oneOf("--out", format, report.FormNames()); err != nil {
			return nil, err
		}
		files = append(files, outFile{format, name})
	}
	return files, nil
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
