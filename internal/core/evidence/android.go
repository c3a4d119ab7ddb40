package evidence

import (
	"fmt"
	"slices"
	"strings"

	"regola.example/regola/internal/core/catalogue"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/place"
)

// Declared is one sensitive use and the permissions that make it so.
type Declared struct {
	place.Mark  `json:"-"`
	Use         string   `json:"use"`
	Permissions []string `json:"permissions"`
}

// advertisingID is the permission that opens the advertising id.
const advertisingID = "com.google.android.gms.permission.AD_ID"

// androidSDKs recognises third-party code by the components that its manifest
// merges into the app's, which no shrinker renames, and by its class packages.
func (e *Evidence) androidSDKs(pkg *facts.Package, cat *catalogue.Catalogue) {
	a := pkg.Android
	libraries := map[string]*facts.Library{}
	for _, l := range a.Libraries {
		libraries[l.Name] = l
	}
	packages := map[string]bool{}
	if a.Code != nil {
		for p := range a.Code.Packages {
			for p = strings.ReplaceAll(p, "/", "."); p != "" && !packages[p]; {
				packages[p] = true
				p = p[:max(0, strings.LastIndexByte(p, '.'))]
			}
		}
	}
	byName := map[string]*facts.Component{}
	for _, c := range a.Components {
		byName[c.Name] = c
	}
	for _, sdk := range cat.SDKs {
		found := &SDK{ID: sdk.ID, Kind: sdk.Kind, Ads: sdk.Ads, AdvertisingID: sdk.AdvertisingID, Tracking: sdk.Tracking, Data: sdk.Data}
		for _, name := range sdk.Components {
			if c := byName[name]; c != nil && found.Seen == "" {
				found.Seen = c.Kind + " " + c.Name
				found.SetSelf(c.Self())
			}
		}
		for _, prefix := range sdk.Classes {
			for _, c := range a.Components {
				if found.Seen == "" && hasPrefix(c.Name, prefix) {
					found.Seen = c.Kind + " " + c.Name
					found.SetSelf(c.Self())
				}
			}
			if found.Seen == "" && packages[prefix] {
				found.Seen = "classes of " + prefix
				found.SetSelf(a.Code.Self())
			}
		}
		for _, f := range sdk.Files {
			if l := libraries[f]; l != nil && found.Seen == "" {
				found.Seen = "native library " + f
				found.SetSelf(l.Self())
			}
		}
		if found.Seen == "" {
			continue
		}
		e.SDKs = append(e.SDKs, found)
		brings := sdk.Brings
		if sdk.AdvertisingID {
			brings = append(brings[:len(brings):len(brings)], advertisingID)
		}
		for _, p := range brings {
			if e.Brought[p] == "" {
				e.Brought[p] = sdk.ID
			}
		}
	}
}

// calls looks for calls of the platform that rules ask about.
func (e *Evidence) calls(a *facts.Android, cat *catalogue.Catalogue) {
	if a.Code == nil {
		return
	}
	if why := a.Code.Unread("classes"); why != "" {
		for _, f := range []string{"old_http", "notifies", "device_ids"} {
			e.SetUnread(f, why)
		}
		return
	}
	for c := range a.Code.Calls {
		switch {
		case strings.HasPrefix(c, "org/apache/http/"):
			e.OldHTTP = true
		case c == "android/app/NotificationManager.notify":
			e.Notifies = true
		case slices.Contains(cat.ClosedCalls, strings.ReplaceAll(c, "/", ".")):
			e.DeviceIDs = append(e.DeviceIDs, strings.ReplaceAll(c, "/", "."))
		}
	}
	slices.Sort(e.DeviceIDs)
}

// Implied is a device feature that a permission makes required, because no
// uses-feature line says otherwise.
type Implied struct {
	place.Mark `json:"-"`
	Name       string `json:"name"`
	Permission string `json:"permission"`
}

// implied finds the features that permissions make required, because no
// uses-feature line says otherwise.
func (e *Evidence) implied(a *facts.Android, cat *catalogue.Catalogue) {
	named := map[string]bool{}
	for _, f := range a.Features {
		named[f.Name] = true
	}
	for _, p := range a.Permissions {
		entry := cat.Permissions[p.Name]
		if entry == nil || entry.Feature == "" || named[entry.Feature] {
			continue
		}
		named[entry.Feature] = true
		i := &Implied{Name: entry.Feature, Permission: p.Name}
		i.SetSelf(p.Self())
		e.Implied = append(e.Implied, i)
	}
}

// hasPrefix tells whether a class lies in a package, or is the class named.
func hasPrefix(class, prefix string) bool {
	return class == prefix || strings.HasPrefix(class, strings.TrimSuffix(prefix, ".")+".")
}

// Useless is a permission that serves nothing.
type Useless struct {
	place.Mark `json:"-"`
	Name       string `json:"name"`
	Why        string `json:"why"`
	Kind       string `json:"kind"` // privileged, ended, misspelt
}

// useless finds permissions that no app from a store is ever granted, that
// ended before the least level, or that are probably misspelt.
func (e *Evidence) useless(a *facts.Android, cat *catalogue.Catalogue) {
	names := make([]string, 0, len(cat.Permissions))
	for n := range cat.Permissions {
		names = append(names, n)
	}
	slices.Sort(names)
	for _, p := range a.Permissions {
		u := &Useless{Name: p.Name}
		entry := cat.Permissions[p.Name]
		switch {
		case entry == nil:
			near := ""
			if strings.HasPrefix(p.Name, "android.permission.") && !slices.Contains(a.Defined, p.Name) {
				near = misspelt(p.Name, names)
			}
			if near == "" {
				continue
			}
			u.Kind, u.Why = "misspelt", "there is no such permission; "+near+" is probably meant"
		case entry.Protection == "signature" || entry.Protection == "signature-privileged":
			u.Kind, u.Why = "privileged", "it is granted to parts of the system only"
		case entry.Until > 0 && a.MinLevel != nil && entry.Until < *a.MinLevel:
			u.Kind, u.Why = "ended", fmt.Sprintf("it serves up to API level %d, and the app begins at %d", entry.Until, *a.MinLevel)
		default:
			continue
		}
		u.SetSelf(p.Self())
		e.Useless = append(e.Useless, u)
	}
}

// misspelt finds a name that differs by one letter added, dropped or changed,
// or by two neighbours swapped.
func misspelt(name string, names []string) string {
	for _, n := range names {
		if d := len(n) - len(name); d > 1 || d < -1 || n == name {
			continue
		}
		i := 0
		for i < len(n) && i < len(name) && n[i] == name[i] {
			i++
		}
		a, b := n[i:], name[i:]
		switch {
		case len(a) > 0 && a[1:] == b, len(b) > 0 && b[1:] == a,
			len(a) > 0 && len(b) > 0 && a[1:] == b[1:],
			len(a) > 1 && len(b) > 1 && a[0] == b[1] && a[1] == b[0] && a[2:] == b[2:]:
			return n
		}
	}
	return ""
}

// PrivateLib is a native library that links to a library of the system which
// apps may not use.
type PrivateLib struct {
	place.Mark `json:"-"`
	Library    string `json:"library"`
	Needs      string `json:"needs"`
}

func (e *Evidence) privateLibs(a *facts.Android, cat *catalogue.Catalogue) {
	public := set(cat.PublicLibs)
	own := map[string]bool{}
	for _, l := range a.Libraries {
		own[l.ABI+"/"+l.Name] = true
	}
	for _, l := range a.Libraries {
		if why := l.Unread("needed"); why != "" {
			e.SetUnread("private_libraries", l.Path+": "+why)
			return
		}
		for _, n := range l.Needed {
			if !public[n] && !own[l.ABI+"/"+n] {
				p := &PrivateLib{Library: l.Path, Needs: n}
				p.SetSelf(l.Self())
				e.PrivateLibs = append(e.PrivateLibs, p)
			}
		}
	}
}

func (e *Evidence) restricted(a *facts.Android, cat *catalogue.Catalogue) {
	byUse := map[string]*Declared{}
	for _, p := range a.Permissions {
		entry := cat.Permissions[p.Name]
		if entry == nil || entry.Declaration == "" {
			continue
		}
		d := byUse[entry.Declaration]
		if d == nil {
			d = &Declared{Use: entry.Declaration}
			d.SetSelf(p.Self())
			byUse[entry.Declaration] = d
			e.Restricted = append(e.Restricted, d)
		}
		if !slices.Contains(d.Permissions, p.Name) {
			d.Permissions = append(d.Permissions, p.Name)
		}
	}
}
