package facts

import (
	"hash/fnv"
	"strings"

	"regola.example/regola/internal/core/fact"
)

// Code is all compiled code together.
type Code struct {
	fact.Mark       `json:"-"`
	Files           []string            `json:"files"` // classes*.dex, in the order in which they load
	Dex             []*Dex              `json:"dex"`
	LibraryVersions map[string]string   `json:"library_versions"` // of libraries that leave a version file behind, by group and name
	Classes         int64               `json:"classes"`
	Methods         int64               `json:"methods"`
	Compilers       []string            `json:"compilers"`          // marks of compilers and shrinkers, as they left them
	ShortNames      int64               `json:"short_names"`        // share of classes whose name has one or two letters, in percent
	Missing         []string            `json:"missing"`            // components that the manifest names and no file defines
	Packages        map[string]int64    `json:"-" alias:"packages"` // packages of the classes that are defined, with slashes → number of classes
	Defined         map[uint64]bool     `json:"-"`                  // the classes that are defined, by ClassKey
	Calls           map[string][]string `json:"-" alias:"calls"`    // methods of the platform that are referred to, as class.method → packages of the classes that call them, as far as known
	Texts           []*CodeText         `json:"-" alias:"texts"`    // that the code holds: addresses, paths and what looks like a secret
	Careless        []*Careless         `json:"careless"`           // classes that do not look at the certificates of servers
}

// CodeText is a text that the code holds.
type CodeText struct {
	fact.Mark `json:"-"`
	Text      string   `json:"text"`
	From      []string `json:"from"` // packages, with slashes, of the classes that load it; empty when none was seen to
}

// Careless is a class whose answer about a server's certificate does not depend on it.
type Careless struct {
	fact.Mark `json:"-"`
	Class     string `json:"class"` // with full stops
	What      string `json:"what"`  // trusts-all: it takes every certificate; any-host: for every host; goes-on: a web view goes on after each error
}

// ClassKey stands for a class name in Code.Defined, which would take many
// megabytes with the names themselves.
func ClassKey(name string) uint64 {
	h := fnv.New64a()
	_, _ = h.Write([]byte(strings.ReplaceAll(name, ".", "/")))
	return h.Sum64()
}

// Defines tells whether a code file defines the class.
func (c *Code) Defines(name string) bool { return c.Defined[ClassKey(name)] }

// Dex is one file of compiled code.
type Dex struct {
	fact.Mark `json:"-"`
	Name      string `json:"name"`
	Module    string `json:"module,omitempty"`
	Version   string `json:"version"`  // of the format: 035 …
	Methods   int64  `json:"methods"`  // references
	Fields    int64  `json:"fields"`   // references
	Classes   int64  `json:"classes"`  // defined
	Checksum  bool   `json:"checksum"` // the sums in its header fit
	Size      int64  `json:"size"`     // bytes
}
