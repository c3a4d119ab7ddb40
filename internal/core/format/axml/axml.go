// Package axml reads Android's compiled binary XML, as found in APKs: the
// manifest and the XML resources.
//
// Source of the format: the platform's description of XML chunks (struct
// ResXMLTree_node and its kin in ResourceTypes.h of the Android Open Source
// Project).
package axml

import (
	"encoding/binary"

	"regola.example/regola/internal/core/budget"
	"regola.example/regola/internal/core/format"
	"regola.example/regola/internal/core/format/resource"
)

// Is reports whether data begins like a compiled XML document.
func Is(data []byte) bool {
	return len(data) >= 8 && binary.LittleEndian.Uint16(data) == resource.ChunkXML && binary.LittleEndian.Uint16(data[2:]) == 8
}

// Parse reads a document and returns its root element. Chunks it does not know
// are skipped, as the platform does. Errors are *format.Damaged.
// One that takes more work or memory than its size is worth gives a
// *budget.Spent.
func Parse(data []byte, b *budget.Budget) (*resource.Element, error) {
	if !Is(data) {
		return nil, format.Damagedf(0, "not a compiled XML document")
	}
	doc, err := resource.NextChunk(data, 0)
	if err != nil {
		return nil, err
	}
	p := &parser{budget: b.Part(len(data))}
	for at := len(doc.Header); at < len(doc.Data); {
		c, err := resource.NextChunk(doc.Data, at)
		if err != nil {
			return nil, err
		}
		if err := p.chunk(c); err != nil {
			return nil, err
		}
		at += len(c.Data)
	}
	if err := p.pool.Err(); err != nil {
		return nil, err
	}
	if p.root == nil {
		return nil, format.Damagedf(0, "the document has no element")
	}
	if len(p.open) > 0 {
		return nil, format.Damagedf(len(doc.Data), "the element %q is not closed", p.open[len(p.open)-1].Name)
	}
	return p.root, nil
}

type parser struct {
	pool   *resource.Pool
	ids    []byte // 4 bytes a string of the pool: the attribute's resource id
	root   *resource.Element
	open   []*resource.Element
	text   [][]byte // character data inside each open element
	budget *budget.Budget
}

func (p *parser) chunk(c resource.Chunk) (err error) {
	switch c.Type {
	case resource.ChunkStringPool:
		if p.pool == nil {
			p.pool, err = resource.ParsePool(c, p.budget)
		}
	case resource.ChunkResourceMap:
		p.ids = c.Body()
	case resource.ChunkElement:
		return p.element(c)
	case resource.ChunkText:
		if body := c.Body(); len(p.open) > 0 && len(body) >= 4 {
			text, _ := p.pool.String(binary.LittleEndian.Uint32(body))
			if err := p.budget.Keep(len(text)); err != nil {
				return err
			}
			p.text[len(p.text)-1] = append(p.text[len(p.text)-1], text...)
		}
	case resource.ChunkElementEnd:
		if len(p.open) == 0 {
			return format.Damagedf(c.Offset, "an element ends that never began")
		}
		last := len(p.open) - 1
		p.open[last].Text = string(p.text[last])
		p.open, p.text = p.open[:last], p.text[:last]
	}
	return err
}

// element reads struct ResXMLTree_attrExt and the attributes behind it.
func (p *parser) element(c resource.Chunk) error {
	le := binary.LittleEndian
	body := c.Body()
	if len(body) < 20 {
		return format.Damagedf(c.Offset, "element chunk with %d bytes, 20 expected", len(body))
	}
	if len(p.open) >= resource.MaxXMLDepth {
		return format.Damagedf(c.Offset, "elements nest deeper than %d", resource.MaxXMLDepth)
	}
	e := &resource.Element{Offset: int64(c.Offset)}
	if len(c.Header) >= 12 {
		e.Line = int(le.Uint32(c.Header[8:]))
	}
	e.NS, _ = p.pool.String(le.Uint32(body))
	e.Name, _ = p.pool.String(le.Uint32(body[4:]))
	start, size, count := int(le.Uint16(body[8:])), int(le.Uint16(body[10:])), int(le.Uint16(body[12:]))
	if count > 0 && (size < 20 || start+size*count > len(body)) {
		return format.Damagedf(c.Offset, "element %q claims %d attributes of %d bytes, more than fit", e.Name, count, size)
	}
	const element, attribute = 160, 144 // bytes that each takes
	if err := p.budget.Keep(element + attribute*count); err != nil {
		return err
	}
	e.Attrs = make([]resource.Attr, count)
	for i := range e.Attrs {
		at := start + i*size
		e.Attrs[i] = p.attribute(body[at:at+size], int64(c.Offset+len(c.Header)+at))
	}
	switch {
	case len(p.open) > 0:
		parent := p.open[len(p.open)-1]
		parent.Children = append(parent.Children, e)
	case p.root == nil:
		p.root = e
	}
	p.open, p.text = append(p.open, e), append(p.text, nil)
	return nil
}

func (p *parser) attribute(b []byte, offset int64) resource.Attr {
	le := binary.LittleEndian
	a := resource.Attr{Offset: offset}
	a.NS, _ = p.pool.String(le.Uint32(b))
	name := le.Uint32(b[4:])
	a.Name, _ = p.pool.String(name)
	if int64(name)*4+4 <= int64(len(p.ids)) {
		a.ID = le.Uint32(p.ids[name*4:])
	}
	a.Value = resource.BinaryValue(b[15], le.Uint32(b[16:]), p.pool)
	if a.Value.Kind == resource.Other {
		// A literal that the compiler could not type keeps its text.
		if raw, ok := p.pool.String(le.Uint32(b[8:])); ok {
			a.Value = resource.Value{Kind: resource.String, Text: raw}
		}
	}
	return a
}
