package android_test

import (
	"bytes"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/artifact/android"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/files"
	"regola.example/regola/internal/seed"
)

// TestOutcomes holds what is read of sound packages, and of copies in which one file is
// missing, cut or changed.
func TestOutcomes(t *testing.T) {
	var r seed.Record
	for _, p := range []struct {
		archive string
		bundle  bool
	}{{seed.Bundle, true}, {"demo/faulty/build/terrafuoco.aab", true}, {seed.APK, false}, {"internal/core/artifact/testdata/android/base.apk", false}, {"internal/core/artifact/testdata/android/split.it.apk", false}} {
		seed.Archives(t, p.archive, func(change string, entries map[string][]byte) {
			z := seed.Zip(t, entries)
			tree, err := files.FromZip(t.Context(), bytes.NewReader(z), int64(len(z)))
			require.NoError(t, err)
			a, err := android.Read("t", tree, p.bundle, true)
			if change == "" {
				r.Whole(p.archive, a, err)
			} else {
				r.Change(change, a, err)
			}
		})
	}
	seed.Golden(t, "outcomes.txt", r.String())
}

// TestMerge holds what a base and its splits are together, and what changes with each
// field of a split.
func TestMerge(t *testing.T) {
	const folder = "internal/core/artifact/testdata/android/"
	read := func(name string) *facts.Package {
		entries := map[string][]byte{}
		for _, n := range seed.Names(t, folder+name) {
			entries[n] = seed.Entry(t, folder+name, n)
		}
		z := seed.Zip(t, entries)
		tree, err := files.FromZip(t.Context(), bytes.NewReader(z), int64(len(z)))
		require.NoError(t, err)
		a, err := android.Read(name, tree, false, false)
		require.NoError(t, err)
		return &facts.Package{File: name, Kind: "apk", Size: int64(len(z)), Entries: int64(len(entries)), Android: a}
	}
	var r seed.Record
	join := func(change func(base, split *facts.Package)) any {
		base, one, two := read("base.apk"), read("split.it.apk"), read("split.it.apk")
		two.File = "other.apk"
		change(base, one)
		android.Merge(base, []*facts.Package{one, two})
		return base
	}
	r.Whole("as it is", join(func(_, _ *facts.Package) {}), nil)
	library := &facts.Library{Name: "libkiln.so", ABI: "x86"}
	certificate := &facts.Certificate{Subject: "CN=Ada", Fingerprint: "aa"}
	for name, change := range map[string]func(base, split *facts.Package){
		"other id":      func(_, s *facts.Package) { s.Android.Manifest.ID = "org.example.other" },
		"other code":    func(_, s *facts.Package) { n := int64(1); s.Android.Manifest.VersionCode = &n },
		"no code":       func(_, s *facts.Package) { s.Android.Manifest.VersionCode = nil },
		"other name":    func(_, s *facts.Package) { s.Android.Manifest.Split = "config.de" },
		"signed by Ada": func(_, s *facts.Package) { s.Android.Signing.Certificate = certificate },
		"base by Ada":   func(b, _ *facts.Package) { b.Android.Signing.Certificate = certificate },
		"both by Ada": func(b, s *facts.Package) {
			b.Android.Signing.Certificate, s.Android.Signing.Certificate = certificate, certificate
		},
		"Ada and another": func(b, s *facts.Package) {
			b.Android.Signing.Certificate, s.Android.Signing.Certificate = certificate, &facts.Certificate{Subject: "CN=Bo", Fingerprint: "bb"}
		},
		"libraries": func(_, s *facts.Package) {
			s.Android.Native.Libraries = []*facts.Library{library}
			s.Android.Native.Architectures = []*facts.ABI{{Name: "x86", Libraries: []string{"libkiln.so"}}, {Name: "arm64-v8a", Libraries: []string{"libkiln.so"}}}
		},
		"code": func(_, s *facts.Package) {
			s.Android.Code.Dex = []*facts.Dex{{Name: "classes.dex", Classes: 3}}
			s.Android.Code.Classes, s.Android.Code.Methods, s.Android.Code.Packages = 3, 9, map[string]int64{"a/b": 3}
			s.Android.Code.Calls = map[string][]string{"a.b": {"c"}}
		},
		"torn code": func(_, s *facts.Package) {
			s.Android.Code.Dex = []*facts.Dex{{Name: "classes.dex"}}
			s.Android.Code.LoseAll(fact.Unread("it is torn"))
		},
		"densities": func(_, s *facts.Package) { s.Android.Resources.Densities = []string{"hdpi", "tvdpi", "hdpi"} },
		"permissions": func(_, s *facts.Package) {
			s.Android.Manifest.Permissions = []*facts.Permission{{Name: "p"}}
			s.Android.Manifest.Components = []*facts.Component{{Name: "c"}}
		},
		"faults": func(_, s *facts.Package) {
			s.Android.Signing.Faults = []*facts.SignatureFault{{Entry: "x"}}
			s.Android.Archive.Faults = []*facts.ArchiveFault{{Entry: "x"}}
			s.Android.Archive.Unaligned = []*facts.Unaligned{{Entry: "x"}}
		},
		"no archive": func(b, _ *facts.Package) { b.Android.Archive = nil },
	} {
		r.Change(name, join(change), nil)
	}
	seed.Golden(t, "merge.txt", sorted(r.String()))
}

// sorted puts the changes into an order of their own.
func sorted(text string) string {
	sound, rest, _ := strings.Cut(text, "\n-- ")
	lines := strings.Split("-- "+rest, "\n")
	slices.Sort(lines)
	return sound + "\n" + strings.Join(lines, "\n")
}
