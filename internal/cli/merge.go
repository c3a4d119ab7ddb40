package cli

import (
	"bufio"
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/safeopen"
	"regola.example/regola/internal/report"
)

func (e *env) mergeCommand() *cobra.Command {
	var format, failOn string
	var outs []string
	var strict, all, partial bool
	c := &cobra.Command{
		Use:   "merge FILE…",
		Short: "Join the JSON results of several checks into any form",
		Long: `Join results that regola check wrote as JSON, of one dossier or of many, into one
report of any form: those of the parts of --shard, or of the jobs of a pipeline. They
stand in the order of the files. A page of results that were joined has neither pictures
nor sizes, which the JSON form does not hold.

Each part of a call with --shard must be there, once; with --partial the dossiers of
parts that are missing are listed as not judged.

Exit status: as the checks had it, and at least 1 when a part is missing. With --fail-on
or --strict it is decided anew.`,
		Example: "  regola check ../sound ../faulty --out json=all.json\n  regola merge all.json --out html=all.html --out sarif=all.sarif",
		Args: func(_ *cobra.Command, args []string) error {
			if len(args) == 0 {
				return usageError("there is nothing to join", `name the files: "regola merge part-1.json part-2.json"`)
			}
			return nil
		},
		RunE: func(c *cobra.Command, args []string) error {
			if err := oneOf("--format", format, report.FormNames()); err != nil {
				return err
			}
			again := c.Flags().Changed("fail-on") || strict
			if again {
				if err := oneOf("--fail-on", failOn, check.FailWords); err != nil {
					return err
				}
			}
			files, err := parseOuts(outs)
			if err != nil {
				return err
			}
			var names []string
			var held []*report.Held
			err = eachResult(args, nil, func(i *report.Item) error { names = append(names, i.Name); return nil }, func(h *report.Held) { held = append(held, h) })
			if err != nil {
				return err
			}
			lost, err := report.Whole(held)
			if err == nil && len(lost) > 0 && !partial {
				err = &place.Problem{What: fmt.Sprintf("a part of the call is missing, with %s: %s", report.Count(len(lost), "dossier", "dossiers"), some(lost)),
					Fix: "name the files of all parts; or join what there is with --partial, which lists the others as not judged"}
			}
			if err != nil {
				return err
			}
			names = append(names, lost...)
			rules, err := e.builtInRules()
			if err != nil {
				return err
			}
			known := func(id string) *rulebook.Rule { return rules[id] }
			out, err := e.open(reports{format: format, files: files, all: all}, names)
			if err != nil {
				return err
			}
			defer out.abort()
			out.kept = args
			err = eachResult(args, known, func(i *report.Item) error {
				if i.Result != nil && again {
					i.Result.About.FailOn, i.Result.About.Strict = failOn, strict
					i.Exit = exitStatus(i.Result, failOn, strict)
				}
				e.exit = max(e.exit, i.Exit)
				return out.add(i)
			}, nil)
			if err != nil {
				return err
			}
			for _, name := range lost {
				i := report.Lost(name)
				e.exit = max(e.exit, i.Exit)
				if err := out.add(i); err != nil {
					return err
				}
			}
			if n := len(lost); n > 0 {
				fmt.Fprintf(e.err, "regola: a part of the call is missing; %s not judged\n", report.Count(n, "dossier is", "dossiers are"))
			}
			return out.close()
		},
	}
	c.Flags().StringVar(&format, "format", "text", "`FORM` of the output: "+strings.Join(report.FormNames(), ", "))
	c.Flags().StringArrayVar(&outs, "out", nil, "also write a file, as `FORMAT=FILE`; may be repeated")
	c.Flags().StringVar(&failOn, "fail-on", "error", "decide the exit status anew by this `LEVEL` or impact: "+strings.Join(check.FailWords, ", "))
	c.Flags().BoolVar(&strict, "strict", false, "decide it anew: everything but a release that passes makes it 1")
	c.Flags().BoolVar(&partial, "partial", false, "join what there is when parts of a call with --shard are missing")
	c.Flags().BoolVar(&all, "all", false, "leave nothing out")
	_ = c.RegisterFlagCompletionFunc("out", outForms)
	_ = c.RegisterFlagCompletionFunc("format", choices(report.FormNames()...))
	return c
}

// eachResult goes through the results in some files.
func eachResult(files []string, known func(string) *rulebook.Rule, f func(*report.Item) error, end func(*report.Held)) error {
	for _, name := range files {
		r, _, err := safeopen.Open(name)
		if err != nil {
			return safeopen.Problem(name, err, "check the path")
		}
		err = report.EachResult(name, bufio.NewReaderSize(r, 1<<20), known, f, end)
		r.Close()
		if err != nil {
			return err
		}
	}
	return nil
}

// some lists the first names of a list.
func some(names []string) string {
	const most = 3
	if len(names) <= most {
		return strings.Join(names, ", ")
	}
	return strings.Join(names[:most], ", ") + " …"
}

// builtInRules are the rules of all stores, by id.
func (e *env) builtInRules() (map[string]*rulebook.Rule, error) {
	rules := map[string]*rulebook.Rule{}
	for _, s := range e.stores() {
		books, err := e.lib.Books(s)
		if err != nil {
			return nil, err
		}
		for _, b := range books {
			for _, r := range b.Rules {
				rules[r.ID] = r
			}
		}
	}
	return rules, nil
}
