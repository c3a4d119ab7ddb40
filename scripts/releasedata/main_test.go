package main

import (
	"debug/buildinfo"
	"encoding/json"
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
