package cli

import (
	"context"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"regola.example/regola/internal/ask"
	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/report"
	"regola.example/regola/internal/run"
	"regola.example/regola/internal/view"
	"regola.example/regola/internal/write"
)

func (e *env) answerCommand() *cobra.Command {
	var on, folder, only string
	var onlyStores []string
	var plain bool
	c := &cobra.Command{
		Use:   "answer [PACKAGE…|DOSSIER]",
		Short: "Ask what the stores want to know, and write the answers into the dossier",
		Long: `Ask what is open, one question at a time and in working order: only what the stores ask of
this release and its dossier does not answer yet. Each answer is written into dossier.yaml at
once, which keeps its comments, order and style; answers lead to further questions or take them
away. Any question can be left open, one can go back, and stop and go on another day.

On a terminal it is a form with keys; --plain asks in lines of text, which a screen reader
takes, and which can be typed ahead.`,
		Example: "  regola answer --plain < answers.txt\n  regola answer --plain --only answers.audience --store android < answers.txt",
		RunE: func(c *cobra.Command, args []string) error {
			on, err := e.narrowed("text", onlyStores, on)
			if err != nil {
				return err
			}
			job, err := input(args, folder, false)
			if err != nil {
				return err
			}
			if job.Dossier == "" {
				return usageError("there is no dossier to write into", `make one with "regola init"`)
			}
			r, err := run.New(e.lib, run.Options{Options: check.Options{Day: on}, Stores: onlyStores, Again: true})
			if err != nil {
				return err
			}
			x := &interview{env: e, runner: r, job: job, only: only, file: filepath.Join(job.Dossier, dossier.FileName), today: on.String(), open: map[string]bool{}}
			look := e.look(e.out)
			switch {
			case plain:
				x.asker = ask.NewPlain(e.in, e.out, look.Columns())
			case !isTerminal(e.in) || !isTerminal(e.out.Writer):
				return usageError("answer asks questions, and there is no terminal", "run it in a terminal; or add --plain, which reads one line for each question")
			default:
				x.asker = ask.NewForm(e.in, e.out.Writer, look.Columns(), look.Color)
			}
			end, err := x.run(c.Context())
			x.asker.Close()
			if err == nil {
				_, err = fmt.Fprint(e.out, end)
			}
			return err
		},
	}
	fl := c.Flags()
	fl.StringVar(&only, "only", "", "ask only what lies below this `KEY`, such as answers.data")
	fl.BoolVar(&plain, "plain", false, "ask in lines of text, without colours and moving parts")
	fl.StringSliceVar(&onlyStores, "store", nil, "what this `STORE` asks only: "+strings.Join(e.storeIDs(), ", "))
	fl.StringVar(&on, "on", "", "as of a `DAY`, such as 2027-09-01 (today by default)")
	fl.StringVar(&folder, "dossier", "", "`FOLDER` of the dossier (the current one or the nearest above it by default)")
	_ = c.RegisterFlagCompletionFunc("store", choices(e.storeIDs()...))
	return c
}

// isTerminal tells whether a stream is a terminal.
func isTerminal(stream any) bool {
	f, ok := stream.(*os.File)
	return ok && term.IsTerminal(int(f.Fd()))
}

// interview is one run of answer.
type interview struct {
	env    *env
	runner *run.Runner
	job    run.Job
	asker  ask.Asker
	only   string
	file   string
	today  string
	by     string          // who confirms
	open   map[string]bool // paths that were left open
	steps  []taken
}

// taken is one answer that can be taken back.
type taken struct {
	path string
	doc  []byte // the dossier before; nil where nothing was written
}

func (x *interview) run(ctx context.Context) (end string, err error) {
	answered := 0
	for {
		doc, err := os.ReadFile(x.file)
		if err != nil {
			return "", &place.Problem{At: place.Place{File: x.file}, What: "it cannot be read: " + err.Error(), Fix: "check the path"}
		}
		list, res, err := x.runner.Questions(ctx, x.job, doc)
		if err != nil {
			return "", err
		}
		list = slices.DeleteFunc(list, func(q *view.Question) bool {
			return x.open[q.Path] || x.only != "" && q.Path != x.only && !strings.HasPrefix(q.Path, x.only+".") && !strings.HasPrefix(q.Path, x.only+"[")
		})
		if len(list) == 0 {
			return x.end(answered), nil
		}
		q := list[0]
		reply, err := x.asker.Ask(ctx, x.prompt(q, len(x.steps)+1, len(list)))
		if err != nil {
			return "", err
		}
		switch reply.Act {
		case ask.Stop:
			return x.end(answered), nil
		case ask.Leave:
			x.open[q.Path] = true
			x.steps = append(x.steps, taken{path: q.Path})
		case ask.Back:
			if len(x.steps) == 0 {
				continue
			}
			last := x.steps[len(x.steps)-1]
			x.steps = x.steps[:len(x.steps)-1]
			delete(x.open, last.path)
			if last.doc != nil {
				answered--
				if err := x.save(last.doc); err != nil {
					return "", err
				}
			}
		case ask.Answer:
			written, err := x.answer(ctx, doc, q, reply.Words, res.Version)
			if err != nil {
				return "", err
			}
			x.steps = append(x.steps, taken{q.Path, doc})
			if !written {
				x.steps[len(x.steps)-1].doc = nil
				x.open[q.Path] = true
				continue
			}
			answered++
		}
	}
}

// answer writes an answer. A word that stands for no answer leaves the question open, as does
// one that only a person can write, which is said.
func (x *interview) answer(ctx context.Context, doc []byte, q *view.Question, words []string, version string) (bool, error) {
	if q.Path == "answers.content.others" && words[0] == "ask" {
		next, err := run.Answer(doc, &view.Question{Path: "answers.content", Kind: view.Number}, []string{"{}"}, "", "", "")
		if err != nil {
			return false, err
		}
		return true, x.save(next)
	}
	if q.Kind == view.Confirm {
		if words[0] != "yes" {
			return false, nil
		}
		if x.by == "" {
			reply, err := x.asker.Ask(ctx, &ask.Prompt{Head: "confirmed", What: "Who vouches for what is confirmed?", Form: "a name"})
			if err != nil || reply.Act != ask.Answer {
				return false, err
			}
			x.by = reply.Words[0]
		}
	}
	next, err := run.Answer(doc, q, words, x.by, version, x.today)
	if err == nil {
		if err := x.save(next); err != nil {
			return false, err
		}
		// What the reader of dossiers does not take is taken back at once.
		if _, problems := x.runner.Dossier(x.job.Dossier); len(problems) == 0 {
			return true, nil
		} else if err := x.save(doc); err != nil {
			return false, err
		} else {
			x.asker.Say("this is not taken: " + problems[0].What + "; " + problems[0].Fix)
			return false, nil
		}
	}
	x.asker.Say(err.Error() + "; write it into " + x.file)
	return false, nil
}

func (x *interview) save(doc []byte) error { return save(x.file, doc) }

// save writes the text of a dossier in the place of the one that is there.
func save(file string, doc []byte) error {
	return write.Whole(file, nil, func(w io.Writer) error {
		_, err := w.Write(doc)
		return err
	})
}

// prompt puts a question for a person.
func (x *interview) prompt(q *view.Question, n, left int) *ask.Prompt {
	p := &ask.Prompt{Head: fmt.Sprintf("%d, %d left · %s", n, left-1, q.Path), What: capitalised(q.What), Several: q.Kind == view.Several, Chosen: q.Expected, Form: q.Form}
	asks := strings.Join(q.Stores, " and ") + " asks"
	if len(q.Stores) > 1 {
		asks = strings.Join(q.Stores, " and ") + " ask"
	}
	if q.Impact != "" {
		asks += "; without it the release is " + string(q.Impact)
	}
	p.Notes = append(p.Notes, asks)
	for _, b := range q.Because {
		p.Notes = append(p.Notes, "because of "+b)
	}
	if len(q.Expected) > 0 {
		p.Notes = append(p.Notes, "the package points to "+strings.Join(q.Expected, ", "))
	}
	if q.Before != "" {
		p.Notes = append(p.Notes, "for the last release: "+q.Before)
	}
	switch q.Kind {
	case view.YesNo:
		p.Choices = []ask.Choice{{Word: "yes"}, {Word: "no"}}
	case view.Number:
		p.Form = "a whole number"
		p.Check = func(words []string) error {
			if strings.Trim(words[0], "0123456789") != "" || len(words[0]) > 9 {
				return fmt.Errorf("%q is no whole number", words[0])
			}
			return nil
		}
	default:
		for _, c := range q.Choices {
			p.Choices = append(p.Choices, ask.Choice{Word: c.Word, Means: c.Means})
		}
	}
	return p
}

func capitalised(s string) string {
	if s == "" {
		return s
	}
	return strings.ToUpper(s[:1]) + s[1:]
}

// end says how far it came.
func (x *interview) end(answered int) string {
	text := report.Count(answered, "answer is", "answers are") + " in " + x.file
	if left := len(x.open); left > 0 {
		text += "; " + report.Count(left, "question was", "questions were") + " left open"
	}
	return "\n" + text + ".\n\"regola next\" says what to do now.\n"
}
