package hostile

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"io"
	"path/filepath"
	"runtime"
	"strings"
)

// Kind is one way to be hostile.
type Kind struct {
	Name string                  // says what is done
	File string                  // name of the package
	Make func(w io.Writer) error // writes the package
}

// root is the repository, whose demo is changed.
func root() string {
	_, here, _, _ := runtime.Caller(0)
	return filepath.Join(filepath.Dir(here), "../..")
}

const (
	app  = "Payload/Terrafuoco.app/"
	base = "base/"
	pkg  = "org.example.terrafuoco"
)

// Kinds lists all ways, by format.
func Kinds() []Kind {
	var out []Kind
	add := func(name, file string, make func(w io.Writer) error) {
		out = append(out, Kind{name, file, make})
	}
	ipa := func(name string, entries func() map[string]content) {
		add(name, "Terrafuoco.ipa", func(w io.Writer) error {
			return change(filepath.Join(root(), "demo/sound/build/Terrafuoco.ipa"), entries())(w)
		})
	}
	aab := func(name string, entries func() map[string]content) {
		add(name, "terrafuoco.aab", func(w io.Writer) error {
			return change(filepath.Join(root(), "demo/sound/build/terrafuoco.aab"), entries())(w)
		})
	}
	apk := func(name string, entries func() map[string]content, pairs ...func([]byte) []byte) {
		add(name, "terrafuoco.apk", func(w io.Writer) error {
			var b bytes.Buffer
			if err := change(filepath.Join(root(), "internal/core/artifact/testdata/android/plain.apk"), entries())(&b); err != nil {
				return err
			}
			data := b.Bytes()
			if pairs != nil {
				data = block(data, pairs...)
			}
			_, err := w.Write(data)
			return err
		})
	}
	one := func(name string, c func() content) func() map[string]content {
		return func() map[string]content { return map[string]content{name: c()} }
	}
	many := func(n int, format string, c content, more map[string]content) func() map[string]content {
		return func() map[string]content {
			out := map[string]content{}
			for i := range n {
				out[fmt.Sprintf(format, i)] = c
			}
			for k, v := range more {
				out[k] = v
			}
			return out
		}
	}

	appleKinds(ipa, one, many)
	manifests(aab, apk, one)
	androidKinds(aab, apk, one, many)
	archives(add)
	return out
}

type (
	adder  = func(name string, entries func() map[string]content)
	signer = func(name string, entries func() map[string]content, pairs ...func([]byte) []byte)
	oner   = func(name string, c func() content) func() map[string]content
	manyer = func(n int, format string, c content, more map[string]content) func() map[string]content
)

func appleKinds(ipa adder, one oner, many manyer) {
	infos := func(name string, c func() content) { ipa(name, one(app+"Info.plist", c)) }
	infos("property list: a text of 1 MB referred to 20,000 times", func() content {
		refs := make([]uint32, 20_000)
		for i := range refs {
			refs[i] = 1
		}
		return of(plist(head(0xa, len(refs)), refs, append(head(5, 1<<20), bytes.Repeat([]byte("a"), 1<<20)...)))
	})
	infos("property list: arrays that hold one another, 8 to each", func() content {
		refs := func(to byte) []byte {
			b := []byte{0xa8}
			for range 8 {
				b = append(b, 0, 0, 0, to)
			}
			return b
		}
		var objects [][]byte
		for i := range 20 {
			objects = append(objects, refs(byte(i+2)))
		}
		return of(plist(refs(1), nil, append(objects, []byte{0x50})...))
	})
	infos("property list: nested keys of 100 KB over 20,000 variables", func() content {
		key := "<key>" + strings.Repeat("k", 100_000) + "</key>"
		return text(info(strings.Repeat(key+"<dict>", 30) + key + "<array>" + strings.Repeat("<string>$(A)</string>", 20_000) + "</array>" + strings.Repeat("</dict>", 30)))
	})
	infos("property list: a million values", func() content {
		return text(info("<key>a</key><array>" + strings.Repeat("<true/>", 1_000_000) + "</array>"))
	})
	infos("property list: a million empty URL schemes", func() content {
		return text(info("<key>CFBundleURLTypes</key><array><dict><key>CFBundleURLSchemes</key><array>" + strings.Repeat("<string/>", 1_000_000) + "</array></dict></array>"))
	})
	infos("property list: 20,000 ad networks, queries and backgrounds", func() content {
		var b strings.Builder
		for _, k := range []string{"LSApplicationQueriesSchemes", "UIBackgroundModes", "UIRequiredDeviceCapabilities"} {
			b.WriteString("<key>" + k + "</key><array>")
			for i := range 20_000 {
				fmt.Fprintf(&b, "<string>mode%d</string>", i)
			}
			b.WriteString("</array>")
		}
		b.WriteString("<key>SKAdNetworkItems</key><array>")
		for i := range 20_000 {
			fmt.Fprintf(&b, "<dict><key>SKAdNetworkIdentifier</key><string>k%d.skadnetwork</string></dict>", i)
		}
		return text(info(b.String() + "</array>"))
	})
	infos("property list: a name of 2 MB of bidirectional controls", func() content {
		return text(info("<key>CFBundleDisplayName</key><string>" + strings.Repeat("\u202e", 700_000) + "</string>"))
	})
	ipa("catalogue: 4,000 pages of empty entries", one(app+"Assets.car", func() content { return of(pages(4_000, 12_000)) }))
	ipa("seal: 3,000 patterns over 5,000 files", many(5_000, app+"r/%d.txt", text("a"), map[string]content{
		app + "_CodeSignature/CodeResources": func(w io.Writer) {
			io.WriteString(w, `<plist version="1.0"><dict><key>files2</key><dict/><key>rules2</key><dict>`)
			for i := range 3_000 {
				fmt.Fprintf(w, "<key>^(a|b|.*)*%dx$</key><true/>", i)
			}
			io.WriteString(w, "</dict></dict></plist>")
		}}))
	for _, name := range []string{"_CodeSignature/CodeResources", "embedded.mobileprovision", "PrivacyInfo.xcprivacy", "AppIcon60x60@3x.png", "Info.plist", "Assets.car", "Terrafuoco"} {
		ipa("a gigabyte of zeros as "+name, one(app+name, func() content { return zeros(1 << 30) }))
	}
	ipa("profile: four million empty elements", one(app+"embedded.mobileprovision", func() content {
		return of(signed([]byte(`<plist version="1.0"><array>`+strings.Repeat("<a/>", 4_000_000)+"</array></plist>"), nil, nil, nil))
	}))
	for _, e := range []string{"<dict/>", "<string/>", "<data/>", "<key/>", "<array></array>"} {
		ipa("profile: four million times "+e, one(app+"embedded.mobileprovision", func() content {
			return of(signed([]byte(`<plist version="1.0"><array>`+strings.Repeat(e, 4_000_000)+"</array></plist>"), nil, nil, nil))
		}))
	}
	ipa("profile: 4,000 certificates that issue each other", one(app+"embedded.mobileprovision", func() content {
		certs := certificates(4_000, "A", "B")
		return of(signed([]byte(`<plist version="1.0"><dict/></plist>`), certs, certs[0], []byte("x")))
	}))
	ipa("profile: a key of 2^18 bits", one(app+"embedded.mobileprovision", func() content {
		cert, sign := longKey(1 << 18)
		return of(signed([]byte(`<plist version="1.0"><dict/></plist>`), [][]byte{cert}, cert, sign))
	}))
	ipa("executable: a code directory of 30 million slots", one(app+"Terrafuoco", func() content {
		return of(executable(signature(directory(30_000_000), 1)))
	}))
	ipa("executable: 64 parts on one code directory of 8 MB", one(app+"Terrafuoco", func() content {
		return of(executable(signature(append(directory(250_000), make([]byte, 8_000_000)...), 64)))
	}))
	ipa("executable: four selector sections of 15 MiB", one(app+"Terrafuoco", func() content {
		s := section{"__objc_methname", 15 << 20, "a:\x00"}
		return of(executable(nil, s, s, s, s))
	}))
	ipa("executable: class names of one text of 4 MB", one(app+"Terrafuoco", func() content {
		return of(executable(nil, section{"__objc_classname", 4 << 20, "A"}, section{"__cstring", 8 << 20, "ab\x00"}))
	}))
	ipa("1,500 frameworks", func() map[string]content {
		out := map[string]content{}
		bin := executable(nil, section{"__cstring", 2_000, "prefs:root=a\x00"})
		for i := range 1_500 {
			dir := fmt.Sprintf("%sFrameworks/F%d.framework/", app, i)
			out[dir+fmt.Sprintf("F%d", i)] = of(bin)
			out[dir+"Info.plist"] = text(fmt.Sprintf(`<plist version="1.0"><dict><key>CFBundleIdentifier</key><string>a.f%d</string><key>CFBundleExecutable</key><string>F%d</string><key>CFBundlePackageType</key><string>FMWK</string></dict></plist>`, i, i))
		}
		return out
	})
	ipa("60,000 frameworks without a property list", many(60_000, app+"Frameworks/F%d.framework/a", text("a"), nil))
	ipa("names of 32,000 folders", many(32_000, app+strings.Repeat("long-folder-name/", 20)+"%d/a", text("a"), nil))
	ipa("5,000 icon names over 20,000 files", many(20_000, app+"Icon%d@2x.png", text("x"), map[string]content{
		app + "Info.plist": func(w io.Writer) {
			var b strings.Builder
			for i := range 5_000 {
				fmt.Fprintf(&b, "<string>Icon%d</string>", i)
			}
			io.WriteString(w, info("<key>CFBundleIcons</key><dict><key>CFBundlePrimaryIcon</key><dict><key>CFBundleIconFiles</key><array>"+b.String()+"</array></dict></dict>"))
		}}))
	ipa("300 languages of 5,000 strings", many(300, app+"x-%d.lproj/InfoPlist.strings", func(w io.Writer) {
		for i := range 5_000 {
			fmt.Fprintf(w, "\"NSKey%dUsageDescription\" = \"a\";\n", i)
		}
	}, nil))
	ipa("70,000 files outside the seal", many(70_000, app+"loose/%d.txt", text("a"), nil))
	ipa("20,000 privacy manifests", many(20_000, app+"B%d.bundle/PrivacyInfo.xcprivacy", text(`<plist version="1.0"><dict><key>a</key><true/></dict></plist>`), nil))
}

// pages is a catalogue whose tree of pictures has many pages, each of which
// claims entries that are all at block 0.
func pages(n, entries int) []byte {
	be := binary.BigEndian
	const header = 512
	var body, index []byte
	add := func(b []byte) {
		index = be.AppendUint32(be.AppendUint32(index, uint32(header+len(body))), uint32(len(b)))
		body = append(body, b...)
	}
	add(nil)
	tree := append([]byte("tree"), 0, 0, 0, 1, 0, 0, 0, 2, 0, 0, 16, 0)
	add(append(be.AppendUint32(tree, uint32(entries)), 0))
	for i := range n {
		page := be.AppendUint16(be.AppendUint16(nil, 1), uint16(entries))
		page = be.AppendUint32(be.AppendUint32(page, uint32(i+3)), 0)
		add(append(page, make([]byte, 8*entries)...))
	}
	index = append(be.AppendUint32(nil, uint32(len(index)/8)), index...)
	var names []byte
	for i, name := range []string{"RENDITIONS", "FACETKEYS", "APPEARANCEKEYS"} {
		_ = i
		names = append(append(be.AppendUint32(names, 1), byte(len(name))), name...)
	}
	names = append(be.AppendUint32(nil, 3), names...)
	at := uint32(header + len(body))
	out := []byte("BOMStore")
	for _, v := range []uint32{1, uint32(n + 2), at, uint32(len(index)), at + uint32(len(index)), uint32(len(names))} {
		out = be.AppendUint32(out, v)
	}
	out = append(out, make([]byte, header-len(out))...)
	return append(append(append(out, body...), index...), names...)
}

func manifests(aab adder, apk signer, one oner) {
	both := func(name string, children func() []*element) {
		doc := func() *element {
			return el("manifest", []string{":package", pkg}, children()...)
		}
		aab(name+" (bundle)", one(base+"manifest/AndroidManifest.xml", func() content { return of(doc().proto()) }))
		apk(name, one("AndroidManifest.xml", func() content { return of(doc().binary()) }))
	}
	both("manifest: 6,000 permissions with names of 4 KB", func() (out []*element) {
		for i := range 6_000 {
			out = append(out, el("uses-permission", []string{"name", fmt.Sprint(strings.Repeat("p", 4_000), i)}))
		}
		return out
	})
	both("manifest: 30,000 activities with themes and hosts", func() []*element {
		a := el("application", nil)
		for i := range 30_000 {
			a.children = append(a.children, el("activity", []string{"name", fmt.Sprintf(".A%d", i), "theme", fmt.Sprint("@", 0x7f040000+i), "label", fmt.Sprint("@", 0x7f020000+i)},
				el("intent-filter", []string{"autoVerify", "true"}, el("action", []string{"name", "android.intent.action.VIEW"}),
					el("data", []string{"scheme", "https", "host", fmt.Sprintf("h%d.example", i)}))))
		}
		return []*element{a}
	})
	both("manifest: 60,000 permissions, features, providers", func() []*element {
		a := el("application", nil)
		out := []*element{a}
		for i := range 20_000 {
			out = append(out, el("uses-permission", []string{"name", fmt.Sprint("android.permission.P", i)}), el("uses-feature", []string{"name", fmt.Sprint("android.hardware.f", i)}))
			a.children = append(a.children, el("provider", []string{"name", fmt.Sprint("a.B", i), "authorities", fmt.Sprint("a", i), "exported", "true"}))
		}
		return out
	})
	both("manifest: 4,000 permissions with names of 32 KB", func() (out []*element) {
		for i := range 4_000 {
			out = append(out, el("uses-permission", []string{"name", fmt.Sprint(strings.Repeat("p", 32_000), i)}))
		}
		return out
	})
	both("manifest: 40,000 activities", func() []*element {
		a := el("application", nil)
		for i := range 40_000 {
			a.children = append(a.children, el("activity", []string{"name", fmt.Sprintf(".A%d", i)}))
		}
		return []*element{a}
	})
	both("manifest: 60,000 permissions", func() (out []*element) {
		for i := range 60_000 {
			out = append(out, el("uses-permission", []string{"name", fmt.Sprint("android.permission.P", i)}))
		}
		return out
	})
	both("manifest: elements nested 5,000 deep", func() []*element {
		e := el("a", nil)
		for range 5_000 {
			e = el("a", nil, e)
		}
		return []*element{e}
	})
	apk("manifest: 40,000 chunks of long texts", one("AndroidManifest.xml", func() content {
		doc := el("manifest", []string{":package", pkg}, el(strings.Repeat("x", 30_000), nil)).binary()
		// A text between elements names the long string again and again.
		end := bytes.LastIndex(doc, []byte{3, 1, 16, 0})
		var chunks []byte
		for range 40_000 {
			chunks = append(chunks, 4, 1, 16, 0, 28, 0, 0, 0, 1, 0, 0, 0, 255, 255, 255, 255, 5, 0, 0, 0, 8, 0, 0, 3, 5, 0, 0, 0)
		}
		out := append(append(append([]byte{}, doc[:end]...), chunks...), doc[end:]...)
		le.PutUint32(out[4:], uint32(len(out)))
		return of(out)
	}))
}

func androidKinds(aab adder, apk signer, one oner, many manyer) {
	codes := func(name string, c func() content) { aab(name, one(base+"dex/classes.dex", c)) }
	codes("code: 20,000 calls of a class with a name of 200 KB", func() content {
		return of(code([]string{"Landroid/app/" + strings.Repeat("x", 200_000) + ";", "run"}, []uint32{0}, make([]uint32, 20_000)))
	})
	codes("code: 100,000 types of one name of 60 KB", func() content {
		return of(code([]string{"Lcom/" + strings.Repeat("x", 60_000) + ";"}, make([]uint32, 100_000), nil))
	})
	aab("code: nine files of 127 MiB of zeros", many(9, base+"dex/classes%d.dex", zeros(127<<20), nil))
	aab("code: 3,000 files", many(3_000, base+"dex/classes%d.dex", of(code([]string{"La/B;"}, []uint32{0}, nil)), nil))
	aab("code: 2,000 libraries of odd names", many(2_000, base+"lib/arm64-v8a/lib\u202e%d.so", text("\x7fELF"), nil))

	manifest := one(base+"manifest/AndroidManifest.xml", func() content {
		return of(el("manifest", []string{":package", pkg}, el("application", []string{"icon", fmt.Sprint("@", 0x7f010000), "label", fmt.Sprint("@", 0x7f020000)})).proto())
	})
	table := func(name string, types func() map[string][]entry, more map[string]content) {
		aab(name, func() map[string]content {
			out := manifest()
			out[base+"resources.pb"] = of(resources(types()))
			for k, v := range more {
				out[k] = v
			}
			return out
		})
	}
	table("table: references in a circle, 1,000 configurations each", func() map[string][]entry {
		to := func(id uint64) entry {
			return entry{"a", 1_000, func(int) []byte { return reference(id) }}
		}
		return map[string][]entry{"mipmap": {to(0x7f010001), to(0x7f010002), to(0x7f010000)}, "string": {to(0x7f020000)}}
	}, nil)
	table("table: 2,000 icons of 60,000 configurations", func() map[string][]entry {
		return map[string][]entry{"mipmap": {{"ic", 60_000, func(c int) []byte { return file(fmt.Sprintf("res/%d.png", c)) }}}}
	}, nil)
	var icon bytes.Buffer
	table("table: one icon of 3,000 by 3,000 pixels referred to 4,000 times", func() map[string][]entry {
		m := image.NewNRGBA(image.Rect(0, 0, 3_000, 3_000))
		m.Set(1, 1, color.NRGBA{1, 2, 3, 4})
		icon.Reset()
		png.Encode(&icon, m)
		return map[string][]entry{"mipmap": {{"ic", 4_000, func(int) []byte { return file("res/ic.png") }}}}
	}, map[string]content{base + "res/ic.png": func(w io.Writer) { w.Write(icon.Bytes()) }})
	table("table: an icon of 30,000 by 30,000 pixels in 100 KB", func() map[string][]entry {
		return map[string][]entry{"mipmap": {{"ic", 1, func(int) []byte { return file("res/ic.png") }}}}
	}, map[string]content{base + "res/ic.png": func(w io.Writer) {
		png.Encode(w, image.NewPaletted(image.Rect(0, 0, 12_000, 12_000), color.Palette{color.NRGBA{}, color.White}))
	}})
	table("table: 20,000 strings in 100 languages", func() map[string][]entry {
		var out []entry
		for i := range 20_000 {
			out = append(out, entry{fmt.Sprint("s", i), 100, func(int) []byte { return field(nil, 4, field(nil, 2, field(nil, 1, []byte("a")))) }})
		}
		return map[string][]entry{"string": out}
	}, nil)
	table("table: a label of 2 MB of controls", func() map[string][]entry {
		return map[string][]entry{"string": {{"app", 50, func(int) []byte {
			return field(nil, 4, field(nil, 2, field(nil, 1, []byte(strings.Repeat("\u202e\x1b[2J", 20_000)))))
		}}}}
	}, nil)
	aab("table: 5,000 attributes that refer to 5,000 configurations", func() map[string]content {
		a := el("application", nil)
		for i := range 5_000 {
			a.children = append(a.children, el("activity", []string{"name", fmt.Sprintf(".A%d", i), "label", fmt.Sprint("@", 0x7f020000), "exported", fmt.Sprint("@", 0x7f020000)}))
		}
		return map[string]content{
			base + "manifest/AndroidManifest.xml": of(el("manifest", []string{":package", pkg}, a).proto()),
			base + "resources.pb": of(resources(map[string][]entry{"string": {{"a", 5_000, func(int) []byte {
				return field(nil, 4, field(nil, 2, field(nil, 1, []byte("true"))))
			}}}})),
		}
	})
	aab("table: 20,000 attributes that refer to 4,096 configurations", func() map[string]content {
		a := el("application", nil)
		for i := range 20_000 {
			a.children = append(a.children, el("activity", []string{"name", fmt.Sprintf(".A%d", i), "label", fmt.Sprint("@", 0x7f020000), "exported", fmt.Sprint("@", 0x7f020000)}))
		}
		return map[string]content{
			base + "manifest/AndroidManifest.xml": of(el("manifest", []string{":package", pkg}, a).proto()),
			base + "resources.pb": of(resources(map[string][]entry{"string": {{"a", 4_096, func(int) []byte {
				return field(nil, 4, field(nil, 2, field(nil, 1, []byte("true"))))
			}}}})),
		}
	})
	aab("table: 60,000 themes", func() map[string]content {
		a := el("application", []string{"theme", fmt.Sprint("@", 0x7f010000)})
		for i := range 60_000 {
			a.children = append(a.children, el("activity", []string{"name", fmt.Sprintf(".A%d", i), "theme", fmt.Sprint("@", 0x7f010000+i)}))
		}
		style := func(int) []byte { return field(nil, 5, field(nil, 1, nil)) }
		var styles []entry
		for i := range 60_000 {
			styles = append(styles, entry{fmt.Sprint("T", i), 1, style})
		}
		return map[string]content{
			base + "manifest/AndroidManifest.xml": of(el("manifest", []string{":package", pkg}, a).proto()),
			base + "resources.pb":                 of(resources(map[string][]entry{"style": styles})),
		}
	})
	for _, name := range []string{"resources.pb", "manifest/AndroidManifest.xml", "dex/classes.dex", "lib/arm64-v8a/libkilnmath.so"} {
		aab("a gigabyte of zeros as "+name, one(base+name, func() content { return zeros(1 << 30) }))
	}
	apk("a gigabyte of zeros as resources.arsc", one("resources.arsc", func() content { return zeros(1 << 30) }))

	sums := func(name string, c func() content) { aab(name, one("META-INF/MANIFEST.MF", c)) }
	sums("digests: 7 million sections", func() content {
		return repeat("Manifest-Version: 1.0\r\n\r\n", "Name: a\r\n\r\n", 7_000_000, "")
	})
	sums("digests: 3 million continuation lines", func() content {
		return repeat("Manifest-Version: 1.0\r\n\r\nName: a\r\n", " b\r\n", 3_000_000, "")
	})
	sums("digests: a gigabyte of zeros", func() content { return zeros(1 << 30) })
	aab("digests: 600 signature files over one of 10 MB", func() map[string]content {
		out := map[string]content{"META-INF/MANIFEST.MF": repeat("Manifest-Version: 1.0\r\n\r\n", "Name: a\r\nSHA-256-Digest: AAAA\r\n\r\n", 300_000, "")}
		for i := range 600 {
			out[fmt.Sprintf("META-INF/S%d.SF", i)] = text("Signature-Version: 1.0\r\nSHA-256-Digest-Manifest: AAAA\r\n\r\n")
			out[fmt.Sprintf("META-INF/S%d.RSA", i)] = text("0")
		}
		return out
	})
	aab("digests: 70,000 entries that are not signed", many(70_000, base+"assets/%d.txt", text("a"), nil))
	aab("digests: a key of 2^18 bits", one("META-INF/KILN.RSA", func() content {
		cert, sign := longKey(1 << 18)
		return of(signed([]byte("x"), [][]byte{cert}, cert, sign))
	}))

	none := func() map[string]content { return nil }
	const v2 = 0x7109871a
	apk("signing block: 20,000 signatures over a part of 4 MB", none, pair(v2, func() []byte {
		part := long(long(), long(), long(), make([]byte, 4<<20))
		sig := long(le.AppendUint32(nil, 0x103), long([]byte("x")))
		return long(long(part, long(bytes.Repeat(sig, 20_000)), long()))
	}()))
	apk("signing block: 300,000 signers", none, pair(v2, long(bytes.Repeat(long(long(), long(), long()), 300_000))))
	empty := make([]func([]byte) []byte, 300_000)
	for i := range empty {
		empty[i] = pair(v2, nil)
	}
	apk("signing block: 300,000 empty schemes", none, empty...)
}

func archives(add func(name, file string, make func(w io.Writer) error)) {
	local := func(name string, size uint32) []byte {
		b := make([]byte, 30)
		le.PutUint32(b, 0x04034b50)
		le.PutUint32(b[18:], size)
		le.PutUint32(b[22:], size)
		le.PutUint16(b[26:], uint16(len(name)))
		return append(b, name...)
	}
	central := func(name string, size, at uint32) []byte {
		b := make([]byte, 46)
		le.PutUint32(b, 0x02014b50)
		le.PutUint32(b[20:], size)
		le.PutUint32(b[24:], size)
		le.PutUint16(b[28:], uint16(len(name)))
		le.PutUint32(b[42:], at)
		return append(b, name...)
	}
	end := func(n, size, at int) []byte {
		b := make([]byte, 22)
		le.PutUint32(b, 0x06054b50)
		le.PutUint16(b[8:], uint16(n))
		le.PutUint16(b[10:], uint16(n))
		le.PutUint32(b[12:], uint32(size))
		le.PutUint32(b[16:], uint32(at))
		return b
	}
	write := func(n int, body []byte, name func(i int) string) func(w io.Writer) error {
		return func(w io.Writer) error {
			head := local(name(0), uint32(len(body)))
			var dir []byte
			for i := range n {
				dir = append(dir, central(name(i), uint32(len(body)), 0)...)
			}
			for _, b := range [][]byte{head, body, dir, end(n, len(dir), len(head)+len(body))} {
				if _, err := w.Write(b); err != nil {
					return err
				}
			}
			return nil
		}
	}
	add("archive: 60,000 entries on one local header of 1 MB", "terrafuoco.aab",
		write(60_000, make([]byte, 1<<20), func(i int) string { return fmt.Sprintf("base/dex/classes%d.dex", i+2) }))
	add("archive: 60,000 entries on one local header of 1 MB (app)", "Terrafuoco.ipa",
		write(60_000, make([]byte, 1<<20), func(i int) string { return fmt.Sprintf("%sFrameworks/F%d", app, i) }))
	add("archive: a million entries", "terrafuoco.apk",
		write(1_000_000, nil, func(i int) string { return fmt.Sprintf("res/%d", i) }))
	add("archive: names of 60 KB", "terrafuoco.apk",
		write(2_000, nil, func(i int) string { return strings.Repeat("a/", 30_000) + fmt.Sprint(i) }))
}
