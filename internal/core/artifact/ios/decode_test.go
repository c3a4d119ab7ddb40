package ios_test

import (
	"reflect"
	"testing"

	"github.com/stretchr/testify/assert"

	"regola.example/regola/internal/core/fact"
)

// TestKinds reads values of each form that the platform reads, and of kinds that it does
// not: those are unknown and reported, never empty.
func TestKinds(t *testing.T) {
	for name, c := range map[string]struct {
		list, field string
		want        any
		lost, wrong string
	}{
		"list":                   {list: `<key>UIBackgroundModes</key><array><string>audio</string></array>`, field: "background_modes", want: []string{"audio"}},
		"empty list":             {list: `<key>UIBackgroundModes</key><array/>`, field: "background_modes", want: []string(nil)},
		"text for a list":        {list: `<key>UIBackgroundModes</key><string>audio</string>`, field: "background_modes", lost: "UIBackgroundModes is a string, not an array", wrong: "UIBackgroundModes"},
		"item of another kind":   {list: `<key>UIBackgroundModes</key><array><string>audio</string><integer>1</integer></array>`, field: "background_modes", lost: "UIBackgroundModes[1] is an integer, not a string", wrong: "UIBackgroundModes[1]"},
		"capabilities as list":   {list: `<key>UIRequiredDeviceCapabilities</key><array><string>nfc</string></array>`, field: "capabilities", want: []string{"nfc"}},
		"capabilities as set":    {list: `<key>UIRequiredDeviceCapabilities</key><dict><key>nfc</key><true/><key>metal</key><true/><key>gps</key><false/></dict>`, field: "capabilities", want: []string{"metal", "nfc"}},
		"capabilities, text":     {list: `<key>UIRequiredDeviceCapabilities</key><string>arm64</string>`, field: "capabilities", lost: "UIRequiredDeviceCapabilities is a string, not an array", wrong: "UIRequiredDeviceCapabilities"},
		"capabilities, bad item": {list: `<key>UIRequiredDeviceCapabilities</key><dict><key>nfc</key><string>YES</string></dict>`, field: "capabilities", lost: "UIRequiredDeviceCapabilities.nfc is a string, not a boolean", wrong: "UIRequiredDeviceCapabilities.nfc"},
		"families":               {list: `<key>UIDeviceFamily</key><array><integer>1</integer><integer>2</integer></array>`, field: "families", want: []int64{1, 2}},
		"one family":             {list: `<key>UIDeviceFamily</key><integer>2</integer>`, field: "families", want: []int64{2}},
		"families as texts":      {list: `<key>UIDeviceFamily</key><array><string>1</string></array>`, field: "families", lost: "UIDeviceFamily[0] is a string, not an integer", wrong: "UIDeviceFamily[0]"},
		"for tablets":            {list: `<key>UIRequiresFullScreen~ipad</key><true/>`, field: "full_screen", want: true},
		"either form":            {list: `<key>UIRequiresFullScreen</key><string>NO</string><key>UIRequiresFullScreen~ipad</key><true/>`, field: "full_screen", want: true, wrong: "UIRequiresFullScreen"},
		"text for a boolean":     {list: `<key>UIRequiresFullScreen</key><string>YES</string>`, field: "full_screen", lost: "UIRequiresFullScreen is a string, not a boolean", wrong: "UIRequiresFullScreen"},
		"tablet's turns":         {list: `<key>UISupportedInterfaceOrientations</key><array><string>a</string></array><key>UISupportedInterfaceOrientations~ipad</key><array><string>b</string></array>`, field: "orientations", want: []string{"b"}},
		"all turns":              {list: `<key>UISupportedInterfaceOrientations</key><array><string>b</string></array><key>UISupportedInterfaceOrientations~ipad</key><array><string>b</string><string>a</string></array>`, field: "all_orientations", want: []string{"a", "b"}},
		"empty tablet's turns":   {list: `<key>UISupportedInterfaceOrientations</key><array><string>a</string></array><key>UISupportedInterfaceOrientations~ipad</key><array/>`, field: "orientations", want: []string(nil)},
		"second name":            {list: `<key>CFBundleDisplayName</key><string></string><key>CFBundleName</key><string>Kiln</string>`, field: "name", want: "Kiln"},
		"first name":             {list: `<key>CFBundleDisplayName</key><string>Terra</string><key>CFBundleName</key><string>Kiln</string>`, field: "name", want: "Terra"},
		"nested":                 {list: `<key>NSAppTransportSecurity</key><dict><key>NSAllowsArbitraryLoads</key><true/></dict>`, field: "arbitrary_loads", want: true},
		"narrower from 10":       {list: `<key>MinimumOSVersion</key><string>10.0</string><key>NSAppTransportSecurity</key><dict><key>NSAllowsArbitraryLoads</key><true/><key>NSAllowsLocalNetworking</key><true/></dict>`, field: "arbitrary_loads", want: false},
		"wide below 10":          {list: `<key>MinimumOSVersion</key><string>9.3</string><key>NSAppTransportSecurity</key><dict><key>NSAllowsArbitraryLoads</key><true/><key>NSAllowsLocalNetworking</key><true/></dict>`, field: "arbitrary_loads", want: true},
		"nested text":            {list: `<key>NSAppTransportSecurity</key><dict><key>NSAllowsArbitraryLoads</key><string>YES</string></dict>`, field: "arbitrary_loads", lost: "NSAppTransportSecurity.NSAllowsArbitraryLoads is a string, not a boolean", wrong: "NSAppTransportSecurity.NSAllowsArbitraryLoads"},
		"no dictionary":          {list: `<key>NSAppTransportSecurity</key><true/>`, field: "media_loads", lost: "NSAppTransportSecurity is a boolean, not a dictionary", wrong: "NSAppTransportSecurity"},
		"through a list":         {list: `<key>CFBundleURLTypes</key><array><dict><key>CFBundleURLSchemes</key><array><string>a</string></array></dict><dict/><dict><key>CFBundleURLSchemes</key><array><string>b</string></array></dict></array>`, field: "url_schemes", want: []string{"a", "b"}},
		"no list on the way":     {list: `<key>CFBundleURLTypes</key><dict/>`, field: "url_schemes", lost: "CFBundleURLTypes is a dictionary, not an array", wrong: "CFBundleURLTypes"},
		"bad step in a list":     {list: `<key>CFBundleURLTypes</key><array><string>a</string></array>`, field: "url_schemes", lost: "CFBundleURLTypes[0] is a string, not a dictionary", wrong: "CFBundleURLTypes[0]"},
		"there, as anything":     {list: `<key>UILaunchScreen</key><dict/>`, field: "launch_screen", want: true},
		"text or a dictionary":   {list: `<key>NSExtension</key><dict><key>NSExtensionAttributes</key><dict><key>NSExtensionActivationRule</key><dict/></dict></dict>`, field: "activation", want: ""},
		"encryption as a text":   {list: `<key>ITSAppUsesNonExemptEncryption</key><string>NO</string>`, field: "encryption", lost: "ITSAppUsesNonExemptEncryption is a string, not a boolean", wrong: "ITSAppUsesNonExemptEncryption"},
		"encryption":             {list: `<key>ITSAppUsesNonExemptEncryption</key><false/>`, field: "encryption", want: new(bool)},
	} {
		t.Run(name, func(t *testing.T) {
			a := plain(t, c.list, nil)
			info := &a.App.Info
			assert.Equal(t, c.lost, info.Unread(c.field))
			if c.lost == "" {
				assert.Equal(t, c.want, field(t, info, c.field))
			} else {
				assert.Zero(t, field(t, info, c.field))
			}
			var wrong []string
			for _, w := range a.WrongTypes {
				assert.Equal(t, ".", w.Bundle)
				assert.NotZero(t, w.Self().Offset, "its place is that of the value")
				wrong = append(wrong, w.Key)
			}
			if c.wrong == "" {
				assert.Empty(t, wrong)
			} else {
				assert.Equal(t, []string{c.wrong}, wrong, "once, though several fields read it")
			}
		})
	}
}

// field is the field of that json name.
func field(t *testing.T, of any, name string) any {
	v := reflect.ValueOf(of).Elem()
	for i := range v.NumField() {
		if fact.FieldName(v.Type().Field(i)) == name {
			return v.Field(i).Interface()
		}
	}
	t.Fatalf("there is no field %s", name)
	return nil
}
