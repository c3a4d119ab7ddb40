package cli

import (
	"context"
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/didyoumean"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/ledger"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/safeopen"
	"regola.example/regola/internal/ledgerfile"
	"regola.example/regola/internal/report"
	"regola.example/regola/internal/run"
)

func (e *env) ledgerCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "ledger",
		Short: "Keep the history of releases and decisions beside the dossier",
		Long: `Keep ledger.jsonl beside the dossier, one event a line, in version control: what was
sent, what the store decided and why, what was answered. Checks hold the next release
against it: numbers that were used, rejections whose cause is as it was, what an
update brings.`,
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error { return c.Help() },
	}
	c.AddCommand(e.ledgerRecord(), e.ledgerDecide(), e.ledgerReply(), e.ledgerShow())
	return c
}

// dossierJob is the one dossier that a call is about.
func dossierJob(args []string, folder string) (run.Job, error) {
	job, err := input(args, folder, false)
	if err == nil && job.Dossier == "" {
		err = usageError("a ledger belongs to a dossier, and there is none here", "go to its folder, or name it with --dossier")
	}
	return job, err
}

func (e *env) ledgerRecord() *cobra.Command {
	var on, folder string
	var onlyStores, channels []string
	var anyway bool
	c := &cobra.Command{
		Use:   "record [PACKAGE…]",
		Short: "Record what is sent now, for each store",
		Long: `Record what is sent now: for each store the release, and each test beside it.

What the store would refuse at upload is not recorded: the ledger would tell of what
never was there. --anyway records it, and marks it.`,
		Example: "  regola ledger record\n  regola ledger record build/terrafuoco.aab --store android",
		RunE: func(c *cobra.Command, args []string) error {
			on, err := e.narrowed("text", onlyStores, on)
			if err != nil {
				return err
			}
			job, err := dossierJob(args, folder)
			if err != nil {
				return err
			}
			r, err := run.New(e.lib, run.Options{Options: check.Options{Day: on}, Stores: onlyStores, Channels: channels})
			if err != nil {
				return err
			}
			res, judged, err := r.Judge(c.Context(), job)
			if err != nil {
				return err
			}
			refused := map[string]bool{}
			for _, s := range res.Stores {
				if s.Outcome(false) == check.IsRefused || s.Absent != "" {
					refused[s.ID] = true
					if !anyway {
						return usageError(fmt.Sprintf("what goes to the %s is not recorded: %s", s.Name, whyNot(s)), `correct it ("regola check" tells all), or add --anyway`)
					}
				}
			}
			events, err := run.Record(judged.Pairs, res, judged.Dossier, func(file string) (string, error) { return safeopen.SHA256(c.Context(), file) })
			if err != nil {
				return err
			}
			for i, x := range events {
				x.Anyway = refused[res.Stores[i].ID]
			}
			var written, old []*ledger.Event
			err = ledgerfile.Append(c.Context(), job.Dossier, func(l *ledger.Ledger) ([]*ledger.Event, error) {
				written, old = nil, nil
				for _, x := range events {
					if again(l, x) {
						old = append(old, x)
					} else {
						written = append(written, x)
					}
				}
				return written, nil
			})
			if err != nil {
				return err
			}
			return report.Recorded(e.out, written, old, e.look(e.out))
		},
	}
	fl := c.Flags()
	fl.StringSliceVar(&channels, "channel", nil, "what goes to this `CHANNEL` only: "+strings.Join(ledger.Channels, ", "))
	fl.BoolVar(&anyway, "anyway", false, "record also what would be refused, and mark it")
	_ = c.RegisterFlagCompletionFunc("channel", choices(ledger.Channels...))
	fl.StringSliceVar(&onlyStores, "store", nil, "for this `STORE` only: "+strings.Join(e.storeIDs(), ", "))
	fl.StringVar(&on, "on", "", "the `DAY` on which it was sent, such as 2026-11-25 (today by default)")
	fl.StringVar(&folder, "dossier", "", "`FOLDER` of the dossier (the current one or the nearest above it by default)")
	_ = c.RegisterFlagCompletionFunc("store", choices(e.storeIDs()...))
	return c
}

// whyNot says why a release was not taken.
func whyNot(s *check.Store) string {
	if s.Absent != "" {
		return s.Absent
	}
	for _, v := range s.Verdicts {
		if v.Impact() == rulebook.Refused {
			return v.Sorted()[0].Say + " (" + v.Rule.ID + ")"
		}
	}
	return "its upload would be refused"
}

// again tells whether the last release of the store is the same, sent alike.
func again(l *ledger.Ledger, x *ledger.Event) bool {
	last := l.Previous(x.Store, x.Release.Line(), func(r *ledger.Release) bool { return r.Line() != x.Release.Line() })
	return last != nil && last.Version == x.Version && last.Build == x.Build && last.Digest == x.Release.Digest && last.Share == x.Release.Share && last.Channel == x.Release.Channel &&
		ledger.Compare(last, x.Release).Empty()
}

// about is the release that a decision or reply is about: the last one, or the last of the
// version and channel that are given.
func about(l *ledger.Ledger, store, version, channel string) (*ledger.Release, error) {
	if l.Last(store) == nil {
		return nil, usageError("the ledger has no release in this store", `record it first: "regola ledger record"`)
	}
	for _, x := range slices.Backward(l.Events) {
		if x.Store == store && x.Event == ledger.Released && (version == "" || x.Version == version) && (channel == "" || x.Release.Line().Channel == channel) {
			return x.Release, nil
		}
	}
	return nil, usageError(strings.TrimSpace("the ledger has no version "+version+" in this store "+channel), `"regola ledger show" lists them`)
}

func (e *env) ledgerDecide() *cobra.Command {
	var on, folder, id, version, channel, until string
	var reasons, said []string
	c := &cobra.Command{
		Use:   "decide WORD",
		Short: "Record what a store decided or you did with a release, and why",
		Long: `Record what a store decided about a release, or what you did with one that is out:

  accepted, rejected       the review; remark is accepted with a remark
  warning                  it stays, with a fault to fix by a day (--until)
  refused                  the upload was not taken
  halted, resumed          its roll-out was stopped, and goes on
  withdrawn                you took it back
  removed, suspended       the store took it or the app away
  access-asked, access-granted, access-refused
                           access to the public of a new personal account

A rejection names its reasons: with --about what each is about, with --said what the
reviewer wrote, in the same order. The next check then tells whether that very thing has
changed. A decision settles what is open in its own channel.

--about takes rule:ID, answer:PATH, text:LOCALE/FIELD, picture:PATH, purpose:KEY (of the
property list), or behaviour.`,
		Example: "  regola ledger decide accepted --store android\n  regola ledger decide rejected --store ios --about purpose:NSCameraUsageDescription \\\n    --said 'Explain what the camera is used for.'",
		Args: func(_ *cobra.Command, args []string) error {
			if len(args) != 1 {
				return usageError("a decision is expected", "write one of: "+strings.Join(ledger.Decisions, ", "))
			}
			return oneOf("the decision", args[0], ledger.Decisions)
		},
		ValidArgs: ledger.Decisions,
		RunE: func(c *cobra.Command, args []string) error {
			on, job, err := e.entry(on, id, folder)
			if err != nil {
				return err
			}
			if channel != "" {
				if err := oneOf("--channel", channel, ledger.Channels); err != nil {
					return err
				}
			}
			x := &ledger.Event{Event: ledger.Decided, On: on, Store: id, Decision: args[0], Channel: channel}
			if until != "" {
				last, err := day.Parse(until)
				if err != nil {
					return usageError("--until: "+err.Error(), "write year, month and day, such as 2026-12-31")
				}
				x.Until = &last
			}
			if args[0] == "rejected" && len(reasons) == 0 {
				return usageError("a rejection without a reason helps nobody", "add --about and --said; --about behaviour when it is none of the others")
			}
			if !ledger.Reasoned(args[0]) && len(reasons)+len(said) > 0 {
				return usageError("what was "+args[0]+" has no reasons", "drop --about and --said")
			}
			if len(said) > len(reasons) {
				return usageError("there are more --said than --about", "give one --about for each, in the same order")
			}
			if said, err = e.texts("--said", said); err != nil {
				return err
			}
			for i, r := range reasons {
				kind, key, _ := strings.Cut(r, ":")
				known := slices.ContainsFunc(ledger.Abouts, func(a string) bool {
					k, _, more := strings.Cut(a, ":")
					return k == kind && more == (key != "")
				})
				if !known {
					return usageError("--about does not take "+r, "write one of: "+strings.Join(ledger.Abouts, ", "))
				}
				reason := ledger.Reason{About: r}
				if i < len(said) {
					reason.Said = said[i]
				}
				x.Reasons = append(x.Reasons, reason)
			}
			rules, err := e.builtInRules()
			if err != nil {
				return err
			}
			ids := slices.Sorted(maps.Keys(rules))
			found := func(was *ledger.Release) error {
				for _, r := range x.Reasons {
					if err := somewhere(r.About, was, ids); err != nil {
						return err
					}
				}
				return nil
			}
			if err = follow(c.Context(), job, x, version, found); err == nil {
				fmt.Fprintf(e.out, "%s %s (%s): %s on %s, recorded.\n", e.storeName(id), x.Version, x.Build, x.Decision, on.Long())
			}
			return err
		},
	}
	fl := c.Flags()
	fl.StringVar(&id, "store", "", "the `STORE` that decided: "+strings.Join(e.storeIDs(), ", "))
	fl.StringVar(&version, "version", "", "the `VERSION` that it was about (the last one by default)")
	fl.StringVar(&channel, "channel", "", "the `CHANNEL` that it was about (that of the release by default): "+strings.Join(ledger.Channels, ", "))
	fl.StringVar(&until, "until", "", "the last `DAY` for what the decision asks")
	fl.StringArrayVar(&reasons, "about", nil, "`PART` that a reason is about; may be repeated")
	fl.StringArrayVar(&said, "said", nil, "`TEXT` that the reviewer wrote about it; - for standard input, @FILE for a file")
	fl.StringVar(&on, "on", "", "the `DAY` of the decision (today by default)")
	fl.StringVar(&folder, "dossier", "", "`FOLDER` of the dossier (the current one or the nearest above it by default)")
	_ = c.RegisterFlagCompletionFunc("store", choices(e.storeIDs()...))
	_ = c.RegisterFlagCompletionFunc("channel", choices(ledger.Channels...))
	return c
}

// objected is the last decision of a store that gave reasons, of a version where one is
// named; nil for none.
func objected(l *ledger.Ledger, store, version string) *ledger.Event {
	for _, x := range slices.Backward(l.Events) {
		if x.Store == store && x.Event == ledger.Decided && ledger.Reasoned(x.Decision) && (version == "" || x.Version == version) {
			return x
		}
	}
	return nil
}

func (e *env) ledgerReply() *cobra.Command {
	var on, folder, id, version string
	var keeps bool
	c := &cobra.Command{
		Use:     "reply TEXT",
		Short:   "Record what you answered, or changed, after a rejection",
		Example: "  regola ledger reply --store ios 'The camera text names the kiln log; see the notes.'",
		Args: func(_ *cobra.Command, args []string) error {
			if len(args) != 1 || strings.TrimSpace(args[0]) == "" {
				return usageError("a text is expected", "write what you answered, in quotes")
			}
			return nil
		},
		RunE: func(c *cobra.Command, args []string) error {
			on, job, err := e.entry(on, id, folder)
			if err != nil {
				return err
			}
			text, err := e.texts("the answer", args)
			if err != nil {
				return err
			}
			x := &ledger.Event{Event: ledger.Replied, On: on, Store: id, Text: text[0], Keeps: keeps}
			err = ledgerfile.Append(c.Context(), job.Dossier, func(l *ledger.Ledger) ([]*ledger.Event, error) {
				was := objected(l, id, version)
				if was == nil {
					return nil, usageError("the store objected to nothing that this would answer", `record what it wrote first: "regola ledger decide rejected --about … --said …"`)
				}
				x.Version, x.Build, x.Channel = was.Version, was.Build, was.Channel
				return []*ledger.Event{x}, nil
			})
			if err == nil {
				fmt.Fprintf(e.out, "%s %s (%s): your answer is recorded.\n", e.storeName(id), x.Version, x.Build)
			}
			return err
		},
	}
	fl := c.Flags()
	fl.StringVar(&id, "store", "", "the `STORE` that you answered: "+strings.Join(e.storeIDs(), ", "))
	fl.StringVar(&version, "version", "", "the `VERSION` that it was about (the last one that was objected to by default)")
	fl.BoolVar(&keeps, "keeps", false, "what was objected to stays as it is, and the text says why")
	fl.StringVar(&on, "on", "", "the `DAY` of the answer (today by default)")
	fl.StringVar(&folder, "dossier", "", "`FOLDER` of the dossier (the current one or the nearest above it by default)")
	_ = c.RegisterFlagCompletionFunc("store", choices(e.storeIDs()...))
	return c
}

func (e *env) ledgerShow() *cobra.Command {
	var folder, format string
	c := &cobra.Command{
		Use:     "show",
		Example: "  regola ledger show\n  regola ledger show --format json",
		Short:   "Show the history, the last release first",
		Args:    cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			if err := oneOf("--format", format, []string{"text", "json"}); err != nil {
				return err
			}
			job, err := dossierJob(nil, folder)
			if err != nil {
				return err
			}
			l, err := ledgerfile.Read(job.Dossier)
			if err != nil {
				return err
			}
			if l == nil {
				l = &ledger.Ledger{}
			}
			if format == "json" {
				return report.JSON(e.out, report.NewLedgerDocument(l))
			}
			return report.LedgerText(e.out, l, e.stores(), e.look(e.out))
		},
	}
	c.Flags().StringVar(&format, "format", "text", "`FORM` of the output: text or json")
	c.Flags().StringVar(&folder, "dossier", "", "`FOLDER` of the dossier (the current one or the nearest above it by default)")
	_ = c.RegisterFlagCompletionFunc("format", choices("text", "json"))
	return c
}

// somewhere tells that what a reason is about is neither in the release nor anything
// that a dossier can answer, with what was probably meant.
func somewhere(about string, was *ledger.Release, rules []string) error {
	kind, key, _ := strings.Cut(about, ":")
	if kind == "behaviour" || kind == "rule" && (slices.Contains(rules, key) || slices.Contains(was.Broken, key)) || kind == "answer" && dossier.Question(key) != "" || slices.Contains(was.Parts(kind), key) {
		return nil
	}
	names := was.Parts(kind)
	if kind == "rule" {
		names = rules
	}
	fix := fmt.Sprintf("the release %s (%s) has nothing of that kind; --about behaviour is for what is none of the others", was.Version, was.Build)
	if near := didyoumean.Nearest(key, names); near != "" {
		fix = fmt.Sprintf("did you mean %q?", kind+":"+near)
	} else if len(names) > 0 {
		fix = "it has, for example, " + kind + ":" + names[0]
	}
	if kind == "rule" {
		return usageError("--about "+about+": there is no such rule", fix)
	}
	return usageError(fmt.Sprintf("--about %s: the release %s (%s) has no such %s", about, was.Version, was.Build, map[string]string{"answer": "answer", "text": "text", "picture": "picture", "purpose": "purpose string"}[kind]), fix)
}

// maxSaid bounds a text that is read from standard input or a file, in bytes.
const maxSaid = 64 << 10

// texts reads the texts of a call: - is standard input, @FILE a file.
func (e *env) texts(what string, list []string) ([]string, error) {
	out := make([]string, len(list))
	read := false
	for i, text := range list {
		if name, ok := strings.CutPrefix(text, "@"); ok {
			data, err := safeopen.Read(name, maxSaid)
			if err != nil {
				return nil, safeopen.Problem(name, err, "name the file with the text behind @")
			}
			text = string(data)
		} else if text == "-" {
			if read {
				return nil, usageError(what+": standard input was read already", "write - once, and @FILE for others")
			}
			read = true
			data, err := io.ReadAll(io.LimitReader(e.in, maxSaid+1))
			if err != nil {
				return nil, err
			}
			if len(data) > maxSaid {
				return nil, usageError(fmt.Sprintf("%s: standard input has more than %d KiB", what, maxSaid>>10), "shorten it to what matters")
			}
			text = string(data)
		}
		if out[i] = strings.TrimSpace(strings.ToValidUTF8(text, "\uFFFD")); out[i] == "" {
			return nil, usageError(what+": the text is empty", "write what the reviewer wrote; is the file the right one?")
		}
	}
	return out, nil
}

func (e *env) storeName(id string) string {
	for _, s := range e.stores() {
		if s.ID == id {
			return s.Name
		}
	}
	return id
}

// follow records an event that is about a release of its store: the one with a
// version, or the last one.
// check, which may be nil, may refuse it when it knows the release.
func follow(ctx context.Context, job run.Job, x *ledger.Event, version string, check func(was *ledger.Release) error) error {
	return ledgerfile.Append(ctx, job.Dossier, func(l *ledger.Ledger) ([]*ledger.Event, error) {
		was, err := about(l, x.Store, version, x.Channel)
		if err == nil && check != nil {
			err = check(was)
		}
		if err != nil {
			return nil, err
		}
		x.Version, x.Build = was.Version, was.Build
		return []*ledger.Event{x}, nil
	})
}

// entry is what decide and reply share: the day and the dossier of a call for one store.
func (e *env) entry(on, id, folder string) (d day.Day, job run.Job, err error) {
	if d, err = e.dayFlag(on); err != nil {
		return d, job, err
	}
	if id == "" {
		return d, job, usageError("the store is not named", "add --store: "+strings.Join(e.storeIDs(), ", "))
	}
	if err := oneOf("--store", id, e.storeIDs()); err != nil {
		return d, job, err
	}
	job, err = dossierJob(nil, folder)
	return d, job, err
}
