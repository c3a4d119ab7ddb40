package cli

import (
	"io"

	"regola.example/regola/internal/view"
	"regola.example/regola/internal/write"

	"github.com/spf13/cobra"

	"regola.example/regola/internal/core/artifact"
	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/tables"
	"regola.example/regola/internal/core/weigh"
	"regola.example/regola/internal/report"
	"regola.example/regola/internal/run"
)

// Size of the picture of a treemap, in pixels.
const mapWidth, mapHeight = 1200, 720

func (e *env) weighCommand() *cobra.Command {
	var on, format, against, picture string
	var devices, own []string
	var all bool
	c := &cobra.Command{
		Use:   "weigh PACKAGE [SPLIT…]",
		Short: "Show what takes the space, and what a device would download",
		Long: `Show what takes the space in a package: by kind, module, architecture, language,
density and third-party code; what a device would download and install, estimated for
some kinds of devices or one of your own; the largest files, files that are there
twice, what could be saved, and the stores' bounds.

A device is named, or written as values:
  --device abi=arm64-v8a,density=xxhdpi,languages=it+en,level=30
  --device scale=3x`,
		Example: "  regola weigh build/terrafuoco.aab\n  regola weigh build/terrafuoco.aab --device abi=arm64-v8a,density=xxhdpi,languages=it\n  regola weigh build/Terrafuoco.ipa --map sizes.svg",
		Args:    somePackage,
		RunE: func(c *cobra.Command, args []string) error {
			on, err := e.narrowed(format, nil, on)
			if err != nil {
				return err
			}
			r, err := run.New(e.lib, run.Options{Options: check.Options{Day: on}})
			if err != nil {
				return err
			}
			var set *tables.Set
			for i, name := range own {
				more, ps := run.ReadTables(name)
				if len(ps) > 0 {
					return ps
				}
				if i == 0 {
					built, err := e.lib.Tables()
					if err != nil {
						return err
					}
					set = built.Clone()
				}
				set.Add(more)
			}
			p, err := onePackage(c, args, toWeigh)
			if err != nil {
				return err
			}
			known, err := r.Devices(p.Platform())
			if err != nil {
				return err
			}
			chosen, err := chooseDevices(devices, p.Platform(), known)
			if err != nil {
				return err
			}
			w, err := r.Weigh(p, set, chosen)
			if err != nil {
				return err
			}
			var old *view.Weight
			if against != "" {
				q, err := onePackage(c, []string{against}, toWeigh)
				if err != nil {
					return err
				}
				if q.Platform() != p.Platform() {
					return usageError("--against: "+against+" is of the other platform", "name an older package of the same app")
				}
				if old, err = r.Weigh(q, set, chosen); err != nil {
					return err
				}
			}
			if picture != "" {
				err := write.Whole(picture, append(args, against), func(out io.Writer) error { return report.Treemap(out, w.Weight, mapWidth, mapHeight) })
				if err != nil {
					return err
				}
			}
			d := report.NewWeightDocument(w, old)
			if format == "json" {
				return report.JSON(e.out, d)
			}
			look := e.look(e.out)
			look.All = all
			return report.Weigh(e.out, d, look)
		},
	}
	c.Flags().StringArrayVar(&devices, "device", nil, "estimate for this `DEVICE`; may be repeated (all that are known by default)")
	c.Flags().StringVar(&against, "against", "", "show what grew since this older `PACKAGE`")
	c.Flags().StringVar(&picture, "map", "", "also draw every file as a rectangle into this SVG `FILE`")
	c.Flags().StringVar(&format, "format", "text", "`FORM` of the output: text or json")
	c.Flags().StringVar(&on, "on", "", "by the stores' bounds of a `DAY`, such as 2027-09-01 (today by default)")
	c.Flags().StringArrayVar(&own, "table", nil, "also look for the third-party code of this `FILE` of tables; may be repeated")
	c.Flags().BoolVar(&all, "all", false, "leave nothing out")
	_ = c.RegisterFlagCompletionFunc("device", e.devices)
	_ = c.RegisterFlagCompletionFunc("format", choices("text", "json"))
	return c
}

// toWeigh is what a weighing needs of a package.
var toWeigh = artifact.Options{Quick: true, Parts: true}

// onePackage opens a package, with its splits.
func onePackage(c *cobra.Command, files []string, opt artifact.Options) (*facts.Package, error) {
	pkgs, err := run.Open(c.Context(), files, opt)
	if err != nil {
		return nil, err
	}
	if pkgs = artifact.Join(pkgs); len(pkgs) > 1 {
		return nil, usageError("these are several packages", "give one package, or a base APK together with its splits")
	}
	return pkgs[0], nil
}

// chooseDevices are the devices of a call; nil for all that are known.
func chooseDevices(names []string, platform string, known []*tables.Device) (out []*tables.Device, err error) {
	for _, n := range names {
		d, err := weigh.Device(n, platform, known)
		if err != nil {
			return nil, usageError("--device: "+err.Error(), "write it as the help of the command shows")
		}
		out = append(out, d)
	}
	return out, nil
}
