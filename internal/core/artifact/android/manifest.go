package android

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/format/resource"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/textual"
)

// base decodes the manifest of the base, and adds what does not follow from one attribute
// alone.
func (r *reader) base(m *resource.Element, doc place.Place) {
	o := &r.out.Manifest
	r.decode(o, node{m, "manifest"}, doc, true)
	r.levels(m, doc)
	r.reach(o, m, doc)
	app := m.Child("application")
	if app == nil {
		o.HasCode, o.AllowBackup, o.ExtractNative = false, false, false
		return
	}
	// A class of the system needs no definition.
	o.Classes = slices.DeleteFunc(o.Classes, func(name string) bool { return name == "" || strings.HasPrefix(name, "android.app.") })
	// Unencrypted traffic is allowed by default up to target level 27; a network security
	// configuration takes the attribute's place.
	if app.Attr("usesCleartextTraffic") == nil {
		o.Cleartext = o.TargetLevel != nil && *o.TargetLevel <= 27
	}
	r.network(app)
	category, _, said := r.number(app.Attr("appCategory"))
	o.Game = said && category == 0
	if a := app.Attr("isGame"); a != nil && !o.Game {
		o.Game, _ = r.bool("isGame", a)
	}
	r.label(app, doc)
	r.icon(app, doc)
	r.theme(app, doc, "application")
	r.components(o.Components, app, doc)
}

// levels fills in what API levels mean that are not declared.
func (r *reader) levels(m *resource.Element, doc place.Place) {
	o := &r.out.Manifest
	if o.Split != "" && m.Child("uses-sdk") == nil {
		gap := fact.Missing("a split is no app of its own; its base tells this")
		o.MinLevel, o.TargetLevel = nil, nil
		fact.Lose(o, &o.MinLevel, gap)
		fact.Lose(o, &o.TargetLevel, gap)
		return
	}
	switch why := fact.ReasonOf(o, &o.MinLevel); {
	case o.TargetLevel != nil || fact.ReasonOf(o, &o.TargetLevel) != "":
	case why != "":
		fact.Lose(o, &o.TargetLevel, fact.Unread(why))
	default:
		o.TargetLevel = o.MinLevel
	}
}

// reach adds what decides on which devices the app is offered.
func (r *reader) reach(o *facts.Manifest, m *resource.Element, doc place.Place) {
	// A feature without a name says which OpenGL ES is needed.
	var named []*facts.Feature
	for i, e := range m.All("uses-feature") {
		if n, _, ok := r.number(e.Attr("glEsVersion")); ok && o.Features[i].Name == "" {
			o.GLES = fmt.Sprintf("%d.%d", n>>16, n&0xffff)
			fact.Put(o, &o.GLES, key(doc, "uses-feature", "glEsVersion", e.Offset))
			continue
		}
		named = append(named, o.Features[i])
	}
	o.Features = named
	for _, e := range m.Children {
		switch e.Name {
		case "supports-screens", "compatible-screens":
			r.screens(o, e, doc)
		case "queries":
			for _, q := range e.All("intent") {
				o.QueriesBroad = o.QueriesBroad || r.broad(q)
			}
			fact.Put(o, &o.QueriesBroad, key(doc, "queries", "", e.Offset))
		}
	}
}

// feature adds what a module of a bundle asks for to the base's lists.
func (r *reader) feature(manifest *resource.Element, doc place.Place, module string) {
	m, o := &facts.Manifest{}, &r.out.Manifest
	r.decode(m, node{manifest, "manifest"}, doc, false)
	r.reach(m, manifest, doc)
	for _, p := range m.Permissions {
		p.Module = module
	}
	for _, c := range m.Components {
		c.Module = module
	}
	o.Permissions = append(o.Permissions, m.Permissions...)
	o.Features = append(o.Features, m.Features...)
	o.GLES = cmp.Or(m.GLES, o.GLES)
	o.DefinedPermissions = append(o.DefinedPermissions, m.DefinedPermissions...)
	o.GLTextures = append(o.GLTextures, m.GLTextures...)
	o.ExcludedScreens = append(o.ExcludedScreens, m.ExcludedScreens...)
	o.Queries = append(o.Queries, m.Queries...)
	o.QueriesBroad = o.QueriesBroad || m.QueriesBroad
	o.Components = append(o.Components, m.Components...)
	if app := manifest.Child("application"); app != nil {
		r.components(m.Components, app, doc)
	}
}

// broad tells whether a queried intent is one that nearly every app answers:
// any action, or the one that starts an app.
func (r *reader) broad(intent *resource.Element) bool {
	any, narrow := false, false
	for _, c := range intent.Children {
		name := r.string(c.Attr("name"))
		switch {
		case c.Name == "action" && (name == "*" || name == "android.intent.action.MAIN"):
			any = true
		case c.Name == "category" && (name == "android.intent.category.LAUNCHER" || name == "android.intent.category.INFO"):
		default:
			narrow = true // another action, category, or data
		}
	}
	return any && !narrow
}

// implied adds the permissions that the system grants together with those that
// are asked for, by the platform's documentation of their history.
func (r *reader) implied() {
	m := &r.out.Manifest
	if m.TargetLevel == nil {
		return
	}
	has := func(name string) bool {
		return slices.ContainsFunc(m.Permissions, func(q *facts.Permission) bool { return q.Name == name })
	}
	for _, name := range []string{"android.permission.WRITE_EXTERNAL_STORAGE", "android.permission.READ_PHONE_STATE"} {
		if *m.TargetLevel < donutLevel && !has(name) { // what was free before that level is granted to older programs
			q := &facts.Permission{Name: name, ImpliedBy: "target level " + strconv.FormatInt(*m.TargetLevel, 10)}
			q.SetSelf(m.Self())
			m.Permissions = append(m.Permissions, q)
		}
	}
	for _, p := range slices.Clone(m.Permissions) {
		for _, i := range impliedPermissions {
			if p.Name != i.by || i.below > 0 && *m.TargetLevel >= i.below || has(i.adds) {
				continue
			}
			q := &facts.Permission{Name: i.adds, MaxLevel: p.MaxLevel, ImpliedBy: p.Name, Module: p.Module}
			q.SetSelf(p.Self())
			m.Permissions = append(m.Permissions, q)
		}
	}
}

// donutLevel is the level with which writing to the shared storage and the phone's state
// became permissions.
const donutLevel = 4

// impliedPermissions says which permission adds which, below a target level
// or, with 0, at every.
var impliedPermissions = []struct {
	by, adds string
	below    int64
}{
	{"android.permission.WRITE_EXTERNAL_STORAGE", "android.permission.READ_EXTERNAL_STORAGE", 0},
	{"android.permission.READ_CONTACTS", "android.permission.READ_CALL_LOG", 16},
	{"android.permission.WRITE_CONTACTS", "android.permission.WRITE_CALL_LOG", 16},
}

// screens reads which screen classes the manifest excludes.
func (r *reader) screens(o *facts.Manifest, e *resource.Element, doc place.Place) {
	fact.Put(o, &o.ExcludedScreens, key(doc, e.Name, "", e.Offset))
	if e.Name == "compatible-screens" {
		o.ExcludedScreens = append(o.ExcludedScreens, "all that compatible-screens does not list")
		return
	}
	for _, name := range []string{"smallScreens", "normalScreens", "largeScreens", "xlargeScreens"} {
		if a := e.Attr(name); a != nil && a.Value.AsString() == "false" {
			o.ExcludedScreens = append(o.ExcludedScreens, strings.TrimSuffix(name, "Screens"))
		}
	}
}

// network reads the network security configuration.
func (r *reader) network(app *resource.Element) {
	o := r.out
	if _, ok := r.literal(app.Attr("networkSecurityConfig")); !ok {
		return
	}
	name := r.root + o.Manifest.NetworkConfig
	n := &facts.Network{Cleartext: o.Manifest.TargetLevel != nil && *o.Manifest.TargetLevel <= 27}
	n.SetSelf(place.Place{File: r.file, Entry: name})
	data, err := r.tree.Read(name, maxManifest)
	var root *resource.Element
	if err == nil {
		root, err = r.xml(data)
	}
	if err != nil {
		fact.Lose(&o.Manifest, &o.Manifest.Network, fact.Unread(name+" cannot be read: "+err.Error()))
		fact.Lose(&o.Manifest, &o.Manifest.Cleartext, fact.Unread(name+" cannot be read: "+err.Error()))
		return
	}
	userTrusted := func(e *resource.Element) bool {
		anchors := e.Child("trust-anchors")
		if anchors == nil {
			return false
		}
		for _, c := range anchors.All("certificates") {
			if r.plainText(c, "src") == "user" {
				return true
			}
		}
		return false
	}
	if base := root.Child("base-config"); base != nil {
		if said := r.plainText(base, "cleartextTrafficPermitted"); said != "" {
			n.Cleartext = said == "true"
		}
		n.UserTrusted = userTrusted(base)
	}
	var domains func(e *resource.Element)
	domains = func(e *resource.Element) {
		for _, d := range e.All("domain-config") {
			if r.plainText(d, "cleartextTrafficPermitted") == "true" {
				for _, h := range d.All("domain") {
					n.Hosts = append(n.Hosts, h.Text)
				}
			}
			n.UserTrusted = n.UserTrusted || userTrusted(d)
			domains(d)
		}
	}
	domains(root)
	o.Manifest.Network, o.Manifest.Cleartext = n, n.Cleartext
	fact.Put(&o.Manifest, &o.Manifest.Cleartext, n.Self())
}

// plainText is an attribute's value as a text, found by its name.
func (r *reader) plainText(e *resource.Element, name string) string {
	v, _ := r.literal(e.Attr(name))
	return v.AsString()
}

// components adds to the components of an application element what does not follow from
// one attribute alone.
func (r *reader) components(list []*facts.Component, app *resource.Element, doc place.Place) {
	i := 0
	for _, e := range app.Children {
		switch e.Name {
		case "activity", "activity-alias", "service", "receiver", "provider":
			r.component(e, list[i])
			r.theme(e, doc, "application/"+e.Name+" "+r.string(e.Attr("name")))
			i++
		}
	}
}

func (r *reader) component(e *resource.Element, c *facts.Component) {
	if !c.ExportedDeclared {
		c.Exported = c.Filtered
	}
	for _, p := range e.All("property") {
		if r.string(p.Attr("name")) == "android.app.PROPERTY_SPECIAL_USE_FGS_SUBTYPE" {
			c.SpecialUse = r.string(p.Attr("value"))
		}
	}
	for _, f := range e.All("intent-filter") {
		r.filter(c, f)
	}
}

// placeholders looks through every attribute of the manifest.
func (r *reader) placeholders(e *resource.Element, at place.Place) {
	for i := range e.Attrs {
		a := &e.Attrs[i]
		if a.Value.Kind == resource.String && textual.IsUnfilled(a.Value.Text) {
			m := &facts.MetaData{Name: e.Name + "@" + a.Name, Value: a.Value.Text}
			m.SetSelf(key(at, e.Name, a.Name, a.Offset))
			r.out.Manifest.Placeholders = append(r.out.Manifest.Placeholders, m)
		}
	}
	for _, c := range e.Children {
		r.placeholders(c, at)
	}
}

// filter reads one intent filter of a component.
func (r *reader) filter(c *facts.Component, f *resource.Element) {
	starts, kind := false, ""
	web := false
	needs := map[string]bool{"android.intent.action.VIEW": true, "android.intent.category.BROWSABLE": true, "android.intent.category.DEFAULT": true}
	var hosts []string
	for _, part := range f.Children {
		name := r.string(part.Attr("name"))
		delete(needs, name)
		switch part.Name {
		case "action":
			starts = starts || name == "android.intent.action.MAIN"
		case "category":
			switch name {
			case "android.intent.category.LAUNCHER":
				kind = "phone"
			case "android.intent.category.LEANBACK_LAUNCHER":
				if kind == "" {
					kind = "television"
				}
			}
		case "data":
			if s := r.string(part.Attr("scheme")); s == "http" || s == "https" {
				web = true
			}
			if host := r.string(part.Attr("host")); host != "" {
				hosts = append(hosts, host)
			}
		}
	}
	if starts && kind != "" && c.Enabled && c.Exported && (r.out.Manifest.Launcher == "" || r.out.Manifest.LauncherKind == "television" && kind == "phone") {
		r.out.Manifest.Launcher, r.out.Manifest.LauncherKind = c.Name, kind
		fact.Put(&r.out.Manifest, &r.out.Manifest.Launcher, c.Self())
	}
	if web {
		for _, h := range hosts {
			if !r.hosts[h] {
				if r.hosts == nil {
					r.hosts = map[string]bool{}
				}
				r.hosts[h] = true
				r.out.Manifest.DeepLinkHosts = append(r.out.Manifest.DeepLinkHosts, h)
			}
		}
		if a := f.Attr("autoVerify"); a != nil {
			verify, _ := r.bool("autoVerify", a)
			r.out.Manifest.AutoVerify = r.out.Manifest.AutoVerify || verify
			if verify && c.Enabled && len(needs) > 0 {
				x := &facts.LinkFault{Component: c.Name, Lacks: slices.Sorted(maps.Keys(needs))}
				x.SetSelf(c.Self())
				r.out.Manifest.UnverifiedLinks = append(r.out.Manifest.UnverifiedLinks, x)
			}
		}
	}
}

// class completes a class name that the manifest gives relative to the package.
func (r *reader) class(name string) string {
	switch {
	case strings.HasPrefix(name, "."):
		return r.out.Manifest.ID + name
	case name != "" && !strings.Contains(name, "."):
		return r.out.Manifest.ID + "." + name
	}
	return name
}
