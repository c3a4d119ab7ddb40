package evidence

import (
	"slices"
	"strings"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/signs"
	"regola.example/regola/internal/core/tables"
)

// Function is something that the package can do, as far as declarations ask
// about it, with one sign of it.
type Function struct {
	fact.Mark  `json:"-"`
	ID         string `json:"id"`
	What       string `json:"what"`
	Sign       string `json:"sign"`       // what was seen
	Path       string `json:"path"`       // how it was found: permission, component, code, entitlement, property list, file, text
	Confidence string `json:"confidence"` // that the sign means the function
	Guess      bool   `json:"guess"`      // names alone show it, which could be the app's own
}

// Data is a kind of data that something in the package points to.
type Data struct {
	fact.Mark  `json:"-"`
	Kind       string   `json:"kind"`
	By         string   `json:"by"`         // app, or the identifier of third-party code
	Sign       string   `json:"sign"`       // what was seen
	Path       string   `json:"path"`       // how it was found: code, permission, property list, privacy manifest
	Access     bool     `json:"access"`     // it opens access on the device; whether anything leaves it is not known
	Tracking   bool     `json:"tracking"`   // it is used for tracking
	Purposes   []string `json:"purposes"`   // as far as known
	Confidence string   `json:"confidence"` // that this data leaves the device
}

// mostSigns bounds how many signs of one function are listed.
const mostSigns = 8

// functions looks for the signs of what a package can do.
func (e *Evidence) functions(pkg *facts.Package, t *tables.Set, code *signs.Index) {
	if g := fact.GapOf(e, &e.SDKs); g != nil {
		fact.Lose(e, &e.Functions, *g)
		fact.Lose(e, &e.Data, *g)
	}
	var m *facts.Manifest
	if pkg.Android != nil {
		m = &pkg.Android.Manifest
	}
	var app *facts.Bundle
	if pkg.IOS != nil {
		app = pkg.IOS.App
	}
	for _, row := range t.FunctionSigns {
		n := 0
		add := func(sign, path string, guess bool, at place.Place) {
			if n++; n > mostSigns {
				return
			}
			f := &Function{ID: row.ID, What: row.What, Sign: sign, Path: path, Confidence: row.Confidence, Guess: guess}
			f.SetSelf(at)
			e.Functions = append(e.Functions, f)
		}
		for _, s := range e.SDKs {
			if slices.Contains(row.SDKKinds, s.Kind) {
				add(s.ID+" ("+s.Seen+")", "code", s.ByName, s.Self())
			}
		}
		if m != nil {
			e.androidFunction(row, pkg, m, add)
		}
		if app != nil {
			iosFunction(row, app, code, add)
		}
		if row.Files != "" {
			for _, f := range pkg.Files {
				if row.Files.Match(f.Path) {
					add("file "+f.Path, "file", true, f.Self())
				}
			}
		}
	}
}

func (e *Evidence) androidFunction(row *tables.FunctionSign, pkg *facts.Package, m *facts.Manifest, add func(sign, path string, guess bool, at place.Place)) {
	for _, p := range m.Permissions {
		if slices.Contains(row.Permissions, p.Name) || slices.ContainsFunc(row.PermissionPrefixes, func(s string) bool { return strings.HasPrefix(p.Name, s) }) {
			sign := "permission " + p.Name
			if by := e.Brought[p.Name]; by != "" {
				sign += ", which " + by + " brings"
			}
			add(sign, "permission", false, p.Self())
		}
	}
	for _, c := range m.Components {
		if c.Enabled && c.Kind == "service" && c.Permission != "" && slices.Contains(row.Services, c.Permission) {
			add("service "+c.Name, "component", false, c.Self())
		}
		for _, x := range c.Categories {
			if slices.Contains(row.Categories, x) {
				add(c.Kind+" "+c.Name+" with the category "+x, "component", false, c.Self())
			}
		}
	}
	for _, d := range m.MetaData {
		if slices.Contains(row.Metadata, d.Name) {
			add("meta-data "+d.Name, "component", false, d.Self())
		}
	}
	if c := pkg.Android.Code; c != nil {
		for _, name := range row.AndroidClasses {
			if c.Defines(name) {
				add("class "+name, "code", true, c.Self())
			}
		}
	}
}

func iosFunction(row *tables.FunctionSign, app *facts.Bundle, code *signs.Index, add func(sign, path string, guess bool, at place.Place)) {
	if app.Signature != nil {
		for _, x := range app.Signature.Entitlements {
			if slices.Contains(row.Entitlements, x.Key) {
				add("entitlement "+x.Key, "entitlement", false, x.Self())
			}
		}
	}
	for _, mode := range app.Info.BackgroundModes {
		if slices.Contains(row.Modes, mode) {
			add("background mode "+mode, "property list", false, fact.PlaceOf(&app.Info, &app.Info.BackgroundModes))
		}
	}
	for _, key := range app.Info.Keys {
		if slices.Contains(row.Keys, key) {
			add(key, "property list", false, fact.PlaceOf(&app.Info, &app.Info.Keys))
		}
	}
	if code == nil {
		return
	}
	for _, c := range code.Codes {
		if s := c.Match(row.Signs); s != "" {
			add(s, "code", false, c.Bundle.Self())
		}
		if row.Texts == "" {
			continue
		}
		for _, text := range c.Bundle.Code.Literals {
			if row.Texts.Match(text) {
				add(text, "text", true, c.Bundle.Self())
			}
		}
	}
}

// data gathers what in a package points to which kinds of data. What a permission
// or a purpose string opens is access, no collection.
func (e *Evidence) data(pkg *facts.Package, t *tables.Set) {
	add := func(d Data, at place.Place) {
		d.SetSelf(at)
		e.Data = append(e.Data, &d)
	}
	for _, s := range e.SDKs {
		confidence := "medium"
		if s.ByName {
			confidence = "low"
		}
		for _, kind := range s.Data {
			add(Data{Kind: kind, By: s.ID, Sign: s.Seen, Path: "code", Tracking: s.Tracking, Purposes: t.KindPurposes[s.Kind], Confidence: confidence}, s.Self())
		}
	}
	for _, c := range e.Collected {
		for _, b := range c.Bundles {
			by := "app"
			if b != "." {
				by = b
			}
			kind := c.Names[0]
			if n := t.DataNames[c.Type]; n != "" {
				kind = n
			}
			var purposes []string
			for _, p := range c.Purposes {
				name := t.DataNames[p]
				if name == "" {
					name = c.PurposeNames[p][0]
				}
				purposes = append(purposes, name)
			}
			add(Data{Kind: kind, By: by, Sign: c.Type, Path: "privacy manifest", Tracking: c.Tracking, Purposes: purposes, Confidence: "high"}, c.Self())
		}
	}
	if pkg.Android != nil {
		for _, p := range pkg.Android.Manifest.Permissions {
			row := t.Permissions[p.Name]
			if row == nil {
				continue
			}
			by := "app"
			if sdk := e.Brought[p.Name]; sdk != "" {
				by = sdk
			}
			for _, kind := range row.DataTypes {
				add(Data{Kind: kind, By: by, Sign: "permission " + strings.TrimPrefix(p.Name, "android.permission."), Path: "permission", Access: true, Confidence: "low"}, p.Self())
			}
		}
	}
	if pkg.IOS != nil && pkg.IOS.App != nil {
		for _, p := range pkg.IOS.App.Info.Purposes {
			for _, kind := range t.PurposeData[p.Key] {
				add(Data{Kind: kind, By: "app", Sign: p.Key, Path: "property list", Access: true, Confidence: "low"}, p.Self())
			}
		}
	}
}
