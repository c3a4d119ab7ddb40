package run

import (
	"context"
	"slices"

	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/submission"
	"regola.example/regola/internal/core/tables"
	"regola.example/regola/internal/view"
)

// Needed lists the pictures that the stores want: of a release where the job has one, else of
// any app, by kind of device.
func (r *Runner) Needed(ctx context.Context, job Job) ([]*view.NeededStore, error) {
	all, err := r.tables()
	if err != nil {
		return nil, err
	}
	set := all.On(r.opt.Day)
	var judged *Judged
	if job.Dossier != "" || len(job.Packages) > 0 {
		if _, judged, err = r.Judge(ctx, job); err != nil {
			return nil, err
		}
	}
	var out []*view.NeededStore
	for _, s := range r.stores {
		one := &view.NeededStore{Store: s}
		var subs []*submission.Submission
		devices := map[string]bool{}
		known := false
		if judged != nil {
			for _, p := range judged.Pairs {
				if p.Judge.Store.ID != s.ID {
					continue
				}
				subs = append(subs, p.Submission)
				if p.Submission.Pkg != nil {
					known = true
					for _, d := range devicesOf(p.Submission.Pkg, set) {
						devices[d] = true
					}
				}
			}
			if len(subs) == 0 {
				continue
			}
		}
		class := func(id string) *tables.PictureClass {
			for _, c := range set.PictureClasses {
				if c.Store == s.ID && c.ID == id {
					return c
				}
			}
			return nil
		}
		add := func(n *view.Needed, ids []string) {
			for _, id := range ids {
				if c := class(id); c != nil {
					n.Classes = append(n.Classes, c)
				}
			}
			n.Sure = n.Device == "" || devices[n.Device]
			if len(n.Classes) > 0 && (n.Sure || !known) {
				n.Looked, n.Has = judged != nil, counted(subs, ids)
				one.Rows = append(one.Rows, n)
			}
		}
		for _, n := range set.PictureNeeds {
			if n.Store == s.ID {
				least := 1
				if c := class(n.Any[0]); c != nil {
					least = max(least, int(c.Least))
				}
				add(&view.Needed{What: n.What, Device: n.Device, Least: least, Impact: n.Impact}, n.Any)
			}
		}
		j, err := r.judges[s.ID]()
		if err != nil {
			return nil, err
		}
		if least := limitOf(j.books, "screenshots_least", r.opt.Day); least > 0 {
			var ids []string
			for _, c := range set.PictureClasses {
				if c.Store == s.ID && c.Slot == "screenshot" && !slices.Contains(ids, c.ID) && (c.Device == "phone" || devices[c.Device] || !known && c.Device == "tablet") {
					ids = append(ids, c.ID)
				}
			}
			add(&view.Needed{What: "screenshots, over all devices together", Least: least, Impact: "blocked"}, ids)
		}
		out = append(out, one)
	}
	return out, nil
}

// counted counts the pictures of some classes by language, in the order of the page.
func counted(subs []*submission.Submission, ids []string) (out []view.HasPictures) {
	for _, s := range subs {
		if s.Pictures == nil {
			continue
		}
		for _, set := range s.Pictures.Sets {
			if !slices.Contains(ids, set.Class) {
				continue
			}
			i := slices.IndexFunc(out, func(h view.HasPictures) bool { return h.Language == set.Language })
			if i < 0 {
				out = append(out, view.HasPictures{Language: set.Language})
				i = len(out) - 1
			}
			out[i].Count += len(set.Files)
		}
		return out // packages of one store share its pictures
	}
	return out
}

// devicesOf are the kinds of devices for which a page needs pictures of their own.
func devicesOf(p *facts.Package, t *tables.Set) (out []string) {
	if p.IOS == nil || p.IOS.App == nil {
		out = append(out, submission.FormOf(p, t))
		if p.Android != nil && slices.ContainsFunc(p.Android.Manifest.Features, func(f *facts.Feature) bool { return f.Name == "android.software.leanback" }) {
			out = append(out, "television")
		}
		return out
	}
	info := p.IOS.App.Info
	for family, device := range map[int64]string{1: "phone", 2: "tablet"} {
		if slices.Contains(info.Families, family) && !info.Stub {
			out = append(out, device)
		}
	}
	for kind, device := range map[string]string{"app-clip": "clip", "watch-app": "watch"} {
		if slices.ContainsFunc(p.IOS.Bundles, func(b *facts.Bundle) bool { return b.Kind == kind }) {
			out = append(out, device)
		}
	}
	if info.Stub {
		out = append(out, "messages")
	}
	slices.Sort(out)
	return out
}
