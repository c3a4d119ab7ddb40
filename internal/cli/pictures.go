package cli

import (
	"fmt"
	"image/color"
	"io"
	"os"
	"path/filepath"
	"strings"

	"regola.example/regola/internal/write"

	"github.com/spf13/cobra"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/pictures"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/safeopen"
	"regola.example/regola/internal/report"
	"regola.example/regola/internal/run"
	"regola.example/regola/internal/view"
)

func (e *env) picturesCommand() *cobra.Command {
	var format, on, into, fixInto, background string
	var onlyStores []string
	var needed bool
	c := &cobra.Command{
		Use:   "pictures [FOLDER…]",
		Short: "Find which class of each store every picture and film fits",
		Long: `List every picture and film below some folders (those of the dossier by default):
its size as shown and its kind, the class of each store in which it counts, and
what is wrong with it; then, for each store and language, how full the classes
are.

Folders named android or ios bind a picture to a store, folders named after a
language (it, pt-BR) to a language, folders named after a class (phone-6.9) are a
wish. --sort-into copies the pictures into such folders, numbered in the order of
their names.

--fix-into writes copies into a new folder, as they lie in theirs, without the faults that need
no eye: no alpha channel where none is taken, 8 bits a channel, turned as their tags say,
colours in sRGB, named as what they are, saved in a kind that is taken, scaled where the size
is that of a class in a whole ratio. Everything else is copied as it is. The copies are judged
in the end.

--needed lists which pictures the stores want, with sizes and counts, and how many are
there: of the release of a package or a dossier, or of any app where there is neither.

Exit status: 0 when nothing keeps a page from being sent, 1 when something does.`,
		Example: "  regola pictures\n  regola pictures pictures/ios --store ios\n  regola pictures pictures --sort-into sorted\n  regola pictures --needed build/Terrafuoco.ipa",
		RunE: func(c *cobra.Command, args []string) error {
			on, err := e.narrowed(format, onlyStores, on)
			if err != nil {
				return err
			}
			if needed {
				return e.needed(c, args, format, onlyStores, on)
			}
			if background != "" && fixInto == "" {
				return usageError("--background goes with --fix-into", "add --fix-into with a new folder")
			}
			if fixInto != "" {
				return e.retouch(c, args, onlyStores, on, fixInto, background, format)
			}
			x, err := e.pictures(c, args, onlyStores, on)
			if err != nil {
				return err
			}
			if into != "" {
				if err := sortInto(into, x.Pictures); err != nil {
					return err
				}
			}
			if x.Failed() {
				e.exit = exitFindings
			}
			if format == "json" {
				return report.JSON(e.out, report.NewPicturesDocument(x.Pictures))
			}
			return report.PicturesText(e.out, x.Pictures, e.look(e.out))
		},
	}
	c.Flags().StringVar(&format, "format", "text", "`FORM` of the output: text or json")
	c.Flags().StringVar(&on, "on", "", "by the classes of a `DAY`, such as 2027-09-01 (today by default)")
	c.Flags().StringSliceVar(&onlyStores, "store", nil, "for this `STORE` only: "+strings.Join(e.storeIDs(), ", "))
	c.Flags().BoolVar(&needed, "needed", false, "list instead which pictures the stores want: of a package or dossier in the place of the folders, or of any app")
	c.Flags().StringVar(&into, "sort-into", "", "copy the pictures into class folders below this `FOLDER`, which must be new or empty")
	c.Flags().StringVar(&fixInto, "fix-into", "", "write copies without the faults that need no eye into this `FOLDER`, which must be new or empty")
	c.Flags().StringVar(&background, "background", "", "with --fix-into: the `COLOUR` behind transparent parts, such as '#B5532A'")
	_ = c.RegisterFlagCompletionFunc("store", choices(e.storeIDs()...))
	_ = c.RegisterFlagCompletionFunc("format", choices("text", "json"))
	return c
}

// retouch writes copies of the pictures without the faults that need no eye, and judges them.
func (e *env) retouch(c *cobra.Command, folders, onlyStores []string, on day.Day, into, background, format string) error {
	var ground *color.NRGBA
	if background != "" {
		g, err := parseColor(background)
		if err != nil {
			return err
		}
		ground = &g
	}
	x, err := e.pictures(c, folders, onlyStores, on)
	if err != nil {
		return err
	}
	var list []*view.Retouched
	err = newFolder(into, func(made string) error {
		from := map[string]string{}
		for _, f := range x.Found {
			from[f.File] = f.Path
		}
		return x.run.Retouch(c.Context(), x.roots, x.lib, x.Stores, ground, func(one *view.Retouched) error {
			if !one.Skipped {
				name := filepath.Join(made, filepath.FromSlash(one.Name))
				if err := os.MkdirAll(filepath.Dir(name), 0o755); err != nil {
					return write.Problem(name, err)
				}
				if one.Data == nil {
					if err := copyFile(from[one.From], name); err != nil {
						return err
					}
				} else if err := os.WriteFile(name, one.Data, 0o644); err != nil {
					return write.Problem(name, err)
				}
				one.Data = nil // one picture at a time is held
			}
			list = append(list, one)
			return nil
		})
	})
	if err != nil {
		return err
	}
	after, err := e.pictures(c, []string{into}, onlyStores, on)
	if err != nil {
		return err
	}
	if after.Failed() {
		e.exit = exitFindings
	}
	d := report.NewRetouchDocument(filepath.ToSlash(into), list, after.Pictures)
	if format == "json" {
		return report.JSON(e.out, d)
	}
	return report.RetouchText(e.out, d, e.look(e.out))
}

// needed lists the pictures that the stores want.
func (e *env) needed(c *cobra.Command, args []string, format string, onlyStores []string, on day.Day) error {
	r, err := run.New(e.lib, run.Options{Options: check.Options{Day: on}, Stores: onlyStores})
	if err != nil {
		return err
	}
	var job run.Job
	if len(args) > 0 || above() != "" {
		if job, err = input(args, "", false); err != nil {
			return err
		}
	}
	list, err := r.Needed(c.Context(), job)
	if err != nil {
		return err
	}
	if format == "json" {
		return report.JSON(e.out, report.NewNeededDocument(list))
	}
	return report.NeededPictures(e.out, list, e.look(e.out))
}

// pictureCall is the pictures of a call, with what they were read from.
type pictureCall struct {
	report.Pictures
	run   *run.Runner
	roots []pictures.Root
	lib   *pictures.Library
}

// pictures reads and judges the pictures of some folders, or of the dossier.
func (e *env) pictures(c *cobra.Command, folders, onlyStores []string, on day.Day) (*pictureCall, error) {
	x := &pictureCall{}
	r, err := run.New(e.lib, run.Options{Options: check.Options{Day: on}, Stores: onlyStores})
	if err != nil {
		return nil, err
	}
	var roots []pictures.Root
	language := ""
	for _, f := range folders {
		info, err := os.Stat(f)
		if err != nil {
			return nil, safeopen.Problem(f, err, "name the folder of the pictures")
		}
		if !info.IsDir() {
			return nil, &place.Problem{At: place.Place{File: f}, What: "this is no folder", Fix: "name the folder in which the picture lies"}
		}
		if dossier.Exists(f) {
			d, ps := r.Dossier(f)
			if d == nil {
				return nil, ps // other problems are those of check
			}
			roots, language, x.Dossier = append(roots, run.Roots(d)...), d.App.DefaultLocale, d
			continue
		}
		roots = append(roots, pictures.Root{Folder: filepath.Clean(f)})
	}
	if len(folders) == 0 {
		folder := above()
		if folder == "" {
			return nil, usageError("there is no dossier here, and no folder is named", "name the folder of the pictures")
		}
		d, ps := r.Dossier(folder)
		if d == nil {
			return nil, ps
		}
		folders, roots, language, x.Dossier = []string{filepath.Join(folder, run.PictureFolder)}, run.Roots(d), d.App.DefaultLocale, d
	}
	lib, err := r.Scan(c.Context(), roots)
	if err != nil {
		return nil, err
	}
	if len(lib.Pictures) == 0 {
		return nil, &place.Problem{At: place.Place{File: folders[0]}, What: "there is no picture and no film here", Fix: "name the folder of the pictures; their names end in .png, .jpg, .mp4 and the like"}
	}
	if len(roots) == 1 {
		x.Folder = filepath.ToSlash(roots[0].Folder)
	}
	x.Found, x.run, x.roots, x.lib = lib.Pictures, r, roots, lib
	x.Stores, err = r.Pictures(c.Context(), lib, language)
	return x, err
}

// sortInto copies the pictures of all sets into folders of their classes: all or
// none.
func sortInto(dir string, x report.Pictures) error {
	return newFolder(dir, func(made string) error {
		for _, h := range x.Stores {
			for _, s := range h.Gallery.Sets {
				folder := filepath.Join(made, h.Store.ID, s.Language, s.Class)
				if err := os.MkdirAll(folder, 0o755); err != nil {
					return write.Problem(folder, err)
				}
				for i, p := range s.Items {
					name := filepath.Join(folder, fmt.Sprintf("%02d%s", i+1, strings.ToLower(filepath.Ext(p.Picture.Path))))
					if err := copyFile(p.Picture.Path, name); err != nil {
						return err
					}
				}
			}
		}
		return nil
	})
}

func copyFile(from, to string) error {
	in, _, err := safeopen.Open(from)
	if err != nil {
		return safeopen.Problem(from, err, "it was there a moment ago")
	}
	defer in.Close()
	out, err := os.OpenFile(to, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o644)
	if err != nil {
		return write.Problem(to, err)
	}
	if _, err = io.Copy(out, in); err == nil {
		err = out.Close()
	} else {
		out.Close()
	}
	if err != nil {
		return write.Problem(to, err)
	}
	return nil
}
