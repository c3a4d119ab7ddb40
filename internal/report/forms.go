package report

import (
	"fmt"
	"io"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/place"
)

// Item is one dossier, or the packages of a call, with what became of it.
type Item struct {
	Name     string         // the dossier's folder as it was named; empty for packages alone
	Result   *check.Result  // nil when nothing was judged
	Exit     int            // the exit status that it alone would have
	Problems place.Problems // why nothing was judged
	Extra    *Extra         // what only some forms show; may be nil
}

// Writer writes items one after another, so that none is held longer than needed.
type Writer interface {
	Add(*Item) error
	Close() error // writes what stands at the end
}

// Form is one form of a check's results. To add one, write a file with its
// function and name it here.
type Form struct {
	Name  string
	What  string // in words, for help
	Extra bool   // it shows what Extra holds
	// Open begins an output. Nothing is written before the first item, or the end.
	Open func(w io.Writer, look Style, call Call) Writer
}

// Call is what an output is about.
type Call struct {
	Names []string                   // of the items that will come, in order
	Part  *PartEntry                 // the part of a larger call that it is; nil for a whole one
	Cited func() map[string][]string // numbers and names under which stores cite each rule; may be nil
}

// cited are the numbers of each rule, for forms that show them.
func (c Call) cited() map[string][]string {
	if c.Cited == nil {
		return nil
	}
	return c.Cited()
}

// Many tells whether items are named: there are several, or none.
func (c Call) Many() bool { return len(c.Names) != 1 }

// Forms lists the forms of a check's results, the usual one first.
var Forms = []Form{
	{Name: "text", What: "for people", Open: openText},
	{Name: "brief", What: "one line a finding, for terminals and editors", Open: openBrief},
	{Name: "json", What: "for programs; see the schema check", Open: openJSON},
	{Name: "html", What: "one page for browsers and print, which needs nothing else", Extra: true, Open: openHTML},
	{Name: "markdown", What: "short and foldable, for a merge request", Open: openMarkdown},
	{Name: "sarif", What: "SARIF 2.1.0, for code scanning", Open: openSARIF},
	{Name: "junit", What: "JUnit XML, one test case a rule", Open: openJUnit},
	{Name: "annotations", What: "lines for a job's log (workflow commands), which forges show beside the code", Open: openAnnotations},
	{Name: "quality", What: "a report of code quality as JSON, which forges compare between branches", Open: openQuality},
}

// FormNames lists the names of the forms.
func FormNames() []string {
	names := make([]string, len(Forms))
	for i, f := range Forms {
		names[i] = f.Name
	}
	return names
}

// FormOf is the form of a name, or nil.
func FormOf(name string) *Form {
	for i := range Forms {
		if Forms[i].Name == name {
			return &Forms[i]
		}
	}
	return nil
}

// stream is a form whose items stand by themselves.
type stream struct {
	add   func(*Item) error
	close func() error
}

func (e stream) Add(i *Item) error { return e.add(i) }
func (e stream) Close() error {
	if e.close == nil {
		return nil
	}
	return e.close()
}

// title names an item: the app with its version, and the dossier where there are several.
func (i *Item) title(many bool) string {
	if i.Result == nil {
		return i.Name
	}
	title := i.Result.App
	if v := i.Result.Version; v != "" {
		title += " " + v
	}
	if many && i.Name != "" {
		title = fmt.Sprintf("%s (%s)", title, i.Name)
	}
	return title
}
