package phrases_test

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/phrases"
)

// claims are the kinds of words that the corpus holds sound lines against.
var claims = map[string]bool{"price": true, "ranking": true, "install": true, "unfinished": true, "platform": true, "promise": true, "barred": true, "filler": true, "official": true, "testimonial": true, "rating": true}

// TestLines holds the rows against the corpus of lines: in every language nine of ten
// faulty lines are found by a row of their kind, and nothing is found in a sound one.
func TestLines(t *testing.T) {
	set := builtIn(t)
	files, err := filepath.Glob("testdata/lines/*.tsv")
	require.NoError(t, err)
	require.GreaterOrEqual(t, len(files), 30)
	for _, file := range files {
		lang := strings.TrimSuffix(filepath.Base(file), ".tsv")
		data, err := os.ReadFile(file)
		require.NoError(t, err)
		var missed, alarms []string
		faulty, sound := 0, 0
		for line := range strings.Lines(string(data)) {
			cells := strings.SplitN(strings.TrimRight(line, "\n"), "\t", 4)
			if strings.HasPrefix(line, "#") {
				continue
			}
			require.Len(t, cells, 4, "%s: %q", file, line)
			field, kind, text := cells[0], cells[1], cells[3]
			var texts dossier.Texts
			switch field {
			case "name":
				texts.Name = text
			case "tagline":
				texts.Tagline = text
			case "pitch":
				texts.Pitch = text
			case "keywords":
				texts.Keywords = []string{text}
			default:
				texts.Description = text
			}
			l := &dossier.Listing{Locale: lang, Texts: texts}
			found := map[string]string{}
			for _, s := range []string{"android", "ios"} {
				for _, h := range phrases.Find(l, texts, "", s, set.Phrases, dossier.Brand{}, nil) {
					found[h.Kind] = h.Words
				}
			}
			if cells[2] == "faulty" {
				if faulty++; found[kind] == "" {
					missed = append(missed, text)
				}
				continue
			}
			sound++
			for k, words := range found {
				if claims[k] {
					alarms = append(alarms, fmt.Sprintf("%s %q in %s", k, words, text))
				}
			}
		}
		assert.Empty(t, alarms, "%s: sound lines", file)
		assert.LessOrEqual(t, len(missed)*10, faulty, "%s: %q are missed", file, missed)
		assert.True(t, faulty >= 5 && sound >= 3, file)
	}
}
