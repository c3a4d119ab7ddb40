package plist

import (
	"bytes"
	"encoding/base64"
	"encoding/xml"
	"errors"
	"io"
	"strconv"
	"strings"
	"time"

	"regola.example/regola/internal/core/budget"
	"regola.example/regola/internal/core/format"
)

type xmlReader struct {
	dec    *xml.Decoder
	budget *budget.Budget
}

func parseXML(data []byte, b *budget.Budget) (*Value, error) {
	if len(bytes.TrimSpace(data)) == 0 {
		return nil, format.Damagedf(0, "the property list is empty")
	}
	r := &xmlReader{dec: xml.NewDecoder(bytes.NewReader(data)), budget: b}
	// The document type names an entity-free DTD; nothing is fetched, and
	// other encodings than UTF-8 are passed through as they are.
	r.dec.CharsetReader = func(_ string, in io.Reader) (io.Reader, error) { return in, nil }
	for {
		tok, err := r.token()
		if err != nil {
			return nil, err
		}
		start, ok := tok.(xml.StartElement)
		if !ok {
			continue
		}
		if start.Name.Local != "plist" {
			return nil, format.Damagedf(r.dec.InputOffset(), "not a property list: the root element is %.60q", start.Name.Local)
		}
		v, err := r.next(0)
		if err == nil && v == nil {
			err = format.Damagedf(r.dec.InputOffset(), "the property list holds no value")
		}
		return v, err
	}
}

func (r *xmlReader) token() (xml.Token, error) {
	if err := r.budget.Step(8); err != nil {
		return nil, err
	}
	tok, err := r.dec.Token()
	if err == nil {
		return tok, nil
	}
	var syntax *xml.SyntaxError
	if errors.Is(err, io.EOF) || errors.As(err, &syntax) && syntax.Msg == "unexpected EOF" {
		return nil, format.Damagedf(r.dec.InputOffset(), "the property list is cut off")
	}
	return nil, format.Damagedf(r.dec.InputOffset(), "not valid XML: %v", err)
}

// next reads the next value; nil when the enclosing element ends first.
func (r *xmlReader) next(depth int) (*Value, error) {
	for {
		tok, err := r.token()
		if err != nil {
			return nil, err
		}
		switch t := tok.(type) {
		case xml.StartElement:
			return r.value(t, depth)
		case xml.EndElement:
			return nil, nil
		case xml.CharData:
			if len(bytes.TrimSpace(t)) > 0 {
				return nil, format.Damagedf(r.dec.InputOffset(), "text %.20q outside a value", strings.TrimSpace(string(t)))
			}
		}
	}
}

func (r *xmlReader) value(start xml.StartElement, depth int) (*Value, error) {
	at := r.dec.InputOffset()
	if err := r.budget.Keep(valueSize); err != nil {
		return nil, err
	}
	if depth > maxDepth {
		return nil, format.Damagedf(at, "nested deeper than %d levels", maxDepth)
	}
	v := &Value{Offset: at}
	switch start.Name.Local {
	case "dict":
		v.Kind = Dict
		return v, r.dict(v, depth)
	case "array":
		v.Kind = Array
		for {
			it, err := r.next(depth + 1)
			if it == nil || err != nil {
				return v, err
			}
			v.Items = append(v.Items, it)
		}
	}
	text, err := r.text()
	if err != nil {
		return nil, err
	}
	trimmed := strings.TrimSpace(text)
	switch start.Name.Local {
	case "string":
		v.Kind, v.Str = String, text
	case "integer":
		v.Kind = Integer
		if v.Int, err = strconv.ParseInt(trimmed, 0, 64); err != nil {
			if u, uerr := strconv.ParseUint(trimmed, 0, 64); uerr == nil {
				v.Int, err = int64(u), nil
			}
		}
	case "real":
		v.Kind = Real
		v.Real, err = strconv.ParseFloat(trimmed, 64)
	case "true", "false":
		v.Kind, v.Bool = Boolean, start.Name.Local == "true"
	case "date":
		v.Kind = Date
		v.Time, err = time.Parse(time.RFC3339, trimmed)
	case "data":
		v.Kind = Data
		v.Bytes, err = base64.StdEncoding.DecodeString(strings.Join(strings.Fields(text), ""))
	default:
		return nil, format.Damagedf(at, "unknown element %.60q", start.Name.Local)
	}
	if err != nil {
		return nil, format.Damagedf(at, "%.60q is not %s", trimmed, v.Kind.Noun())
	}
	return v, nil
}

func (r *xmlReader) dict(v *Value, depth int) error {
	key, have := "", false
	for {
		tok, err := r.token()
		if err != nil {
			return err
		}
		switch t := tok.(type) {
		case xml.EndElement:
			if have {
				return format.Damagedf(r.dec.InputOffset(), "the key %.60q has no value", key)
			}
			return nil
		case xml.StartElement:
			if t.Name.Local == "key" {
				if have {
					return format.Damagedf(r.dec.InputOffset(), "the key %.60q has no value", key)
				}
				if key, err = r.text(); err != nil {
					return err
				}
				if len(key) > maxKey {
					return format.Damagedf(r.dec.InputOffset(), "a key of %d bytes", len(key))
				}
				if err := r.budget.Keep(entrySize + len(key)); err != nil {
					return err
				}
				have = true
				continue
			}
			if !have {
				return format.Damagedf(r.dec.InputOffset(), "a %.60s in a dictionary without a key", t.Name.Local)
			}
			val, err := r.value(t, depth+1)
			if err != nil {
				return err
			}
			v.Put(key, val)
			have = false
		}
	}
}

func (r *xmlReader) text() (string, error) {
	var b strings.Builder
	for {
		tok, err := r.token()
		if err != nil {
			return "", err
		}
		switch t := tok.(type) {
		case xml.CharData:
			if err := r.budget.Keep(len(t)); err != nil {
				return "", err
			}
			b.Write(t)
		case xml.EndElement:
			return b.String(), nil
		case xml.StartElement:
			return "", format.Damagedf(r.dec.InputOffset(), "an element %.60q is inside a text", t.Name.Local)
		}
	}
}
