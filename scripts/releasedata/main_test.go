package main

import (
	"archive/tar"
	"bytes"
	"compress/gzip"
	"crypto/sha256"
	"debug/buildinfo"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"runtime/debug"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestWrite writes what accompanies a release, from this very test program.
func TestWrite(t *testing.T) {
	program, err := os.Executable()
	require.NoError(t, err)
	info, err := buildinfo.ReadFile(program)
	require.NoError(t, err)
	first, second := t.TempDir(), t.TempDir()
	for _, dir := range []string{first, second} {
		require.NoError(t, write(program, "9.8.7", "2026-11-25", dir))
	}
	require.NoError(t, filepath.WalkDir(first, func(path string, e os.DirEntry, err error) error {
		if err != nil || e.IsDir() {
			return err
		}
		rel, err := filepath.Rel(first, path)
		require.NoError(t, err)
		a, err := os.ReadFile(path)
		require.NoError(t, err)
		b, err := os.ReadFile(filepath.Join(second, rel))
		require.NoError(t, err)
		assert.Equal(t, a, b, "%s differs from run to run", rel)
		assert.NotEmpty(t, a)
		return nil
	}))
	page, err := os.ReadFile(filepath.Join(first, "man/regola-check.1"))
	require.NoError(t, err)
	assert.Contains(t, string(page), `.TH REGOLA\-CHECK 1 2026-11-25 "Regola 9.8.7" Regola`)
	assert.Contains(t, string(page), ".TP 12\n"+`\fB\-\-shard\fR \fII/N\fR`+"\njudge one part")
	assert.Equal(t, `a\-b`+"\n"+`\&.c`+"\n"+`\&'d \e`, roff("a-b\n.c\n'd \\"))
	if lint, err := exec.LookPath("mandoc"); err == nil {
		pages, err := filepath.Glob(filepath.Join(first, "man/*.1"))
		require.NoError(t, err)
		out, err := exec.Command(lint, append([]string{"-Tlint"}, pages...)...).CombinedOutput()
		assert.NoError(t, err)
		assert.Empty(t, string(out))
	}
	data, err := os.ReadFile(filepath.Join(first, "regola.cdx.json"))
	require.NoError(t, err)
	var bill struct {
		Components []struct {
			Name     string
			Licenses []struct{ License struct{ ID string } }
		}
	}
	require.NoError(t, json.Unmarshal(data, &bill))
	assert.Len(t, bill.Components, len(info.Deps)+1)
	texts, err := os.ReadFile(filepath.Join(first, "LICENSES.txt"))
	require.NoError(t, err)
	for _, c := range bill.Components {
		assert.NotEmpty(t, c.Licenses[0].License.ID, c.Name)
		assert.GreaterOrEqual(t, strings.Count(string(texts), c.Name), 2, "its name and its text")
	}
	assert.Error(t, write(program, "1.0.0", "soon", first))
	assert.Error(t, write(filepath.Join(first, "none"), "1.0.0", "2026-11-25", first))
}

// TestImage reads the layout of an image as its specification has it: every blob is what its
// digest says, the layer holds the program, and the same call gives the same bytes.
func TestImage(t *testing.T) {
	dir := t.TempDir()
	program := filepath.Join(dir, "regola")
	require.NoError(t, os.WriteFile(program, []byte("the program"), 0o755))
	files := map[string][]byte{}
	var first []byte
	for range 2 {
		out := filepath.Join(dir, "image.tar")
		require.NoError(t, image("9.8.7", "2026-11-25", out, []string{"amd64=" + program, "arm64=" + program}))
		data, err := os.ReadFile(out)
		require.NoError(t, err)
		if first != nil {
			assert.Equal(t, first, data)
		}
		first = data
		for r := tar.NewReader(bytes.NewReader(data)); ; {
			h, err := r.Next()
			if err == io.EOF {
				break
			}
			require.NoError(t, err)
			files[h.Name], err = io.ReadAll(r)
			require.NoError(t, err)
		}
	}
	assert.JSONEq(t, `{"imageLayoutVersion": "1.0.0"}`, string(files["oci-layout"]))
	blob := func(d string) []byte {
		name := "blobs/" + strings.Replace(d, ":", "/", 1)
		require.Contains(t, files, name)
		assert.Equal(t, d, fmt.Sprintf("sha256:%x", sha256.Sum256(files[name])))
		return files[name]
	}
	type descriptor struct {
		Digest   string
		Platform struct{ Architecture string }
	}
	var index, inner struct{ Manifests []descriptor }
	require.NoError(t, json.Unmarshal(files["index.json"], &index))
	require.NoError(t, json.Unmarshal(blob(index.Manifests[0].Digest), &inner))
	require.Len(t, inner.Manifests, 2)
	for i, arch := range []string{"amd64", "arm64"} {
		var m struct {
			Config descriptor
			Layers []descriptor
		}
		var c struct {
			Config struct{ Entrypoint []string }
			RootFS struct {
				DiffIDs []string `json:"diff_ids"`
			}
		}
		assert.Equal(t, arch, inner.Manifests[i].Platform.Architecture)
		require.NoError(t, json.Unmarshal(blob(inner.Manifests[i].Digest), &m))
		require.NoError(t, json.Unmarshal(blob(m.Config.Digest), &c))
		z, err := gzip.NewReader(bytes.NewReader(blob(m.Layers[0].Digest)))
		require.NoError(t, err)
		layer, err := io.ReadAll(z)
		require.NoError(t, err)
		assert.Equal(t, c.RootFS.DiffIDs[0], fmt.Sprintf("sha256:%x", sha256.Sum256(layer)))
		assert.Contains(t, string(layer), "the program")
		assert.Equal(t, []string{"/usr/bin/regola"}, c.Config.Entrypoint)
	}
	assert.Error(t, image("1", "2026-11-25", filepath.Join(dir, "x"), []string{"amd64"}))
	assert.Error(t, image("1", "soon", filepath.Join(dir, "x"), []string{"amd64=" + program}))

	require.NoError(t, provenance("abc", filepath.Join(dir, "p.json"), []string{program}))
	data, err := os.ReadFile(filepath.Join(dir, "p.json"))
	require.NoError(t, err)
	assert.Contains(t, string(data), fmt.Sprintf("%x", sha256.Sum256([]byte("the program"))))
	assert.Contains(t, string(data), `"gitCommit": "abc"`)
	assert.Error(t, provenance("abc", filepath.Join(dir, "p.json"), []string{filepath.Join(dir, "none")}))
}

// TestLicences recognises what stands in licence files, and no more.
func TestLicences(t *testing.T) {
	for text, want := range map[string]string{
		"Apache License\n  Version 2.0, January 2004":                                "Apache-2.0",
		"Permission is hereby granted,\nfree of charge, to any person":               "MIT",
		"Redistribution and use in source and\nbinary forms ... Neither the name of": "BSD-3-Clause",
		"Redistribution and use in source and binary forms, with or without":         "BSD-2-Clause",
		"Permission to use, copy, modify, and/or distribute this software":           "ISC",
		"All rights reserved.": "",
	} {
		assert.Equal(t, want, spdx(text), text)
	}
	assert.Equal(t, "github.com/!a!b/c", escape("github.com/AB/c"))
	_, err := modules(&buildinfo.BuildInfo{Deps: []*debug.Module{{Path: "example.org/none", Version: "v1.0.0"}}})
	assert.Error(t, err, "a module whose licence is not there stops the release")
}
