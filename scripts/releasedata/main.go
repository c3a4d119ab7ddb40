// Command releasedata writes what accompanies a release, into a folder: manual pages,
// shell completions, the licences of all dependencies, and a bill of materials in the
// form of CycloneDX 1.6, from what the Go tool recorded in a built program. The same
// program and day give the same bytes.
package main

import (
	"debug/buildinfo"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"time"

	"regola.example/regola/internal/cli"
)

func main() {
	if len(os.Args) != 5 {
		fmt.Fprintln(os.Stderr, "usage: releasedata PROGRAM VERSION DAY FOLDER")
		os.Exit(2)
	}
	if err := write(os.Args[1], os.Args[2], os.Args[3], os.Args[4]); err != nil {
		fmt.Fprintln(os.Stderr, "releasedata:", err)
		os.Exit(1)
	}
}

func write(program, version, on, dir string) error {
	day, err := time.Parse(time.DateOnly, on)
	if err != nil {
		return err
	}
	for _, sub := range []string{"man", "completions"} {
		if err := os.MkdirAll(filepath.Join(dir, sub), 0o755); err != nil {
			return err
		}
	}
	cli.Version = version
	root := cli.Command()
	root.InitDefaultCompletionCmd()
	if err := manuals(root, version, on, filepath.Join(dir, "man")); err != nil {
		return err
	}
	if err := errors.Join(
		root.GenBashCompletionFileV2(filepath.Join(dir, "completions/regola.bash"), true),
		root.GenZshCompletionFile(filepath.Join(dir, "completions/_regola")),
		root.GenFishCompletionFile(filepath.Join(dir, "completions/regola.fish"), true),
		root.GenPowerShellCompletionFileWithDesc(filepath.Join(dir, "completions/regola.ps1")),
	); err != nil {
		return err
	}
	info, err := buildinfo.ReadFile(program)
	if err != nil {
		return err
	}
	mods, err := modules(info)
	if err != nil {
		return err
	}
	if err := licences(mods, info.GoVersion, filepath.Join(dir, "LICENSES.txt")); err != nil {
		return err
	}
	return bill(mods, info.GoVersion, version, day, filepath.Join(dir, "regola.cdx.json"))
}

// module is one dependency that is in the program.
type module struct {
	Path, Version, Sum string
	Licence            string            // by its SPDX name
	Texts              map[string]string // its licence files
}

// modules are those that the program was built of, with their licences.
func modules(info *buildinfo.BuildInfo) ([]*module, error) {
	out, err := exec.Command("go", "env", "GOMODCACHE", "GOROOT").Output()
	if err != nil {
		return nil, err
	}
	cache, root, _ := strings.Cut(strings.TrimSpace(string(out)), "\n")
	var mods []*module
	for _, d := range info.Deps {
		m := &module{Path: d.Path, Version: d.Version, Sum: d.Sum}
		mods = append(mods, m)
		if err := m.read(filepath.Join(cache, escape(d.Path)+"@"+d.Version)); err != nil {
			return nil, err
		}
	}
	std := &module{Path: "std", Version: strings.TrimPrefix(info.GoVersion, "go")}
	if err := std.read(root); err != nil {
		return nil, err
	}
	return append(mods, std), nil
}

var upper = regexp.MustCompile(`[A-Z]`)

// escape is the path of a module in the cache, where capital letters are marked.
func escape(path string) string {
	return upper.ReplaceAllStringFunc(path, func(s string) string { return "!" + strings.ToLower(s) })
}

var isLicence = regexp.MustCompile(`(?i)^(licen[cs]e|copying|notice|patents)([-.].*)?$`)

func (m *module) read(dir string) error {
	entries, err := os.ReadDir(dir)
	if err != nil {
		return err
	}
	m.Texts = map[string]string{}
	for _, e := range entries {
		if e.Type()&fs.ModeType != 0 || !isLicence.MatchString(e.Name()) {
			continue
		}
		text, err := os.ReadFile(filepath.Join(dir, e.Name()))
		if err != nil {
			return err
		}
		m.Texts[e.Name()] = string(text)
		if id := spdx(string(text)); id != "" && m.Licence == "" {
			m.Licence = id
		}
	}
	if m.Licence == "" {
		return fmt.Errorf("the licence of %s is not recognised in %s", m.Path, dir)
	}
	return nil
}

// spdx recognises the licences of our dependencies by their words.
func spdx(text string) string {
	flat := strings.Join(strings.Fields(text), " ")
	has := func(s string) bool { return strings.Contains(flat, s) }
	switch {
	case has("Apache License") && has("Version 2.0"):
		return "Apache-2.0"
	case has("Permission is hereby granted, free of charge"):
		return "MIT"
	case has("Redistribution and use in source and binary forms") && (has("Neither the name") || has("nor the names")):
		return "BSD-3-Clause"
	case has("Redistribution and use in source and binary forms"):
		return "BSD-2-Clause"
	case has("Permission to use, copy, modify, and/or distribute"):
		return "ISC"
	}
	return ""
}

func licences(mods []*module, goVersion, file string) error {
	var b strings.Builder
	b.WriteString("Regola is licensed under the Apache License 2.0 (LICENSE). The program holds code of\nthese modules, under their licences:\n\n")
	for _, m := range mods {
		fmt.Fprintf(&b, "  %-50s %-24s %s\n", m.Path, m.Version, m.Licence)
	}
	for _, m := range mods {
		names := make([]string, 0, len(m.Texts))
		for n := range m.Texts {
			names = append(names, n)
		}
		slices.Sort(names)
		for _, n := range names {
			fmt.Fprintf(&b, "\n%s\n%s %s, %s\n%s\n\n%s\n", strings.Repeat("=", 80), m.Path, m.Version, n, strings.Repeat("=", 80), strings.TrimSpace(m.Texts[n]))
		}
	}
	return os.WriteFile(file, []byte(b.String()), 0o644)
}

// bill writes the bill of materials.
func bill(mods []*module, goVersion, version string, day time.Time, file string) error {
	type licence struct {
		License struct {
			ID string `json:"id"`
		} `json:"license"`
	}
	type component struct {
		Type     string    `json:"type"`
		Ref      string    `json:"bom-ref"`
		Name     string    `json:"name"`
		Version  string    `json:"version"`
		PURL     string    `json:"purl"`
		Licenses []licence `json:"licenses"`
	}
	part := func(kind, name, version, id string) component {
		c := component{Type: kind, Name: name, Version: version, PURL: "pkg:golang/" + name + "@" + version}
		c.Ref = c.PURL
		var l licence
		l.License.ID = id
		c.Licenses = []licence{l}
		return c
	}
	main := part("application", "regola.example/regola", version, "Apache-2.0")
	refs := []string{}
	parts := []component{}
	deps := []map[string]any{}
	for _, m := range mods {
		c := part("library", m.Path, m.Version, m.Licence)
		parts = append(parts, c)
		refs = append(refs, c.Ref)
		deps = append(deps, map[string]any{"ref": c.Ref})
	}
	doc := map[string]any{
		"$schema": "http://cyclonedx.org/schema/bom-1.6.schema.json", "bomFormat": "CycloneDX", "specVersion": "1.6", "version": 1,
		"metadata":     map[string]any{"timestamp": day.UTC().Format(time.RFC3339), "component": main},
		"components":   parts,
		"dependencies": append([]map[string]any{{"ref": main.Ref, "dependsOn": refs}}, deps...),
	}
	out, err := json.MarshalIndent(doc, "", "  ")
	if err != nil {
		return err
	}
	return os.WriteFile(file, append(out, '\n'), 0o644)
}
