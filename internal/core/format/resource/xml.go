package resource

// AndroidNS is the namespace of the platform's attributes.
const AndroidNS = "http://schemas.android.com/apk/res/android"

// MaxXMLDepth bounds how deep elements nest. The platform's own parser stops
// far earlier than this.
const MaxXMLDepth = 256

// Element is one XML element of a compiled document.
type Element struct {
	NS, Name string
	Attrs    []Attr
	Children []*Element
	Text     string // character data directly inside
	Line     int    // in the source document, 0 when unknown
	Offset   int64  // of the element in the compiled file, in bytes
}

// Attr is one attribute. Shrinkers drop the name of platform attributes and
// keep the id, so look attributes up with Element.Attr.
type Attr struct {
	NS, Name string
	ID       uint32 // resource id of the attribute, 0 when it has none
	Value    Value
	Offset   int64
}

// Attr finds an attribute of the platform: by its id where that is known, or else by its
// name.
func (e *Element) Attr(name string) *Attr {
	id := ids[name]
	for i := range e.Attrs {
		a := &e.Attrs[i]
		if id != 0 && a.ID == id {
			return a
		}
		if a.Name == name && (a.ID == 0 || id == 0) && (a.NS == AndroidNS || a.NS == "") {
			return a
		}
	}
	return nil
}

// Named finds an attribute by its name in any namespace.
func (e *Element) Named(name string) *Attr {
	for i := range e.Attrs {
		if e.Attrs[i].Name == name {
			return &e.Attrs[i]
		}
	}
	return nil
}

// Plain finds an attribute without a namespace, such as the manifest's package.
func (e *Element) Plain(name string) *Attr {
	for i := range e.Attrs {
		if a := &e.Attrs[i]; a.NS == "" && a.ID == 0 && a.Name == name {
			return a
		}
	}
	return nil
}

// Child is the first child of that name, or nil.
func (e *Element) Child(name string) *Element {
	for _, c := range e.Children {
		if c.Name == name {
			return c
		}
	}
	return nil
}

// All lists the children of that name.
func (e *Element) All(name string) []*Element {
	var out []*Element
	for _, c := range e.Children {
		if c.Name == name {
			out = append(out, c)
		}
	}
	return out
}
