package artifact_test

import (
	"archive/zip"
	"bytes"
	"context"
	"io"
	"maps"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/artifact"
	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/seed"
)

const demo = "../../../demo/"

func open(t *testing.T, file string) *facts.Package {
	t.Helper()
	p, err := artifact.Open(context.Background(), file, artifact.Options{Digests: true})
	require.NoError(t, err)
	return p
}

// TestAndroidEncodings reads the same app from both encodings of the manifest
// and the table, and from a table whose names were taken away.
func TestAndroidEncodings(t *testing.T) {
	for file, kind := range map[string]string{
		demo + "sound/build/terrafuoco.aab": "aab",
		"testdata/android/plain.apk":        "apk",
		"testdata/android/short.apk":        "apk",
	} {
		t.Run(filepath.Base(file), func(t *testing.T) {
			p := open(t, file)
			a := p.Android
			assert.Equal(t, kind, p.Kind)
			assert.Equal(t, "org.example.terrafuoco", a.Manifest.ID)
			assert.EqualValues(t, 1400, *a.Manifest.VersionCode)
			assert.Equal(t, "1.4.0", a.Manifest.VersionName)
			assert.EqualValues(t, 26, *a.Manifest.MinLevel)
			assert.EqualValues(t, 36, *a.Manifest.TargetLevel)
			assert.EqualValues(t, 36, a.Manifest.CompileLevel)
			assert.Equal(t, &facts.Text{Default: "Terrafuoco", Locales: map[string]string{"it": "Terrafuoco", "de": "Terrafuoco Brennbuch"}}, a.Resources.Label)
			assert.Equal(t, "org.example.terrafuoco.FiringLog", a.Manifest.Launcher)
			assert.True(t, a.Icon.Adaptive && a.Icon.Monochrome && a.Icon.Round)
			sizes := map[string]int64{}
			for _, f := range a.Icon.Files {
				sizes[f.Density] = f.Width
			}
			assert.Equal(t, map[string]int64{"anydpi": 0, "mdpi": 48, "hdpi": 72, "xhdpi": 96, "xxhdpi": 144, "xxxhdpi": 192}, sizes)
			assert.Len(t, a.Manifest.Permissions, 4)
			assert.False(t, a.Manifest.Features[0].Required)
			assert.False(t, a.Manifest.Debuggable || a.Manifest.TestOnly || a.Manifest.AllowBackup || a.Manifest.ExtractNative)
			assert.True(t, a.Manifest.AutoVerify)
			assert.Equal(t, []string{"terrafuoco.example"}, a.Manifest.DeepLinkHosts)
			assert.Equal(t, "1260", a.Manifest.MetaData[0].Value)
			assert.Equal(t, []string{"de", "it"}, a.Resources.Locales)
			require.Len(t, a.Native.Architectures, 2)
			assert.Equal(t, "arm64-v8a", a.Native.Architectures[0].Name)
			assert.EqualValues(t, 64, a.Native.Architectures[0].Bits)
			assert.Equal(t, []string{"classes.dex"}, a.Code.Files)
			require.Len(t, a.Native.Libraries, 2)
			assert.True(t, a.Native.Libraries[0].Fits && a.Native.Libraries[1].Fits)
			assert.EqualValues(t, 16384, a.Native.Libraries[0].Align)
			assert.True(t, a.Code.Dex[0].Checksum)
			assert.EqualValues(t, 3, a.Code.Dex[0].Classes)
			assert.Empty(t, a.Code.Missing)
			assert.Empty(t, a.Archive.Faults)
			at := a.Manifest.Field("target_level")
			assert.Equal(t, "uses-sdk@targetSdkVersion", at.Key)
			assert.Positive(t, at.Offset)
		})
	}
}

func TestSplit(t *testing.T) {
	p := open(t, "testdata/android/split.it.apk")
	assert.Equal(t, "apk-split", p.Kind)
	assert.Nil(t, p.Android.Manifest.TargetLevel)
	assert.Contains(t, p.Android.Manifest.Unread("target_level"), "its base")
}

// TestJoin puts a base and its split together, and a foreign split beside it.
func TestJoin(t *testing.T) {
	base := open(t, "testdata/android/base.apk")
	assert.Equal(t, []string{"de"}, base.Android.Resources.Locales)
	all := artifact.Join([]*facts.Package{open(t, "testdata/android/split.it.apk"), base})
	require.Len(t, all, 1)
	a := all[0].Android
	assert.Equal(t, []string{"de", "it"}, a.Resources.Locales)
	assert.Equal(t, "Terrafuoco", a.Resources.Label.Locales["it"])
	require.Len(t, a.Splits, 1)
	assert.Empty(t, a.Splits[0].Faults)
	assert.Contains(t, a.Splits[0].Self().File, "split.it.apk")

	foreign := open(t, "testdata/android/split.it.apk")
	foreign.Android.Manifest.ID = "org.example.other"
	foreign.Android.Signing.Certificate.Fingerprint = "00"
	bad := artifact.Join([]*facts.Package{open(t, "testdata/android/base.apk"), foreign})[0].Android.Splits[0]
	assert.Len(t, bad.Faults, 2)
}

// TestSignature verifies every digest of sound packages, and names each byte
// changed in any signed entry, an entry added, and a block removed.
func TestSignature(t *testing.T) {
	for file, schemes := range map[string][]string{
		"testdata/android/plain.apk": {"jar", "2", "3"}, demo + "sound/build/terrafuoco.aab": {"jar"},
	} {
		s := open(t, file).Android.Signing
		assert.Equal(t, schemes, s.Schemes)
		require.NotNil(t, s.Verified)
		assert.True(t, *s.Verified)
		assert.Equal(t, "CN=Terrafuoco Release, O=Terrafuoco Example, L=Faenza, C=IT", s.Certificate.Subject)
		assert.EqualValues(t, 2048, s.Certificate.Bits)
	}
	quick, err := artifact.Open(t.Context(), "testdata/android/plain.apk", artifact.Options{})
	require.NoError(t, err)
	assert.Contains(t, quick.Android.Signing.Unread("verified"), "not verified")

	files := entries(t, demo+"sound/build/terrafuoco.aab")
	for name, text := range files {
		if strings.HasPrefix(name, "META-INF/") || name == "base/manifest/AndroidManifest.xml" || text == "" {
			continue
		}
		changed := maps.Clone(files)
		changed[name] = text[:len(text)-1] + string([]byte{text[len(text)-1] ^ 1})
		assert.Contains(t, faults(t, changed), name+" was changed after signing", name)
	}
	added := maps.Clone(files)
	added["base/assets/new.txt"] = "x"
	assert.Contains(t, faults(t, added), "base/assets/new.txt is not in the signed list: it was added after signing")
	delete(added, "META-INF/KILN.RSA")
	assert.Contains(t, faults(t, added), "META-INF/KILN.SF has no signature block beside it")
	// A general archive tool drops the signing block; the JAR signature tells.
	assert.Contains(t, faults(t, entries(t, "testdata/android/plain.apk")), " the JAR signature says that scheme 2 was applied, and the signing block is gone: the package was edited after signing")
}

func faults(t *testing.T, files map[string]string) []string {
	t.Helper()
	file := filepath.Join(t.TempDir(), "changed")
	require.NoError(t, os.WriteFile(file, zipOf(t, files), 0o644))
	s := open(t, file).Android.Signing
	assert.False(t, *s.Verified)
	var out []string
	for _, f := range s.Faults {
		out = append(out, f.Entry+" "+f.What)
	}
	return out
}

func TestIOS(t *testing.T) {
	for dir, want := range map[string]struct{ id, sdk, encoding string }{
		"sound":  {"org.example.terrafuoco", "26.1", "binary"},
		"faulty": {"org.example.TerraFuoco", "18.2", "binary"},
	} {
		t.Run(dir, func(t *testing.T) {
			p := open(t, demo+dir+"/build/Terrafuoco.ipa")
			a := p.IOS
			assert.Equal(t, "ipa", p.Kind)
			assert.Equal(t, want.id, a.App.Info.ID)
			assert.Equal(t, want.sdk, *a.SDK)
			assert.Equal(t, want.encoding, a.App.Info.Encoding)
			assert.Equal(t, "15.0", a.App.Info.MinOS)
			require.Len(t, a.App.Code.Slices, 1)
			assert.Equal(t, "arm64", a.App.Code.Slices[0].CPU)
			assert.Equal(t, "ios", a.App.Code.Slices[0].Platform)
			assert.Contains(t, a.App.Code.Libraries, "/System/Library/Frameworks/AVFoundation.framework/AVFoundation")
			assert.Contains(t, a.App.Code.Imports, "_OBJC_CLASS_$_AVCaptureDevice")
			assert.Contains(t, a.App.Code.Selectors, "defaultDeviceWithMediaType:")
			require.Len(t, a.Nested, 1)
			assert.Equal(t, want.id+".widget", a.Nested[0].Info.ID)
			assert.Equal(t, []int64{120, 180}, []int64{a.App.Icon.Files[0].Width, a.App.Icon.Files[1].Width})
			assert.True(t, a.App.ProfilePresent && a.App.Seal.Present && a.App.Info.LaunchScreen)
			assert.False(t, *a.App.Info.Encryption)
		})
	}
	camera := open(t, demo+"sound/build/Terrafuoco.ipa").IOS.App.Info.Purposes[1]
	assert.Equal(t, "NSCameraUsageDescription", camera.Key)
	assert.Equal(t, "Fotografa un pezzo prima e dopo la cottura, per il registro.", camera.Locales["it"])
}

// unpack writes an archive's files into a folder, leaving out a leading path.
func unpack(t *testing.T, archive, strip, into string) {
	t.Helper()
	z, err := zip.OpenReader(archive)
	require.NoError(t, err)
	defer z.Close()
	for _, f := range z.File {
		rel, err := filepath.Rel(strip, f.Name)
		require.NoError(t, err)
		target := filepath.Join(into, rel)
		require.NoError(t, os.MkdirAll(filepath.Dir(target), 0o755))
		r, err := f.Open()
		require.NoError(t, err)
		data, err := io.ReadAll(r)
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(target, data, 0o644))
	}
}

// TestAppFolder reads the app outside its archive: as a folder, inside a build
// archive, and zipped.
func TestAppFolder(t *testing.T) {
	dir := t.TempDir()
	ipa := demo + "sound/build/Terrafuoco.ipa"
	unpack(t, ipa, "Payload/Terrafuoco.app", filepath.Join(dir, "Terrafuoco.app"))
	unpack(t, ipa, "Payload", filepath.Join(dir, "T.xcarchive/Products/Applications"))
	var buf bytes.Buffer
	w := zip.NewWriter(&buf)
	require.NoError(t, w.AddFS(os.DirFS(dir)))
	require.NoError(t, w.Close())
	zipped := filepath.Join(dir, "Terrafuoco.app.zip")
	require.NoError(t, os.WriteFile(zipped, buf.Bytes(), 0o644))
	for file, kind := range map[string]string{
		filepath.Join(dir, "Terrafuoco.app"): "app", filepath.Join(dir, "T.xcarchive"): "archive", zipped: "app-zip",
	} {
		p := open(t, file)
		assert.Equal(t, kind, p.Kind)
		assert.Equal(t, "org.example.terrafuoco", p.IOS.App.Info.ID)
		assert.Len(t, p.IOS.Nested, 1)
		assert.Positive(t, p.Size)
	}
}

// TestBadInput gives each kind of file that is no package, or a damaged one.
func TestBadInput(t *testing.T) {
	good, err := os.ReadFile(demo + "sound/build/terrafuoco.aab")
	require.NoError(t, err)
	dir := t.TempDir()
	for name, c := range map[string]struct {
		data []byte
		what string
	}{
		"empty.aab":     {nil, "the file is empty"},
		"text.apk":      {[]byte("not a package at all"), "this file begins otherwise"},
		"truncated.aab": {good[:len(good)/2], "the archive cannot be opened"},
		"other.zip":     {zipOf(t, map[string]string{"readme.txt": "hello"}), "this is no release package"},
		"manifest.apk":  {zipOf(t, map[string]string{"AndroidManifest.xml": "<manifest/>"}), "the manifest is damaged"},
		"plist.ipa":     {zipOf(t, map[string]string{"Payload/A.app/Info.plist": "bplist00"}), "property list cannot be read"},
		"array.ipa":     {zipOf(t, map[string]string{"Payload/A.app/Info.plist": "<plist><array/></plist>"}), "is an array, not a dictionary"},
	} {
		file := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(file, c.data, 0o644))
		_, err := artifact.Open(context.Background(), file, artifact.Options{Digests: true})
		var p *place.Problem
		require.ErrorAs(t, err, &p, name)
		assert.Contains(t, p.What, c.what, name)
		assert.Equal(t, file, p.At.File)
		assert.NotEmpty(t, p.Fix)
	}
	_, err = artifact.Open(t.Context(), filepath.Join(dir, "none.aab"), artifact.Options{})
	assert.ErrorContains(t, err, "there is no such file")
}

func zipOf(t *testing.T, files map[string]string) []byte {
	t.Helper()
	var buf bytes.Buffer
	w := zip.NewWriter(&buf)
	for name, text := range files {
		f, err := w.Create(name)
		require.NoError(t, err)
		_, err = io.WriteString(f, text)
		require.NoError(t, err)
	}
	require.NoError(t, w.Close())
	return buf.Bytes()
}

// entries reads all files of an archive.
func entries(t *testing.T, archive string) map[string]string {
	t.Helper()
	z, err := zip.OpenReader(archive)
	require.NoError(t, err)
	defer z.Close()
	files := map[string]string{}
	for _, f := range z.File {
		r, err := f.Open()
		require.NoError(t, err)
		b, err := io.ReadAll(r)
		require.NoError(t, err)
		files[f.Name] = string(b)
	}
	return files
}

// TestDamagedParts changes parts of a sound package: what depends on them is
// unread with a reason, the rest is still there.
func TestDamagedParts(t *testing.T) {
	files := entries(t, demo+"sound/build/terrafuoco.aab")
	files["base/resources.pb"] = files["base/resources.pb"][:100]
	files["BundleConfig.pb"] = "\x0a\xff"
	file := filepath.Join(t.TempDir(), "damaged.aab")
	require.NoError(t, os.WriteFile(file, zipOf(t, files), 0o644))
	a := open(t, file).Android
	assert.Equal(t, "org.example.terrafuoco", a.Manifest.ID)
	assert.Contains(t, a.Resources.Unread("label"), "resources.pb cannot be read")
	assert.Contains(t, a.Unread("icon"), "resources.pb cannot be read")
	assert.Contains(t, a.Bundle.Unread("config"), "BundleConfig.pb is damaged")
}

// FuzzOpen gives damaged packages to the whole reader: it must neither panic
// nor hang, and report every failure as a problem.
func FuzzOpen(f *testing.F) {
	for _, seed := range []string{demo + "sound/build/terrafuoco.aab", demo + "sound/build/Terrafuoco.ipa", "testdata/android/short.apk", "testdata/android/split.it.apk", "testdata/ios/whole.ipa"} {
		b, err := os.ReadFile(seed)
		require.NoError(f, err)
		f.Add(b)
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		defer seed.Bounds(t, len(data))()
		file := filepath.Join(t.TempDir(), "fuzz")
		require.NoError(t, os.WriteFile(file, data, 0o644))
		if _, err := artifact.Open(context.Background(), file, artifact.Options{Digests: true}); err != nil {
			var p *place.Problem
			assert.ErrorAs(t, err, &p)
		}
	})
}

// BenchmarkOpen opens the demo's packages with every digest verified.
func BenchmarkOpen(b *testing.B) {
	for _, file := range []string{demo + "sound/build/terrafuoco.aab", demo + "sound/build/Terrafuoco.ipa"} {
		b.Run(filepath.Base(file), func(b *testing.B) {
			for b.Loop() {
				_, err := artifact.Open(context.Background(), file, artifact.Options{Digests: true})
				require.NoError(b, err)
			}
		})
	}
}
