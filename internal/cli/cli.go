// Package cli is the command line: one file a command, with its flags and its
// wiring. Data goes to standard output, complaints to standard error.
package cli

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/signal"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"time"

	"regola.example/regola/internal/write"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
	"golang.org/x/term"

	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/didyoumean"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/sanitize"
	"regola.example/regola/internal/report"
	"regola.example/regola/rulebooks"
)

// Exit statuses.
const (
	exitClean    = 0 // nothing at or above --fail-on
	exitFindings = 1
	exitInput    = 2 // the input or the usage is wrong; nothing was judged
)

// env is what commands share: the streams and how text is laid out.
type env struct {
	in         io.Reader
	out        *output
	err        io.Writer
	exit       int
	documented bool   // the JSON document on standard output tells what failed
	color      string // auto, always or never
	width      int    // of --width; 0 when it is not given
	today      func() day.Day
	lib        *rulebooks.Library
}

// Run runs the program and returns its exit status.
func Run(args []string, in io.Reader, out, errOut io.Writer) int {
	signal.Ignore(syscall.SIGPIPE) // a reader that went away is reported by the write
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	ended := make(chan struct{})
	defer close(ended)
	go interrupted(ctx, ended, errOut)
	e := &env{in: in, out: &output{Writer: out}, err: errOut, today: today, lib: rulebooks.BuiltIn}
	root := e.root()
	if len(args) > 0 && strings.HasPrefix(args[0], cobra.ShellCompRequestCmd) {
		plainUsage(root)
	}
	root.SetArgs(args)
	c, err := root.ExecuteContextC(ctx)
	if ctx.Err() != nil && err != nil { // what was finished all the same is not taken back
		write.RemoveTemporary()
		fmt.Fprintln(errOut, wasInterrupted)
		return exitInput
	}
	if err == nil || e.out.err != nil {
		err = e.out.problem()
	}
	if err != nil {
		e.complain(err)
		if f := c.Flags().Lookup("format"); f != nil && f.Value.String() == "json" && e.out.err == nil && !e.documented {
			_ = report.JSON(e.out, report.NewProblemsDocument(problemsOf(err)))
		}
		return exitInput
	}
	return e.exit
}

// wasInterrupted is said of a call that a signal ended.
const wasInterrupted = "regola: interrupted"

// grace is how long a call may take to end by itself after a signal.
const grace = 100 * time.Millisecond

// interrupted waits for a signal, and ends the program where the call does not end by
// itself soon: a rule or a picture may take longer. Files that are half written are
// removed, and none takes its name any more.
func interrupted(ctx context.Context, ended <-chan struct{}, errOut io.Writer) {
	select {
	case <-ended:
		return
	case <-ctx.Done():
	}
	select {
	case <-ended:
		return
	case <-time.After(grace):
	}
	write.Stop()
	select {
	case <-ended: // it was writing, and has ended with that
		return
	default:
	}
	write.RemoveTemporary()
	fmt.Fprintln(errOut, wasInterrupted)
	os.Exit(exitInput)
}

// Command is the whole tree of commands, for what is generated from it: manual pages
// and completions.
func Command() *cobra.Command {
	e := &env{in: os.Stdin, out: &output{Writer: os.Stdout}, err: os.Stderr, today: today, lib: rulebooks.BuiltIn}
	return e.root()
}

func today() day.Day { return day.Of(time.Now()) }

func (e *env) root() *cobra.Command {
	root := &cobra.Command{
		Use:   "regola",
		Short: "Would this release get through, and if not, what has to change?",
		Long: `Regola holds a release package (AAB, APK, IPA) and the description of its
submission against the rules of the Android store and the iOS store, offline and
before anything is sent. It says what is in the way, where, and how to fix it.

Start with "regola demo" to see it at work, or go to your app's folder and run
"regola check PACKAGE".`,
		SilenceErrors: true,
		SilenceUsage:  true,
		Args: func(c *cobra.Command, args []string) error {
			if len(args) > 0 {
				return unknownCommand(args[0], c)
			}
			return nil
		},
		RunE: func(c *cobra.Command, _ []string) error { return c.Help() },
		PersistentPreRunE: func(c *cobra.Command, _ []string) error {
			if err := cleanFlags(c); err != nil {
				return err
			}
			if e.width != 0 && (e.width < 40 || e.width > 120) {
				return usageError(fmt.Sprintf("--width: %d is not a width", e.width), "write a number from 40 to 120")
			}
			return oneOf("--color", e.color, []string{"auto", "always", "never"})
		},
	}
	root.PersistentFlags().StringVar(&e.color, "color", "auto", "`WHEN` to use colour: auto (on a terminal), always, never")
	root.PersistentFlags().IntVar(&e.width, "width", 0, "`NUMBER` of columns of the text, 40 to 120 (by default the terminal's, COLUMNS, or 100)")
	root.Version = Version
	root.SetVersionTemplate("regola {{.Version}}\n")
	_ = root.RegisterFlagCompletionFunc("color", choices("auto", "always", "never"))
	root.SetIn(e.in)
	root.SetOut(e.out)
	root.SetErr(e.err)
	root.SetFlagErrorFunc(func(c *cobra.Command, err error) error {
		return flagError(c, err)
	})
	root.SetHelpCommand(helpCommand(root))
	root.SetHelpFunc(func(c *cobra.Command, _ []string) {
		c.InitDefaultHelpFlag()
		c.InitDefaultVersionFlag()
		l := e.look(e.out)
		c.SetUsageTemplate(strings.ReplaceAll(c.UsageTemplate(), ".FlagUsages |", fmt.Sprintf(".FlagUsagesWrapped %d |", l.Columns())))
		fmt.Fprintf(e.out, "%s\n\n%s", l.Fill(cmp.Or(c.Long, c.Short)), c.UsageString())
	})
	const itself = "Regola itself"
	cobra.EnableCommandSorting = false // they stand in working order
	for _, g := range []struct {
		title string
		of    []*cobra.Command
	}{
		{"Judge a release", []*cobra.Command{e.demoCommand(), e.checkCommand(), e.nextCommand(), e.explainCommand(), e.mergeCommand()}},
		{"Look into packages", []*cobra.Command{e.factsCommand(), e.weighCommand(), e.changesCommand()}},
		{"Write the dossier", []*cobra.Command{e.initCommand(), e.answerCommand(), e.fixCommand(), e.dutiesCommand(), e.privacyCommand(), e.rateCommand(), e.tablesCommand(), e.linksCommand(), e.handoutCommand()}},
		{"Draw the store page", []*cobra.Command{e.iconsCommand(), e.picturesCommand(), e.sheetCommand()}},
		{"Keep what happened, see what comes", []*cobra.Command{e.letterCommand(), e.ledgerCommand(), e.calendarCommand()}},
		{"The rules themselves", []*cobra.Command{e.rulesCommand(), e.rulebookCommand(), e.schemaCommand(), e.lspCommand()}},
		{itself, []*cobra.Command{e.versionCommand()}},
	} {
		root.AddGroup(&cobra.Group{ID: g.title, Title: g.title})
		for _, c := range g.of {
			c.GroupID = g.title
		}
		root.AddCommand(g.of...)
	}
	root.SetHelpCommandGroupID(itself)
	root.SetCompletionCommandGroupID(itself)
	return root
}

// helpCommand is cobra's, but for an unknown command, which is a mistake.
func helpCommand(root *cobra.Command) *cobra.Command {
	return &cobra.Command{
		Use:   "help [COMMAND]",
		Short: "Help about a command",
		ValidArgsFunction: func(_ *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
			return commandNames(root), cobra.ShellCompDirectiveNoFileComp
		},
		RunE: func(_ *cobra.Command, args []string) error {
			c, rest, err := root.Find(args)
			if err != nil || len(rest) > 0 {
				return unknownCommand(args[0], root)
			}
			return c.Help()
		},
	}
}

func commandNames(root *cobra.Command) []string {
	var names []string
	for _, c := range root.Commands() {
		if c.IsAvailableCommand() {
			names = append(names, c.Name())
		}
	}
	return names
}

// unknownCommand says which command was probably meant.
func unknownCommand(name string, root *cobra.Command) error {
	fix := `run "regola --help" for the commands`
	if near := didyoumean.Nearest(name, commandNames(root)); near != "" {
		fix = fmt.Sprintf("did you mean %q? %s", near, fix)
	}
	return usageError(fmt.Sprintf("there is no command %q", name), fix)
}

// flagError says which flag was probably meant.
func flagError(c *cobra.Command, err error) error {
	fix := fmt.Sprintf("run %q for the flags", c.CommandPath()+" --help")
	if word, ok := strings.CutPrefix(err.Error(), "unknown flag: --"); ok {
		var names []string
		c.Flags().VisitAll(func(f *pflag.Flag) { names = append(names, f.Name) })
		if near := didyoumean.Nearest(word, names); near != "" {
			fix = fmt.Sprintf("did you mean %q? %s", "--"+near, fix)
		}
	}
	return usageError(err.Error(), fix)
}

// usageError is a mistake in the call itself.
func usageError(what, fix string) error {
	return &place.Problem{What: what, Fix: fix}
}

// complain writes an error to standard error: what is wrong, where, and how to
// fix it. Nothing else of an error is ever shown.
func (e *env) complain(err error) {
	all := problemsOf(err)
	for i, p := range all {
		if i == maxShown {
			fmt.Fprintf(e.err, "and %s\n", report.Count(len(all)-i, "more problem", "more problems"))
			break
		}
		fmt.Fprintf(e.err, "regola: %s\n", sanitize.Text(strings.TrimSpace(p.Error())))
		if p.Fix != "" {
			fmt.Fprintf(e.err, "  fix  %s\n", sanitize.Text(p.Fix))
		}
	}
	if n := len(all); n > 1 {
		fmt.Fprintf(e.err, "%d problems; nothing was judged\n", n)
	}
	if n := correctable(all); n > 0 {
		fmt.Fprintf(e.err, "\"regola fix\" corrects %s\n", map[bool]string{true: "it", false: report.Count(n, "of them", "of them")}[n == len(all) && n == 1])
	}
}

// correctable counts the problems of a dossier for which only one correction can be meant.
func correctable(all place.Problems) (n int) {
	for _, p := range all {
		if p.Edit != nil && (filepath.Base(p.At.File) == dossier.FileName || filepath.Base(filepath.Dir(p.At.File)) == dossier.ListingFolder) {
			n++
		}
	}
	return n
}

// maxShown bounds how many problems of one input are written out.
const maxShown = 100

// problemsOf are the problems that an error tells.
func problemsOf(err error) (all place.Problems) {
	var one *place.Problem
	switch {
	case errors.As(err, &all):
	case errors.As(err, &one):
		all = place.Problems{one}
	default:
		what, fix := err.Error(), `run "regola --help" for the commands`
		if !strings.HasPrefix(what, "unknown command") {
			fix = ""
		}
		all = place.Problems{{What: strings.ReplaceAll(what, "\n\nDid you mean this?\n\t", "; did you mean "), Fix: fix}}
	}
	return all
}

// look finds out how text may be laid out on a stream. Colour is for terminals
// only, and for those who did not switch it off with NO_COLOR.
func (e *env) look(w io.Writer) report.Style {
	l := report.Style{Color: e.color == "always", Width: e.width, ASCII: !utf8Locale()}
	if n, err := strconv.Atoi(os.Getenv("COLUMNS")); err == nil && n > 0 && l.Width == 0 {
		l.Width = n
	}
	if o, is := w.(*output); is {
		w = o.Writer
	}
	f, ok := w.(*os.File)
	if !ok || !term.IsTerminal(int(f.Fd())) {
		return l
	}
	l.Color = l.Color || e.color == "auto" && os.Getenv("NO_COLOR") == "" && os.Getenv("TERM") != "dumb"
	if width, _, err := term.GetSize(int(f.Fd())); err == nil && l.Width == 0 {
		l.Width = width
	}
	return l
}

// utf8Locale tells whether the locale can show characters beyond ASCII. Where no
// locale is set, as in many pipelines, it is taken for UTF-8.
func utf8Locale() bool {
	for _, name := range []string{"LC_ALL", "LC_CTYPE", "LANG"} {
		if v := strings.ToLower(os.Getenv(name)); v != "" {
			return strings.Contains(v, "utf-8") || strings.Contains(v, "utf8")
		}
	}
	return true
}

// cleanFlags drops the spaces around the commas of lists, and refuses a flag
// with an empty value: a variable of a pipeline that is not set would change
// what is judged.
func cleanFlags(c *cobra.Command) error {
	var err error
	c.Flags().Visit(func(f *pflag.Flag) {
		if l, ok := f.Value.(pflag.SliceValue); ok && f.Value.Type() == "stringSlice" {
			list := l.GetSlice()
			for i, v := range list {
				list[i] = strings.TrimSpace(v)
			}
			_ = l.Replace(list)
		}
		v := strings.Trim(f.Value.String(), "[]")
		if err != nil || f.Value.Type() == "bool" {
			return
		}
		list := f.Value.Type() == "stringSlice" || f.Value.Type() == "stringArray"
		if v == "" || list && slices.Contains(strings.Split(v, ","), "") {
			err = usageError("--"+f.Name+": the value is empty", "leave the flag out, or give it a value; is a variable not set?")
		}
	})
	return err
}

// dayFlag reads --on; empty means today.
func (e *env) dayFlag(s string) (day.Day, error) {
	if s == "" {
		return e.today(), nil
	}
	on, err := day.Parse(s)
	if err != nil {
		return on, usageError("--on: "+err.Error(), "write year, month and day, such as 2027-09-01")
	}
	return on, nil
}

// narrowed checks the flags by which several commands are narrowed: the form of
// the output (text or json), the stores and the day.
func (e *env) narrowed(format string, stores []string, on string) (day.Day, error) {
	if err := oneOf("--format", format, []string{"text", "json"}); err != nil {
		return day.Day{}, err
	}
	for _, s := range stores {
		if err := oneOf("--store", s, e.storeIDs()); err != nil {
			return day.Day{}, err
		}
	}
	return e.dayFlag(on)
}

// oneOf refuses a flag's value that is not among the choices.
func oneOf(flag, value string, choices []string) error {
	for _, c := range choices {
		if c == value {
			return nil
		}
	}
	fix := "the choices are: " + strings.Join(choices, ", ")
	if near := didyoumean.Nearest(value, choices); near != "" {
		fix = fmt.Sprintf("did you mean %q? %s", near, "The choices are: "+strings.Join(choices, ", "))
	}
	return usageError(fmt.Sprintf("%s: %q is not a choice", flag, value), fix)
}

// storeIDs lists the ids of the stores.
func (e *env) storeIDs() []string {
	stores, err := e.lib.Stores()
	if err != nil {
		return nil // loading for a judgement reports it
	}
	ids := make([]string, len(stores))
	for i, s := range stores {
		ids[i] = s.ID
	}
	return ids
}
