package letter

import (
	"cmp"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/core/late"
)

// Letter is what a letter says.
type Letter struct {
	Store    string   // the store that wrote it, by its words; empty when they do not show it
	Version  string   // that it is about; empty when it names none, as all below
	Build    string   // version code or build number
	IDs      []string // ids of apps that it names
	Name     string   // the app's name
	On       string   // the day of the review, as 2026-11-27
	Device   string   // on which it was reviewed
	System   string   // the device's system
	Deadline string   // the last day for what it asks
	Approved bool     // the release was accepted, perhaps with a remark
	Issues   []*Issue
}

// Issue is one thing that a letter objects to.
type Issue struct {
	Code     string // the number in its heading
	Row      *Row   // nil when no row fits
	Others   []*Row // that fit as well
	Quote    string // the words of the letter
	Because  string // the words by which the row was chosen
	Stops    bool   // the release goes no further until it is settled
	NewBuild string // yes, no, or depends
	Named    []string
	Locales  []string // languages that it names, as tags
}

// Weights of what speaks for a row. A number in a heading decides between families, words
// within them; a number alone is a hint, since letters quote others.
const (
	weightHeading = 6
	weightSection = 4 // the heading names the section that the row lies in, or one below it
	weightWords   = 3
	weightNumber  = 1
	weightLeast   = 3
)

// Read reads a letter whose text was taken out by Peel.
func Read(text string, rows []*Row) *Letter {
	l := &Letter{}
	low := strings.ToLower(text)
	l.frame(text, low)
	blocks, headed := cut(text)
	named := map[*Row]int{}
	for _, b := range blocks {
		best := rank(b, rows, l.Store)
		x := &Issue{Code: b.code, Quote: strings.TrimSpace(b.text)}
		switch {
		case len(best) > 0 && best[0].score >= weightLeast:
			x.Row, x.Because = best[0].row, best[0].words
			for _, o := range best[1:] {
				if o.score >= best[0].score && o.row.Store == x.Row.Store {
					x.Others = append(x.Others, o.row)
				}
			}
		case !headed:
			continue // a sentence between, in a letter without headings
		}
		if x.Row != nil && !headed {
			if at, known := named[x.Row]; known {
				l.Issues[at].Quote += "\n" + x.Quote
				continue
			}
			named[x.Row] = len(l.Issues)
		}
		l.Issues = append(l.Issues, x)
	}
	if !headed {
		l.Issues = strongest(l.Issues, rows, l.Store)
	}
	if l.Store == "" {
		l.Store = storeOf(l.Issues)
	}
	outside := text // what is said of no single issue is said of all
	for _, x := range l.Issues {
		outside = strings.Replace(outside, x.Quote, "", 1)
	}
	outside = strings.ToLower(outside)
	warns := warning().MatchString(low)
	l.Approved = approved().MatchString(low) && !rejected().MatchString(low)
	for _, x := range l.Issues {
		x.Stops = !warns && !l.Approved && !remark().MatchString(strings.ToLower(x.Quote))
		x.NewBuild = newBuild(strings.ToLower(x.Quote), outside, x)
		x.Named, x.Locales = names(x.Quote), locales(x.Quote)
	}
	return l
}

type ranked struct {
	row   *Row
	score int
	words string
}

// rank orders the rows that speak for a block, the strongest first. store is whose letter it
// is, where the frame tells.
func rank(b block, rows []*Row, store string) (out []ranked) {
	low := b.text
	if b.code != "" { // the names of the sections behind a number are the same in every letter
		if _, rest, more := strings.Cut(low, "\n"); more && numbered().MatchString(strings.ToLower(low)) {
			low = rest
		}
	}
	low = strings.ToLower(strings.ReplaceAll(low, "\n", " "))
	for _, r := range rows {
		if store != "" && r.Store != store {
			continue
		}
		x := ranked{row: r}
		switch {
		case b.code == "":
		case strings.EqualFold(b.code, r.Code):
			x.score += weightHeading
		case r.Cites(b.code), (&Row{Code: b.code}).Cites(r.Code):
			x.score += weightSection
		}
		for i, c := range r.compiled() {
			found := c.FindString(low)
			switch {
			case found == "":
			case bare().MatchString(found):
				if b.code == "" {
					x.score += weightNumber
				}
			default:
				x.score += weightWords + min(len(found)/16, 2)
				if i == 0 {
					x.score++
				}
				if len(found) > len(x.words) {
					x.words = found
				}
			}
		}
		if r.General { // any more exact row is meant before it
			most := weightWords
			if strings.EqualFold(b.code, r.Code) {
				most += weightHeading
			}
			x.score = min(x.score, most)
		}
		if x.score > 0 {
			out = append(out, x)
		}
	}
	// A store that numbers its guidelines names the number: words alone are rather another's,
	// and what has a number is never another's.
	weight := func(x ranked) int {
		if b.code == "" && store == "" && guideline().MatchString(x.row.Code) {
			return min(x.score, weightWords) - 1
		}
		return x.score
	}
	if guideline().MatchString(b.code) {
		out = slices.DeleteFunc(out, func(x ranked) bool { return !guideline().MatchString(x.row.Code) && !x.row.Cites(b.code) })
	}
	slices.SortStableFunc(out, func(a, b ranked) int { return cmp.Or(cmp.Compare(weight(b), weight(a)), cmp.Compare(b.score, a.score)) })
	return out
}

// guideline is a code that is the number of a section.
var guideline = late.Regexp(`^\d+\.\d`)

// bare is a cue that found no more than a number of a section or an error.
var bare = late.Regexp(`^(?:` + section + `\s*)?\d[\d.()a-z]{0,10}$`)

// strongest keeps, of the paragraphs of a letter without headings, those whose row is as
// strong as the best: the others speak of the same in passing.
func strongest(issues []*Issue, rows []*Row, store string) (out []*Issue) {
	most := 0
	scores := make([]int, len(issues))
	for i, x := range issues {
		scores[i] = rank(block{text: x.Quote}, rows, store)[0].score
		most = max(most, scores[i])
	}
	for i, x := range issues {
		if scores[i]*2 > most {
			out = append(out, x)
		}
	}
	return out
}

// storeOf is the store that most issues are of.
func storeOf(issues []*Issue) string {
	count := map[string]int{}
	best := ""
	for _, x := range issues {
		if x.Row == nil {
			continue
		}
		if count[x.Row.Store]++; count[x.Row.Store] > count[best] {
			best = x.Row.Store
		}
	}
	return best
}

var (
	warning  = late.Regexp(`although (?:the )?(?:delivery|submission|upload) was successful|was (?:delivered|uploaded|processed) successfully|in your next (?:delivery|upload)|no action is (?:needed|required) now`)
	approved = late.Regexp(`(?:submission|app|version|update|build) (?:has been|was|is) (?:now )?(?:approved|accepted)|eligible for (?:distribution|sale)|ready for (?:sale|distribution)|is now live|(?:wurde|ist) (?:genehmigt|freigegeben)|a été (?:approuvée?|acceptée?)|(?:ha sido|fue) (?:aprobada|aceptada)|è stata approvata`)
	rejected = late.Regexp(`(?:has been|was|is) (?:not )?reject|rejected|abgelehnt|refusée|rechazada|rifiutata|cannot be approved`)
	remark   = late.Regexp(`^\W*(?:warning|warnung|avertissement|advertencia|avviso)\b|in your next (?:submission|update|version|delivery)|we recommend|wir empfehlen`)
	noBuild  = late.Regexp(`no new (?:binary|build|version|package)|without (?:submitting|uploading) a new|not (?:necessary|required|need(?:ed)?) to (?:upload|submit) a new|metadata rejected|does not require a new (?:binary|build)|kein neue[sr]? (?:build|binär\w*|paket|version)|sans (?:nouveau|nouvelle) (?:binaire|build|version)|sin (?:un )?nuev[oa] (?:binario|compilación|versión)`)
	aBuild   = late.Regexp(`(?:upload|submit|provide|create) (?:a |another )?new (?:binary|build|bundle|package|version code|app bundle)|and upload again|new binary (?:is|will be) (?:needed|required)|lad\w* .{0,30}neue[ns]? (?:build|version|paket) hoch`)
)

// newBuild tells whether settling an issue takes another build: by the letter's own words,
// then by the row. What only warns needs none now.
func newBuild(quote, outside string, x *Issue) string {
	switch {
	case noBuild().MatchString(quote) || noBuild().MatchString(outside):
		return "no"
	case !x.Stops:
		return "no"
	case aBuild().MatchString(quote):
		return "yes"
	case x.Row != nil:
		return x.Row.NewBuild
	case aBuild().MatchString(outside):
		return "yes"
	}
	return "depends"
}

var (
	versionBuild = late.Regexp(`(?i)\bversions?(?: reviewed| number| überprüft| examinée)?[\s:]{1,3}(\d+(?:\.\d+){0,3})(?:\s?\((?:build )?(\d+(?:\.\d+){0,2})\))?`)
	bracketed    = late.Regexp(`\b(\d+(?:\.\d+){1,3})\s?\((\d+(?:\.\d+){0,2})\)`)
	codeNumber   = late.Regexp(`(?i)\b(?:version ?codes?|versionscode|code de version|código de versión|codice versione|apk|bundle|build(?: number)?)[\s:#]{1,3}(\d+(?:\.\d+){0,2})\b`)
	idNamed      = late.Regexp(`(?i)(?:bundle (?:id|identifier)|package(?: name)?|app(?:lication)? id|paketname|nom du package|nombre del paquete)\s?[:=]?\s?["'(]?([a-z][a-z0-9_-]*(?:\.[a-z0-9_-]+){1,9})`)
	nameNamed    = late.Regexp(`(?i)(?:app name|name of the app|for your app|your app),?\s?[:=]?\s?"([^"\n]{2,60})"`)
	deviceNamed  = late.Regexp(`(?im)^\W*(?:review )?(?:device|gerät|appareil|dispositivo)s?(?: type)?:\s?(.{2,60})$`)
	systemNamed  = late.Regexp(`(?i)\b((?:ipados|ios|visionos|watchos|tvos|macos|android)\s?\d+(?:\.\d+){0,2})\b`)
	reviewed     = late.Regexp(`(?im)^\W*(?:review date|date of review|datum|date|fecha|data)\s?(?:de l'examen|de la revisión)?:\s?(.{6,40})$`)
	deadline     = late.Regexp(`(?i)\b(?:by|before|until|deadline(?: of)?:?|no later than|bis(?: zum)?|spätestens(?: am)?|avant le|d'ici le|antes del|entro il|fino al)\s(?:the )?((?:\w+ )?\d{1,2}\.?(?:st|nd|rd|th)?,? ?(?:de )?\p{L}*,? ?(?:de )?\d{4}|\p{L}+ \d{1,2},? \d{4}|\d{4}-\d{2}-\d{2})`)
)

// Words by which a letter shows which store wrote it.
var (
	oneStore   = late.Regexp(`itms-\d{5}|` + section + ` \d\.\d|review device: ip|in-app purchase`)
	otherStore = late.Regexp(`version ?code|\bapk\b|app bundle|data safety|api level|accessibilityservice|production access`)
)

// frame finds what a letter says of the release, the review and its days.
func (l *Letter) frame(text, low string) {
	if m := versionBuild().FindStringSubmatch(text); m != nil {
		l.Version, l.Build = m[1], m[2]
	} else if m := bracketed().FindStringSubmatch(text); m != nil {
		l.Version, l.Build = m[1], m[2]
	}
	if m := bracketed().FindStringSubmatch(text); m != nil && m[1] == l.Version && l.Build == "" {
		l.Build = m[2]
	}
	if m := codeNumber().FindStringSubmatch(text); m != nil && l.Build == "" {
		l.Build = m[1]
	}
	for _, m := range idNamed().FindAllStringSubmatch(text, 8) {
		if id := strings.TrimRight(m[1], "."); strings.Contains(id, ".") && !slices.Contains(l.IDs, id) {
			l.IDs = append(l.IDs, id)
		}
	}
	if m := nameNamed().FindStringSubmatch(text); m != nil {
		l.Name = m[1]
	}
	if m := deviceNamed().FindStringSubmatch(text); m != nil {
		l.Device = strings.TrimSpace(m[1])
	}
	if m := systemNamed().FindStringSubmatch(cmp.Or(l.Device, text)); m != nil {
		l.System = m[1]
	}
	if m := reviewed().FindStringSubmatch(text); m != nil {
		l.On = date(m[1])
	}
	if m := deadline().FindStringSubmatch(text); m != nil {
		l.Deadline = date(m[1])
	}
	switch {
	case oneStore().MatchString(low):
		l.Store = "ios"
	case otherStore().MatchString(low):
		l.Store = "android"
	}
}

// months are the first letters of the months' names, in the languages of the letters.
var months = []string{"jan gen ene", "feb fev fév", "mar mär maa", "apr abr avr", "may mai mag", "jun juin giu", "jul juil lug", "aug aoû ago", "sep set", "oct okt out ott", "nov", "dec dez déc dic"}

var dateParts = late.Regexp(`\d+|\p{L}+`)

// date reads a day in words, and gives it as 2026-11-27; empty when it is none.
func date(s string) string {
	s = strings.TrimSpace(s)
	if t, err := time.Parse("2006-01-02", s[:min(len(s), 10)]); err == nil {
		return t.Format("2006-01-02")
	}
	d, m, y := 0, 0, 0
	for _, p := range dateParts().FindAllString(strings.ToLower(s), 8) {
		n, err := strconv.Atoi(p)
		switch {
		case err == nil && n > 1999 && n < 2200 && y == 0:
			y = n
		case err == nil && n >= 1 && n <= 31 && d == 0:
			d = n
		case err != nil && m == 0 && len(p) >= 3:
			for i, names := range months {
				for _, name := range strings.Fields(names) {
					if m == 0 && strings.HasPrefix(p, name) {
						m = i + 1
					}
				}
			}
		}
	}
	if y == 0 || m == 0 || d == 0 {
		return ""
	}
	on, err := day.Parse(time.Date(y, time.Month(m), d, 0, 0, 0, 0, time.UTC).Format("2006-01-02"))
	if err != nil || on.Day() != d {
		return ""
	}
	return on.Format("2006-01-02")
}

var (
	technical = late.Regexp(`\b(?:NS[A-Z]\w+(?:Description|Identifiers|Category\w*)|NSPrivacyAccessedAPICategory\w+|NFCReaderUsageDescription|ITSApp\w+|UI[A-Z]\w{6,}|CFBundle\w+|MinimumOSVersion|android\.permission\.\w+|com\.apple\.developer\.[\w.-]+|[A-Z]+_[A-Z_]{4,}|(?:lib|assets|res)/[\w./-]+|[\w-]+\.(?:framework|dylib|so|png|jpe?g|mp4|mov|appex))\b`)
	localeTag = late.Regexp(`\(?\b([a-z]{2,3}-(?:[A-Z]{2}|[A-Z][a-z]{3}|\d{3}))\b`)
)

// names are the keys, permissions, files and frameworks that a text names, each once.
func names(text string) []string { return once(technical().FindAllString(text, 64)) }

// locales are the language tags that a text names.
func locales(text string) []string {
	var out []string
	for _, m := range localeTag().FindAllStringSubmatchIndex(text, 32) {
		if r, _ := utf8.DecodeLastRuneInString(text[:m[2]]); !unicode.IsLetter(r) { // not the end of a word with an accent
			out = append(out, text[m[2]:m[3]])
		}
	}
	return once(out)
}

func once(list []string) (out []string) {
	for _, s := range list {
		if !slices.Contains(out, s) {
			out = append(out, s)
		}
	}
	return out
}
