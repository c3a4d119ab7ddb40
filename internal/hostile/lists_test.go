//go:build unix

package hostile

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/day"
	"regola.example/regola/internal/run"
	"regola.example/regola/internal/seed"
	"regola.example/regola/rulebooks"
)

// list is a list that a stranger writes: make puts so many items into a copy of the
// demo's dossier, or gives the package that holds them.
type list struct {
	name string
	most int // items that are within the bounds
	make func(t testing.TB, dir string, n int) (pkg string)
}

// lists are all of them: of dossiers, of what lies beside them, and of packages.
func lists() []list {
	edit := func(t testing.TB, dir, file, old, now string) {
		name := filepath.Join(dir, file)
		data, err := os.ReadFile(name)
		require.NoError(t, err)
		require.Contains(t, string(data), old)
		require.NoError(t, os.WriteFile(name, []byte(strings.Replace(string(data), old, now, 1)), 0o644))
	}
	add := func(t testing.TB, dir, file, text string) {
		f, err := os.OpenFile(filepath.Join(dir, file), os.O_APPEND|os.O_CREATE|os.O_WRONLY, 0o644)
		require.NoError(t, err)
		_, err = f.WriteString(text)
		require.NoError(t, err)
		require.NoError(t, f.Close())
	}
	many := func(n int, item func(i int) string) string {
		var b strings.Builder
		for i := range n {
			b.WriteString(item(i))
		}
		return b.String()
	}
	dossier := func(name string, most int, old, before string, item func(i int) string) list {
		return list{name, most, func(t testing.TB, dir string, n int) string {
			text := before + many(n, item)
			if old == "" {
				add(t, dir, "dossier.yaml", text)
			} else {
				edit(t, dir, "dossier.yaml", old, text)
			}
			return ""
		}}
	}
	beside := func(name string, most int, fill func(t testing.TB, dir string, n int)) list {
		return list{name, most, func(t testing.TB, dir string, n int) string { fill(t, dir, n); return "" }}
	}
	pack := func(name, file, from string, most int, entries func(n int) map[string]content) list {
		return list{name, most, func(t testing.TB, dir string, n int) string {
			out := filepath.Join(dir, fmt.Sprint(n, file))
			f, err := os.Create(out)
			require.NoError(t, err)
			require.NoError(t, change(filepath.Join(root(), from), entries(n))(f))
			require.NoError(t, f.Close())
			return out
		}}
	}
	manifest := func(name string, most int, item func(a *element, i int) []*element) list {
		return pack("manifest: "+name, "t.aab", "demo/sound/build/terrafuoco.aab", most, func(n int) map[string]content {
			a := el("application", nil)
			doc := []*element{a}
			for i := range n {
				doc = append(doc, item(a, i)...)
			}
			return map[string]content{base + "manifest/AndroidManifest.xml": of(el("manifest", []string{":package", pkg}, doc...).proto())}
		})
	}
	ipa := func(name string, most int, entries func(n int) map[string]content) list {
		return pack("app: "+name, "T.ipa", "demo/sound/build/Terrafuoco.ipa", most, entries)
	}
	property := func(name string, most int, before string, item func(i int) string, after string) list {
		return ipa("property list, "+name, most, func(n int) map[string]content {
			return map[string]content{app + "Info.plist": text(info(before + many(n, item) + after))}
		})
	}
	keep := func(a *element, e ...*element) []*element { a.children = append(a.children, e...); return nil }

	return []list{
		dossier("unknown keys", 30_000, "", "", func(i int) string { return fmt.Sprintf("k%d: x\n", i) }),
		dossier("waivers of one rule", 5_000, "", "waivers:\n", func(i int) string {
			return fmt.Sprintf("  - {rule: common/picture-size, at: p%d, because: x, by: Ada, until: 2027-01-01}\n", i)
		}),
		dossier("waivers of unknown rules", 5_000, "", "waivers:\n", func(i int) string {
			return fmt.Sprintf("  - {rule: android/icon%d, because: x, by: Ada, until: 2027-01-01}\n", i)
		}),
		dossier("confirmations", 8_000, "confirmed:\n", "confirmed:\n", func(i int) string {
			return fmt.Sprintf("  - {what: tested-on-device, version: 1.%d, by: Ada, on: 2026-11-20}\n", i)
		}),
		dossier("countries", 40_000, "countries: [", "countries: [", func(int) string { return "AT, " }),
		dossier("kinds of data", 4_000, "  data:\n", "  data:\n", func(int) string {
			return "    - {kind: name, purposes: [account-management], shared: false, linked: true, tracking: false, optional: false, stored: true}\n"
		}),
		dossier("products", 4_000, "", "products:\n", func(i int) string {
			return fmt.Sprintf("  - {id: glaze.%d, kind: lasting, price: 1.99 EUR, texts: [{locale: it, name: Smalto %d}]}\n", i, i)
		}),
		dossier("tags", 30_000, "tags: [", "tags: [", func(i int) string { return fmt.Sprintf("t%d, ", i) }),
		dossier("names of a brand", 450, "  price: free\n", "  price: free\n  brand:\n    never:\n", func(i int) string { return fmt.Sprintf("    - Forno%d\n", i) }),
		beside("lines of a text", 4_000, func(t testing.TB, dir string, n int) {
			edit(t, dir, "listing/it.yaml", "description: |\n", "description: |\n"+many(n, func(i int) string { return fmt.Sprintf("  Il forno numero %d cuoce la ceramica.\n", i) }))
		}),
		beside("keywords", 30_000, func(t testing.TB, dir string, n int) {
			edit(t, dir, "listing/it.yaml", "keywords: [", "keywords: ["+many(n, func(i int) string { return fmt.Sprintf("k%d, ", i) }))
		}),
		beside("languages", 400, func(t testing.TB, dir string, n int) {
			for i := range n {
				add(t, dir, fmt.Sprintf("listing/q%c%c.yaml", 'a'+i/26%20, 'a'+i%26), "name: Terrafuoco\npitch: Il diario del forno\n")
			}
		}),
		beside("testers", 20_000, func(t testing.TB, dir string, n int) {
			edit(t, dir, "dossier.yaml", "  share: {android: 20%}\n", "  share: {android: 20%}\n  testing: {list: testers.csv}\n")
			add(t, dir, "testers.csv", many(n, func(i int) string { return fmt.Sprintf("potter%d@terrafuoco.example\n", i) }))
		}),
		beside("releases of the ledger", 4_000, func(t testing.TB, dir string, n int) {
			add(t, dir, "ledger.jsonl", many(n, func(i int) string {
				return fmt.Sprintf(`{"regola":1,"event":"release","on":"2026-01-01","store":"ios","version":"0.%d","build":"%d","release":{"id":"org.example.terrafuoco","products":{"p%d":"x"}}}`+"\n", i, i, i)
			}))
		}),
		beside("rejections of the ledger", 8_000, func(t testing.TB, dir string, n int) {
			add(t, dir, "ledger.jsonl", many(n, func(i int) string {
				return fmt.Sprintf(`{"regola":1,"event":"decision","on":"2026-01-01","store":"ios","version":"1.3.2","build":"1","decision":"rejected","reasons":[{"about":"behaviour","said":"no %d"}]}`+"\n", i)
			}))
		}),
		beside("rules of a rulebook", 2_000, func(t testing.TB, dir string, n int) {
			edit(t, dir, "dossier.yaml", "tables: [sdks.yaml]\n", "tables: [sdks.yaml]\nrulebooks: [house.yaml]\n")
			add(t, dir, "house.yaml", "rulebook: house\nstore: all\nedition: 2026-01-01\nrules:\n"+many(n, func(i int) string {
				return fmt.Sprintf("  - {id: house/r%d, title: x, stage: listing, impact: craft, expect: \"app.name != 'x%d'\", say: x, why: x, fix: x, basis: {topic: x, confidence: low}, examples: [{given: {app: {name: x%d}}, breaks: true}]}\n", i, i, i)
			}))
		}),
		beside("values of a limit", 40_000, func(t testing.TB, dir string, n int) {
			edit(t, dir, "dossier.yaml", "tables: [sdks.yaml]\n", "tables: [sdks.yaml]\nrulebooks: [house.yaml]\n")
			add(t, dir, "house.yaml", "rulebook: house\nstore: all\nedition: 2026-01-01\nlimits:\n  a:\n    - {from: 2015-01-01, value: ["+many(n, func(i int) string { return fmt.Sprintf("v%d, ", i) })+"x]}\nrules:\n  - {id: house/r, title: x, stage: listing, impact: craft, expect: \"!(app.name in limit.a)\", say: x, why: x, fix: x, basis: {topic: x, confidence: low}, examples: [{given: {app: {name: x}}, breaks: true}]}\n")
		}),
		beside("rows of a table", 2_000, func(t testing.TB, dir string, n int) {
			add(t, dir, "more.yaml", "sdks:\n"+many(n, func(i int) string {
				return fmt.Sprintf("  - {id: org.example.s%d, kind: other, classes: [org.example.s%d], frameworks: [F%d], ios_classes: [S%dX]}\n", i, i, i, i)
			}))
			edit(t, dir, "dossier.yaml", "tables: [sdks.yaml]\n", "tables: [sdks.yaml, more.yaml]\npackages: {android: build/terrafuoco.aab, ios: build/Terrafuoco.ipa}\n")
		}),
		beside("tables of a backend", 4_000, func(t testing.TB, dir string, n int) {
			add(t, dir, "backend/schema.sql", "\n"+many(n, func(i int) string {
				return fmt.Sprintf("CREATE TABLE public.t%d (id uuid, owner uuid);\nALTER TABLE public.t%d ENABLE ROW LEVEL SECURITY;\nCREATE POLICY p%d ON public.t%d USING ((owner = auth.uid()));\nGRANT SELECT ON public.t%d TO anon;\n", i, i, i, i, i)
			}))
		}),
		beside("pictures", 2_000, func(t testing.TB, dir string, n int) {
			data := seed.PNG(t, 640, 960, false)
			folder := filepath.Join(dir, "pictures/ios/it")
			require.NoError(t, os.MkdirAll(folder, 0o755))
			for i := range n {
				require.NoError(t, os.WriteFile(filepath.Join(folder, fmt.Sprintf("x%d.png", i)), append(data, byte(i), byte(i>>8)), 0o644))
			}
		}),

		manifest("permissions", 9_000, func(_ *element, i int) []*element {
			return []*element{el("uses-permission", []string{"name", fmt.Sprint("android.permission.P", i)})}
		}),
		manifest("features", 9_000, func(_ *element, i int) []*element {
			return []*element{el("uses-feature", []string{"name", fmt.Sprint("android.hardware.f", i)})}
		}),
		manifest("activities", 9_000, func(a *element, i int) []*element {
			return keep(a, el("activity", []string{"name", fmt.Sprint("a.A", i), "exported", "true"}))
		}),
		manifest("providers", 9_000, func(a *element, i int) []*element {
			return keep(a, el("provider", []string{"name", fmt.Sprint("a.B", i), "authorities", fmt.Sprint("x", i), "exported", "true"}))
		}),
		manifest("values", 9_000, func(a *element, i int) []*element {
			return keep(a, el("meta-data", []string{"name", fmt.Sprint("k", i), "value", "${x}"}))
		}),
		manifest("links", 9_000, func(a *element, i int) []*element {
			return keep(a, el("activity", []string{"name", fmt.Sprint("a.A", i)}, el("intent-filter", []string{"autoVerify", "true"}, el("action", []string{"name", "android.intent.action.VIEW"}), el("data", []string{"scheme", "https", "host", fmt.Sprintf("h%d.example", i)}))))
		}),
		manifest("themes", 9_000, func(a *element, i int) []*element {
			return keep(a, el("activity", []string{"name", fmt.Sprint("a.A", i), "theme", fmt.Sprint("@", 0x7f010000+i)}))
		}),
		pack("files of an Android package", "t.aab", "demo/sound/build/terrafuoco.aab", 20_000, func(n int) map[string]content {
			out := map[string]content{}
			for i := range n {
				out[fmt.Sprintf("base/assets/f%d.txt", i)] = text("a")
			}
			return out
		}),
		pack("libraries", "t.aab", "demo/sound/build/terrafuoco.aab", 4_000, func(n int) map[string]content {
			out := map[string]content{}
			for i := range n {
				out[fmt.Sprintf("base/lib/arm64-v8a/lib%d.so", i)] = text("\x7fELF")
			}
			return out
		}),

		property("unknown keys", 20_000, "", func(i int) string { return fmt.Sprintf("<key>K%d</key><string>x</string>", i) }, ""),
		property("URL schemes", 20_000, "<key>CFBundleURLTypes</key><array><dict><key>CFBundleURLSchemes</key><array>", func(i int) string { return fmt.Sprintf("<string>s%d</string>", i) }, "</array></dict></array>"),
		property("queries", 20_000, "<key>LSApplicationQueriesSchemes</key><array>", func(i int) string { return fmt.Sprintf("<string>s%d</string>", i) }, "</array>"),
		property("ad networks", 9_000, "<key>SKAdNetworkItems</key><array>", func(i int) string {
			return fmt.Sprintf("<dict><key>SKAdNetworkIdentifier</key><string>k%d.skadnetwork</string></dict>", i)
		}, "</array>"),
		property("purposes", 9_000, "", func(i int) string {
			return fmt.Sprintf("<key>NSK%dUsageDescription</key><string>For the kiln</string>", i)
		}, ""),
		ipa("frameworks", 2_000, func(n int) map[string]content {
			out := map[string]content{}
			for i := range n {
				out[fmt.Sprintf("%sFrameworks/F%d.framework/Info.plist", app, i)] = text(fmt.Sprintf(`<plist version="1.0"><dict><key>CFBundleIdentifier</key><string>a.f%d</string><key>CFBundleExecutable</key><string>F%d</string></dict></plist>`, i, i))
			}
			return out
		}),
		ipa("frameworks without a property list", 2_000, func(n int) map[string]content {
			out := map[string]content{}
			for i := range n {
				out[fmt.Sprintf("%sFrameworks/F%d.framework/a", app, i)] = text("a")
			}
			return out
		}),
		ipa("apps beside the app", 20_000, func(n int) map[string]content {
			out := map[string]content{}
			for i := range n {
				out[fmt.Sprintf("Payload/A%d.app/Info.plist", i)] = text("<plist><dict/></plist>")
			}
			return out
		}),
		ipa("files outside the seal", 20_000, func(n int) map[string]content {
			out := map[string]content{}
			for i := range n {
				out[fmt.Sprintf("%sloose/%d.txt", app, i)] = text("a")
			}
			return out
		}),
		ipa("languages", 2_000, func(n int) map[string]content {
			out := map[string]content{}
			for i := range n {
				out[fmt.Sprintf("%sx-%d.lproj/InfoPlist.strings", app, i)] = text(`"NSCameraUsageDescription" = "a";`)
			}
			return out
		}),
	}
}

// TestDoubling doubles each list: twice the items take at most twice the work, with some
// room for what is measured. A short run looks at memory that is taken, which is alike
// on every machine, and at time where that is plain; scripts/doubling looks closer.
func TestDoubling(t *testing.T) {
	all, times := os.Getenv(allEnv) == "all", 1
	if all {
		times = 3
	}
	on, err := day.Parse("2026-11-23")
	require.NoError(t, err)
	for _, l := range lists() {
		t.Run(l.name, func(t *testing.T) {
			r, err := run.New(rulebooks.BuiltIn, run.Options{Options: check.Options{Day: on}})
			require.NoError(t, err)
			cost := func(n int) (took time.Duration, taken float64) {
				dir := t.TempDir()
				require.NoError(t, os.CopyFS(dir, os.DirFS(filepath.Join(root(), "demo/sound"))))
				name := filepath.Join(dir, "dossier.yaml")
				data, err := os.ReadFile(name)
				require.NoError(t, err)
				require.NoError(t, os.WriteFile(name, []byte(strings.Replace(string(data), "packages: {android: build/terrafuoco.aab, ios: build/Terrafuoco.ipa}\n", "", 1)), 0o644))
				job := run.Job{Dossier: dir}
				if pkg := l.make(t, dir, n); pkg != "" {
					job = run.Job{Packages: []string{pkg}}
				}
				took = time.Hour
				for range times {
					var before, after runtime.MemStats
					runtime.GC()
					runtime.ReadMemStats(&before)
					start := time.Now()
					_, _ = r.Check(context.Background(), job) // that it is refused is an answer, too
					took = min(took, time.Since(start))
					runtime.ReadMemStats(&after)
					taken = float64(after.TotalAlloc - before.TotalAlloc)
				}
				return took, taken
			}
			cost(1) // rules are compiled once
			none, least := cost(1)
			small := min(1_000, l.most/2)
			_, a := cost(small)
			_, b := cost(2 * small)
			ratio := func(a, b, none, floor float64) float64 {
				if a-none < floor {
					return 0 // nothing to measure
				}
				return (b - none) / (a - none)
			}
			memory := ratio(a, b, least, 1<<20)
			most, slowest := 2.6, 3.2 // four times is what a quadratic loop takes
			if all {
				slowest = 2.3
			}
			large := l.most
			if !all {
				large /= 2
			}
			half, _ := cost(large / 2)
			whole, _ := cost(large)
			slower := func() float64 { return ratio(half.Seconds(), whole.Seconds(), none.Seconds(), 0.1) }
			for range 8 { // whatever else the machine does makes a run longer, never shorter
				if slower() <= slowest {
					break
				}
				again, _ := cost(large / 2)
				half = min(half, again)
				again, _ = cost(large)
				whole = min(whole, again)
			}
			times := slower()
			if all {
				t.Logf("%d to %d items: %.1f MB to %.1f MB, %.2f times; %d to %d: %.3f s to %.3f s, %.2f times", small, 2*small, (a-least)/1e6, (b-least)/1e6, memory, large/2, large, half.Seconds(), whole.Seconds(), times)
			}
			if memory > most {
				t.Errorf("memory: twice the items take %.2f times as much", memory)
			}
			if times > slowest {
				t.Errorf("time: twice the items take %.2f times as long (%v, %v)", times, half, whole)
			}
			if whole > longest {
				t.Errorf("%d items take %v", large, whole)
			}
		})
	}
}
