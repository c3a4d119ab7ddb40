package weigh

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/tables"
)

// dpi are the densities of Android screens, in dots per inch.
var dpi = map[string]int{"ldpi": 120, "mdpi": 160, "tvdpi": 213, "hdpi": 240, "xhdpi": 320, "xxhdpi": 480, "xxxhdpi": 640}

// Device reads a device as a call writes it: the id of one of a table, or values as
// abi=arm64-v8a,density=xxhdpi,languages=it+en,level=30,scale=3x.
func Device(s, platform string, known []*tables.Device) (*tables.Device, error) {
	if !strings.Contains(s, "=") {
		var names []string
		for _, d := range known {
			if d.ID == s {
				return d, nil
			}
			names = append(names, d.ID)
		}
		return nil, fmt.Errorf("there is no device %q; there are %s, or write values such as abi=arm64-v8a,density=xxhdpi,languages=it+en", s, strings.Join(names, ", "))
	}
	d := &tables.Device{ID: s, Platform: platform, What: "the device of the call"}
	for _, part := range strings.Split(s, ",") {
		key, value, _ := strings.Cut(part, "=")
		switch {
		case value == "":
			return nil, fmt.Errorf("%q has no value", key)
		case key == "abi":
			d.ABIs = strings.Split(value, "+")
		case key == "density" && dpi[value] > 0:
			d.Density = value
		case key == "density":
			return nil, fmt.Errorf("%q is no density; write one such as xxhdpi", value)
		case key == "languages":
			d.Languages = strings.Split(value, "+")
		case key == "scale" && (value == "1x" || value == "2x" || value == "3x"):
			d.Scale = value
		case key == "scale":
			return nil, fmt.Errorf("%q is no scale; write 1x, 2x or 3x", value)
		case key == "level":
			if _, err := fmt.Sscanf(value, "%d", &d.Level); err != nil {
				return nil, fmt.Errorf("%q is no API level", value)
			}
		default:
			return nil, fmt.Errorf("%q is no property of a device; there are abi, density, languages, level and scale", key)
		}
	}
	return d, nil
}

// deliver estimates what a device gets.
func deliver(p *facts.Package, items []*item, d *tables.Device) *Deliver {
	out := &Deliver{Device: d.ID, What: d.What, Fits: true}
	if p.IOS != nil {
		out.ios(p, items, d)
		return out
	}
	a := p.Android
	abi := ""
	if len(a.Native.Architectures) > 0 {
		for _, want := range d.ABIs {
			if slices.ContainsFunc(a.Native.Architectures, func(x *facts.ABI) bool { return x.Name == want }) {
				abi = want
				break
			}
		}
		if abi == "" && len(d.ABIs) > 0 {
			out.Fits, out.Why = false, "the package has no native code for "+strings.Join(d.ABIs, " or ")
		}
	}
	if a.Manifest.MinLevel != nil && d.Level > 0 && d.Level < *a.Manifest.MinLevel {
		out.Fits, out.Why = false, fmt.Sprintf("the package serves API level %d and above", *a.Manifest.MinLevel)
	}
	if p.Kind != "aab" {
		out.Download = p.Size
		for _, it := range items {
			out.Installed += installed(it)
		}
		return out
	}
	split := func(dimension string) bool {
		return a.Bundle.Config == nil || !slices.Contains(a.Bundle.Config.NotSplitBy, dimension)
	}
	best := bestDensities(items, d.Density)
	shares := tableShares(a)
	for _, it := range items {
		if !it.delivered {
			continue
		}
		share := 1.0
		switch {
		case it.abi != "" && split("abi") && it.abi != abi:
			continue
		case it.density != "" && split("density") && d.Density != "" && best[plainName(it)] != it.density:
			continue
		case it.language != "" && split("language") && !slices.Contains(d.Languages, it.language):
			continue
		case it.kind.Kind == "table" && split("language") && len(shares) > 0:
			share = shares[""]
			for l, s := range shares {
				if l != "" && slices.ContainsFunc(d.Languages, func(x string) bool { return l == x || strings.HasPrefix(l, x+"-") }) {
					share += s
				}
			}
		}
		bytes := portion(it.Compressed, share)
		if it.later {
			out.Later += bytes
			continue
		}
		out.Download += bytes
		out.Installed += portion(installed(it), share)
	}
	return out
}

// portion is a share of some bytes.
func portion(n int64, share float64) int64 { return int64(math.Round(float64(n) * share)) }

// installed is what a file takes on an Android device: code is unpacked beside the
// package, libraries are stored, the rest stays compressed.
func installed(it *item) int64 {
	switch it.kind.Kind {
	case "code":
		return it.Compressed + it.Size
	case "native", "table":
		return it.Size
	}
	return it.Compressed
}

// plainName is a resource without its density.
func plainName(it *item) string { return strings.Replace(it.name, "-"+it.density, "", 1) }

// bestDensities is, of each picture, the density that a screen takes: the nearest one
// above, or else the highest.
func bestDensities(items []*item, want string) map[string]string {
	best := map[string]string{}
	for _, it := range items {
		if it.density == "" {
			continue
		}
		name := plainName(it)
		was, now, goal := dpi[best[name]], dpi[it.density], dpi[want]
		if was == 0 || now >= goal && (was < goal || now < was) || now < goal && was < goal && now > was {
			best[name] = it.density
		}
	}
	return best
}

// ios adds up an app for one device.
func (out *Deliver) ios(p *facts.Package, items []*item, d *tables.Device) {
	code := map[string]bool{}
	for _, b := range p.IOS.Bundles {
		code[b.Code.Path] = b.Code.Path != ""
	}
	for _, it := range items {
		if !it.delivered {
			continue
		}
		packed, whole := it.Compressed, it.Size
		switch {
		case code[it.Path] || code[it.name]:
			packed = it.Size
		case strings.HasSuffix(it.name, "Assets.car"):
			share := catalogueShare(p.IOS, it, d.Scale)
			packed, whole = portion(packed, share), portion(whole, share)
		}
		out.Download += packed
		out.Installed += whole
	}
}

// catalogueShare is the share of a catalogue that a screen takes.
func catalogueShare(a *facts.IOS, it *item, scale string) float64 {
	for _, c := range a.Catalogues {
		if c.Path != it.name && c.Path != it.Path || scale == "" || c.Areas[scale] == 0 {
			continue
		}
		var all, mine int64
		for s, n := range c.Areas {
			all += n
			if s == scale || s == "0x" {
				mine += n
			}
		}
		return float64(mine) / float64(all)
	}
	return 1
}
