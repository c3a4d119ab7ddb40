package cli

import (
	"strings"

	"github.com/spf13/cobra"

	"regola.example/regola/internal/core/artifact"
	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/evidence"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/origin"
	"regola.example/regola/internal/core/signs"
	"regola.example/regola/internal/core/store"
	"regola.example/regola/internal/report"
	"regola.example/regola/internal/run"
)

func (e *env) factsCommand() *cobra.Command {
	var format, on string
	var digests, evident bool
	var own []string
	c := &cobra.Command{
		Use:     "facts PACKAGE [SPLIT…]",
		Short:   "Show what a package says of itself, without an opinion",
		Example: "  regola facts build/terrafuoco.aab\n  regola facts build/terrafuoco.aab --evidence\n  regola facts build/Terrafuoco.ipa --format json",
		Args:    somePackage,
		RunE: func(c *cobra.Command, args []string) error {
			if err := oneOf("--format", format, []string{"table", "json"}); err != nil {
				return err
			}
			on, err := e.dayFlag(on)
			if err != nil {
				return err
			}
			r, err := run.New(e.lib, run.Options{Options: check.Options{Day: on}})
			if err != nil {
				return err
			}
			if format == "table" && !evident {
				platform := store.Android
				if strings.HasSuffix(args[0], ".ipa") {
					platform = store.IOS
				}
				r.Warm(platform)
			}
			p, err := onePackage(c, args, artifact.Options{Digests: digests, Quick: !digests})
			if err != nil {
				return err
			}
			if evident {
				return e.evidence(p, own, on, format)
			}
			if format == "json" {
				return report.JSON(e.out, report.NewFactsDocument(p))
			}
			by := report.Background{}
			if by.Notes, err = r.Notes(p); err != nil {
				return err
			}
			set, err := e.lib.TablesOf("permissions", "debug_certificates", "resource_families")
			if err != nil {
				return err
			}
			set = set.On(on)
			by.Permissions, by.Debug = set.Permissions, set.DebugCertificates
			by.Brought = map[string]string{}
			_, brought := origin.Of(p, set).Locales()
			for l, o := range brought {
				by.Brought[l] = o.By
			}
			return report.FactsTable(e.out, p, by, e.look(e.out))
		},
	}
	c.Flags().StringArrayVar(&own, "table", nil, "with --evidence: also look for the code of this `FILE` of tables; may be repeated")
	c.Flags().BoolVar(&evident, "evidence", false, "list what the package implies about declarations: third-party code, functions, kinds of data")
	c.Flags().StringVar(&format, "format", "table", "`FORM` of the output: table or json")
	c.Flags().StringVar(&on, "on", "", "show the stores' bounds of a `DAY`, such as 2027-09-01 (today by default)")
	c.Flags().BoolVar(&digests, "digests", false, "also verify the signed digest of every entry, and read large executables to their end")
	_ = c.RegisterFlagCompletionFunc("format", choices("table", "json"))
	return c
}

func somePackage(c *cobra.Command, args []string) error {
	if len(args) == 0 {
		return usageError("a package is expected", `name it: "`+c.CommandPath()+` app.aab"`)
	}
	return nil
}

// evidence shows what a package implies about declarations.
func (e *env) evidence(p *facts.Package, own []string, on day.Day, format string) error {
	set, err := e.lib.Tables()
	if err != nil {
		return err
	}
	for i, name := range own {
		more, ps := run.ReadTables(name)
		if len(ps) > 0 {
			return ps
		}
		if i == 0 {
			set = set.Clone()
		}
		set.Add(more)
	}
	var code *signs.Index
	if p.IOS != nil {
		code = signs.Of(p.IOS)
	}
	ev := evidence.Of(p, code, set.On(on))
	if format == "json" {
		return report.JSON(e.out, report.NewEvidenceDocument(p, ev))
	}
	return report.EvidenceTable(e.out, p, ev, e.look(e.out))
}
