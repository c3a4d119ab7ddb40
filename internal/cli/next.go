package cli

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/didyoumean"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/safeopen"
	"regola.example/regola/internal/report"
	"regola.example/regola/internal/run"
)

func (e *env) nextCommand() *cobra.Command {
	var on, format, folder string
	var skip, because, until, who string
	var onlyStores []string
	var alone, all bool
	c := &cobra.Command{
		Use:   "next [PACKAGE…|DOSSIER]",
		Short: "Say the first thing to do, how, and what is left behind it",
		Long: `Say the first thing to do for this release, in working order: the gravest fault, then
what a store will ask, then what to confirm. One screen, never more; with --all, the whole list, with the line
behind which everything only improves the release.

With --skip RULE --because REASON --until DAY something waits: until that day it stands behind
everything else. It stays in the verdict as it is; to accept a finding is a waiver.`,
		Example: "  regola next\n  regola next --all\n  regola next --all --for writer",
		RunE: func(c *cobra.Command, args []string) error {
			if skip == "" && (because != "" || until != "") {
				return usageError("--because and --until belong to --skip", "say with --skip what is postponed, by its rule or key")
			}
			on, err := e.narrowed(format, onlyStores, on)
			if err != nil {
				return err
			}
			if who != "" {
				if err := oneOf("--for", who, rulebook.Roles); err != nil {
					return err
				}
			}
			job, err := input(args, folder, alone)
			if err != nil {
				return err
			}
			r, err := run.New(e.lib, run.Options{Options: check.Options{Day: on}, Stores: onlyStores})
			if err != nil {
				return err
			}
			res, err := r.Check(c.Context(), job)
			if err != nil {
				return err
			}
			if skip != "" {
				undo, err := e.postpone(r, job, res, skip, because, until)
				if err != nil {
					return err
				}
				if res, err = r.Check(c.Context(), job); err != nil {
					return errors.Join(err, undo()) // what the dossier does not take is taken back
				}
			}
			d := report.NewNextDocument(res, all, who)
			if format == "json" {
				return report.JSON(e.out, d)
			}
			if all {
				return report.NextAll(e.out, d, e.look(e.out))
			}
			return report.Next(e.out, d, e.look(e.out))
		},
	}
	fl := c.Flags()
	fl.StringSliceVar(&onlyStores, "store", nil, "for this `STORE` only: "+strings.Join(e.storeIDs(), ", "))
	fl.StringVar(&on, "on", "", "as of a `DAY`, such as 2027-09-01 (today by default)")
	fl.StringVar(&format, "format", "text", "`FORM` of the output: text or json")
	fl.StringVar(&folder, "dossier", "", "`FOLDER` of the dossier (the current one or the nearest above it by default)")
	fl.BoolVar(&all, "all", false, "list everything, in working order, and where what is needed ends")
	fl.BoolVar(&alone, "alone", false, "look at the packages by themselves, without a dossier")
	_ = c.RegisterFlagCompletionFunc("store", choices(e.storeIDs()...))
	_ = c.RegisterFlagCompletionFunc("format", choices("text", "json"))
	fl.StringVar(&who, "for", "", "the work of this `ROLE` only: "+strings.Join(rulebook.Roles, ", "))
	fl.StringVar(&skip, "skip", "", "put the `RULE` or key behind everything else, with --because and --until; dossier.yaml keeps it")
	fl.StringVar(&because, "because", "", "the `REASON` why it is postponed")
	fl.StringVar(&until, "until", "", "the `DAY` up to which it is postponed")
	_ = c.RegisterFlagCompletionFunc("for", choices(rulebook.Roles...))
	return c
}

// postpone writes into the dossier that one of the things to do waits. What it is called may be
// its rule or the key under which it is written. undo takes it back.
func (e *env) postpone(r *run.Runner, job run.Job, res *check.Result, name, because, until string) (undo func() error, err error) {
	if job.Dossier == "" {
		return nil, usageError("there is no dossier to keep what is postponed", `make one with "regola init"`)
	}
	if strings.TrimSpace(because) == "" || until == "" {
		return nil, usageError("--skip needs --because and --until", `say why it waits and up to which day, such as --because "the library comes in January" --until 2027-01-15`)
	}
	last, err := day.Parse(until)
	if err != nil || last.Before(res.Day.Time) {
		return nil, usageError(fmt.Sprintf("--until: %q is no day to come", until), "write a day such as 2027-01-15")
	}
	var rules, names []string
	for _, x := range report.NewNextDocument(res, true, "").All {
		key, _, _ := strings.Cut(x.Where, ",")
		names = append(names, x.Rule, key)
		if x.Rule != "" && (x.Rule == name || key == name) && !slices.Contains(rules, x.Rule) {
			rules = append(rules, x.Rule)
		}
	}
	if len(rules) == 0 {
		fix := "regola next --all lists what is to do"
		if near := didyoumean.Nearest(name, names); near != "" {
			fix = fmt.Sprintf("did you mean %q? %s", near, fix)
		}
		return nil, usageError(fmt.Sprintf("--skip: nothing to do is called %q", name), fix)
	}
	d, problems := r.Dossier(job.Dossier)
	if len(problems) > 0 {
		return nil, problems
	}
	for _, p := range d.Postponed {
		if slices.Contains(rules, p.Rule) {
			return nil, &place.Problem{At: p.Self(), What: p.Rule + " is postponed already", Fix: "change the day or the reason there"}
		}
	}
	file := filepath.Join(job.Dossier, dossier.FileName)
	old, err := os.ReadFile(file)
	if err != nil {
		return nil, safeopen.Problem(file, err, "check the path")
	}
	doc := old
	for _, rule := range rules {
		if doc, err = run.Postpone(doc, rule, because, last); err != nil {
			return nil, &place.Problem{At: place.Place{File: file}, What: err.Error(), Fix: "write it by hand, under postponed: rule, because, until"}
		}
	}
	return func() error { return save(file, old) }, save(file, doc)
}
