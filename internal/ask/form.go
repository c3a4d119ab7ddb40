package ask

import (
	"context"
	"errors"
	"io"
	"slices"
	"strings"

	tea "charm.land/bubbletea/v2"
	"charm.land/huh/v2"

	"regola.example/regola/internal/core/sanitize"
)

// Form asks by a form with keys: arrows, the space bar, Enter. The terminal is its own from
// the first question to Close; what is typed between two questions goes to the next one.
type Form struct {
	in      io.Reader
	out     io.Writer
	width   int
	plain   bool // without colour
	program *tea.Program
	ended   chan error
}

// NewForm asks on a terminal, in lines of a width.
func NewForm(in io.Reader, out io.Writer, width int, color bool) *Form {
	return &Form{in: in, out: out, width: width, plain: !color}
}

// acts are the keys that are no answer.
var acts = map[string]Act{"esc": Back, "ctrl+o": Leave, "ctrl+c": Stop}

const keys = "Esc goes back, Ctrl+O leaves it open, Ctrl+C stops"

// most is how many choices are seen at once, and how many keys are kept between questions.
const most, mostAhead = 12, 256

// Ask implements Asker.
func (a *Form) Ask(ctx context.Context, p *Prompt) (Reply, error) {
	if a.program == nil {
		a.program = tea.NewProgram(&session{}, tea.WithContext(ctx), tea.WithInput(a.in), tea.WithOutput(a.out), tea.WithoutSignalHandler())
		a.ended = make(chan error, 1)
		go func() {
			_, err := a.program.Run()
			a.ended <- err
		}()
	}
	q := a.question(p)
	a.program.Send(q)
	select {
	case r := <-q.reply:
		return r, nil
	case err := <-a.ended:
		a.ended <- err
		if err == nil {
			err = errors.New("the terminal was closed")
		}
		return Reply{}, err
	case <-ctx.Done():
		return Reply{}, ctx.Err()
	}
}

// Say implements Asker.
func (a *Form) Say(text string) {
	if a.program != nil {
		a.program.Println(sanitize.Text(text))
	}
}

// Close gives the terminal back.
func (a *Form) Close() {
	if a.program != nil {
		a.program.Quit()
		<-a.ended
		a.program = nil
	}
}

// question is one prompt as a form, with where its answer goes.
type question struct {
	form  *huh.Form
	read  func() Reply
	said  func(Reply) string // what stays on the screen
	reply chan Reply
}

func (a *Form) question(p *Prompt) *question {
	var notes []string
	for _, n := range p.Notes {
		notes = append(notes, sanitize.Text(n))
	}
	title, about := sanitize.Text(p.What), sanitize.Text(p.Head)+"\n"+strings.Join(append(notes, keys), "\n")
	var one, text string
	var several []string
	check := func(words []string) error {
		if p.Check == nil {
			return nil
		}
		return p.Check(words)
	}
	var options []huh.Option[string]
	for _, c := range p.Choices {
		label := c.Word
		if c.Means != "" {
			label += "  " + sanitize.Text(c.Means)
		}
		options = append(options, huh.NewOption(label, c.Word).Selected(slices.Contains(p.Chosen, c.Word)))
	}
	q := &question{reply: make(chan Reply, 1)}
	q.said = func(r Reply) string {
		what := map[Act]string{Leave: "left open", Back: "back", Stop: "stopped"}[r.Act]
		if r.Act == Answer {
			what = strings.Join(r.Words, ", ")
			if len(r.Words) == 0 {
				what = "none"
			}
		}
		return sanitize.Text(p.Head + ": " + what)
	}
	var field huh.Field
	switch {
	case len(options) > 0 && p.Several:
		field = huh.NewMultiSelect[string]().Title(title).Description(about + "\nSpace chooses, Enter goes on").Options(options...).Height(min(len(options), most) + 8).Value(&several).Validate(func(w []string) error { return check(w) })
		q.read = func() Reply { return Reply{Words: append([]string{}, several...)} }
	case len(options) > 0:
		field = huh.NewSelect[string]().Title(title).Description(about).Options(options...).Height(min(len(options), most) + 7).Value(&one).Validate(func(w string) error { return check([]string{w}) })
		q.read = func() Reply { return Reply{Words: []string{one}} }
	default:
		field = huh.NewInput().Title(title).Description(about + "\n" + sanitize.Text(p.Form)).CharLimit(longestLine).Value(&text).Validate(func(w string) error {
			words, err := p.read(strings.TrimSpace(w))
			if err != nil || strings.TrimSpace(w) == "" {
				return err
			}
			return check(words)
		})
		q.read = func() Reply {
			words, err := p.read(strings.TrimSpace(text))
			if err != nil || strings.TrimSpace(text) == "" {
				return Reply{Act: Leave}
			}
			return Reply{Words: words}
		}
	}
	theme := huh.ThemeFunc(func(dark bool) *huh.Styles {
		t := huh.ThemeBase(dark)
		if !a.plain {
			t.Focused.Title = t.Focused.Title.Bold(true)
			t.Focused.Description = t.Focused.Description.Faint(true)
			t.Focused.SelectedOption = t.Focused.SelectedOption.Bold(true)
			t.Focused.SelectSelector = t.Focused.SelectSelector.Bold(true)
		}
		return t
	})
	q.form = huh.NewForm(huh.NewGroup(field)).WithWidth(a.width).WithShowHelp(false).WithTheme(theme)
	return q
}

// session is the program on the terminal: one question after another.
type session struct {
	now   *question
	ahead []tea.Msg // keys that were typed before their question was there
}

// Init implements tea.Model.
func (s *session) Init() tea.Cmd { return nil }

// Update implements tea.Model.
func (s *session) Update(msg tea.Msg) (tea.Model, tea.Cmd) {
	switch msg := msg.(type) {
	case *question:
		s.now = msg
		cmds := []tea.Cmd{msg.form.Init()}
		ahead := s.ahead
		s.ahead = nil
		for i, k := range ahead {
			_, cmd := s.Update(k)
			if cmds = append(cmds, cmd); s.now == nil {
				s.ahead = append(s.ahead, ahead[i+1:]...)
				break
			}
		}
		return s, tea.Batch(cmds...)
	case tea.KeyPressMsg:
		if s.now == nil {
			if len(s.ahead) < mostAhead {
				s.ahead = append(s.ahead, msg)
			}
			return s, nil
		}
		if act, known := acts[msg.String()]; known {
			return s, s.finish(Reply{Act: act})
		}
	}
	if s.now == nil {
		return s, nil
	}
	m, cmd := s.now.form.Update(msg)
	if f, ok := m.(*huh.Form); ok {
		s.now.form = f
	}
	if s.now.form.State == huh.StateCompleted {
		return s, tea.Batch(cmd, s.finish(s.now.read()))
	}
	return s, cmd
}

// finish hands the reply over; what was said stays above the next question.
func (s *session) finish(r Reply) tea.Cmd {
	q := s.now
	s.now = nil
	q.reply <- r
	return tea.Println(q.said(r))
}

// View implements tea.Model.
func (s *session) View() tea.View {
	if s.now == nil {
		return tea.NewView("")
	}
	return tea.NewView(s.now.form.View())
}
