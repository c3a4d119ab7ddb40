package cli

import (
	"fmt"
	"io"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"regola.example/regola/internal/core/artifact"
	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/didyoumean"
	"regola.example/regola/internal/core/evidence"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/signs"
	"regola.example/regola/internal/privacymanifest"
	"regola.example/regola/internal/report"
	"regola.example/regola/internal/run"
)

func (e *env) privacyCommand() *cobra.Command {
	var manifest, bundle, format, folder, on string
	c := &cobra.Command{
		Use:   "privacy [DOSSIER|PACKAGE]",
		Short: "Show what each store gets to know about data, and what packages point to",
		Long: `Of a dossier: the form on data of each store, as it follows from answers: data: in
dossier.yaml, who collects each kind, what in the packages points to it, and what
the packages point to and the sheet leaves out.

Of a package: bundle by bundle, which calls need a declared reason, which reasons the
privacy manifests give, and what is missing; then the union over the app, and
the third-party code that was recognised.

With --manifest, a privacy manifest for the app is written that declares what was
found, and with --bundle for an extension or a framework inside it. Reasons are
the developer's to choose: each missing one is marked, never guessed.`,
		Example: "  regola privacy\n  regola privacy --format csv > data.csv\n  regola privacy build/Terrafuoco.ipa\n  regola privacy build/Terrafuoco.ipa --manifest PrivacyInfo.xcprivacy",
		RunE: func(c *cobra.Command, args []string) error {
			if err := oneOf("--format", format, []string{"text", "json", "csv"}); err != nil {
				return err
			}
			jobs, err := inputs(args, folder, false)
			if err != nil {
				return err
			}
			if len(jobs) == 1 && jobs[0].Dossier != "" && len(jobs[0].Packages) == 0 && manifest == "" {
				return e.disclosures(c, jobs[0], format, on)
			}
			if err := somePackage(c, args); err != nil {
				return err
			}
			if format == "csv" || c.Flags().Changed("on") {
				return usageError("--format csv and --on are for a dossier", "name its folder, or drop them")
			}
			if manifest == "" && c.Flags().Changed("bundle") {
				return usageError("--bundle says for which bundle --manifest is written", "add --manifest FILE, or drop --bundle")
			}
			pkgs, err := run.Open(c.Context(), args, artifact.Options{})
			if err != nil {
				return err
			}
			if pkgs = artifact.Join(pkgs); len(pkgs) > 1 {
				return usageError("these are several packages", "give one")
			}
			set, err := e.lib.Tables()
			if err != nil {
				return err
			}
			p := pkgs[0]
			var code *signs.Index
			if p.IOS != nil {
				code = signs.Of(p.IOS)
			}
			ev := evidence.Of(p, code, set.On(e.today()))
			if manifest == "" && format == "json" {
				return report.JSON(e.out, report.NewPrivacyDocument(ev))
			}
			if manifest == "" {
				return report.PrivacyTable(e.out, p, ev, e.look(e.out))
			}
			if p.IOS == nil {
				return usageError("an Android package has no privacy manifest", "give an .ipa file or an app folder")
			}
			if why := fact.ReasonOf(ev, &ev.Reasons); why != "" {
				return usageError("what the code uses is not known: "+why, "build again, and give the package as the build made it")
			}
			i := slices.IndexFunc(slices.Concat(p.IOS.Bundles, p.IOS.Resources), func(b *facts.Bundle) bool { return b.Path == bundle })
			if i < 0 {
				var paths []string
				for _, b := range p.IOS.Bundles {
					paths = append(paths, b.Path)
				}
				fix := "the bundles are: " + strings.Join(paths, ", ")
				if near := didyoumean.Nearest(bundle, paths); near != "" {
					fix = fmt.Sprintf("did you mean %q? %s", near, "The bundles are: "+strings.Join(paths, ", "))
				}
				return usageError(fmt.Sprintf("there is no bundle %q in the app", bundle), fix)
			}
			open := 0
			err = writeNew(manifest, func(w io.Writer) (err error) {
				open, err = privacymanifest.Write(w, slices.Concat(p.IOS.Bundles, p.IOS.Resources)[i], ev)
				return err
			})
			if err == nil {
				fmt.Fprintf(e.out, "%s is written. Reasons that you must still choose, each marked by a comment: %d.\n", manifest, open)
			}
			return err
		},
	}
	c.Flags().StringVar(&format, "format", "text", "`FORM` of the output: text, json, or of a dossier csv")
	c.Flags().StringVar(&folder, "dossier", "", "`FOLDER` of the dossier (the current one or the nearest above it by default)")
	c.Flags().StringVar(&on, "on", "", "as of a `DAY`, such as 2027-09-01 (today by default)")
	_ = c.RegisterFlagCompletionFunc("format", choices("text", "json", "csv"))
	c.Flags().StringVar(&manifest, "manifest", "", "write a privacy manifest to this `FILE`, which must not exist yet")
	c.Flags().StringVar(&bundle, "bundle", ".", "the bundle that the manifest is for: its `PATH` within the app")
	return c
}

// disclosures shows the forms on data that follow from a dossier.
func (e *env) disclosures(c *cobra.Command, job run.Job, format, on string) error {
	day, err := e.narrowed("text", nil, on)
	if err != nil {
		return err
	}
	r, err := run.New(e.lib, run.Options{Options: check.Options{Day: day}})
	if err != nil {
		return err
	}
	res, err := r.Check(c.Context(), job)
	if err != nil {
		return err
	}
	switch format {
	case "json":
		return report.JSON(e.out, report.NewDisclosureDocument(res))
	case "csv":
		return report.DisclosureCSV(e.out, res)
	}
	return report.Disclosures(e.out, res, e.look(e.out))
}
