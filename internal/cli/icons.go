package cli

import (
	"fmt"
	"image"
	"image/color"
	"os"
	"path/filepath"
	"strconv"

	"regola.example/regola/internal/core/icons"
	"regola.example/regola/internal/core/late"
	"regola.example/regola/internal/core/pictures"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/report"
	"regola.example/regola/internal/write"

	"github.com/spf13/cobra"
)

// maxMaster bounds the side of a master, in pixels.
const maxMaster = 4096

func (e *env) iconsCommand() *cobra.Command {
	var out, background, name string
	c := &cobra.Command{
		Use:   "icons MASTER --out DIR",
		Short: "Make every icon that packages and pages need from one picture",
		Long: `Draw the whole icon set from one master: launcher icons of all densities, plain and
round, the layers of an adaptive icon with the motif inside the circle that no mask
cuts, a one-colour layer for themed home screens, the icons of both store pages, and
an icon set for an asset catalogue with its dark and tinted looks.

The master is a square of 1024 pixels or more (PNG, JPEG or WebP), opaque, with its
ground filled to the corners. Where the ground is of one colour, it becomes the lower
layer and the motif the upper one.

Nothing is overwritten: DIR must be new or empty.`,
		Example: "  regola icons pictures/ios/icon.png --out icons\n  regola icons pictures/ios/icon.png --name ic_kiln --out icons-2",
		Args:    cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			if out == "" {
				return usageError("it is not said where the icons go", "add --out with a new folder")
			}
			if !resourceName().MatchString(name) {
				return usageError(fmt.Sprintf("--name %q cannot be the name of a resource", name), "write small letters, digits and underscores, such as app_icon")
			}
			o := icons.Options{Name: name}
			if background != "" {
				ground, err := parseColor(background)
				if err != nil {
					return err
				}
				o.Background = &ground
			}
			master, err := openMaster(args[0])
			if err != nil {
				return err
			}
			files, problem := icons.Make(master, o)
			if problem != nil {
				problem.At = place.Place{File: args[0]}
				return problem
			}
			err = newFolder(out, func(made string) error {
				for _, f := range files {
					name := filepath.Join(made, filepath.FromSlash(f.Path))
					if err := os.MkdirAll(filepath.Dir(name), 0o755); err != nil {
						return write.Problem(filepath.Dir(name), err)
					}
					if err := os.WriteFile(name, f.Data, 0o644); err != nil {
						return write.Problem(name, err)
					}
				}
				return nil
			})
			if err != nil {
				return err
			}
			return report.Icons(e.out, out, name, files, e.look(e.out))
		},
	}
	c.Flags().StringVar(&out, "out", "", "the `FOLDER` to write, which must be new or empty")
	c.Flags().StringVar(&background, "background", "", "lay this `COLOUR` under a transparent master, such as '#B5532A'")
	c.Flags().StringVar(&name, "name", "app_icon", "`NAME` of the resources in an Android package")
	return c
}

var (
	resourceName = late.Regexp(`^[a-z][a-z0-9_]{0,60}$`)
	hexColor     = late.Regexp(`^#?([0-9A-Fa-f]{6})$`)
)

func parseColor(s string) (color.NRGBA, error) {
	m := hexColor().FindStringSubmatch(s)
	if m == nil {
		return color.NRGBA{}, usageError(fmt.Sprintf("--background %q is no colour", s), "write six hexadecimal digits, such as '#B5532A'")
	}
	n, err := strconv.ParseUint(m[1], 16, 32)
	if err != nil {
		return color.NRGBA{}, err
	}
	return color.NRGBA{R: uint8(n >> 16), G: uint8(n >> 8), B: uint8(n), A: 255}, nil
}

// openMaster decodes the picture that all icons are made of.
func openMaster(name string) (image.Image, error) {
	p := pictures.Read(name)
	fail := func(what, fix string) (image.Image, error) {
		return nil, &place.Problem{At: place.Place{File: name, Offset: p.Offset}, What: what, Fix: fix}
	}
	switch {
	case p.Fault != "":
		return fail(p.Fault, "name a PNG, JPEG or WebP of 1024 pixels a side or more")
	case p.Turned:
		return fail("an orientation tag turns the picture", "turn its pixels and save it without the tag")
	case p.Width > maxMaster || p.Height > maxMaster:
		return fail(fmt.Sprintf("the master has %d x %d pixels; at most %d a side are read", p.Width, p.Height, maxMaster), "scale it down to 2048 or 1024 pixels")
	}
	m, err := p.Open(maxMaster * maxMaster)
	if err != nil {
		return fail("the picture cannot be decoded: "+err.Error(), "export it again as PNG")
	}
	return m, nil
}
