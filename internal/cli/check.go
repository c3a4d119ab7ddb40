package cli

import (
	"cmp"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/ledger"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/links"
	"regola.example/regola/internal/report"
	"regola.example/regola/internal/run"
)

func (e *env) checkCommand() *cobra.Command {
	var (
		on, format, failOn, folder, shard, beside string
		onlyStores, stages, outs, channels        []string
		books                                     []string
		alone, brief, strict, all, fetch, private bool
		watching                                  bool
	)
	c := &cobra.Command{
		Use:   "check [PACKAGE…|DOSSIER…]",
		Short: "Judge packages and their dossier against the stores' rules",
		Long: `Judge packages and the dossier of their submission. Without an argument, in a
folder with a dossier.yaml, everything that the dossier names is judged; a folder
with a dossier can also be given in the place of a package, or several. A package
that is given with a dossier takes the place of the one that the dossier names.

The dossier is looked for in the current folder and the folders above it.

A package that the dossier names and that is not there yet keeps the rules that need it
from being judged; all others are judged, and the exit status is 1 unless --stage leaves
the package stage out.

Exit status: 0 when nothing at or above --fail-on was found, 1 when something
was, 2 when the input or the call is wrong and nothing was judged. With --strict
it is 1 for everything but a release that passes in the stages that were judged.

With --watch the call stays: whenever a file of the release changes, it is judged again,
and what came and went is shown.`,
		Example: `  regola check
  regola check build/terrafuoco.aab build/Terrafuoco.ipa
  regola check --on 2027-09-01 --store android
  regola check --strict --brief
  regola check --out html=report.html --out sarif=report.sarif
  regola check ../sound ../faulty --shard 1/2 --out json=part-1.json
  regola check --out json=last.json && regola check --baseline last.json --fail-on rejected`,
		RunE: func(c *cobra.Command, args []string) error {
			for flag, v := range map[string]struct{ values, choices []string }{
				"--store":   {onlyStores, e.storeIDs()},
				"--channel": {channels, ledger.Channels},
				"--stage":   {stages, rulebook.Stages},
				"--format":  {[]string{format}, report.FormNames()},
				"--fail-on": {[]string{failOn}, check.FailWords},
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
			jobs, part, err := shardOf(jobs, shard)
			if err != nil {
				return err
			}
			if private && !fetch {
				return usageError("--links-private goes with --links", "add --links, or drop it")
			}
			if watching && (len(jobs) != 1 || part != nil || format != "text" || len(files) > 0 || beside != "") {
				return usageError("--watch shows one release on the terminal", "give one dossier or its packages, without --out, --format, --brief, --shard and --baseline")
			}
			o := run.Options{Again: watching, Options: check.Options{Day: on, Stages: stages}, Stores: onlyStores, Channels: channels, Rulebooks: books, Parts: needsParts(format, files)}
			if fetch {
				o.Links = &links.Fetcher{Private: private}
			}
			r, err := run.New(e.lib, o)
			if err != nil {
				return err
			}
			rs := reports{format, files, all, part, check.About{Program: Version, Stores: onlyStores, Stages: stages, FailOn: failOn, Strict: strict}, beside}
			if watching {
				return e.watchOne(c.Context(), r, jobs[0], rs)
			}
			return e.checks(c.Context(), r, jobs, rs)
		},
	}
	fl := c.Flags()
	fl.StringSliceVar(&onlyStores, "store", nil, "judge for this `STORE` only: "+strings.Join(e.storeIDs(), ", "))
	fl.StringSliceVar(&channels, "channel", nil, "judge what goes to this `CHANNEL` only: "+strings.Join(ledger.Channels, ", "))
	fl.StringVar(&on, "on", "", "judge as of a `DAY`, such as 2027-09-01 (today by default)")
	fl.StringSliceVar(&stages, "stage", nil, "judge these `STAGES` only: "+strings.Join(rulebook.Stages, ", "))
	fl.StringVar(&failOn, "fail-on", "error", "least `LEVEL` or impact that makes the exit status 1: "+strings.Join(check.FailWords, ", "))
	fl.BoolVar(&strict, "strict", false, "everything but a release that passes makes the exit status 1")
	fl.BoolVar(&brief, "brief", false, "one line a finding: file:line:column: impact: text [rule]")
	fl.BoolVar(&all, "all", false, "leave nothing out: all places, all rules, all questions")
	fl.StringVar(&format, "format", "text", "`FORM` of the output: "+strings.Join(report.FormNames(), ", "))
	fl.StringArrayVar(&outs, "out", nil, "also write a file, as `FORMAT=FILE`; may be repeated")
	fl.StringVar(&beside, "baseline", "", "`FILE` with an earlier result as JSON: what it had does not make the exit status 1")
	fl.StringArrayVar(&books, "rulebook", nil, "also judge by the rules of this `FILE`; may be repeated")
	fl.StringVar(&folder, "dossier", "", "`FOLDER` of the dossier (the current one by default, if it has one)")
	fl.BoolVar(&alone, "alone", false, "judge the packages by themselves, without a dossier")
	fl.BoolVar(&fetch, "links", false, "fetch what the dossier's links lead to, and judge it; the only use of the network")
	fl.BoolVar(&private, "links-private", false, "with --links: fetch private and local addresses, too")
	fl.StringVar(&shard, "shard", "", "judge one part of the dossiers only, as `I/N`: of N parts the one with the number I, from 1; auto or auto/N takes them from what started the call")
	fl.BoolVar(&watching, "watch", false, "stay, and judge again whenever a file of the release changes; Ctrl-C ends")
	_ = c.RegisterFlagCompletionFunc("out", outForms)
	_ = c.RegisterFlagCompletionFunc("store", choices(e.storeIDs()...))
	_ = c.RegisterFlagCompletionFunc("channel", choices(ledger.Channels...))
	_ = c.RegisterFlagCompletionFunc("stage", choices(rulebook.Stages...))
	_ = c.RegisterFlagCompletionFunc("fail-on", choices(check.FailWords...))
	_ = c.RegisterFlagCompletionFunc("format", choices(report.FormNames()...))
	return c
}

// input is inputs for a command that is about one release.
func input(args []string, folder string, alone bool) (run.Job, error) {
	jobs, err := inputs(args, folder, alone)
	switch {
	case err != nil:
		return run.Job{}, err
	case len(jobs) > 1:
		return run.Job{}, usageError("these are several dossiers", "give one")
	}
	return jobs[0], nil
}

// inputs sorts the arguments into packages and folders of dossiers. Packages
// belong to one dossier; several dossiers are one job each.
func inputs(args []string, folder string, alone bool) ([]run.Job, error) {
	var packages, folders []string
	for _, a := range args {
		if filepath.Base(a) == dossier.FileName && dossier.Exists(filepath.Dir(a)) {
			a = filepath.Dir(a) // the file stands for its folder
		}
		if info, err := os.Stat(a); err == nil && info.IsDir() {
			if dossier.Exists(a) {
				folders = append(folders, a)
				continue
			}
			if below := dossiersBelow(a); len(below) > 0 {
				folders = append(folders, below...)
				continue
			}
		}
		packages = append(packages, a)
	}
	if filepath.Base(folder) == dossier.FileName && dossier.Exists(filepath.Dir(folder)) {
		folder = filepath.Dir(folder)
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

// Bounds of the search for dossiers below a folder: how deep it goes, and how many
// folders it looks into.
const maxBelow, maxLooked = 5, 100_000

// dossiersBelow are the folders with a dossier below one that has none itself, in the
// order of their names. The folders of dossiers and packages are not looked into, nor
// those whose name begins with a full stop.
func dossiersBelow(dir string) (out []string) {
	looked := 0
	var walk func(dir string, depth int)
	walk = func(dir string, depth int) {
		if looked++; depth > maxBelow || looked > maxLooked {
			return
		}
		entries, _ := os.ReadDir(dir) // one that cannot be read holds no dossier that could be
		for _, e := range entries {
			if !e.IsDir() || strings.HasPrefix(e.Name(), ".") || e.Name() == "node_modules" {
				continue
			}
			sub := filepath.Join(dir, e.Name())
			if dossier.Exists(sub) {
				out = append(out, sub)
				continue
			}
			if ext := filepath.Ext(e.Name()); ext != ".app" && ext != ".xcarchive" {
				walk(sub, depth+1)
			}
		}
	}
	if ext := filepath.Ext(dir); ext != ".app" && ext != ".xcarchive" {
		walk(dir, 1)
	}
	return out
}

// shardOf keeps one part of the jobs: I/N keeps the jobs with the numbers I, I + N …,
// in the order of the call, so that it is the same everywhere.
func shardOf(jobs []run.Job, shard string) ([]run.Job, *report.PartEntry, error) {
	if shard == "" {
		return jobs, nil, nil
	}
	if word, count, _ := strings.Cut(shard, "/"); word == "auto" {
		var err error
		if shard, err = shardHere(count, os.Getenv); err != nil {
			return nil, nil, err
		}
	}
	var i, n int
	if _, err := fmt.Sscanf(shard, "%d/%d", &i, &n); err != nil || fmt.Sprintf("%d/%d", i, n) != shard || i < 1 || n < i {
		return nil, nil, usageError(fmt.Sprintf("--shard: %q is not of the form I/N", shard), "write the number of the part, from 1, and how many there are, such as 2/4")
	}
	slices.SortFunc(jobs, func(a, b run.Job) int {
		return strings.Compare(filepath.ToSlash(a.Dossier), filepath.ToSlash(b.Dossier))
	})
	part := &report.PartEntry{Index: int64(i), Of: int64(n), Dossiers: []string{}}
	for _, j := range jobs {
		part.Dossiers = append(part.Dossiers, j.Dossier)
	}
	var mine []run.Job
	for at := i - 1; at < len(jobs); at += n {
		mine = append(mine, jobs[at])
	}
	return mine, part, nil
}

// shardSources are the variables by which what starts many calls tells each its part: the
// number, from where it counts, and how many there are.
var shardSources = []struct{ index, first, count string }{
	{"SLURM_ARRAY_TASK_ID", "SLURM_ARRAY_TASK_MIN", "SLURM_ARRAY_TASK_COUNT"}, // an array of jobs
	{"SLURM_PROCID", "", "SLURM_NTASKS"},                                      // the tasks of one job
	{"JOB_COMPLETION_INDEX", "", ""},                                          // an indexed job of a cluster of containers
	{"CI_NODE_INDEX", "1", "CI_NODE_TOTAL"},                                   // parallel jobs of a forge
}

// shardHere is the part of this call by its surroundings. count is how many parts there are,
// where the call says it.
func shardHere(count string, env func(string) string) (string, error) {
	for _, s := range shardSources {
		index, err := strconv.Atoi(env(s.index))
		if err != nil {
			continue
		}
		first, err := strconv.Atoi(s.first)
		if err != nil {
			first, _ = strconv.Atoi(env(s.first)) // from 0 where nothing says it
		}
		n := cmp.Or(count, env(s.count))
		if n == "" || s.count == "" && count == "" {
			return "", usageError("--shard auto: "+s.index+" tells which part this is, and nothing tells how many there are", "write --shard auto/N")
		}
		return fmt.Sprintf("%d/%s", index-first+1, n), nil
	}
	var names []string
	for _, s := range shardSources {
		names = append(names, s.index)
	}
	return "", usageError("--shard auto: nothing tells which part this is", "write --shard I/N, or set one of "+strings.Join(names, ", "))
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

func exitStatus(res *check.Result, failOn string, strict bool) int {
	if res.Fails(failOn, strict) {
		return exitFindings
	}
	return exitClean
}
