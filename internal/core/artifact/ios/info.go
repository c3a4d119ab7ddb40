package ios

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"regola.example/regola/internal/core/fact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/format/plist"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/textual"
)

// info reads the property list of a bundle.
func (r *reader) info(b *facts.Bundle, info *plist.Value, at place.Place) {
	o, d := &b.Info, &decoder{at: at}
	r.decoders[b] = d
	o.SetSelf(at)
	d.fill(o, info, "")
	o.BuildTools = &facts.BuildTools{}
	o.BuildTools.SetSelf(at)
	d.fill(o.BuildTools, info, "")
	o.AllOrientations = union(o.AllOrientations)
	if !o.EncryptionDeclared && b.Kind == "app" {
		fact.Lose(o, &o.Encryption, fact.Missing("the property list has no ITSAppUsesNonExemptEncryption"))
	}
	// From iOS 10 on, any of the narrower keys takes its place.
	for _, k := range []string{"NSAllowsArbitraryLoadsInWebContent", "NSAllowsArbitraryLoadsForMedia", "NSAllowsLocalNetworking"} {
		if info.Path("NSAppTransportSecurity", k) != nil && major(o.MinOS) >= 10 {
			o.ArbitraryLoads = false
		}
	}
	o.OpensInPlaceDeclared = info.Get("UISupportsDocumentBrowser").IsTrue() || info.Get("LSSupportsOpeningDocumentsInPlace") != nil
	o.Twice, o.Keys, o.Texts = info.Twice, info.SortedKeys(), map[string]string{}
	for _, k := range o.Keys {
		switch v := info.Get(k); {
		case v.IsTrue():
			o.SwitchedOn = append(o.SwitchedOn, k)
		case v.Kind == plist.String:
			o.Texts[k] = v.Str
		}
	}
	unexpanded("", info, &o.Unexpanded)
	d.purposes(o, info)
	d.endpoints(o, info)
	if b.Kind != "app" {
		for _, p := range o.Purposes {
			p.Bundle = b.Path
		}
	}
}

// wrongTypes gathers the values of a wrong kind that readers of property lists met.
func (r *reader) wrongTypes() {
	for _, b := range slices.Concat(r.out.Bundles, r.out.Resources) {
		d := r.decoders[b]
		if d == nil {
			continue
		}
		for _, w := range d.wrong {
			w.Bundle = b.Path
		}
		r.out.WrongTypes = append(r.out.WrongTypes, d.wrong...)
	}
}

// major is the first number of a version, 0 when there is none.
func major(version string) int {
	first, _, _ := strings.Cut(version, ".")
	n, _ := strconv.Atoi(first)
	return n
}

// unexpanded lists the keys whose value still holds a build variable.
// It is bounded: a hostile list has long keys around many such values.
func unexpanded(path string, v *plist.Value, out *[]string) {
	const most, longest = 200, 400
	if len(*out) >= most || len(path) > longest {
		return
	}
	switch v.Kind {
	case plist.String:
		if textual.HasVariable(v.Str) {
			*out = append(*out, strings.TrimPrefix(path, "."))
		}
	case plist.Dict:
		for _, k := range v.Keys() {
			unexpanded(path+"."+k, v.Get(k), out)
		}
	case plist.Array:
		for i, it := range v.Items {
			unexpanded(fmt.Sprintf("%s[%d]", path, i), it, out)
		}
	}
}

// purposes reads the texts that the system shows when it asks for access.
func (d *decoder) purposes(o *facts.Info, info *plist.Value) {
	for _, k := range info.SortedKeys() {
		if !strings.HasPrefix(k, "NS") && k != "NFCReaderUsageDescription" || !strings.Contains(k, "UsageDescription") {
			continue
		}
		o.PurposeKeys = append(o.PurposeKeys, k)
		if !strings.HasSuffix(k, "UsageDescription") {
			continue // a dictionary of purposes, such as that for temporary full accuracy
		}
		v := info.Get(k)
		p := &facts.Purpose{Key: k, Text: v.Text()}
		p.SetSelf(valueAt(d.at, v, k))
		if why := d.check(keyed{k, v}, plist.String); why != "" {
			fact.Lose(p, &p.Text, fact.Unread(why))
		}
		o.Purposes = append(o.Purposes, p)
	}
}

// endpoints reads where the system sends reports about the app's advertising.
func (d *decoder) endpoints(o *facts.Info, info *plist.Value) {
	for _, k := range []string{"NSAdvertisingAttributionReportEndpoint", "AttributionCopyEndpoint"} {
		v := info.Get(k)
		if v == nil {
			continue
		}
		x := &facts.Endpoint{Key: k, URL: v.Text()}
		x.SetSelf(valueAt(d.at, v, k))
		if why := d.check(keyed{k, v}, plist.String); why != "" {
			fact.Lose(x, &x.URL, fact.Unread(why))
		}
		o.ReportEndpoints = append(o.ReportEndpoints, x)
	}
}
