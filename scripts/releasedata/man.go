package main

import (
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
)

// manuals writes a manual page for each command, in the macros of man(7).
func manuals(c *cobra.Command, version, on, dir string) error {
	name := strings.ReplaceAll(c.CommandPath(), " ", "-")
	if err := os.WriteFile(filepath.Join(dir, name+".1"), manual(c, name, version, on), 0o644); err != nil {
		return err
	}
	for _, sub := range c.Commands() {
		if sub.IsAvailableCommand() && sub.Name() != "completion" {
			if err := manuals(sub, version, on, dir); err != nil {
				return err
			}
		}
	}
	return nil
}

func manual(c *cobra.Command, name, version, on string) []byte {
	var b bytes.Buffer
	section := func(title string) { fmt.Fprintf(&b, ".SH %s\n", title) }
	fmt.Fprintf(&b, ".TH %s 1 %s \"Regola %s\" Regola\n", strings.ToUpper(roff(name)), on, version)
	section("NAME")
	fmt.Fprintln(&b, filled(name+" - "+c.Short))
	section("SYNOPSIS")
	fmt.Fprintf(&b, ".B %s\n", roff(c.UseLine()))
	section("DESCRIPTION")
	paragraphs(&b, c.Long)
	if c.Long == "" {
		paragraphs(&b, c.Short+".")
	}
	also := []string{}
	if c.HasParent() {
		also = append(also, strings.ReplaceAll(c.Parent().CommandPath(), " ", "-"))
	}
	if c.HasAvailableSubCommands() {
		section("COMMANDS")
		group := ""
		for _, sub := range c.Commands() {
			if !sub.IsAvailableCommand() {
				continue
			}
			if sub.GroupID != group {
				group = sub.GroupID
				fmt.Fprintf(&b, ".SS %s\n", roff(group))
			}
			fmt.Fprintf(&b, ".TP 12\n.B %s\n%s\n", roff(sub.Name()), filled(sub.Short))
			if sub.Name() != "completion" && sub.Name() != "help" {
				also = append(also, name+"-"+sub.Name())
			}
		}
	}
	section("OPTIONS")
	each := func(f *pflag.Flag) {
		value, usage := pflag.UnquoteUsage(f)
		fmt.Fprint(&b, ".TP 12\n")
		if f.Shorthand != "" {
			fmt.Fprintf(&b, "\\fB\\-%s\\fR, ", f.Shorthand)
		}
		fmt.Fprintf(&b, "\\fB%s\\fR", roff("--"+f.Name))
		if value != "" {
			fmt.Fprintf(&b, " \\fI%s\\fR", roff(value))
		}
		if v := f.DefValue; v != "" && v != "false" && v != "0" && v != "[]" {
			usage += fmt.Sprintf(" (%s by default)", v)
		}
		fmt.Fprintf(&b, "\n%s\n", filled(usage))
	}
	c.InitDefaultHelpFlag()
	c.LocalFlags().VisitAll(each)
	c.InheritedFlags().VisitAll(each)
	if c.Example != "" {
		section("EXAMPLES")
		verbatim(&b, c.Example)
	}
	section("SEE ALSO")
	for i, other := range also {
		end := ","
		if i == len(also)-1 {
			end = ""
		}
		fmt.Fprintf(&b, ".BR %s (1)%s\n", roff(other), end)
	}
	return b.Bytes()
}

// paragraphs writes running text; what is indented stays as it is.
func paragraphs(b *bytes.Buffer, text string) {
	for i, p := range strings.Split(strings.TrimSpace(text), "\n\n") {
		switch {
		case strings.HasPrefix(p, "  "):
			b.WriteString(".PP\n")
			verbatim(b, p)
			continue
		case i > 0:
			b.WriteString(".PP\n")
		}
		fmt.Fprintln(b, filled(p))
	}
}

func verbatim(b *bytes.Buffer, text string) {
	fmt.Fprintf(b, ".EX\n%s\n.EE\n", roff(strings.TrimRight(text, "\n")))
}

// filled is running text in short lines, as pages are written.
func filled(text string) string {
	var b strings.Builder
	n := 0
	for _, w := range strings.Fields(text) {
		if n > 0 && n+len(w) > 64 {
			b.WriteByte('\n')
			n = 0
		} else if n > 0 {
			b.WriteByte(' ')
		}
		b.WriteString(w)
		n += len(w) + 1
	}
	return roff(b.String())
}

// roff keeps text from being read as commands of the page.
func roff(text string) string {
	lines := strings.Split(strings.NewReplacer(`\`, `\e`, "-", `\-`).Replace(text), "\n")
	for i, l := range lines {
		if strings.HasPrefix(l, ".") || strings.HasPrefix(l, "'") {
			lines[i] = `\&` + l
		}
	}
	return strings.Join(lines, "\n")
}
