// Command releasedata writes what accompanies a release: into a folder manual pages,
// shell completions, the licences of all dependencies, and a bill of materials in the
// form of CycloneDX 1.6, from what the Go tool recorded in a built program; an image of the
// program for containers; a statement of provenance. The same
// program and day give the same bytes.
package main

import (
	"bytes"
	"debug/buildinfo"
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

	"github.com/CycloneDX/cyclonedx-go"

	"regola.example/regola/internal/cli"
)

func main() {
	usage := "usage: releasedata papers PROGRAM VERSION DAY FOLDER\n       releasedata image VERSION DAY FILE ARCH=PROGRAM…\n       releasedata provenance COMMIT FILE RELEASED…"
	var err error
	switch args := os.Args[1:]; {
	case len(args) == 5 && args[0] == "papers":
		err = write(args[1], args[2], args[3], args[4])
	case len(args) > 4 && args[0] == "image":
		err = image(args[1], args[2], args[3], args[4:])
	case len(args) > 3 && args[0] == "provenance":
		err = provenance(args[1], args[2], args[3:])
	default:
		fmt.Fprintln(os.Stderr, usage)
		os.Exit(2)
	}
	if err != nil {
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
	if err := licences(mods, filepath.Join(dir, "LICENSES.txt")); err != nil {
		return err
	}
	return bill(mods, version, day, filepath.Join(dir, "regola.cdx.json"))
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

func licences(mods []*module, file string) error {
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
func bill(mods []*module, version string, day time.Time, file string) error {
	part := func(kind cyclonedx.ComponentType, name, version, id string) cyclonedx.Component {
		url := "pkg:golang/" + name + "@" + version
		return cyclonedx.Component{Type: kind, BOMRef: url, Name: name, Version: version, PackageURL: url, Licenses: &cyclonedx.Licenses{{License: &cyclonedx.License{ID: id}}}}
	}
	main := part(cyclonedx.ComponentTypeApplication, "regola.example/regola", version, "Apache-2.0")
	refs, parts, deps := []string{}, []cyclonedx.Component{}, []cyclonedx.Dependency{}
	for _, m := range mods {
		c := part(cyclonedx.ComponentTypeLibrary, m.Path, m.Version, m.Licence)
		parts, refs, deps = append(parts, c), append(refs, c.BOMRef), append(deps, cyclonedx.Dependency{Ref: c.BOMRef})
	}
	deps = append([]cyclonedx.Dependency{{Ref: main.BOMRef, Dependencies: &refs}}, deps...)
	bom := cyclonedx.NewBOM()
	bom.Metadata = &cyclonedx.Metadata{Timestamp: day.UTC().Format(time.RFC3339), Component: &main}
	bom.Components, bom.Dependencies = &parts, &deps
	var b bytes.Buffer
	if err := cyclonedx.NewBOMEncoder(&b, cyclonedx.BOMFileFormatJSON).SetPretty(true).EncodeVersion(bom, cyclonedx.SpecVersion1_6); err != nil {
		return err
	}
	return os.WriteFile(file, b.Bytes(), 0o644)
}
