package ios

import (
	"fmt"
	"path"
	"slices"
	"strings"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/files"
	"regola.example/regola/internal/core/format/plist"
)

// kinds says what a folder with a property list is, by its extension.
var kinds = map[string]string{".appex": "extension", ".framework": "framework", ".app": "app-clip", ".bundle": "resources"}

// nested finds the bundles inside the app and reads their property lists.
func (r *reader) nested() {
	// Bundles take memory that no file accounts for: some thousands at most.
	const perBundle, worth = 8 << 10, 1 << 20
	share := r.tree.Budget.Part(worth)
	found := map[string]*facts.Bundle{}
	spent := false
	add := func(kind, dir string) *facts.Bundle {
		if kind == "app-clip" && strings.HasPrefix(dir, "Watch/") {
			kind = "watch-app"
		}
		b := &facts.Bundle{Kind: kind, Path: dir}
		b.SetSelf(r.at(dir))
		b.Info.SetSelf(r.at(dir + "/Info.plist"))
		found[dir] = b
		return b
	}
	// more tells whether one more bundle may be read.
	more := func() bool {
		if spent || share.Keep(perBundle) == nil {
			return !spent
		}
		spent = true
		fact.LoseAll(r.out, fact.Unread(fmt.Sprintf("the app holds more bundles than the first %d that are read", len(found))), &r.out.Bundles, &r.out.Resources)
		return false
	}
	for _, e := range r.tree.Entries {
		dir, base := path.Dir(e.Name), path.Base(e.Name)
		kind := kinds[path.Ext(dir)]
		switch {
		case kind == "" || dir == "." || found[dir] != nil || base != "Info.plist" && base != "PrivacyInfo.xcprivacy":
		case !more():
		case base == "Info.plist":
			r.list(add(kind, dir), e)
		case base == "PrivacyInfo.xcprivacy" && kind == "resources" && r.tree.Get(dir+"/Info.plist") == nil:
			fact.
				// Static libraries bring bundles that hold nothing else.
				LoseAll(&add(kind, dir).Info, fact.Missing("the bundle has no property list"))
		}
	}
	// A framework in the layout of the desktop has no property list at its root.
	for _, e := range r.tree.Entries {
		if at := strings.Index(e.Name, ".framework/"); at >= 0 {
			if dir := e.Name[:at+len(".framework")]; found[dir] == nil && more() {
				fact.LoseAll(&add("framework", dir).Info, fact.Missing("the framework has no property list at its root"))
			}
		}
	}
	r.measure(found)
	for _, dir := range slices.Sorted(mapKeys(found)) {
		if b := found[dir]; b.Kind == "resources" {
			r.out.Resources = append(r.out.Resources, b)
		} else {
			r.out.Bundles = append(r.out.Bundles, b)
		}
	}
	for _, b := range r.out.Resources {
		r.privacy(b)
		gap := fact.Missing("a bundle without code is not signed by itself")
		fact.Lose(b, &b.Signature, gap)
		fact.Lose(b, &b.Profile, gap)
		fact.Lose(b, &b.Seal, gap)
		fact.Lose(b, &b.Code, gap)
	}
}

// list reads the property list of a nested bundle. One that is torn loses
// everything that it would say.
func (r *reader) list(b *facts.Bundle, e *files.Entry) {
	info, enc, err := r.plist(e.Name)
	if err == nil && info.Kind != plist.Dict {
		err = fmt.Errorf("it is %s, not a dictionary", info.Kind.Noun())
	}
	if err != nil {
		gap := fact.Unread("its property list cannot be read: " + err.Error())
		fact.LoseAll(&b.Info, gap)
		// A bundle of resources may have a list of an older form, which nothing here needs.
		if b.Kind != "resources" {
			gap.At = r.at(e.Name)
			fact.Lose(r.out, &r.out.WrongTypes, gap)
		}
		return
	}
	r.lists[b] = info
	b.Info.Encoding = string(enc)
	r.info(b, info, r.at(e.Name))
	// What it is says its property list, not the folder; the folder is right or wrong for it.
	if b.Kind == "app-clip" || b.Kind == "watch-app" {
		switch {
		case b.Info.Clip:
			b.Kind = "app-clip"
		case b.Info.WatchApp || slices.Contains(b.Info.Platforms, "WatchOS"):
			b.Kind = "watch-app"
		}
	}
}

// measure adds every file to the bundles that it lies in.
func (r *reader) measure(found map[string]*facts.Bundle) {
	for _, e := range r.tree.Entries {
		for dir := path.Dir(e.Name); dir != "."; dir = path.Dir(dir) {
			b := found[dir]
			if b == nil {
				continue
			}
			b.Size += e.Size
			rest := e.Name[len(dir)+1:]
			b.InnerFrameworks = b.InnerFrameworks || strings.HasPrefix(rest, "Frameworks/")
			b.DesktopLayout = b.DesktopLayout || strings.HasPrefix(rest, "Versions/")
		}
	}
}

// beside reads what lies beside a bundle's executable: profile, seal and
// privacy manifest.
func (r *reader) beside(b *facts.Bundle) {
	r.privacy(b)
	r.profile(b)
	r.seal(b)
}

func mapKeys(m map[string]*facts.Bundle) func(yield func(string) bool) {
	return func(yield func(string) bool) {
		for k := range m {
			if !yield(k) {
				return
			}
		}
	}
}
