package cli

import (
	"fmt"
	"reflect"
	"strings"

	"github.com/spf13/cobra"

	"regola.example/regola/internal/core/backend"
	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/rulebook"
	"regola.example/regola/internal/core/store"
	"regola.example/regola/internal/report"
	"regola.example/regola/internal/schema"
)

// schemas are the documents that have a published schema.
var schemas = []struct {
	name, title string
	typ         reflect.Type
	strict      bool
}{
	{"dossier", "dossier.yaml", reflect.TypeFor[dossier.Dossier](), true},
	{"listing", "listing/<locale>.yaml", reflect.TypeFor[dossier.Listing](), true},
	{"rulebook", "a rulebook of your own", reflect.TypeFor[rulebook.Book](), true},
	{"backend", "the rules of a backend, which dossier.yaml names under backend: rules", reflect.TypeFor[backend.Rules](), true},
	{"check", "the output of regola check --format json", reflect.TypeFor[report.CheckDocument](), false},
	{"checks", "the output of regola check --format json on several dossiers", reflect.TypeFor[report.ChecksDocument](), false},
	{"facts", "the output of regola facts --format json", reflect.TypeFor[report.FactsDocument](), false},
	{"rules", "the output of regola rules --format json", reflect.TypeFor[report.RulesDocument](), false},
	{"explain", "the output of regola explain --format json", reflect.TypeFor[report.ExplainDocument](), false},
	{"limit", "the output of regola explain --format json on a limit", reflect.TypeFor[report.LimitDocument](), false},
	{"cited", "the output of regola explain --format json on a number that a store cites", reflect.TypeFor[report.CitedDocument](), false},
	{"keys", "the output of regola explain --format json on a key of the dossier", reflect.TypeFor[report.KeysDocument](), false},
	{"disclosure", "the output of regola privacy --format json on a dossier", reflect.TypeFor[report.DisclosureDocument](), false},
	{"evidence", "the output of regola facts --evidence --format json", reflect.TypeFor[report.EvidenceDocument](), false},
	{"calendar", "the output of regola calendar --format json", reflect.TypeFor[report.CalendarDocument](), false},
	{"changes", "the output of regola changes --format json", reflect.TypeFor[report.ChangesDocument](), false},
	{"next", "the output of regola next --format json", reflect.TypeFor[report.NextDocument](), false},
	{"ledger", "the output of regola ledger show --format json; a line of ledger.jsonl is one of its events", reflect.TypeFor[report.LedgerDocument](), false},
	{"handout", "the output of regola handout --format json", reflect.TypeFor[report.HandoutDocument](), false},
	{"letter", "the output of regola letter --format json", reflect.TypeFor[report.LetterDocument](), false},
	{"weigh", "the output of regola weigh --format json", reflect.TypeFor[report.WeightDocument](), false},
	{"rate", "the output of regola rate --format json", reflect.TypeFor[report.RatingDocument](), false},
	{"duties", "the output of regola duties --format json", reflect.TypeFor[report.DutiesDocument](), false},
	{"tables", "the output of regola tables --format json", reflect.TypeFor[report.TablesDocument](), false},
	{"problems", "what a call with --format json prints when its input is wrong", reflect.TypeFor[report.ProblemsDocument](), false},
	{"pictures", "the output of regola pictures --format json", reflect.TypeFor[report.PicturesDocument](), false},
	{"retouch", "the output of regola pictures --fix-into --format json", reflect.TypeFor[report.RetouchDocument](), false},
	{"fix", "the output of regola fix --format json", reflect.TypeFor[report.FixDocument](), false},
	{"needed", "the output of regola pictures --needed --format json", reflect.TypeFor[report.NeededDocument](), false},
	{"links", "the output of regola links --format json", reflect.TypeFor[report.LinksDocument](), false},
	{"privacy", "the output of regola privacy --format json", reflect.TypeFor[report.PrivacyDocument](), false},
}

func (e *env) schemaCommand() *cobra.Command {
	var names []string
	var list strings.Builder
	for _, s := range schemas {
		names = append(names, s.name)
		fmt.Fprintf(&list, "  %-11s %s\n", s.name, s.title)
	}
	return &cobra.Command{
		Use:       "schema NAME",
		Short:     "Print the JSON Schema of a file that Regola reads or writes",
		Long:      "Print the JSON Schema of a file that Regola reads or writes. An editor that knows\nJSON Schema completes and checks a dossier as you type.\n\n" + list.String(),
		Example:   "  regola schema dossier > dossier.schema.json",
		ValidArgs: names,
		Args: func(_ *cobra.Command, args []string) error {
			if len(args) != 1 {
				return usageError("one document is expected", "the choices are: "+strings.Join(names, ", "))
			}
			return oneOf("schema", args[0], names)
		},
		RunE: func(_ *cobra.Command, args []string) error {
			for _, s := range schemas {
				if s.name == args[0] {
					return report.JSON(e.out, schema.Of(s.name, s.title, report.FormatNumber, s.typ, s.strict, e.storeKeys(), e.words()))
				}
			}
			return nil
		},
	}
}

// words are the vocabularies of the dossier, for its schema.
func (e *env) words() map[string][]string {
	set, err := e.lib.Tables()
	if err != nil {
		return nil
	}
	return set.Vocabularies()
}

// storeKeys lists the keys under which a dossier speaks of stores.
func (e *env) storeKeys() []string { return store.Keys(e.stores()) }
