package run

import (
	"regola.example/regola/internal/core/evidence"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/signs"
	"regola.example/regola/internal/core/tables"
	"regola.example/regola/internal/core/weigh"
	"regola.example/regola/internal/view"
)

// Devices are the kinds of devices of a platform for which downloads are estimated.
func (r *Runner) Devices(platform string) ([]*tables.Device, error) {
	set, err := r.tables()
	if err != nil {
		return nil, err
	}
	var out []*tables.Device
	for _, d := range set.On(r.opt.Day).Devices {
		if d.Platform == platform {
			out = append(out, d)
		}
	}
	return out, nil
}

// Weigh tells what takes the space in a package, which was opened with its parts. set
// may be nil for the built-in tables; devices nil for all.
func (r *Runner) Weigh(p *facts.Package, set *tables.Set, devices []*tables.Device) (*view.Weight, error) {
	if set == nil {
		var err error
		if set, err = r.tables(); err != nil {
			return nil, err
		}
	}
	set = set.On(r.opt.Day)
	if devices == nil {
		devices = set.Devices
	}
	var code *signs.Index
	if p.IOS != nil {
		code = signs.Of(p.IOS)
	}
	w := &view.Weight{Weight: weigh.Of(p, evidence.Of(p, code, set), set, devices), Package: p}
	for _, s := range r.stores {
		if !s.Takes(p.Platform(), p.Kind) {
			continue
		}
		books, err := r.books(s)
		if err != nil {
			return nil, err
		}
		for _, l := range set.WeighLimits {
			if l.Store != s.ID || l.Kind != "" && l.Kind != p.Kind {
				continue
			}
			for _, b := range books {
				v := b.On(l.Limit, r.opt.Day)
				if v == nil {
					continue
				}
				if most, ok := v.Value.(int); ok {
					w.Bounds = append(w.Bounds, view.Bound{Store: s.ID, What: l.What, Is: sizeOf(w, l.Of), Most: int64(most)})
				}
			}
		}
	}
	return w, nil
}

// size is one of the sizes that a limit can speak of; of downloads, that of the usual
// device.
func sizeOf(w *view.Weight, of string) int64 {
	if of == "package" || len(w.Devices) == 0 {
		return w.Weight.Package
	}
	if of == "installed" {
		if w.Kind != "aab" && w.Kind != "apk" {
			return w.Unpacked
		}
		return w.Devices[0].Installed
	}
	return w.Devices[0].Download
}
