package letter

import (
	"bytes"
	"encoding/base64"
	"io"
	"mime"
	"mime/multipart"
	"mime/quotedprintable"
	"net/mail"
	"strings"

	"golang.org/x/text/encoding/htmlindex"

	"regola.example/regola/internal/core/htmltext"
	"regola.example/regola/internal/core/late"
)

// Longest is how much of a letter is read, in bytes.
const Longest = 1 << 20

// mostParts bounds how deep mails lie in mails.
const mostParts = 8

// Peel takes the text out of a letter: out of a mail with its headers, encodings and parts,
// out of HTML, from behind quoting marks. Soft hyphens and marks that nobody sees go,
// quotation marks and dashes become plain ones, and lines that a mail program cut are joined.
func Peel(raw []byte) string {
	text := body(raw[:min(len(raw), Longest)], 0)
	if looksLikeHTML(text) {
		text = htmltext.Of(text)
	}
	text = plainMarks.Replace(strings.ToValidUTF8(text, "�"))
	return unwrap(unquote(softBreaks(text)))
}

// body is the text of a mail, or the data as they are where they are none.
func body(raw []byte, depth int) string {
	m, err := mail.ReadMessage(bytes.NewReader(raw))
	if err != nil || depth > mostParts || m.Header.Get("Content-Type") == "" && m.Header.Get("Content-Transfer-Encoding") == "" && m.Header.Get("MIME-Version") == "" {
		return headless(string(raw))
	}
	return part(m.Header.Get("Content-Type"), m.Header.Get("Content-Transfer-Encoding"), m.Body, depth)
}

// part is the text of one part of a mail. Of several forms of one text the plain one is taken.
func part(contentType, encoding string, r io.Reader, depth int) string {
	kind, params, err := mime.ParseMediaType(contentType)
	if err != nil {
		kind = "text/plain"
	}
	if strings.HasPrefix(kind, "multipart/") && depth <= mostParts {
		var plain, html, others []string
		for parts := multipart.NewReader(r, params["boundary"]); ; {
			p, err := parts.NextRawPart()
			if err != nil {
				break
			}
			text := part(p.Header.Get("Content-Type"), p.Header.Get("Content-Transfer-Encoding"), p, depth+1)
			switch t := p.Header.Get("Content-Type"); {
			case strings.HasPrefix(t, "text/html"):
				html = append(html, text)
			case t == "" || strings.HasPrefix(t, "text/"):
				plain = append(plain, text)
			case strings.HasPrefix(t, "multipart/") || strings.HasPrefix(t, "message/"):
				others = append(others, text)
			}
		}
		for _, found := range [][]string{plain, html, others} {
			if strings.TrimSpace(strings.Join(found, "")) != "" {
				return strings.Join(found, "\n\n")
			}
		}
		return ""
	}
	switch strings.ToLower(encoding) {
	case "quoted-printable":
		r = quotedprintable.NewReader(r)
	case "base64":
		r = base64.NewDecoder(base64.StdEncoding, r)
	}
	data, _ := io.ReadAll(r) // what can be read of a damaged part
	if e, err := htmlindex.Get(params["charset"]); err == nil {
		if decoded, err := e.NewDecoder().Bytes(data); err == nil {
			data = decoded
		}
	}
	switch kind {
	case "text/html":
		return htmltext.Of(string(data))
	case "message/rfc822":
		return body(data, depth+1)
	}
	return string(data)
}

// header is a line above a mail that somebody pasted, in the languages of mail programs.
var header = late.Regexp(`(?i)^\W*(from|to|subject|date|sent|cc|reply-to|von|an|betreff|datum|gesendet|de|à|objet|envoyé|para|asunto|fecha|da|a|oggetto|data|inviato): .*$`)

// headless takes pasted headers off the beginning.
func headless(text string) string {
	lines := strings.Split(text, "\n")
	n := 0
	for n < len(lines) && (header().MatchString(strings.TrimSpace(lines[n])) || n > 0 && n < 12 && strings.TrimSpace(lines[n]) == "" && header().MatchString(strings.TrimSpace(lines[min(n+1, len(lines)-1)]))) {
		n++
	}
	if n < 2 {
		return text
	}
	return strings.Join(lines[n:], "\n")
}

var tag = late.Regexp(`(?i)<(html|body|div|p|br|table|span|li)\b[^>]*>`)

func looksLikeHTML(text string) bool { return len(tag().FindAllStringIndex(text, 3)) == 3 }

// plainMarks straightens what mail programs and stores set finely, and drops what nobody sees.
var plainMarks = strings.NewReplacer(
	"\u00ad", "", "\u200b", "", "\u200c", "", "\u200d", "", "\u2060", "", "\ufeff", "", "\r\n", "\n", "\r", "\n", "\u00a0", " ", "\u202f", " ", "\u2009", " ",
	"‘", "'", "’", "'", "‚", "'", "“", `"`, "”", `"`, "„", `"`, "«", `"`, "»", `"`, "–", "-", "—", "-", "‑", "-", "…", "...", "\t", " ",
)

// softBreak is a line that quoted-printable cut, in a text that was pasted undecoded.
var softBreak = late.Regexp(`=\n(?:[>|] ?)*`)

func softBreaks(text string) string { return softBreak().ReplaceAllString(text, "") }

var quoting = late.Regexp(`^(?:[>|] ?)+`)

// unquote takes off quoting marks. In a thread, what is quoted is of somebody else: it counts
// only where little else remains.
func unquote(text string) string {
	var own, quoted []string
	for _, l := range strings.Split(text, "\n") {
		if q := quoting().FindString(l); q != "" {
			quoted = append(quoted, strings.TrimPrefix(l, q))
		} else {
			own = append(own, l)
		}
	}
	if len(quoted) == 0 || letters(own)*2 >= letters(quoted) && letters(own) > 200 {
		return strings.Join(own, "\n")
	}
	return strings.Join(quoted, "\n")
}

func letters(lines []string) (n int) {
	for _, l := range lines {
		n += len(strings.TrimSpace(l))
	}
	return n
}

// cutAt is from which length on, in bytes, the end of a line may be one that a mail program made.
const cutAt = 60

// unwrap joins lines that belong to one sentence. Paragraphs and lists stay.
func unwrap(text string) string {
	var out []string
	last := ""
	for _, l := range strings.Split(text, "\n") {
		l = strings.Join(strings.Fields(l), " ")
		if n := len(out) - 1; n >= 0 && l != "" && len(last) >= cutAt && !starts(l) && !strings.HasSuffix(last, ":") && !heading().MatchString(strings.ToLower(out[n])) {
			out[n] += " " + l
		} else if l != "" || n < 0 || out[n] != "" {
			out = append(out, l)
		}
		last = l
	}
	return strings.TrimSpace(strings.Join(out, "\n"))
}
