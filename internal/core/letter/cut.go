package letter

import (
	"regexp"
	"strings"
	"sync"

	"regola.example/regola/internal/core/late"
)

// section is how the words for a numbered section of the guidelines are written, in the
// languages in which letters come.
const section = `(?:guidelines?|richtlinien?|r[eè]gles?|directives?|pautas?|directri(?:z|ces)|linee? guida|diretri(?:z|zes)|ガイドライン|指南|准则|지침|правил[оа])`

var (
	// numbered is a heading that names a section.
	numbered = late.Regexp(`^(?:\W|issue|problem|\d+[.)] )*` + section + `\s*:?\s*(\d(?:\.\d+){0,2}(?:\s?\([a-z]+\)){0,2}(?:\([ivx]+\))?)`)
	// coded is a heading with the number of an upload error.
	coded = late.Regexp(`^\W*(?:error |warning |fehler |erreur )?(?:[a-z]{3,5}-)?(9\d{4})\b\W*`)
	// issue is a heading that begins an issue without a number of its own.
	issue = late.Regexp(`^\W*(?:issue|problem|problema|problème|violation|violaci[oó]n|verstoß|policy|política|richtlinie|politique|norme|motivo|grund|reason)s?(?: ?#?\d+)?(?: (?:found|with your app|mit ihrer app|detected|détecté|gefunden|encontrado))?(?: ?#?\d+)?\s*[:：]`)
	// ordered is an item of a numbered list.
	ordered = late.Regexp(`^\(?\d{1,2}[.)] \S`)
	// heading is any of them.
	heading = sync.OnceValue(func() *regexp.Regexp {
		return regexp.MustCompile(numbered().String() + `|` + coded().String() + `|` + issue().String())
	})
	// aside is a line that belongs to the frame of a letter and never to an issue.
	aside = late.Regexp(`^(?:submission id|review date|review device|version reviewed|review environment|status|hello|hi|dear|hallo|guten tag|bonjour|hola|ciao|buongiorno|thank you|thanks|best regards|kind regards|sincerely|regards|mit freundlichen)\b`)
	// closing begins what letters say at the end to everybody.
	closing = late.Regexp(`^(?:resources\b|support\b|next steps\b|if you (?:have|need|believe|would)|please (?:reply|let us know if)|best regards|kind regards|sincerely|if the app crashes or)`)
)

// starts tells whether a line begins something of its own, so that it is joined to none before.
func starts(line string) bool {
	l := strings.ToLower(line)
	return strings.HasPrefix(l, "- ") || strings.HasPrefix(l, "* ") || strings.HasPrefix(l, "• ") || ordered().MatchString(l) || heading().MatchString(l) || aside().MatchString(l)
}

// block is one stretch of a letter: a heading, where there is one, and what follows it.
type block struct {
	code string // the number in the heading
	text string // with the heading, as it was written
}

// cut parts a letter into issues. Without headings each paragraph stands for itself.
func cut(text string) (blocks []block, headed bool) {
	var now *block
	for _, l := range strings.Split(text, "\n") {
		low := strings.ToLower(l)
		code, begins := "", false
		if m := numbered().FindStringSubmatch(low); m != nil {
			code, begins = strings.ReplaceAll(m[1], " ", ""), true
		} else if m := coded().FindStringSubmatch(low); m != nil {
			code, begins = m[1], true
		} else if issue().MatchString(low) {
			// A letter with numbered sections uses such words below them.
			begins = now == nil || now.code == ""
			if begins && now != nil && strings.Count(now.text, "\n") == 0 && len(now.text) < cutAt {
				begins = false // the line above is the heading: a number, or "issue found"
			}
		}
		switch {
		case begins:
			blocks = append(blocks, block{code: code, text: l})
			now, headed = &blocks[len(blocks)-1], true
		case closing().MatchString(low):
			now = nil
		case now != nil:
			now.text += "\n" + l
		}
	}
	if headed {
		return blocks, true
	}
	for _, p := range strings.Split(text, "\n\n") {
		if p = strings.TrimSpace(p); p != "" && (len(p) >= cutAt || !aside().MatchString(strings.ToLower(p))) {
			blocks = append(blocks, block{text: p})
		}
	}
	return blocks, false
}
