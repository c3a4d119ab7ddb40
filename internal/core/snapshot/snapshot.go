// Package snapshot records what a release is made of: for the ledger, and to hold
// one release against another.
package snapshot

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"path"
	"path/filepath"
	"reflect"
	"slices"
	"strings"

	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/ledger"
	"regola.example/regola/internal/core/submission"
)

// Of records a release. What is not known stays empty. root is the dossier's
// folder, to which the paths of pictures are relative.
func Of(s *submission.Submission, root string) *ledger.Release {
	r := &ledger.Release{Version: s.Version, Channel: s.Channel}
	if s.Form != ledger.Phone {
		r.Form = s.Form
	}
	if s.Pkg != nil {
		pkg(r, s.Pkg)
	}
	if s.Evidence != nil {
		r.Languages = slices.Clone(s.Evidence.Languages)
		for _, x := range s.Evidence.SDKs {
			r.SDKs = append(r.SDKs, x.ID)
			r.Implied = append(r.Implied, x.Data...)
		}
		for _, c := range s.Evidence.Collected {
			r.Implied = append(r.Implied, c.Names[0])
		}
	}
	if s.HasDossier {
		fromDossier(r, s, root)
	}
	for _, list := range []*[]string{&r.Permissions, &r.Features, &r.Components, &r.Modules, &r.Schemes, &r.Entitled, &r.Extensions, &r.Languages, &r.Libraries, &r.SDKs, &r.Implied, &r.Data, &r.Countries} {
		slices.Sort(*list)
		*list = slices.Compact(*list)
	}
	return r
}

func pkg(r *ledger.Release, p *facts.Package) {
	r.ID = p.ID()
	r.Sizes = map[string]int64{"package": p.Size}
	if a := p.Android; a != nil {
		android(r, a)
	}
	if a := p.IOS; a != nil && a.App != nil {
		ios(r, a, p)
	}
}

func android(r *ledger.Release, a *facts.Android) {
	m := &a.Manifest
	if m.VersionCode != nil {
		r.Build = fmt.Sprint(*m.VersionCode)
	}
	if m.MinLevel != nil {
		r.MinLevel = fmt.Sprint(*m.MinLevel)
	}
	if m.TargetLevel != nil {
		r.TargetLevel = *m.TargetLevel
	}
	for _, p := range m.Permissions {
		if p.ImpliedBy == "" {
			r.Permissions = append(r.Permissions, p.Name)
		}
	}
	for _, f := range m.Features {
		if f.Required {
			r.Features = append(r.Features, f.Name)
		}
	}
	for _, c := range m.Components {
		r.Components = append(r.Components, c.Kind+" "+c.Name)
	}
	r.Schemes = slices.Clone(m.DeepLinkHosts)
	if c := a.Signing.Certificate; c != nil {
		r.Certificate = c.Fingerprint
	}
	for _, l := range a.Native.Libraries {
		r.Libraries = append(r.Libraries, l.ABI+"/"+l.Name)
	}
	r.Modules = []string{}
	for _, m := range a.Bundle.Modules {
		if m.Kind != "base" {
			r.Modules = append(r.Modules, m.Kind+" "+m.Name)
		}
	}
	for k, n := range a.Sizes.Parts {
		r.Sizes[k] = n
	}
}

// shared are entitlements whose values are places of data that people keep.
var shared = []string{"com.apple.security.application-groups", "com.apple.developer.icloud-container-identifiers", "keychain-access-groups", "com.apple.developer.associated-domains"}

func ios(r *ledger.Release, a *facts.IOS, p *facts.Package) {
	info := &a.App.Info
	r.Build, r.MinLevel = info.Build, info.MinOS
	r.Schemes = slices.Clone(info.URLSchemes)
	for _, f := range info.Families {
		if name := facts.Families[f]; name != "" {
			r.Families = append(r.Families, name)
		}
	}
	r.Needs = slices.Clone(info.Capabilities)
	r.Purposes = map[string]string{}
	for _, x := range info.Purposes {
		r.Purposes[x.Key] = digest(x.Text)
	}
	if s := a.App.Signature; s != nil {
		r.Team = s.Team
		if s.Signer != nil {
			r.Certificate = s.Signer.Fingerprint
		}
		for _, e := range s.Entitlements {
			if !slices.Contains(shared, e.Key) {
				r.Entitled = append(r.Entitled, e.Key)
				continue
			}
			for _, v := range e.Values {
				r.Entitled = append(r.Entitled, e.Key+" "+v)
			}
		}
	}
	r.Modules, r.Systems = []string{}, map[string]string{}
	for _, n := range a.Nested {
		if n.Info.MinOS != "" && n.Kind != "framework" {
			r.Systems[n.Path] = n.Info.MinOS
		}
		if n.Kind == "app-clip" || n.Kind == "watch-app" {
			r.Modules = append(r.Modules, n.Kind+" "+path.Base(n.Path))
		}
		if n.Info.Point != "" {
			r.Extensions = append(r.Extensions, n.Info.Point)
		}
		if n.Kind == "framework" {
			r.Libraries = append(r.Libraries, path.Base(n.Path))
		}
	}
	for _, f := range p.Files {
		within := strings.TrimPrefix(f.Path, a.Root+"/")
		kind := "other"
		switch top, _, inside := strings.Cut(within, "/"); {
		case within == info.Executable:
			kind = "code"
		case top == "Frameworks" && inside:
			kind = "libraries"
		case top == "PlugIns" && inside, top == "Extensions" && inside:
			kind = "extensions"
		case within == "Assets.car":
			kind = "pictures"
		}
		r.Sizes[kind] += f.Size
	}
}

func fromDossier(r *ledger.Release, s *submission.Submission, root string) {
	if x := s.Release; x != nil {
		r.Share, r.Countries = x.Share, slices.Clone(x.Countries)
		r.First = x.First != nil && *x.First
	}
	if s.App != nil {
		r.Price, r.Category = s.App.Price, slices.Clone(s.App.Category)
	}
	if l := s.Links; l != nil {
		r.Links = map[string]string{}
		eachText(l, func(key, text string) { r.Links[key] = text })
	}
	r.People = map[string]string{}
	for prefix, part := range map[string]any{"contact.": s.Contact, "review.": s.Review, "review.contact.": contactOf(s.Review)} {
		eachText(part, func(key, text string) { r.People[prefix+key] = digest(text) })
	}
	r.Products = map[string]string{}
	for _, p := range s.Products {
		r.Products[p.ID] = strings.TrimSpace(p.Kind + " " + p.Price)
	}
	r.Texts = map[string]string{}
	for _, t := range s.Texts {
		where := t.Locale
		if t.Page != "" {
			where = t.Page + "/" + where
		}
		t.Each(",", func(key, text string) {
			if text != "" {
				r.Texts[where+"/"+key] = digest(text)
			}
		})
	}
	if s.Pictures != nil {
		r.Pictures = map[string]string{}
		for _, p := range s.Pictures.All {
			name, err := filepath.Rel(root, p.Picture.Path)
			if err != nil {
				name = p.File
			}
			r.Pictures[filepath.ToSlash(name)] = fmt.Sprintf("%d bytes, %d x %d", p.Bytes, p.Width, p.Height)
		}
	}
	if s.Answers != nil {
		r.Answers = map[string]string{}
		flatten(reflect.ValueOf(s.Answers).Elem(), "answers", r.Answers)
		for _, d := range s.Answers.Data {
			r.Data = append(r.Data, d.Kind)
		}
	}
}

// flatten writes answers as texts, by their paths. The one that is left out is not
// there.
func flatten(v reflect.Value, path string, out map[string]string) {
	switch v.Kind() {
	case reflect.Pointer:
		if !v.IsNil() {
			flatten(v.Elem(), path, out)
		}
	case reflect.Struct:
		if d, ok := v.Interface().(fmt.Stringer); ok && v.Type().PkgPath() != reflect.TypeFor[dossier.Answers]().PkgPath() {
			out[path] = d.String()
			return
		}
		for i := range v.NumField() {
			if name := fact.FieldName(v.Type().Field(i)); name != "" {
				flatten(v.Field(i), path+"."+name, out)
			}
		}
	case reflect.Map:
		for _, k := range v.MapKeys() {
			flatten(v.MapIndex(k), path+"."+k.String(), out)
		}
	case reflect.Slice:
		if v.IsNil() {
			return
		}
		if v.Type().Elem().Kind() == reflect.String {
			var words []string
			for i := range v.Len() {
				words = append(words, v.Index(i).String())
			}
			out[path] = "[" + strings.Join(words, ", ") + "]"
			return
		}
		for i := range v.Len() {
			key := fmt.Sprint(i)
			switch x := v.Index(i).Interface().(type) {
			case *dossier.Data:
				key = x.Kind
			case *dossier.Restricted:
				key = x.Use
			}
			flatten(v.Index(i), path+"."+key, out)
		}
	case reflect.String:
		if v.String() != "" {
			out[path] = v.String()
		}
	case reflect.Bool, reflect.Int64:
		out[path] = fmt.Sprint(v.Interface())
	}
}

// digest is what tells a text from another: sixteen digits of its SHA-256.
func digest(s string) string {
	sum := sha256.Sum256([]byte(s))
	return hex.EncodeToString(sum[:8])
}

// contactOf is whom the reviewer may call; nil where nothing is said of the review.
func contactOf(r *dossier.Review) *dossier.ReviewContact {
	if r == nil {
		return nil
	}
	return &r.Contact
}

// eachText visits the texts of a struct that are not empty, by their names; part is a
// pointer, and may be nil.
func eachText(part any, visit func(key, text string)) {
	v := reflect.ValueOf(part)
	if v.IsNil() {
		return
	}
	v = v.Elem()
	for i := range v.NumField() {
		if name := fact.FieldName(v.Type().Field(i)); name != "" && v.Field(i).Kind() == reflect.String && v.Field(i).String() != "" {
			visit(name, v.Field(i).String())
		}
	}
}
