package cli

import (
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"regola.example/regola/internal/report"
)

// completion says what may stand in the place of a flag's value.
type completion = func(c *cobra.Command, args []string, begun string) ([]string, cobra.ShellCompDirective)

// choices completes one of a few words.
func choices(values ...string) completion {
	return func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
		return values, cobra.ShellCompDirectiveNoFileComp
	}
}

// outForms completes FORMAT= of --out, and the file behind it.
func outForms(_ *cobra.Command, _ []string, begun string) ([]string, cobra.ShellCompDirective) {
	if strings.Contains(begun, "=") {
		return nil, cobra.ShellCompDirectiveDefault
	}
	var out []string
	for _, name := range report.FormNames() {
		out = append(out, name+"=")
	}
	return out, cobra.ShellCompDirectiveNoSpace | cobra.ShellCompDirectiveNoFileComp
}

// answers completes QUESTION=ANSWER of the questions on the content.
func (e *env) answers(*cobra.Command, []string, string) (out []string, _ cobra.ShellCompDirective) {
	set, err := e.lib.Tables()
	if err != nil {
		return nil, cobra.ShellCompDirectiveError
	}
	for key, values := range set.Vocabularies() {
		if question, ok := strings.CutPrefix(key, "content/"); ok {
			for _, v := range values {
				out = append(out, question+"="+v)
			}
		}
	}
	slices.Sort(out)
	return out, cobra.ShellCompDirectiveNoFileComp
}

// devices completes the devices that are known.
func (e *env) devices(*cobra.Command, []string, string) (out []string, _ cobra.ShellCompDirective) {
	set, err := e.lib.TablesOf("devices")
	if err != nil {
		return nil, cobra.ShellCompDirectiveError
	}
	for _, d := range set.On(e.today()).Devices {
		out = append(out, d.ID+"\t"+d.What)
	}
	return out, cobra.ShellCompDirectiveNoFileComp
}

// plainUsage takes the marks around the names of values out of all usages: help prints
// them as names, completions would show them.
func plainUsage(c *cobra.Command) {
	plain := func(f *pflag.Flag) { f.Usage = strings.ReplaceAll(f.Usage, "`", "") }
	c.Flags().VisitAll(plain)
	c.PersistentFlags().VisitAll(plain)
	for _, sub := range c.Commands() {
		plainUsage(sub)
	}
}
