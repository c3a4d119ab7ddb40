package sheet

import (
	"bytes"
	_ "embed"
	"encoding/base64"
	"html/template"
	"image/jpeg"
	"image/png"
	"io"
	"path"

	"regola.example/regola/internal/core/sanitize"
)

//go:embed sheet.html
var source string

var page = template.Must(template.New("sheet").Funcs(template.FuncMap{
	"picture": picture,
	"base":    path.Base,
	"shown":   sanitize.Lines,
	"grounds": func() []string { return []string{"light", "dark", "picture"} },
	"masks":   func() []string { return []string{"circle", "rounded", "squircle"} },
	"worst":   worst,
	"label": func(key string) string {
		return map[string]string{"release_notes": "what is new"}[key]
	},
}).Parse(source))

// Templates are the templates of the page, for a page that shows a sheet among other
// things: sheet-style goes into its style, sheet-pages where a Sheet is to be shown.
func Templates() (*template.Template, error) { return page.Clone() }

// picture is a picture as an address that holds it.
func picture(s *Shot) (template.URL, error) {
	var b bytes.Buffer
	kind := "jpeg"
	var err error
	if s.Item.Alpha || s.Item.Slot == "icon" {
		kind, err = "png", png.Encode(&b, s.Image)
	} else {
		err = jpeg.Encode(&b, s.Image, &jpeg.Options{Quality: 85})
	}
	return template.URL("data:image/" + kind + ";base64," + base64.StdEncoding.EncodeToString(b.Bytes())), err
}

// HTML writes the sheet as one page that needs nothing else.
func HTML(w io.Writer, s *Sheet) error { return page.Execute(w, s) }
