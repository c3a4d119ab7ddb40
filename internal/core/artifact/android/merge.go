package android

import (
	"fmt"
	"maps"
	"slices"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/place"
)

// Merge adds splits to their base, so that the set is judged as one package.
// Every merged fact keeps the place in the split that it came from. A split
// that does not fit says in what.
func Merge(base *facts.Package, splits []*facts.Package) {
	b := base.Android
	seen := map[string]string{}
	for _, p := range splits {
		s := p.Android
		f := &facts.Split{Name: s.Manifest.Split, File: p.File}
		f.SetSelf(place.Place{File: p.File})
		f.Faults = misfits(b, s)
		if other, twice := seen[s.Manifest.Split]; twice {
			f.Faults = append(f.Faults, "the same split is given as "+other)
		}
		seen[s.Manifest.Split] = p.File
		b.Splits = append(b.Splits, f)
		base.Size += p.Size
		base.Entries += p.Entries
		base.Files = append(base.Files, p.Files...)
		mergeContents(b, s)
	}
}

// misfits lists in what a split does not fit its base.
func misfits(b, s *facts.Android) []string {
	var out []string
	if s.Manifest.ID != b.Manifest.ID {
		out = append(out, fmt.Sprintf("it belongs to %s and the base is %s", s.Manifest.ID, b.Manifest.ID))
	}
	if s.Manifest.VersionCode != nil && b.Manifest.VersionCode != nil && *s.Manifest.VersionCode != *b.Manifest.VersionCode {
		out = append(out, fmt.Sprintf("it has version code %d and the base %d", *s.Manifest.VersionCode, *b.Manifest.VersionCode))
	}
	sc, bc := s.Signing.Certificate, b.Signing.Certificate
	switch {
	case (sc == nil) != (bc == nil):
		out = append(out, "one of the two is signed and the other is not")
	case sc != nil && sc.Fingerprint != bc.Fingerprint:
		out = append(out, "it is signed by "+sc.Subject+" and the base by "+bc.Subject)
	}
	return out
}

// mergeContents adds what a split brings to the base's facts.
func mergeContents(b, s *facts.Android) {
	for _, a := range s.Native.Architectures {
		i := slices.IndexFunc(b.Native.Architectures, func(o *facts.ABI) bool { return o.Name == a.Name })
		if i < 0 {
			b.Native.Architectures = append(b.Native.Architectures, a)
		} else {
			b.Native.Architectures[i].Libraries = append(b.Native.Architectures[i].Libraries, a.Libraries...)
		}
	}
	b.Native.Libraries = append(b.Native.Libraries, s.Native.Libraries...)
	for _, d := range s.Code.Dex {
		d.Module = s.Manifest.Split
		b.Code.Dex = append(b.Code.Dex, d)
	}
	for _, l := range s.Resources.Locales {
		if !slices.Contains(b.Resources.Locales, l) {
			b.Resources.Locales = append(b.Resources.Locales, l)
		}
	}
	slices.Sort(b.Resources.Locales)
	b.Resources.Strings = append(b.Resources.Strings, s.Resources.Strings...)
	if l := b.Resources.Label; l != nil && b.Resources.LabelID != 0 {
		for locale, text := range s.Resources.ByID[b.Resources.LabelID] {
			if l.Locales == nil {
				l.Locales = map[string]string{}
			}
			l.Locales[locale] = text
		}
	}
	s.Resources.ByID = nil
	for _, d := range s.Resources.Densities {
		if !slices.Contains(b.Resources.Densities, d) {
			b.Resources.Densities = append(b.Resources.Densities, d)
		}
	}
	for _, p := range s.Manifest.Permissions {
		p.Module = s.Manifest.Split
		b.Manifest.Permissions = append(b.Manifest.Permissions, p)
	}
	for _, c := range s.Manifest.Components {
		c.Module = s.Manifest.Split
		b.Manifest.Components = append(b.Manifest.Components, c)
	}
	b.Signing.Faults = append(b.Signing.Faults, s.Signing.Faults...)
	if s.Archive != nil && b.Archive != nil {
		b.Archive.Faults = append(b.Archive.Faults, s.Archive.Faults...)
		b.Archive.Unaligned = append(b.Archive.Unaligned, s.Archive.Unaligned...)
	}
	for k, n := range s.Sizes.Parts {
		b.Sizes.Parts[k] += n
	}
	b.Sizes.Download += s.Sizes.Download
	if b.Code != nil && s.Code != nil {
		if len(s.Code.Dex) > 0 {
			fact.Lose(b.Code, &b.Code.Missing, fact.Unread("code lies in several splits, which are not joined class by class"))
			if g := s.Code.Gone(); g != nil {
				fact.LoseAll(b.Code, *g, &b.Code.Files, &b.Code.Dex, &b.Code.LibraryVersions)
			}
		}
		b.Code.Classes += s.Code.Classes
		b.Code.Methods += s.Code.Methods
		b.Code.Compilers = append(b.Code.Compilers, s.Code.Compilers...)
		for k, n := range s.Code.Packages {
			b.Code.Packages[k] += n
		}
		maps.Copy(b.Code.Defined, s.Code.Defined)
		for k, from := range s.Code.Calls {
			b.Code.Calls[k] = join(b.Code.Calls[k], from)
		}
	}
}
