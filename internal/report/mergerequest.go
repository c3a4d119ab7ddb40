package report

import (
	"bytes"
	"fmt"
	"io"
	"strings"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/sanitize"
)

// maxShort is how many findings stand open in the Markdown form, and maxFolded how
// many further ones it lists: the text boxes of forges take some 65,000 characters.
const maxShort, maxFolded = 12, 40

// openMarkdown is a report for a merge request: a table of the stores, then what
// stops the release; everything else is folded.
func openMarkdown(w io.Writer, _ Style, call Call) Writer {
	many := call.Many()
	var head, body bytes.Buffer
	if many {
		fmt.Fprintf(&head, "## %s\n\n| dossier | outcome | |\n|---|---|---|\n", Count(len(call.Names), "dossier", "dossiers"))
	}
	var passing []string
	return stream{
		add: func(i *Item) error {
			switch {
			case i.Result == nil:
				var lines []string
				for _, p := range i.Problems {
					lines = append(lines, "- "+md(p.Error())+"\n")
				}
				if many {
					fmt.Fprintf(&head, "| %s | **NOT JUDGED** | %s |\n", md(i.Name), Count(len(i.Problems), "problem", "problems"))
				}
				fmt.Fprintf(&body, "\n### %s: not judged\n\n%s", md(i.Name), strings.Join(lines, ""))
			case many:
				var words, counts []string
				passes := true
				for _, s := range i.Result.Stores {
					o := s.Outcome(i.Result.Partly())
					passes = passes && (o == check.Passes || o == check.Partly)
					words = append(words, s.ID+" **"+outcomeText[o]+"**")
					if c := mdCounts(s); c != "" {
						counts = append(counts, s.ID+": "+c)
					}
				}
				if passes {
					passing = append(passing, i.Name)
					break
				}
				fmt.Fprintf(&head, "| %s | %s | %s |\n", md(i.Name), strings.Join(words, ", "), strings.Join(counts, "; "))
				if i.Result.Worst() != "" && check.Grave(i.Result.Worst(), i.Result.About.FailOn) {
					fmt.Fprintf(&body, "\n### %s\n", md(i.title(true)))
					mdFindings(&body, i.Result)
				}
			default:
				mdResult(&body, i)
			}
			return nil
		},
		close: func() error {
			mdFold(&head, Count(len(passing), "dossier passes", "dossiers pass"), passing)
			_, err := w.Write(append(head.Bytes(), body.Bytes()...))
			return err
		},
	}
}

func mdResult(b *bytes.Buffer, i *Item) {
	r := i.Result
	fmt.Fprintf(b, "## %s\n\n| store | package | outcome | |\n|---|---|---|---|\n", md(i.title(false)))
	for _, s := range r.Stores {
		fmt.Fprintf(b, "| %s | %s | **%s** | %s |\n", s.Name, md(packageName(s)), outcomeText[s.Outcome(r.Partly())], mdCounts(s))
	}
	for n, l := range basisLines(r) {
		if n == 0 {
			b.WriteString("\n")
		}
		fmt.Fprintf(b, "- %s: %s\n", l.Key, md(l.Text))
	}
	mdFindings(b, r)
	var due []string
	for _, d := range r.Duties() {
		if d.State == check.Due {
			due = append(due, fmt.Sprintf("%s (%s)", d.What, strings.Join(d.Stores, ", ")))
		}
	}
	mdFold(b, Count(len(due), "question to answer", "questions to answer"), due)
	var ask, unread, waived []string
	seen := map[string]bool{}
	for _, o := range r.Open() {
		switch {
		case o.State == check.ToConfirm && !seen[o.Rule.ID]:
			seen[o.Rule.ID] = true
			ask = append(ask, o.Question.Ask)
		case o.State == check.NotRead:
			unread = append(unread, o.Rule.ID+": "+GapText(o.Gaps))
		}
	}
	mdFold(b, Count(len(ask), "thing to confirm", "things to confirm"), ask)
	mdFold(b, Count(len(unread), "rule could not be judged", "rules could not be judged"), unread)
	for _, f := range r.Findings(true) {
		w := f.Faults[0].Waiver
		waived = append(waived, fmt.Sprintf("%s, until %s: %s (%s)", f.Rule.ID, w.Until, w.Because, w.By))
	}
	mdFold(b, fmt.Sprintf("%d waived", len(waived)), waived)
	fmt.Fprintf(b, "\nJudged as of %s: %d held, %d broken.\n", r.Day.Long(), r.Count(check.Held), r.Count(check.Broken))
}

func mdCounts(s *check.Store) string {
	var parts []string
	broken := s.Broken()
	for _, i := range rulebook.Impacts {
		if n := broken[i]; n > 0 {
			parts = append(parts, fmt.Sprintf("%d %s", n, i))
		}
	}
	for _, o := range []struct {
		state check.State
		what  string
	}{{check.NotRead, "not read"}, {check.ToAnswer, "to answer"}, {check.ToConfirm, "to confirm"}} {
		if n := s.Count(o.state); n > 0 {
			parts = append(parts, fmt.Sprintf("%d %s", n, o.what))
		}
	}
	return strings.Join(parts, ", ")
}

// mdFindings writes what stops the release, and folds what does not.
func mdFindings(b *bytes.Buffer, r *check.Result) {
	var craft []string
	section, n := rulebook.Impact(""), 0
	var more []string
	for _, f := range r.Findings(false) {
		say := md(sayOf(f)) + " `" + f.Rule.ID + "`"
		if f.Impact == rulebook.Craft {
			craft = append(craft, say)
			continue
		}
		if n++; n > maxShort {
			more = append(more, fmt.Sprintf("**%s**: %s", f.Impact, say))
			continue
		}
		if f.Impact != section {
			section = f.Impact
			fmt.Fprintf(b, "\n**%s**\n\n", sections[section])
		}
		fmt.Fprintf(b, "- %s\n", say)
		if fix := f.Faults[0].Fix; fix != "" {
			fmt.Fprintf(b, "  <br>fix: %s\n", md(fix))
		}
		if at := f.Faults[0].At.Exact(); at != "" {
			fmt.Fprintf(b, "  <br>at: %s", mdCode(at))
			if more := f.Places() - 1; more > 0 {
				fmt.Fprintf(b, " and %s", Count(more, "more place", "more places"))
			}
			fmt.Fprintln(b)
		}
	}
	mdFoldRaw(b, Count(len(more), "more finding", "more findings"), more)
	mdFoldRaw(b, Count(len(craft), "matter of craft", "matters of craft"), craft)
}

func mdFold(b *bytes.Buffer, title string, lines []string) {
	for i := range lines {
		lines[i] = md(lines[i])
	}
	mdFoldRaw(b, title, lines)
}

func mdFoldRaw(b *bytes.Buffer, title string, lines []string) {
	if len(lines) == 0 {
		return
	}
	fmt.Fprintf(b, "\n<details><summary>%s</summary>\n\n", title)
	for i, l := range lines {
		if i == maxFolded {
			fmt.Fprintf(b, "- and %d more\n", len(lines)-i)
			break
		}
		fmt.Fprintf(b, "- %s\n", l)
	}
	fmt.Fprint(b, "\n</details>\n")
}

// mdMarks are the characters that act in Markdown or HTML. A mention or a reference
// that a text would make of itself is broken by a mark without width.
var mdMarks = strings.NewReplacer("\\", "\\\\", "`", "\\`", "*", "\\*", "_", "\\_", "[", "\\[", "]", "\\]", "<", "&lt;", ">", "&gt;", "&", "&amp;",
	"|", "\\|", "#", "\\#", "!", "\\!", "~", "\\~", "$", "\\$", "@", "@\u200b", "://", ":\u200b//")

// md is a text of strangers in Markdown: it is seen as it is, and does nothing.
func md(s string) string { return mdMarks.Replace(sanitize.Text(s)) }

// mdCode is a text in the type of code.
func mdCode(s string) string {
	s = sanitize.Text(s)
	if strings.ContainsAny(s, "`|") {
		return md(s)
	}
	return "`" + s + "`"
}
