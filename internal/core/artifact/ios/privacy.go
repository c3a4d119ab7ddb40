package ios

import (
	"errors"
	"path"

	"regola.example/regola/internal/core/budget"
	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/format/privacyinfo"
)

// privacy reads a bundle's privacy manifest. One that is no property list
// declares nothing to the store either: that is its fault. One that cannot be
// unpacked, or takes more than its size is worth, is lost.
func (r *reader) privacy(b *facts.Bundle) {
	name := path.Join(b.Path, "PrivacyInfo.xcprivacy")
	at := r.at(name)
	fact.Put(b, &b.Privacy, at)
	fact.Put(b, &b.PrivacyPresent, at)
	b.PrivacyPresent = r.tree.Get(name) != nil
	if !b.PrivacyPresent {
		fact.Lose(b, &b.Privacy, fact.Missing("the bundle has no privacy manifest"))
		return
	}
	data, err := r.tree.Read(name, maxInfo)
	if err != nil {
		fact.Lose(b, &b.Privacy, fact.Unread("the privacy manifest cannot be read: "+err.Error()))
		return
	}
	m, err := privacyinfo.Parse(data, r.tree.Budget)
	if spent := (*budget.Spent)(nil); errors.As(err, &spent) {
		fact.Lose(b, &b.Privacy, fact.Unread("the privacy manifest cannot be read: "+err.Error()))
		return
	}
	if err != nil { // the store finds nothing in it either
		m = &privacyinfo.Manifest{Faults: []privacyinfo.Fault{{What: "it is no privacy manifest: " + err.Error()}}}
	}
	f := &facts.PrivacyManifest{Tracking: m.Tracking, Domains: m.Domains}
	f.SetSelf(at)
	for _, a := range m.Accessed {
		x := &facts.Accessed{Category: a.Category, Reasons: a.Reasons}
		x.SetSelf(at.In("NSPrivacyAccessedAPITypes").At(a.Offset))
		f.Accessed = append(f.Accessed, x)
	}
	for _, c := range m.Collected {
		x := &facts.Collected{Type: c.Type, Linked: c.Linked, Tracking: c.Tracking, Purposes: c.Purposes}
		x.SetSelf(at.In("NSPrivacyCollectedDataTypes").At(c.Offset))
		f.Collected = append(f.Collected, x)
	}
	for _, p := range m.Faults {
		x := &facts.PrivacyFault{Key: p.Key, What: p.What}
		x.SetSelf(at.In(p.Key).At(p.Offset))
		f.Faults = append(f.Faults, x)
	}
	b.Privacy = f
}
