package cli

import (
	"errors"
	"fmt"
	"io"
	"path/filepath"
	"strings"

	"regola.example/regola/internal/write"

	"github.com/spf13/cobra"

	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/run"
	"regola.example/regola/internal/sheet"
)

func (e *env) sheetCommand() *cobra.Command {
	var on, out, only string
	var onlyStores []string
	var dark bool
	c := &cobra.Command{
		Use:   "sheet [FOLDER…]",
		Short: "Draw the store pages as visitors see them",
		Long: `Draw the store pages by store and language: the icon under the masks of home screens
on light and dark grounds, the feature graphic, every screenshot by class in its
order and at one scale, previews, and what is wrong, marked where it is. The HTML
page also has the texts, cut where each store cuts them; it needs no other file. Where there
are more languages than one picture holds, there are several, numbered.

The pictures are those of the dossier, or those of some folders.`,
		Example: "  regola sheet\n  regola sheet --out page --store ios --language it",
		RunE: func(c *cobra.Command, args []string) error {
			on, err := e.narrowed("text", onlyStores, on)
			if err != nil {
				return err
			}
			x, err := e.pictures(c, args, onlyStores, on)
			if err != nil {
				return err
			}
			set, err := e.lib.Tables()
			if err != nil {
				return err
			}
			var parts []*sheet.Sheet
			for _, s := range sheet.Parts(x.Stores, x.Dossier, set.On(on).PageTexts, only) {
				if len(s.Pages) == 0 {
					return usageError(fmt.Sprintf("there is nothing in the language %q", only), "write --language as the folders and listings do")
				}
				if err := s.Draw(c.Context()); err != nil {
					return err
				}
				parts = append(parts, s.ByHeight()...)
			}
			theme := sheet.Light
			if dark {
				theme = sheet.Dark
			}
			var inputs []string
			if x.Dossier != nil {
				inputs = run.Kept(x.Dossier)
			}
			for _, p := range x.Found {
				inputs = append(inputs, p.Path)
			}
			stem := strings.TrimSuffix(strings.TrimSuffix(out, ".png"), ".html")
			for n, s := range parts {
				name := stem
				if len(parts) > 1 {
					name = fmt.Sprintf("%s-%d", stem, n+1)
				}
				// The page first: it has room for whatever the picture has none for.
				for _, f := range []struct {
					name  string
					write func(io.Writer) error
				}{
					{name + ".html", func(w io.Writer) error { return sheet.HTML(w, s) }},
					{name + ".png", func(w io.Writer) error { return sheet.PNG(w, s, theme) }},
				} {
					err := write.Whole(f.name, inputs, f.write)
					if errors.Is(err, sheet.ErrHigh) {
						return &place.Problem{At: place.Place{File: f.name}, What: sheet.ErrHigh.Error(), Fix: "the page of HTML beside it shows everything; choose with --store and --language"}
					}
					if err != nil {
						return err
					}
					fmt.Fprintln(e.out, filepath.ToSlash(f.name))
				}
			}
			return nil
		},
	}
	c.Flags().StringVar(&out, "out", "sheet", "`NAME` of the two files, without its ending")
	c.Flags().StringVar(&on, "on", "", "by the classes of a `DAY`, such as 2027-09-01 (today by default)")
	c.Flags().StringVar(&only, "language", "", "of this `LANGUAGE` only, such as it")
	c.Flags().StringSliceVar(&onlyStores, "store", nil, "of this `STORE` only: "+strings.Join(e.storeIDs(), ", "))
	c.Flags().BoolVar(&dark, "dark", false, "draw the picture on a dark ground; the page follows the reader's system")
	_ = c.RegisterFlagCompletionFunc("store", choices(e.storeIDs()...))
	return c
}
