package android

import (
	"fmt"
	"slices"

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
		f := &facts.Split{Name: s.Split, File: p.File}
		f.SetSelf(place.Place{File: p.File})
		f.Faults = misfits(b, s)
		if other, twice := seen[s.Split]; twice {
			f.Faults = append(f.Faults, "the same split is given as "+other)
		}
		seen[s.Split] = p.File
		b.Splits = append(b.Splits, f)
		base.Size += p.Size
		base.Entries += p.Entries
		base.Names = append(base.Names, p.Names...)
		mergeContents(b, s)
	}
}

// misfits lists in what a split does not fit its base.
func misfits(b, s *facts.Android) []string {
	var out []string
	if s.ID != b.ID {
		out = append(out, fmt.Sprintf("it belongs to %s and the base is %s", s.ID, b.ID))
	}
	if s.VersionCode != nil && b.VersionCode != nil && *s.VersionCode != *b.VersionCode {
		out = append(out, fmt.Sprintf("it has version code %d and the base %d", *s.VersionCode, *b.VersionCode))
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
	for _, a := range s.Architectures {
		i := slices.IndexFunc(b.Architectures, func(o *facts.ABI) bool { return o.Name == a.Name })
		if i < 0 {
			b.Architectures = append(b.Architectures, a)
		} else {
			b.Architectures[i].Libraries = append(b.Architectures[i].Libraries, a.Libraries...)
		}
	}
	b.Libraries = append(b.Libraries, s.Libraries...)
	for _, d := range s.Dex {
		d.Module = s.Split
		b.Dex = append(b.Dex, d)
	}
	for _, l := range s.Locales {
		if !slices.Contains(b.Locales, l) {
			b.Locales = append(b.Locales, l)
		}
	}
	slices.Sort(b.Locales)
	b.Strings = append(b.Strings, s.Strings...)
	if s.Texts != nil && b.Label != nil && b.LabelID != 0 {
		for l, t := range s.Texts(b.LabelID) {
			if b.Label.Locales == nil {
				b.Label.Locales = map[string]string{}
			}
			b.Label.Locales[l] = t
		}
	}
	for _, d := range s.Densities {
		if !slices.Contains(b.Densities, d) {
			b.Densities = append(b.Densities, d)
		}
	}
	for _, p := range s.Permissions {
		p.Module = s.Split
		b.Permissions = append(b.Permissions, p)
	}
	for _, c := range s.Components {
		c.Module = s.Split
		b.Components = append(b.Components, c)
	}
	b.Signing.Faults = append(b.Signing.Faults, s.Signing.Faults...)
	if s.Archive != nil && b.Archive != nil {
		b.Archive.Faults = append(b.Archive.Faults, s.Archive.Faults...)
		b.Archive.Unaligned = append(b.Archive.Unaligned, s.Archive.Unaligned...)
	}
	for k, n := range s.SizeBy {
		b.SizeBy[k] += n
	}
	b.Download += s.Download
	if b.Code != nil && s.Code != nil {
		if len(s.Dex) > 0 {
			b.Code.SetUnread("missing", "code lies in several splits, which are not joined class by class")
		}
		b.Code.Classes += s.Code.Classes
		b.Code.Methods += s.Code.Methods
		b.Code.Shrunk = b.Code.Shrunk || s.Code.Shrunk
		for k, n := range s.Code.Packages {
			b.Code.Packages[k] += n
		}
		for k := range s.Code.Calls {
			b.Code.Calls[k] = true
		}
	}
}
