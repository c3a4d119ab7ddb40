// Package privacyinfo reads privacy manifests (PrivacyInfo.xcprivacy) and
// validates their structure key by key.
//
// Source of the format: the platform's documentation of privacy manifest files.
package privacyinfo

import (
	"fmt"

	"regola.example/regola/internal/core/budget"
	"regola.example/regola/internal/core/format"
	"regola.example/regola/internal/core/format/plist"
)

// Manifest is a privacy manifest.
type Manifest struct {
	Tracking         bool
	TrackingDeclared bool
	Domains          []string
	Accessed         []Accessed
	Collected        []Collected
	Faults           []Fault
}

// Accessed is a category of calls that need a reason, with the reasons given.
type Accessed struct {
	Category string
	Reasons  []string
	Offset   int64
}

// Collected is a kind of data that is collected.
type Collected struct {
	Type     string
	Linked   bool
	Tracking bool
	Purposes []string
	Offset   int64
}

// Fault is a place where the structure is not as documented.
type Fault struct {
	Key    string
	Offset int64
	What   string
}

// Parse reads a manifest. The error is for a file that is no property list.
func Parse(data []byte, b *budget.Budget) (*Manifest, error) {
	root, _, err := plist.Parse(data, b)
	if err != nil {
		return nil, err
	}
	if root.Kind != plist.Dict {
		return nil, format.Damagedf(root.Offset, "the root is %s, not a dictionary", root.Kind.Noun())
	}
	m := &Manifest{}
	for _, twice := range root.Twice {
		m.fault(twice, root, "occurs twice")
	}
	for _, key := range root.Keys() {
		v := root.Get(key)
		switch key {
		case "NSPrivacyTracking":
			if m.want(key, v, plist.Boolean) {
				m.Tracking, m.TrackingDeclared = v.Bool, true
			}
		case "NSPrivacyTrackingDomains":
			m.Domains = m.texts(key, v)
		case "NSPrivacyAccessedAPITypes":
			m.each(key, v, m.accessed)
		case "NSPrivacyCollectedDataTypes":
			m.each(key, v, m.collected)
		default:
			m.fault(key, v, "is not a key of a privacy manifest")
		}
	}
	return m, nil
}

func (m *Manifest) fault(key string, v *plist.Value, text string, args ...any) {
	const most = 200 // a report of more helps nobody
	if len(m.Faults) >= most {
		return
	}
	f := Fault{Key: key, What: fmt.Sprintf(text, args...)}
	if v != nil {
		f.Offset = v.Offset
	}
	m.Faults = append(m.Faults, f)
}

// want checks a value's type.
func (m *Manifest) want(key string, v *plist.Value, kind plist.Kind) bool {
	switch {
	case v == nil:
		m.fault(key, nil, "is missing")
		return false
	case v.Kind != kind:
		m.fault(key, v, "is %s, not %s", v.Kind.Noun(), kind.Noun())
		return false
	}
	return true
}

func (m *Manifest) texts(key string, v *plist.Value) []string {
	if !m.want(key, v, plist.Array) {
		return nil
	}
	for i, it := range v.Items {
		m.want(fmt.Sprintf("%s[%d]", key, i), it, plist.String)
	}
	return v.Texts()
}

func (m *Manifest) each(key string, v *plist.Value, visit func(key string, v *plist.Value)) {
	if !m.want(key, v, plist.Array) {
		return
	}
	for i, it := range v.Items {
		k := fmt.Sprintf("%s[%d]", key, i)
		if m.want(k, it, plist.Dict) {
			visit(k, it)
		}
	}
}

// known refuses further keys of an entry.
func (m *Manifest) known(key string, v *plist.Value, names ...string) {
	for _, k := range v.Keys() {
		found := false
		for _, n := range names {
			found = found || n == k
		}
		if !found {
			m.fault(key+"."+k, v.Get(k), "is not a key of such an entry")
		}
	}
}

func (m *Manifest) accessed(key string, v *plist.Value) {
	const kind, reasons = "NSPrivacyAccessedAPIType", "NSPrivacyAccessedAPITypeReasons"
	m.known(key, v, kind, reasons)
	a := Accessed{Offset: v.Offset, Category: v.Get(kind).Text()}
	m.want(key+"."+kind, v.Get(kind), plist.String)
	a.Reasons = m.texts(key+"."+reasons, v.Get(reasons))
	m.Accessed = append(m.Accessed, a)
}

func (m *Manifest) collected(key string, v *plist.Value) {
	const kind, linked, tracking, purposes = "NSPrivacyCollectedDataType", "NSPrivacyCollectedDataTypeLinked",
		"NSPrivacyCollectedDataTypeTracking", "NSPrivacyCollectedDataTypePurposes"
	m.known(key, v, kind, linked, tracking, purposes)
	c := Collected{Offset: v.Offset, Type: v.Get(kind).Text()}
	m.want(key+"."+kind, v.Get(kind), plist.String)
	if m.want(key+"."+linked, v.Get(linked), plist.Boolean) {
		c.Linked = v.Get(linked).Bool
	}
	if m.want(key+"."+tracking, v.Get(tracking), plist.Boolean) {
		c.Tracking = v.Get(tracking).Bool
	}
	c.Purposes = m.texts(key+"."+purposes, v.Get(purposes))
	m.Collected = append(m.Collected, c)
}
