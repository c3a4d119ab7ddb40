// Package protores reads the protobuf form of Android resources, as found in
// app bundles: the manifest and other XML documents, and the resource table
// (resources.pb).
//
// Source of the format: Resources.proto and Configuration.proto of the Android
// Open Source Project's build tools. Field numbers below are theirs. Unknown
// fields are skipped, as the encoding intends.
package protores

import (
	"maps"
	"slices"
	"strings"

	"google.golang.org/protobuf/encoding/protowire"

	"regola.example/regola/internal/core/budget"
	"regola.example/regola/internal/core/format"
	"regola.example/regola/internal/core/format/resource"
)

// Fields calls visit for every field of a message. Length-delimited fields come
// as b, varints as n. at is the offset of the field's content in the file,
// where base is the offset of the message.
func Fields(msg []byte, base int, visit func(num protowire.Number, b []byte, n uint64, at int) error) error {
	for off := 0; off < len(msg); {
		num, typ, n := protowire.ConsumeTag(msg[off:])
		if n < 0 {
			return format.Damagedf(base+off, "damaged protobuf tag")
		}
		off += n
		var err error
		switch typ {
		case protowire.BytesType:
			b, m := protowire.ConsumeBytes(msg[off:])
			if m < 0 {
				return format.Damagedf(base+off, "protobuf field %d is cut off", num)
			}
			err = visit(num, b, 0, base+off+m-len(b))
			n = m
		case protowire.VarintType:
			v, m := protowire.ConsumeVarint(msg[off:])
			if m < 0 {
				return format.Damagedf(base+off, "protobuf field %d is cut off", num)
			}
			err = visit(num, nil, v, base+off)
			n = m
		case protowire.Fixed32Type:
			v, m := protowire.ConsumeFixed32(msg[off:])
			if m < 0 {
				return format.Damagedf(base+off, "protobuf field %d is cut off", num)
			}
			err = visit(num, nil, uint64(v), base+off)
			n = m
		default:
			if n = protowire.ConsumeFieldValue(num, typ, msg[off:]); n < 0 {
				return format.Damagedf(base+off, "damaged protobuf field %d", num)
			}
		}
		if err != nil {
			return err
		}
		off += n
	}
	return nil
}

// ParseXML reads an XmlNode and returns its element.
//
// Errors are *format.Damaged, or *budget.Spent for one that takes more work or
// memory than its size is worth.
func ParseXML(data []byte, b *budget.Budget) (*resource.Element, error) {
	p := &document{b.Part(len(data))}
	e, err := p.node(data, 0, 0)
	if err == nil && (e == nil || e.Name == "") {
		err = format.Damagedf(0, "the document has no element")
	}
	return e, err
}

// document reads one XML document.
type document struct{ budget *budget.Budget }

func (p *document) node(msg []byte, base, depth int) (e *resource.Element, err error) {
	if depth > resource.MaxXMLDepth {
		return nil, format.Damagedf(base, "elements nest deeper than %d", resource.MaxXMLDepth)
	}
	line := 0
	err = Fields(msg, base, func(num protowire.Number, b []byte, _ uint64, at int) error {
		switch num {
		case 1:
			var err error
			e, err = p.element(b, at, depth)
			return err
		case 2: // a text node
			e = &resource.Element{Text: string(b), Offset: int64(at)}
		case 3:
			return Fields(b, at, func(num protowire.Number, _ []byte, n uint64, _ int) error {
				if num == 1 {
					line = int(uint32(n))
				}
				return nil
			})
		}
		return nil
	})
	if e != nil {
		e.Line = line
	}
	return e, err
}

func (p *document) element(msg []byte, base, depth int) (*resource.Element, error) {
	const size, attrSize = 160, 144 // bytes that an element and an attribute take
	if err := p.budget.Keep(size + len(msg)/8); err != nil {
		return nil, err
	}
	e := &resource.Element{Offset: int64(base)}
	var text []byte
	defer func() { e.Text = string(text) }()
	err := Fields(msg, base, func(num protowire.Number, b []byte, _ uint64, at int) error {
		switch num {
		case 2:
			e.NS = string(b)
		case 3:
			e.Name = string(b)
		case 4:
			if err := p.budget.Keep(attrSize + len(b)); err != nil {
				return err
			}
			a, err := attribute(b, at)
			e.Attrs = append(e.Attrs, a)
			return err
		case 5:
			child, err := p.node(b, at, depth+1)
			if child != nil && child.Name != "" {
				e.Children = append(e.Children, child)
			} else if child != nil {
				text = append(text, child.Text...)
			}
			return err
		}
		return nil
	})
	return e, err
}

func attribute(msg []byte, base int) (resource.Attr, error) {
	a := resource.Attr{Offset: int64(base)}
	text, compiled := "", resource.Value{}
	err := Fields(msg, base, func(num protowire.Number, b []byte, n uint64, at int) (err error) {
		switch num {
		case 1:
			a.NS = string(b)
		case 2:
			a.Name = string(b)
		case 3:
			text = string(b)
		case 5:
			a.ID = uint32(n)
		case 6:
			compiled, err = item(b, at)
		}
		return err
	})
	if compiled.Kind == resource.None || compiled.Kind == resource.Other {
		compiled = resource.Value{Kind: resource.String, Text: text}
	}
	a.Value = compiled
	return a, err
}

// item reads an Item: a reference, a string, a file or a primitive.
func item(msg []byte, base int) (v resource.Value, err error) {
	err = Fields(msg, base, func(num protowire.Number, b []byte, _ uint64, at int) (err error) {
		switch num {
		case 1:
			v, err = reference(b, at)
		case 2, 3, 4: // plain, raw and styled strings keep their text in field 1
			v.Kind = resource.String
			err = first(b, at, &v.Text)
		case 5:
			v.Kind = resource.File
			err = first(b, at, &v.Text)
		case 7:
			v, err = primitive(b, at)
		}
		return err
	})
	return v, err
}

func reference(msg []byte, base int) (v resource.Value, err error) {
	v.Kind = resource.Reference
	err = Fields(msg, base, func(num protowire.Number, b []byte, n uint64, _ int) error {
		switch num {
		case 2:
			v.Ref = uint32(n)
		case 3:
			v.Name = string(b)
		}
		return nil
	})
	return v, err
}

func first(msg []byte, base int, into *string) error {
	return Fields(msg, base, func(num protowire.Number, b []byte, _ uint64, _ int) error {
		if num == 1 {
			*into = string(b)
		}
		return nil
	})
}

func primitive(msg []byte, base int) (v resource.Value, err error) {
	v.Kind = resource.Other
	err = Fields(msg, base, func(num protowire.Number, _ []byte, n uint64, _ int) error {
		switch num {
		case 6, 7:
			v = resource.Value{Kind: resource.Int, Int: int64(int32(n))}
		case 8:
			v = resource.Value{Kind: resource.Bool}
			if n != 0 {
				v.Int = 1
			}
		case 9, 10, 11, 12:
			v = resource.Value{Kind: resource.Color, Int: int64(uint32(n))}
		}
		return nil
	})
	return v, err
}

// Table is a protobuf resource table. It implements resource.Table. Entries
// are indexed and decoded when looked up.
type Table struct {
	entries map[uint32]span
	locales map[string]bool
	density map[int]bool
	texts   []resource.StringEntry
	ids     []uint32 // of texts
	found   map[uint32][]resource.Item
	budget  *budget.Budget
	err     error
}

type span struct {
	data []byte
	at   int
}

// ParseTable indexes a ResourceTable message.
func ParseTable(data []byte, b *budget.Budget) (*Table, error) {
	t := &Table{entries: make(map[uint32]span), locales: map[string]bool{}, density: map[int]bool{}, found: map[uint32][]resource.Item{}, budget: b.Part(len(data))}
	err := Fields(data, 0, func(num protowire.Number, b []byte, _ uint64, at int) error {
		if num != 2 {
			return nil
		}
		return t.pkg(b, at)
	})
	return t, err
}

// Err implements resource.Table.
func (t *Table) Err() error { return t.err }

// id reads a message whose field 1 is a number: PackageId, TypeId, EntryId.
func id(msg []byte, base int) (n uint32, err error) {
	err = Fields(msg, base, func(num protowire.Number, _ []byte, v uint64, _ int) error {
		if num == 1 {
			n = uint32(v)
		}
		return nil
	})
	return n, err
}

func (t *Table) pkg(msg []byte, base int) error {
	var pkg uint32
	var types []span
	err := Fields(msg, base, func(num protowire.Number, b []byte, _ uint64, at int) (err error) {
		switch num {
		case 1:
			pkg, err = id(b, at)
		case 3:
			types = append(types, span{b, at})
		}
		return err
	})
	for _, s := range types {
		if err == nil {
			err = t.typ(pkg, s)
		}
	}
	return err
}

func (t *Table) typ(pkg uint32, s span) error {
	var typ uint32
	var name string
	var entries []span
	err := Fields(s.data, s.at, func(num protowire.Number, b []byte, _ uint64, at int) (err error) {
		switch num {
		case 1:
			typ, err = id(b, at)
		case 2:
			name = string(b)
		case 3:
			entries = append(entries, span{b, at})
		}
		return err
	})
	for _, e := range entries {
		if err == nil {
			err = t.entry(pkg<<24|typ<<16, name, e)
		}
	}
	return err
}

func (t *Table) entry(prefix uint32, typ string, s span) error {
	var entry uint32
	text := resource.StringEntry{}
	err := Fields(s.data, s.at, func(num protowire.Number, b []byte, _ uint64, at int) (err error) {
		switch num {
		case 1:
			entry, err = id(b, at)
		case 2:
			text.Name = string(b)
		case 6:
			if typ == "drawable" || typ == "mipmap" {
				c, _, err := configValue(b, at)
				if c.Density != 0 {
					t.density[c.Density] = true
				}
				return err
			}
			if typ == "string" {
				c, _, err := configValue(b, at)
				text.Locales = append(text.Locales, c.Locale)
				t.locales[c.Locale] = true
				if err == nil {
					err = t.budget.Keep(16)
				}
				return err
			}
		}
		return err
	})
	if err != nil {
		return err
	}
	const size = 112 // bytes that an entry takes
	if err := t.budget.Keep(size); err != nil {
		return err
	}
	if typ == "string" {
		t.texts, t.ids = append(t.texts, text), append(t.ids, prefix|entry&0xffff)
	}
	t.entries[prefix|entry&0xffff] = s
	return nil
}

// Lookup implements resource.Table.
func (t *Table) Lookup(id uint32) []resource.Item {
	s, ok := t.entries[id]
	if !ok {
		return nil
	}
	if out, known := t.found[id]; known {
		return out
	}
	if t.err != nil {
		return nil
	}
	if t.err = t.budget.Keep(len(s.data)); t.err != nil {
		return nil
	}
	var out []resource.Item
	_ = Fields(s.data, s.at, func(num protowire.Number, b []byte, _ uint64, at int) error {
		if num == 6 {
			if c, v, err := configValue(b, at); err == nil && v.Kind != resource.None {
				out = append(out, resource.Item{Config: c, Value: v})
			}
		}
		return nil
	})
	t.found[id] = out
	return out
}

// Texts implements resource.Table.
func (t *Table) Texts(visit func(id uint32, locale, text string)) {
	for _, id := range t.ids {
		for _, it := range t.Lookup(id) {
			if it.Value.Kind == resource.String {
				visit(id, it.Config.Locale, it.Value.Text)
			}
		}
	}
}

// Style implements resource.Table.
func (t *Table) Style(id uint32) []resource.Style {
	s, ok := t.entries[id]
	if !ok {
		return nil
	}
	if t.err = t.budget.Step(len(s.data)); t.err != nil {
		return nil
	}
	var out []resource.Style
	_ = Fields(s.data, s.at, func(num protowire.Number, b []byte, _ uint64, at int) error {
		if num == 6 {
			if s, ok := style(b, at); ok {
				out = append(out, s)
			}
		}
		return nil
	})
	return out
}

// within visits the messages of one field.
func within(msg []byte, base int, field protowire.Number, visit func(b []byte, at int) error) error {
	return Fields(msg, base, func(num protowire.Number, b []byte, _ uint64, at int) error {
		if num != field {
			return nil
		}
		return visit(b, at)
	})
}

// style reads a ConfigValue (its Value, CompoundValue, Style).
func style(msg []byte, base int) (s resource.Style, ok bool) {
	err := Fields(msg, base, func(num protowire.Number, b []byte, _ uint64, at int) (err error) {
		switch num {
		case 1:
			s.Config, err = config(b, at)
		case 2:
			err = within(b, at, 5, func(b []byte, at int) error {
				return within(b, at, 2, func(b []byte, at int) error {
					ok = true
					return styleBody(&s, b, at)
				})
			})
		}
		return err
	})
	return s, ok && err == nil
}

func styleBody(s *resource.Style, msg []byte, base int) error {
	return Fields(msg, base, func(num protowire.Number, b []byte, _ uint64, at int) (err error) {
		switch num {
		case 1:
			var v resource.Value
			v, err = reference(b, at)
			s.Parent = v.Ref
		case 3:
			var it resource.StyleItem
			err = Fields(b, at, func(num protowire.Number, b []byte, _ uint64, at int) (err error) {
				switch num {
				case 3:
					var v resource.Value
					v, err = reference(b, at)
					it.Attr, it.Name = v.Ref, strings.Replace(v.Name, "attr/", "", 1)
				case 4:
					it.Value, err = item(b, at)
				}
				return err
			})
			s.Items = append(s.Items, it)
		}
		return err
	})
}

// Locales implements resource.Table.
func (t *Table) Locales() []string { return slices.Sorted(maps.Keys(t.locales)) }

// Densities implements resource.Table.
func (t *Table) Densities() []int { return slices.Sorted(maps.Keys(t.density)) }

// Strings implements resource.Table.
func (t *Table) Strings() []resource.Coverage {
	out, err := resource.Cover(t.texts, t.budget)
	if t.err == nil {
		t.err = err
	}
	return out
}

// Orphans implements resource.Table.
func (t *Table) Orphans() []string { return resource.Orphaned(t.texts) }

func configValue(msg []byte, base int) (c resource.Config, v resource.Value, err error) {
	err = Fields(msg, base, func(num protowire.Number, b []byte, _ uint64, at int) (err error) {
		switch num {
		case 1:
			c, err = config(b, at)
		case 2:
			err = Fields(b, at, func(num protowire.Number, b []byte, _ uint64, at int) (err error) {
				if num == 4 {
					v, err = item(b, at)
				}
				return err
			})
		}
		return err
	})
	return c, v, err
}

func config(msg []byte, base int) (c resource.Config, err error) {
	err = Fields(msg, base, func(num protowire.Number, b []byte, n uint64, _ int) error {
		switch num {
		case 3:
			c.Locale = resource.Language(string(b))
		case 16:
			c.Car, c.Television, c.Watch = n == 3, n == 4, n == 6
		case 17:
			c.Night = n == 1
		case 18:
			c.Density = int(uint16(n))
		case 24:
			c.SDK = int(uint16(n))
		case 25: // the product variant does not narrow where a value serves
		default:
			c.Other = c.Other || n != 0
		}
		return nil
	})
	return c, err
}
