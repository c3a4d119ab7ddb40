package cli

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"unicode"

	"github.com/spf13/cobra"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/didyoumean"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/late"
	"regola.example/regola/internal/core/letter"
	"regola.example/regola/internal/core/phrases"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/store"
	"regola.example/regola/internal/core/tables"
	"regola.example/regola/internal/report"
	"regola.example/regola/internal/run"
	"regola.example/regola/internal/view"
)

// allRules loads every built-in rule, and those of a team's own files, each once.
func (e *env) allRules(own []string) ([]*rulebook.Rule, error) {
	var rules []*rulebook.Rule
	seen := map[string]bool{}
	take := func(b *rulebook.Book) {
		for _, r := range b.Rules {
			if !seen[r.ID] {
				seen[r.ID] = true
				rules = append(rules, r)
			}
		}
	}
	stores, err := e.lib.Stores()
	if err != nil {
		return nil, err
	}
	for _, s := range stores {
		books, err := e.lib.Books(s)
		if err != nil {
			return nil, err
		}
		for _, b := range books {
			take(b)
		}
	}
	var problems place.Problems
	for _, file := range own {
		b, ps := run.ReadBook(e.lib, file)
		if problems = append(problems, ps...); b != nil {
			take(b)
		}
	}
	slices.SortStableFunc(rules, func(a, b *rulebook.Rule) int {
		return slices.Index(rulebook.Stages, a.Stage) - slices.Index(rulebook.Stages, b.Stage)
	})
	return rules, problems.Err()
}

func (e *env) rulesCommand() *cobra.Command {
	var (
		format                   string
		onlyStores, stages, imps []string
		books                    []string
	)
	c := &cobra.Command{
		Use:     "rules [WORD…]",
		Short:   "List the rules",
		Long:    "List the rules, by stage. Words narrow the list to rules whose id or title has them all;\na number, such as 2.3, to those that look at what a store cites under it.",
		Example: "  regola rules\n  regola rules --store ios --stage listing\n  regola rules icon",
		RunE: func(_ *cobra.Command, args []string) error {
			var impacts []string
			for _, i := range rulebook.Impacts {
				impacts = append(impacts, string(i))
			}
			for flag, v := range map[string]struct{ values, choices []string }{
				"--store": {onlyStores, e.storeIDs()}, "--stage": {stages, rulebook.Stages}, "--impact": {imps, impacts},
				"--format": {[]string{format}, []string{"table", "json", "markdown"}},
			} {
				for _, val := range v.values {
					if err := oneOf(flag, val, v.choices); err != nil {
						return err
					}
				}
			}
			books, err := e.withDossier(books)
			if err != nil {
				return err
			}
			rules, err := e.allRules(books)
			if err != nil {
				return err
			}
			named := map[string][]*letter.Row{}
			for _, w := range args {
				if strings.ContainsAny(w, "0123456789") {
					if named[w], err = e.cited(w); err != nil {
						return err
					}
				}
			}
			rules = slices.DeleteFunc(rules, func(r *rulebook.Rule) bool {
				for _, w := range args {
					if !hasWord(r, w) && !slices.ContainsFunc(named[w], func(x *letter.Row) bool { return slices.Contains(x.Rules, r.ID) }) {
						return true
					}
				}
				return len(onlyStores) > 0 && !slices.ContainsFunc(onlyStores, r.Book.For) ||
					len(stages) > 0 && !slices.Contains(stages, r.Stage) ||
					len(imps) > 0 && !slices.Contains(imps, string(r.Fixed()))
			})
			switch format {
			case "json":
				return report.JSON(e.out, report.NewRulesDocument(rules))
			case "markdown":
				return report.RulesMarkdown(e.out, rules, e.stores())
			}
			if len(rules) == 0 {
				fmt.Fprintln(e.err, "regola: no rule has all of these; try fewer words, or \"regola rules\" for the whole list")
				return nil
			}
			return report.RulesTable(e.out, rules, e.look(e.out))
		},
	}
	fl := c.Flags()
	fl.StringSliceVar(&onlyStores, "store", nil, "rules of this `STORE` only: "+strings.Join(e.storeIDs(), ", "))
	fl.StringSliceVar(&stages, "stage", nil, "rules of these `STAGES` only: "+strings.Join(rulebook.Stages, ", "))
	fl.StringSliceVar(&imps, "impact", nil, "rules of this `IMPACT` only: "+"refused, blocked, rejected, reach, craft")
	fl.StringVar(&format, "format", "table", "`FORM` of the output: table, json or markdown")
	fl.StringArrayVar(&books, "rulebook", nil, "also list the rules of this `FILE`; may be repeated")
	_ = c.RegisterFlagCompletionFunc("store", choices(e.storeIDs()...))
	_ = c.RegisterFlagCompletionFunc("stage", choices(rulebook.Stages...))
	_ = c.RegisterFlagCompletionFunc("impact", choices("refused", "blocked", "rejected", "reach", "craft"))
	_ = c.RegisterFlagCompletionFunc("format", choices("table", "json", "markdown"))
	return c
}

// hasWord tells whether a word, or one that begins so, is in a rule's id, title
// or reason: rules that are about ads are not those that load.
func hasWord(r *rulebook.Rule, word string) bool {
	in := strings.FieldsFunc(strings.ToLower(r.ID+" "+r.Title+" "+r.Why), func(c rune) bool { return !unicode.IsLetter(c) && !unicode.IsDigit(c) })
	all := strings.FieldsFunc(strings.ToLower(word), func(c rune) bool { return !unicode.IsLetter(c) && !unicode.IsDigit(c) })
	for _, w := range all {
		if !slices.ContainsFunc(in, func(s string) bool { return strings.HasPrefix(s, w) }) {
			return false
		}
	}
	return true
}

func (e *env) explainCommand() *cobra.Command {
	var on, format string
	var books []string
	var tried attempt
	c := &cobra.Command{
		Use:   "explain RULE|KEY|NUMBER",
		Short: "Say what a rule wants, and why; or what a key or a store's number means",
		Long: `Say what a rule wants, why, since when, and what it rests on. With a key of the dossier,
such as answers.accounts.ways or release.testing: what it means, who asks for it, and
what it is held against; of a group of keys, what each means. With the number of a section
or an upload error that a store cites, such as 5.1.1 or 90683: what it is about, and which
rules look at it. With a limit, such as least_target_level_update: what it was and becomes. With
--text, the rows of the tables of words that match a text.`,
		Example: "  regola explain android/target-level\n  regola explain 5.1.1\n  regola explain answers.encryption.kind\n  regola explain release\n  regola explain common/wording-price --text 'Kiln Log Free' --field name",
		Args: func(_ *cobra.Command, args []string) error {
			if len(args) != 1 {
				return usageError("one rule is expected", `name it: "regola explain android/target-level"; "regola rules" lists them`)
			}
			return nil
		},
		ValidArgsFunction: func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
			rules, _ := e.allRules(nil)
			var ids []string
			for _, r := range rules {
				// Also by the part behind the slash, which is what people remember.
				_, topic, _ := strings.Cut(r.ID, "/")
				ids = append(ids, r.ID+"\t"+r.Title, topic+"\t"+r.ID)
			}
			return ids, cobra.ShellCompDirectiveNoFileComp
		},
		RunE: func(_ *cobra.Command, args []string) error {
			if err := oneOf("--format", format, []string{"text", "json", "markdown"}); err != nil {
				return err
			}
			on, err := e.dayFlag(on)
			if err != nil {
				return err
			}
			books, err := e.withDossier(books)
			if err != nil {
				return err
			}
			rules, err := e.allRules(books)
			if err != nil {
				return err
			}
			if number().MatchString(args[0]) {
				if ok, err := e.explainCited(args[0], rules, format); ok || err != nil {
					return err
				}
				return usageError("no store cites "+args[0]+", as far as is known here", `"regola rules" lists the rules`)
			}
			if users := report.LimitUsers(args[0], rules); len(users) > 0 {
				set, err := e.lib.Tables()
				if err != nil {
					return err
				}
				d := report.NewLimitDocument(args[0], users, set, on)
				if format == "json" {
					return report.JSON(e.out, d)
				}
				return report.ExplainLimit(e.out, d, e.stores(), users, e.look(e.out))
			}
			if ok, err := e.explainKey(args[0], rules, format); ok || err != nil {
				return err
			}
			show := func(r *rulebook.Rule) error {
				found, err := e.attempt(tried, r)
				if err != nil {
					return err
				}
				rows, err := e.lib.Letters()
				if err != nil {
					return err
				}
				set, err := e.lib.Tables()
				if err != nil {
					return err
				}
				x := report.Explained{Rule: r, Needs: e.needs(r), On: on, Rows: found, Cited: letter.Cited(rows)[r.ID], Tables: set}
				if format == "json" {
					return report.JSON(e.out, report.NewExplainDocument(x))
				}
				return report.Explain(e.out, x, e.stores(), e.look(e.out))
			}
			var ids []string
			for _, r := range rules {
				if r.ID == args[0] {
					return show(r)
				}
				ids = append(ids, r.ID)
			}
			if id := onlyRule(args[0], ids); id != "" {
				return show(rules[slices.Index(ids, id)])
			}
			if ok, err := e.explainCited(args[0], rules, format); ok || err != nil {
				return err
			}
			fix := `"regola rules" lists them`
			if near := nearestRule(args[0], ids); near != "" {
				fix = fmt.Sprintf("did you mean %q? %s", near, fix)
			}
			return usageError(fmt.Sprintf("there is no rule %q", args[0]), fix)
		},
	}
	c.Flags().StringVar(&format, "format", "text", "`FORM` of the output: text or json")
	_ = c.RegisterFlagCompletionFunc("format", choices("text", "json"))
	c.Flags().StringVar(&on, "on", "", "explain as of a `DAY` (today by default)")
	c.Flags().StringArrayVar(&books, "rulebook", nil, "also know the rules of this `FILE`; may be repeated")
	c.Flags().StringVar(&tried.text, "text", "", "list the rows of words that match a `TEXT`, for a rule on wording")
	c.Flags().StringVar(&tried.locale, "locale", "en", "language `CODE` of the text")
	c.Flags().StringVar(&tried.field, "field", "description", "`KEY` of the text: name, tagline, pitch, description …")
	return c
}

// number is how stores cite sections and upload errors.
var number = late.Regexp(`(?i)^([a-z]{2,5}-)?[0-9]+([.(][0-9a-z.()]*)?$`)

// explainCited says what a number or name means under which a store cites something.
func (e *env) explainCited(code string, rules []*rulebook.Rule, format string) (ok bool, err error) {
	rows, err := e.cited(code)
	switch {
	case err != nil || len(rows) == 0:
		return false, err
	case format == "json":
		return true, report.JSON(e.out, report.NewCitedDocument(code, rows))
	}
	return true, report.ExplainCited(e.out, code, rows, rules, e.stores(), e.look(e.out))
}

// cited are the reasons that stores cite under a number or name, those of that very number
// first.
func (e *env) cited(code string) ([]*letter.Row, error) {
	rows, err := e.lib.Letters()
	if err != nil {
		return nil, err
	}
	rows = slices.DeleteFunc(slices.Clone(rows), func(r *letter.Row) bool { return !r.Cites(code) })
	slices.SortStableFunc(rows, func(a, b *letter.Row) int { return len(a.Code) - len(b.Code) })
	return rows, nil
}

// attempt is a text that is held against the tables of words.
type attempt struct{ text, locale, field string }

// attempt finds the rows that match a text, of the kinds of words that a rule is about.
func (e *env) attempt(a attempt, r *rulebook.Rule) (found []report.RowMatch, err error) {
	if a.text == "" {
		return nil, nil
	}
	if !strings.Contains(r.Faults.Src+r.Expect.Src, "wording") {
		return nil, usageError(r.ID+" does not look at words", `take --text away, or name a rule on wording, such as "common/wording-price"`)
	}
	var texts dossier.Texts
	if !texts.SetText(a.field, a.text) {
		var keys []string
		texts.Each("", func(key, _ string) { keys = append(keys, key) })
		return nil, usageError(fmt.Sprintf("a page has no text %q", a.field), "one of "+strings.Join(keys, ", "))
	}
	set, err := e.lib.Tables()
	if err != nil {
		return nil, err
	}
	set = set.On(e.today())
	seen := map[*tables.Phrase]bool{}
	for _, s := range e.stores() {
		for _, h := range phrases.Find(&dossier.Listing{Locale: a.locale, Texts: texts}, texts, "", s.ID, set.Phrases, dossier.Brand{}, nil) {
			if strings.Contains(r.Faults.Src+r.Expect.Src, `"`+h.Kind+`"`) && !seen[h.Row] {
				seen[h.Row] = true
				found = append(found, report.RowMatch{Words: h.Words, Kind: h.Kind, What: h.What, Certainty: h.Certainty, Stems: h.Row.Stems, Pattern: string(h.Row.Pattern),
					Near: h.Row.Near, Apart: h.Row.Apart, Fields: h.Row.Fields, Row: h.Row.Self().String()})
			}
		}
	}
	if found == nil {
		found = []report.RowMatch{} // looked, and none matches
	}
	return found, nil
}

// stores lists the stores; none when they cannot be loaded, which loading for
// a judgement reports.
func (e *env) stores() []*store.Store {
	stores, _ := e.lib.Stores()
	return stores
}

// needs lists the parts of a submission that a rule looks at.
func (e *env) needs(r *rulebook.Rule) []string {
	set, err := e.lib.Tables()
	if err != nil {
		return nil
	}
	books := []*rulebook.Book{r.Book}
	for _, s := range e.stores() {
		if more, err := e.lib.Books(s); err == nil && r.Book.For(s.ID) {
			books = more
			if !slices.Contains(more, r.Book) {
				books = append(slices.Clip(more), r.Book)
			}
			break
		}
	}
	env, ps := check.NewEnv(books, set, nil)
	if len(ps) > 0 {
		return nil
	}
	return env.Prepare(r).Needs()
}

// readers says which rules read a field in their conditions. Rules that cannot be typed
// are left out: it is reported where they are judged.
func (e *env) readers(rules []*rulebook.Rule) view.Readers {
	out := view.Readers{}
	set, err := e.lib.Tables()
	if err != nil {
		return out
	}
	for _, s := range e.stores() {
		books, err := e.lib.Books(s)
		if err != nil {
			continue
		}
		var mine []*rulebook.Rule
		for _, r := range rules {
			if r.Book.For(s.ID) {
				mine = append(mine, r)
			}
			if r.Book.For(s.ID) && !slices.Contains(books, r.Book) {
				books = append(slices.Clip(books), r.Book)
			}
		}
		env, ps := check.NewEnv(books, set, e.lib.Typed(s))
		if len(ps) > 0 {
			continue
		}
		for _, r := range mine {
			for _, f := range env.Prepare(r).Selects() {
				if !slices.Contains(out[f], r) {
					out[f] = append(out[f], r)
				}
			}
		}
	}
	return out
}

// onlyRule is the one rule that has this name behind its slash, or "".
func onlyRule(topic string, ids []string) string {
	found := ""
	for _, id := range ids {
		if strings.HasSuffix(id, "/"+topic) {
			if found != "" {
				return ""
			}
			found = id
		}
	}
	return found
}

// withDossier adds the rulebooks of the dossier that the current folder is in.
func (e *env) withDossier(books []string) ([]string, error) {
	folder := above()
	if folder == "" {
		return books, nil
	}
	set, err := e.lib.Tables()
	if err != nil {
		return nil, err
	}
	d, _ := dossier.Load(folder, e.stores(), set.Vocabularies())
	if d == nil {
		return books, nil // its problems are reported when it is judged
	}
	for _, name := range d.Rulebooks {
		if file, problem := d.Inside(name); problem == nil {
			books = append(books, file)
		}
	}
	return books, nil
}

// nearestRule finds the rule that was probably meant, also when the rulebook's
// name was left out.
func nearestRule(word string, ids []string) string {
	// What a rule is about is remembered better than to which book it belongs.
	topics := make([]string, len(ids))
	for i, id := range ids {
		_, topics[i], _ = strings.Cut(id, "/")
	}
	book, topic, ok := strings.Cut(word, "/")
	if !ok {
		book, topic = "", word
	}
	near := ""
	if best := didyoumean.Nearest(topic, topics); best != "" {
		for i, id := range ids {
			if topics[i] == best && (near == "" || strings.HasPrefix(id, book+"/")) {
				near = id
			}
		}
	}
	return cmp.Or(near, didyoumean.Nearest(word, ids))
}

// explainKey says what a key of the dossier means, who asks for it and what reads it;
// of a group of keys, what each means. ok is false where there is no such key.
func (e *env) explainKey(path string, rules []*rulebook.Rule, format string) (ok bool, err error) {
	set, err := e.lib.Tables()
	if err != nil {
		return true, err
	}
	on := set.On(e.today())
	if path == "answers" && format == "markdown" {
		return true, report.AnswersMarkdown(e.out, view.Answers(rules, e.readers(rules), on))
	}
	if dossier.Question(path) == "" && !strings.Contains(path, ".") {
		return false, nil // most likely a rule
	}
	all := view.Keys(rules, e.readers(rules), on)
	one, below := view.FindKey(all, path)
	switch {
	case format == "markdown":
		return true, usageError("a key is explained as text or JSON", "drop --format; \"regola explain answers --format markdown\" writes the whole sheet")
	case one != nil && format == "json":
		return true, report.JSON(e.out, report.NewKeysDocument(path, []*view.Key{one}))
	case one != nil:
		return true, report.ExplainAnswer(e.out, one, e.look(e.out))
	case len(below) > 0 && format == "json":
		return true, report.JSON(e.out, report.NewKeysDocument(path, below))
	case len(below) > 0:
		return true, report.ExplainGroup(e.out, path, below, e.look(e.out))
	}
	if root, _, dotted := strings.Cut(path, "."); dotted && !strings.Contains(path, "/") {
		var paths []string
		known := false
		for _, a := range all {
			paths = append(paths, a.Path)
			known = known || strings.HasPrefix(a.Path, root+".")
		}
		fix := "regola schema dossier lists them"
		if near := didyoumean.Nearest(path, paths); near != "" {
			fix = fmt.Sprintf("did you mean %q?", near)
		} else if known {
			fix = fmt.Sprintf("\"regola explain %s\" lists the keys there", root)
		}
		return true, usageError("the dossier has no key "+path, fix)
	}
	return false, nil
}
