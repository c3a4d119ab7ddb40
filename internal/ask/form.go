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

// Form asks by a form with keys: arrows, the space bar, Enter.
type Form struct {
	in    io.Reader
	out   io.Writer
	width int
	plain bool // without colour
}

// NewForm asks on a terminal.
func NewForm(in io.Reader, out io.Writer, width int, color bool) *Form {
	return &Form{in, out, width, !color}
}

// acts are the keys that are no answer.
var acts = map[string]Act{"esc": Back, "ctrl+o": Leave, "ctrl+c": Stop}

const keys = "Esc goes back, Ctrl+O leaves it open, Ctrl+C stops"

// most is how many choices are seen at once.
const most = 12

// Ask implements Asker.
func (a *Form) Ask(ctx context.Context, p *Prompt) (Reply, error) {
	var notes []string
	for _, n := range p.Notes {
		notes = append(notes, sanitize.Text(n))
	}
	title, about := sanitize.Text(p.What), sanitize.Text(p.Head)+"\n"+strings.Join(append(notes, keys), "\n")
	var one, text string
	var several []string
	var field huh.Field
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
	switch {
	case len(options) > 0 && p.Several:
		field = huh.NewMultiSelect[string]().Title(title).Description(about + "\nSpace chooses, Enter goes on").Options(options...).Height(min(len(options), most) + 8).Value(&several).Validate(func(w []string) error { return check(w) })
	case len(options) > 0:
		field = huh.NewSelect[string]().Title(title).Description(about).Options(options...).Height(min(len(options), most) + 7).Value(&one).Validate(func(w string) error { return check([]string{w}) })
	default:
		field = huh.NewInput().Title(title).Description(about + "\n" + sanitize.Text(p.Form)).CharLimit(longestLine).Value(&text).Validate(func(w string) error {
			words, err := p.read(strings.TrimSpace(w))
			if err != nil || strings.TrimSpace(w) == "" {
				return err
			}
			return check(words)
		})
	}
	act := Answer
	filter := func(_ tea.Model, msg tea.Msg) tea.Msg {
		if k, ok := msg.(tea.KeyPressMsg); ok {
			if is, known := acts[k.String()]; known {
				act = is
				return tea.QuitMsg{}
			}
		}
		return msg
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
	f := huh.NewForm(huh.NewGroup(field)).WithWidth(a.width).WithShowHelp(false).WithInput(a.in).WithOutput(a.out).WithTheme(theme).WithProgramOptions(tea.WithFilter(filter))
	err := f.RunWithContext(ctx)
	switch {
	case act != Answer:
		return Reply{Act: act}, nil
	case errors.Is(err, huh.ErrUserAborted):
		return Reply{Act: Stop}, nil
	case err != nil:
		return Reply{}, err
	case len(options) > 0 && p.Several:
		return Reply{Words: append([]string{}, several...)}, nil
	case len(options) > 0:
		return Reply{Words: []string{one}}, nil
	case strings.TrimSpace(text) == "":
		return Reply{Act: Leave}, nil
	}
	words, err := p.read(strings.TrimSpace(text))
	return Reply{Words: words}, err
}
