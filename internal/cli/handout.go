package cli

import (
	"io"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/report"
	"regola.example/regola/internal/run"
	"regola.example/regola/internal/view"
	"regola.example/regola/internal/write"
)

func (e *env) handoutCommand() *cobra.Command {
	var on, format, folder, out string
	var onlyStores []string
	c := &cobra.Command{
		Use:   "handout [PACKAGE…|DOSSIER]",
		Short: "Write down what to type and upload in each store, with boxes to tick",
		Long: `Write down everything that somebody types and uploads for this release, store by store and
in working order: texts with their counts, pictures in their order, answers in words, data,
products, and what the reviewer gets. What changed since the last recorded release is marked.
Passwords appear as the names under which they are kept. It says at the top whether the release
is ready, and ends with 1 where it is not.`,
		Example: "  regola handout\n  regola handout --store android --out handout.html\n  regola handout --format markdown > handout.md",
		RunE: func(c *cobra.Command, args []string) error {
			on, err := e.narrowed("text", onlyStores, on)
			if err != nil {
				return err
			}
			forms := []string{"text", "html", "markdown", "json"}
			if err := oneOf("--format", format, forms); err != nil {
				return err
			}
			job, err := input(args, folder, false)
			if err != nil {
				return err
			}
			asked, err := e.askedBy()
			if err != nil {
				return err
			}
			r, err := run.New(e.lib, run.Options{Options: check.Options{Day: on}, Stores: onlyStores})
			if err != nil {
				return err
			}
			v, err := r.Handout(c.Context(), job, asked)
			if err != nil {
				return err
			}
			to := func(w io.Writer, form string) error {
				switch form {
				case "json":
					return report.JSON(w, report.NewHandoutDocument(v))
				case "html":
					return report.HandoutHTML(w, v)
				case "markdown":
					return report.HandoutMarkdown(w, v)
				}
				return report.Handout(w, v, e.look(w))
			}
			if !report.NewHandoutDocument(v).Ready {
				e.exit = max(e.exit, exitFindings)
			}
			if out == "" {
				return to(e.out, format)
			}
			form := format
			if !c.Flags().Changed("format") {
				form = "html"
				for ending, f := range map[string]string{".md": "markdown", ".json": "json", ".txt": "text"} {
					if strings.HasSuffix(out, ending) {
						form = f
					}
				}
			}
			return write.Whole(out, v.Result.Read, func(w io.Writer) error { return to(w, form) })
		},
	}
	fl := c.Flags()
	fl.StringSliceVar(&onlyStores, "store", nil, "for this `STORE` only: "+strings.Join(e.storeIDs(), ", "))
	fl.StringVar(&on, "on", "", "as of a `DAY`, such as 2027-09-01 (today by default)")
	fl.StringVar(&format, "format", "text", "`FORM` of the output: text, html, markdown or json")
	fl.StringVar(&out, "out", "", "write it into this `FILE`, in the form of its ending (html by default)")
	fl.StringVar(&folder, "dossier", "", "`FOLDER` of the dossier (the current one or the nearest above it by default)")
	_ = c.RegisterFlagCompletionFunc("store", choices(e.storeIDs()...))
	_ = c.RegisterFlagCompletionFunc("format", choices("text", "html", "markdown", "json"))
	return c
}

// askedBy tells whether a rule of a store reads a key of the dossier. A key that no rule
// reads, such as one that a calculation reads, counts as asked for by all.
func (e *env) askedBy() (func(path, store string) bool, error) {
	rules, err := e.builtInRules()
	if err != nil {
		return nil, err
	}
	set, err := e.lib.Tables()
	if err != nil {
		return nil, err
	}
	var list []*rulebook.Rule
	for _, r := range rules {
		list = append(list, r)
	}
	known := map[string][]*rulebook.Rule{}
	for _, k := range view.Keys(list, e.readers(list), set.On(e.today())) {
		known[k.Path] = append(slices.Clone(k.Asks), k.Reads...)
	}
	return func(path, store string) bool {
		rules := known[path]
		return len(rules) == 0 || slices.ContainsFunc(rules, func(r *rulebook.Rule) bool { return r.Book.For(store) })
	}, nil
}
