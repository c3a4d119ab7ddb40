package resource

// public names attributes of the platform by their ids, which never change: tools that
// shrink a package drop the names, and the platform goes by the ids. The names are those
// that readers here look for; attributes that are looked up by id need no line.
//
// Source: the platform's list of public resources.
var public = map[uint32]string{
	0x01010000: "theme",
	0x01010001: "label",
	0x01010002: "icon",
	0x01010003: "name",
	0x01010024: "value",
	0x01010025: "resource",
	0x01010199: "drawable",
	0x010101e1: "title",
	0x01010284: "smallScreens",
	0x01010285: "normalScreens",
	0x01010286: "largeScreens",
	0x010102bf: "xlargeScreens",
	0x01010364: "requiresSmallestWidthDp",
	0x01010365: "compatibleWidthLimitDp",
	0x01010366: "largestWidthLimitDp",
	0x01010404: "fillColor",
	0x01010405: "pathData",
	0x01010406: "strokeColor",
	0x010104eb: "fullBackupContent",
	0x0101055b: "isFeatureSplit",
	0x01010591: "isSplitRequired",
	0x0101063e: "dataExtractionRules",
	0x01010644: "usesPermissionFlags",
	0x0101069a: "windowOptOutEdgeToEdgeEnforcement",
}

// Public is the name of a platform attribute; empty for one that has no line here.
func Public(id uint32) string { return public[id] }

// Name gives the attributes below an element the names that belong to their ids.
func Name(e *Element) {
	for i := range e.Attrs {
		if name := public[e.Attrs[i].ID]; name != "" {
			e.Attrs[i].Name = name
		}
	}
	for _, c := range e.Children {
		Name(c)
	}
}

// Nameless tells whether an element has an attribute of the platform of which neither
// name nor meaning is known: what is looked up by name may be there or not.
func (e *Element) Nameless() bool {
	for i := range e.Attrs {
		if a := &e.Attrs[i]; a.Name == "" && a.ID>>16 == 0x0101 {
			return true
		}
	}
	return false
}
