package cli

import (
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/regular"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/links"
	"regola.example/regola/internal/report"
	"regola.example/regola/internal/run"
	"regola.example/regola/rulebooks"
)

func (e *env) checkCommand() *cobra.Command {
	var (
		on, format, failOn, folder                string
		onlyStores, stages, outs                  []string
		books                                     []string
		alone, brief, strict, all, fetch, private bool
	)
	c := &cobra.Command{
		Use:   "check [PACKAGE…|DOSSIER…]",
		Short: "Judge packages and their dossier against the stores' rules",
		Long: `Judge packages and the dossier of their submission. Without an argument, in a
folder with a dossier.yaml, everything that the dossier names is judged; a folder
with a dossier can also be given in the place of a package, or several. A package
that is given with a dossier takes the place of the one that the dossier names.

The dossier is looked for in the current folder and the folders above it.

Exit status: 0 when nothing at or above --fail-on was found, 1 when something
was, 2 when the input or the call is wrong and nothing was judged. With --strict
it is also 1 when something is to answer, to confirm, or could not be read.`,
		Example: `  regola check
  regola check build/terrafuoco.aab build/Terrafuoco.ipa
  regola check --on 2027-09-01 --store android
  regola check --strict --brief
  regola check --out json=report.json`,
		RunE: func(c *cobra.Command, args []string) error {
			for flag, v := range map[string]struct{ values, choices []string }{
				"--store":   {onlyStores, e.storeIDs()},
				"--stage":   {stages, rulebook.Stages},
				"--format":  {[]string{format}, report.FormNames()},
				"--fail-on": {[]string{failOn}, failWords},
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
			if brief && c.Flags().Changed("format") && format != "brief" {
				return usageError("--brief and --format exclude each other", "drop one of the two")
			} else if brief {
				format = "brief"
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
			if private && !fetch {
				return usageError("--links-private goes with --links", "add --links, or drop it")
			}
			o := run.Options{Options: check.Options{Day: on, Stages: stages}, Stores: onlyStores, Rulebooks: books}
			if fetch {
				o.Links = &links.Fetcher{Private: private}
			}
			r, err := run.New(e.lib, o)
			if err != nil {
				return err
			}
			form := report.FormOf(format)
			var first error
			err = r.CheckAll(c.Context(), jobs, func(i int, res *check.Result, err error) {
				if err == nil {
					exit := exitStatus(res, failOn, strict)
					e.exit = max(e.exit, exit)
					err = e.results(res, form, files, exit, all, Filters{Stores: onlyStores, Stages: stages, FailOn: failOn, Strict: strict})
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
	fl.StringVar(&failOn, "fail-on", "error", "least level or impact that makes the exit status 1: "+strings.Join(failWords, ", "))
	fl.BoolVar(&strict, "strict", false, "what is to answer, to confirm or not read makes the exit status 1, too")
	fl.BoolVar(&brief, "brief", false, "one line a finding: file:line:column: impact: text [rule]")
	fl.BoolVar(&all, "all", false, "leave nothing out: all places, all rules, all questions")
	fl.StringVar(&format, "format", "text", "form of the output: "+strings.Join(report.FormNames(), ", "))
	fl.StringArrayVar(&outs, "out", nil, "also write a file, as FORMAT=FILE; may be repeated")
	fl.StringArrayVar(&books, "rulebook", nil, "also judge by the rules of this file; may be repeated")
	fl.StringVar(&folder, "dossier", "", "folder of the dossier (the current one by default, if it has one)")
	fl.BoolVar(&alone, "alone", false, "judge the packages by themselves, without a dossier")
	fl.BoolVar(&fetch, "links", false, "fetch what the dossier's links lead to, and judge it; the only use of the network")
	fl.BoolVar(&private, "links-private", false, "with --links: fetch private and local addresses, too")
	_ = c.RegisterFlagCompletionFunc("store", choices(e.storeIDs()...))
	_ = c.RegisterFlagCompletionFunc("stage", choices(rulebook.Stages...))
	_ = c.RegisterFlagCompletionFunc("fail-on", choices(failWords...))
	_ = c.RegisterFlagCompletionFunc("format", choices(report.FormNames()...))
	return c
}

// results writes one result, to the files that are asked for and to standard
// output.
func (e *env) results(res *check.Result, form *report.Form, files []outFile, exit int, all bool, by Filters) error {
	res.About = by.about()
	if form.Name == "json" || slices.ContainsFunc(files, func(f outFile) bool { return f.format == "json" }) {
		if err := e.identify(res); err != nil {
			return err
		}
	}
	for _, f := range files {
		err := writeFile(f.name, res.Read, func(w io.Writer) error {
			return report.FormOf(f.format).Write(w, res, report.Look{All: all, Width: e.width}, exit)
		})
		if err != nil {
			return err
		}
	}
	look := e.look(e.out)
	look.All = all
	return form.Write(e.out, res, look, exit)
}

// inputs sorts the arguments into packages and folders of dossiers. Packages
// belong to one dossier; several dossiers are one job each.
func inputs(args []string, folder string, alone bool) ([]run.Job, error) {
	var packages, folders []string
	for _, a := range args {
		if filepath.Base(a) == dossier.FileName && dossier.Exists(filepath.Dir(a)) {
			a = filepath.Dir(a) // the file stands for its folder
		}
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
	case above() != "":
		return []run.Job{{Packages: packages, Dossier: above()}}, nil
	case len(packages) == 0:
		return nil, usageError("there is nothing to judge: no package was named, and neither this folder nor one above it has a dossier.yaml",
			`name a package ("regola check app.aab"), go to the folder of a dossier, or see "regola demo"`+misnamed())
	}
	return []run.Job{{Packages: packages}}, nil
}

// misnamed says that a dossier lies here under another name.
func misnamed() string {
	for _, name := range []string{"dossier.yml", "Dossier.yaml", "dossier.YAML", "dossier.yaml.txt"} {
		if info, err := os.Stat(name); err == nil && info.Mode().IsRegular() {
			return "; or rename " + name + " to " + dossier.FileName
		}
	}
	return ""
}

// above is the nearest folder with a dossier, from the current one upwards, as
// a path relative to it; empty when there is none.
func above() string {
	for dir := "."; ; dir = filepath.Join("..", dir) {
		if dossier.Exists(dir) {
			return dir
		}
		if full, err := filepath.Abs(dir); err != nil || full == filepath.Dir(full) {
			return ""
		}
	}
}

type outFile struct{ format, name string }

func parseOuts(outs []string) ([]outFile, error) {
	var files []outFile
	for _, o := range outs {
		format, name, ok := strings.Cut(o, "=")
		if name == "-" {
			return nil, usageError("--out writes files; - is none", "write --format "+format+" for standard output")
		}
		if !ok || name == "" {
			fix := "write --out json=report.json"
			if form := strings.TrimPrefix(filepath.Ext(o), "."); !ok && slices.Contains(report.FormNames(), form) {
				fix = fmt.Sprintf("write --out %s=%s", form, o)
			}
			return nil, usageError(fmt.Sprintf("--out: %q is not of the form FORMAT=FILE", o), fix)
		}
		if err := oneOf("--out", format, report.FormNames()); err != nil {
			return nil, err
		}
		files = append(files, outFile{format, name})
	}
	return files, nil
}

// identify adds what tells one input from another: editions of the rules, and
// the digests of the packages.
func (e *env) identify(res *check.Result) error {
	res.About.Editions, res.About.Digests = map[string]string{}, map[string]string{}
	for _, s := range e.stores() {
		books, err := e.lib.Books(s)
		if err != nil {
			return err
		}
		for _, b := range books {
			res.About.Editions[b.File] = b.Edition.String()
		}
	}
	set, err := e.lib.Tables()
	if err != nil {
		return err
	}
	res.About.Editions[rulebooks.Prefix+"tables"] = set.Edition.String()
	for _, s := range res.Stores {
		info, err := os.Stat(s.Package)
		if err != nil || !info.Mode().IsRegular() {
			continue // a folder has no digest
		}
		sum, err := regular.SHA256(s.Package)
		if err != nil {
			return regular.Problem(s.Package, err, "check the path")
		}
		res.About.Digests[s.Package] = sum
	}
	return nil
}

// failWords are what --fail-on takes: levels, impacts, and never.
var failWords = []string{"error", "warning", "note", "refused", "blocked", "rejected", "reach", "craft", "never"}

func exitStatus(res *check.Result, failOn string, strict bool) int {
	if strict && res.Count(check.ToAnswer)+res.Count(check.ToConfirm)+res.Count(check.NotRead) > 0 {
		return exitFindings
	}
	limit := rulebook.Impact(failOn)
	switch rulebook.Level(failOn) {
	case rulebook.Error:
		limit = rulebook.Blocked
	case rulebook.Warning:
		limit = rulebook.Reach
	case rulebook.Note:
		limit = rulebook.Craft
	}
	worst := slices.Index(rulebook.Impacts, res.Worst())
	if worst >= 0 && worst <= slices.Index(rulebook.Impacts, limit) {
		return exitFindings
	}
	return exitClean
}

// Filters are what a call narrows, for the JSON form.
type Filters struct {
	Stores, Stages []string
	FailOn         string
	Strict         bool
}

func (f Filters) about() check.About {
	return check.About{Program: Version, Stores: f.Stores, Stages: f.Stages, FailOn: f.FailOn, Strict: f.Strict}
}
