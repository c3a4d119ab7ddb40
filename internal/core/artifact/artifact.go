// Package artifact opens a release package, whichever kind it is, and fills
// its facts. The kind follows from the content, never from the name.
package artifact

import (
	"context"
	"errors"
	"io"
	"os"

	"regola.example/regola/internal/core/artifact/android"
	"regola.example/regola/internal/core/artifact/ios"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/files"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/safeopen"
)

// Options say how much is read.
type Options struct {
	// Digests verifies the signed digest of every entry, which reads the whole
	// package. Without it the signature is read, and its digests are unread.
	Digests bool
	// Quick leaves out what takes long to unpack, with the reason: names and
	// signature at the end of large compressed executables.
	Quick bool
	// Parts looks at the files for a weighing: twins, and pictures in pixels.
	Parts bool
}

// Open reads a package: an AAB, APK or IPA file, an app folder or zip, a build
// archive folder or zip. Errors are *place.Problem, or that of the context, whose end
// ends reading.
func Open(ctx context.Context, file string, opt Options) (*facts.Package, error) {
	p, err := open(ctx, file, opt)
	if ended := ctx.Err(); ended != nil {
		return nil, ended // what was read until then is not the package
	}
	return p, err
}

func open(ctx context.Context, file string, opt Options) (*facts.Package, error) {
	const hint = "check the path; relative paths start at the folder you are in"
	info, err := os.Stat(file)
	if err != nil {
		return nil, safeopen.Problem(file, err, hint)
	}
	if info.IsDir() {
		t, err := files.FromFolder(ctx, file)
		if err != nil {
			return nil, safeopen.Problem(file, err, hint)
		}
		p, err := fill(file, t, opt, true)
		if p != nil {
			for _, e := range t.Entries {
				p.Size += e.Size
			}
		}
		return p, err
	}
	f, info, err := safeopen.Open(file)
	if err != nil {
		return nil, safeopen.Problem(file, err, hint)
	}
	defer f.Close()
	if err := isZip(f, info.Size()); err != nil {
		err.At = place.Place{File: file}
		return nil, err
	}
	t, err := files.FromZip(ctx, f, info.Size())
	if err != nil {
		return nil, &place.Problem{At: place.Place{File: file}, What: "the archive cannot be opened: " + err.Error(),
			Fix: "the file is damaged or incomplete; copy or build it again"}
	}
	p, err := fill(file, t, opt, false)
	if p != nil {
		p.Size = info.Size()
		if _, err := os.Stat(file + ".idsig"); err == nil && p.Android != nil && p.Android.Signing != nil {
			p.Android.Signing.SideFile = true
		}
	}
	return p, err
}

// Join puts splits together with their base: packages of one id of which one is
// no split become one package. All others stay as they are.
func Join(pkgs []*facts.Package) []*facts.Package {
	var out []*facts.Package
	var base *facts.Package
	var splits []*facts.Package
	for _, p := range pkgs {
		switch {
		case p.Kind == "apk-split":
			splits = append(splits, p)
			continue
		case p.Kind == "apk" && base == nil:
			base = p
		}
		out = append(out, p)
	}
	if base == nil {
		return append(out, splits...)
	}
	if len(splits) > 0 {
		android.Merge(base, splits)
		fact.Stamp(base, Root, fact.NotRead)
	}
	return out
}

func fill(file string, t *files.Tree, opt Options, folder bool) (*facts.Package, error) {
	p := &facts.Package{File: file, Entries: int64(len(t.Entries))}
	p.SetSelf(place.Place{File: file})
	for _, e := range t.Entries {
		f := &facts.File{Path: e.Name, Size: e.Size, Compressed: e.Compressed}
		f.SetSelf(place.Place{File: file, Entry: e.Name})
		p.Files = append(p.Files, f)
	}
	if opt.Parts {
		parts(p, t)
	}
	var err error
	switch root, layout, isApp := ios.FindApp(t); {
	case android.IsBundle(t):
		p.Kind = "aab"
		p.Android, err = android.Read(file, t, true, opt.Digests)
	case android.IsAPK(t):
		p.Kind = "apk"
		if p.Android, err = android.Read(file, t, false, opt.Digests); err == nil && p.Android.Manifest.Split != "" {
			p.Kind = "apk-split"
		}
	case isApp:
		p.Kind = layout
		if layout == "app" && !folder {
			p.Kind = "app-zip"
		}
		p.IOS, err = ios.Read(file, t, root, ios.Options{Digests: opt.Digests, Quick: opt.Quick})
		if err == nil && root == "" {
			err = notApp(file, p.IOS.App.Info.PackageType)
		}
	case len(t.Below("payload")) > 0 || len(t.Below("PAYLOAD")) > 0:
		err = &place.Problem{At: place.Place{File: file}, What: "the app lies in a folder that is not called Payload, letter for letter", Fix: "export the archive with the platform's own tools, or rename the folder"}
	default:
		err = &place.Problem{At: place.Place{File: file},
			What: "this is no release package: neither an Android manifest nor an app's Info.plist is inside",
			Fix:  "give an .aab, .apk or .ipa file, or an .app folder"}
	}
	if err != nil {
		return nil, err
	}
	fact.Bound(p.Android, maxItems)
	fact.Bound(p.IOS, maxItems)
	fact.Stamp(p, Root, fact.NotRead)
	return p, nil
}

// maxItems bounds each list of facts: the largest apps have some thousand components.
const maxItems = 10_000

// Root is the path of a package's facts in rules.
const Root = "pkg"

// notApp says what a folder with a property list is when it is no app.
func notApp(file, packageType string) error {
	what := map[string]string{"FMWK": "a framework", "XFWK": "a framework for several platforms", "BNDL": "a bundle of resources", "XPC!": "an extension"}[packageType]
	if what == "" {
		return nil
	}
	return &place.Problem{At: place.Place{File: file}, What: "this is " + what + ", not an app", Fix: "give the app that embeds it: an .ipa file, or an .app folder"}
}

func isZip(f *os.File, size int64) *place.Problem {
	if size == 0 {
		return &place.Problem{What: "the file is empty", Fix: "build or copy the package again"}
	}
	head := make([]byte, 4)
	n, err := f.ReadAt(head, 0)
	if err != nil && !errors.Is(err, io.EOF) {
		return &place.Problem{What: "the file cannot be read: " + err.Error(), Fix: "check the disk and the permissions"}
	}
	if string(head[:n]) != "PK\x03\x04" {
		return &place.Problem{What: "this is no package: packages are ZIP archives, this file begins otherwise",
			Fix: "give an .aab, .apk or .ipa file, or an .app folder"}
	}
	return nil
}
