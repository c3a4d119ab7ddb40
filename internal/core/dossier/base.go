package dossier

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"

	"go.yaml.in/yaml/v3"

	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/strictyaml"
)

// maxBases bounds how many dossiers build on one another.
const maxBases = 8

// document reads dossier.yaml, with what the dossiers on which it stands say.
func (d *Dossier) document() (*strictyaml.Document, place.Problems) {
	var doc *strictyaml.Document
	var problems place.Problems
	folder := d.Root
	seen := []os.FileInfo{}
	at := place.Place{}
	for {
		file := filepath.Join(folder, FileName)
		fail := func(what, fix string) (*strictyaml.Document, place.Problems) {
			return nil, append(problems, &place.Problem{At: at, What: what, Fix: fix})
		}
		if doc != nil && !Exists(folder) {
			return fail(fmt.Sprintf("there is no dossier in %s, that this one names as its base", folder), "write the base as a path from this folder to a folder with a dossier.yaml")
		}
		data, problem := d.read(file)
		if problem != nil {
			return nil, append(problems, problem)
		}
		if info, err := os.Stat(file); err == nil {
			if slices.ContainsFunc(seen, func(o os.FileInfo) bool { return os.SameFile(o, info) }) {
				return fail("the dossier is its own base", "remove base from one of them")
			}
			if seen = append(seen, info); len(seen) > maxBases {
				return fail(fmt.Sprintf("more than %d dossiers name one another as base", maxBases), "join some of them")
			}
		}
		next, ps := strictyaml.Parse(file, data)
		problems = append(problems, ps...)
		if next == nil {
			return nil, problems
		}
		base, has := next.Value("base")
		if doc == nil {
			doc = next
		} else {
			d.bases = append(d.bases, folder)
			if rel, err := filepath.Rel(d.Root, folder); err == nil {
				next.Each(func(path string, n *yaml.Node) {
					if n.Value != "" && !filepath.IsAbs(n.Value) && isFile(path) {
						n.Value = filepath.ToSlash(filepath.Join(rel, n.Value))
					}
				})
			}
			doc.Take(next, joinKeys())
		}
		if !has || base.Value == "" {
			return doc, problems
		}
		at = place.Place{File: file, Line: base.Line, Column: base.Column}
		if filepath.IsAbs(base.Value) {
			return fail("the base is no relative path", "write it from this folder on, such as ../common")
		}
		folder = filepath.Join(folder, filepath.FromSlash(base.Value))
	}
}

// roots are the dossier's folder and those on which it stands, itself first.
func (d *Dossier) roots() []string { return append([]string{d.Root}, d.bases...) }

// Bases are the folders of the dossiers on which this one stands, the next one first.
func (d *Dossier) Bases() []string { return d.bases }
