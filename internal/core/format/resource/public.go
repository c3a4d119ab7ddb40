package resource

// public names attributes of the platform by their ids, which are part of its public
// interface and never change: tools that shrink a package drop the names, and the platform
// goes by the ids. An attribute without a line here is found by its name alone.
//
// Source: the platform's list of public resources.
var public = map[uint32]string{
	0x01010000: "theme",
	0x01010001: "label",
	0x01010002: "icon",
	0x01010003: "name",
	0x01010006: "permission",
	0x01010007: "readPermission",
	0x01010008: "writePermission",
	0x0101000b: "sharedUserId",
	0x0101000c: "hasCode",
	0x0101000e: "enabled",
	0x0101000f: "debuggable",
	0x01010010: "exported",
	0x01010018: "authorities",
	0x0101001e: "screenOrientation",
	0x01010024: "value",
	0x01010025: "resource",
	0x01010027: "scheme",
	0x01010028: "host",
	0x01010199: "drawable",
	0x010101e1: "title",
	0x01010202: "targetActivity",
	0x0101020c: "minSdkVersion",
	0x0101021b: "versionCode",
	0x0101021c: "versionName",
	0x01010270: "targetSdkVersion",
	0x01010271: "maxSdkVersion",
	0x01010272: "testOnly",
	0x0101027f: "backupAgent",
	0x01010280: "allowBackup",
	0x01010281: "glEsVersion",
	0x01010284: "smallScreens",
	0x01010285: "normalScreens",
	0x01010286: "largeScreens",
	0x0101028e: "required",
	0x010102bf: "xlargeScreens",
	0x01010364: "requiresSmallestWidthDp",
	0x01010365: "compatibleWidthLimitDp",
	0x01010366: "largestWidthLimitDp",
	0x010103f2: "banner",
	0x010103f4: "isGame",
	0x01010404: "fillColor",
	0x01010405: "pathData",
	0x01010406: "strokeColor",
	0x010104ea: "extractNativeLibs",
	0x010104eb: "fullBackupContent",
	0x010104ec: "usesCleartextTraffic",
	0x010104ee: "autoVerify",
	0x010104f6: "resizeableActivity",
	0x01010527: "networkSecurityConfig",
	0x0101052c: "roundIcon",
	0x01010545: "appCategory",
	0x0101055b: "isFeatureSplit",
	0x01010572: "compileSdkVersion",
	0x01010576: "versionCodeMajor",
	0x0101057a: "appComponentFactory",
	0x01010591: "isSplitRequired",
	0x01010599: "foregroundServiceType",
	0x01010603: "requestLegacyExternalStorage",
	0x0101063e: "dataExtractionRules",
	0x01010644: "usesPermissionFlags",
	0x0101069a: "windowOptOutEdgeToEdgeEnforcement",
}

// ids are the ids of the attributes that public names.
var ids = func() map[string]uint32 {
	out := make(map[string]uint32, len(public))
	for id, name := range public {
		out[name] = id
	}
	return out
}()

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

// HasID tells whether an attribute of this name is known by its id.
func HasID(name string) bool { return ids[name] != 0 }

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
