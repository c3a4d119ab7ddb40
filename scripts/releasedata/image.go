package main

import (
	"archive/tar"
	"bytes"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"os"
	"slices"
	"strings"
	"time"

	"github.com/klauspost/compress/gzip"
	"github.com/opencontainers/go-digest"
	"github.com/opencontainers/image-spec/specs-go"
	v1 "github.com/opencontainers/image-spec/specs-go/v1"
)

// entry is a file of an archive.
type entry struct {
	name string
	mode int64
	data []byte
}

// archive writes files as a tar archive whose bytes follow from them alone.
func archive(day time.Time, files []entry) ([]byte, error) {
	var b bytes.Buffer
	w := tar.NewWriter(&b)
	for _, f := range files {
		h := &tar.Header{Name: f.name, Mode: f.mode, Size: int64(len(f.data)), ModTime: day, Format: tar.FormatUSTAR, Typeflag: tar.TypeReg}
		if strings.HasSuffix(f.name, "/") {
			h.Typeflag = tar.TypeDir
		}
		if err := w.WriteHeader(h); err != nil {
			return nil, err
		}
		if _, err := w.Write(f.data); err != nil {
			return nil, err
		}
	}
	return b.Bytes(), w.Close()
}

// image writes an image layout of the Open Container Initiative as a tar archive: from
// nothing, with the static program alone, for each architecture that ARCH=PROGRAM names. It
// works in /work, where a dossier is mounted.
//
// Source: the OCI image format specification, version 1.1 (layout, index, manifest, config).
func image(version, on, file string, programs []string) error {
	day, err := time.Parse(time.DateOnly, on)
	if err != nil {
		return err
	}
	blobs := map[digest.Digest][]byte{}
	keep := func(kind string, data []byte) v1.Descriptor {
		d := digest.FromBytes(data)
		blobs[d] = data
		return v1.Descriptor{MediaType: kind, Digest: d, Size: int64(len(data))}
	}
	keepJSON := func(kind string, v any) (v1.Descriptor, error) {
		data, err := json.Marshal(v)
		return keep(kind, data), err
	}
	index := v1.Index{Versioned: specs.Versioned{SchemaVersion: 2}, MediaType: v1.MediaTypeImageIndex}
	for _, p := range programs {
		arch, name, found := strings.Cut(p, "=")
		if !found {
			return fmt.Errorf("%q is not of the form ARCH=PROGRAM", p)
		}
		program, err := os.ReadFile(name)
		if err != nil {
			return err
		}
		layer, err := archive(day, []entry{{"tmp/", 0o1777, nil}, {"usr/", 0o755, nil}, {"usr/bin/", 0o755, nil}, {"usr/bin/regola", 0o755, program}, {"work/", 0o755, nil}})
		if err != nil {
			return err
		}
		var packed bytes.Buffer
		z, err := gzip.NewWriterLevel(&packed, gzip.BestCompression)
		if err != nil {
			return err
		}
		if _, err := z.Write(layer); err != nil {
			return err
		}
		if err := z.Close(); err != nil {
			return err
		}
		config, err := keepJSON(v1.MediaTypeImageConfig, v1.Image{Created: &day, Platform: v1.Platform{Architecture: arch, OS: "linux"},
			Config:  v1.ImageConfig{Entrypoint: []string{"/usr/bin/regola"}, WorkingDir: "/work", User: "65534:65534", Labels: map[string]string{v1.AnnotationVersion: version}},
			RootFS:  v1.RootFS{Type: "layers", DiffIDs: []digest.Digest{digest.FromBytes(layer)}},
			History: []v1.History{{Created: &day, CreatedBy: "regola " + version}}})
		if err != nil {
			return err
		}
		manifest, err := keepJSON(v1.MediaTypeImageManifest, v1.Manifest{Versioned: specs.Versioned{SchemaVersion: 2}, MediaType: v1.MediaTypeImageManifest, Config: config,
			Layers: []v1.Descriptor{keep(v1.MediaTypeImageLayerGzip, packed.Bytes())}})
		if err != nil {
			return err
		}
		manifest.Platform = &v1.Platform{Architecture: arch, OS: "linux"}
		index.Manifests = append(index.Manifests, manifest)
	}
	whole, err := keepJSON(v1.MediaTypeImageIndex, index)
	if err != nil {
		return err
	}
	whole.Annotations = map[string]string{v1.AnnotationRefName: version}
	top, err := json.Marshal(v1.Index{Versioned: specs.Versioned{SchemaVersion: 2}, MediaType: v1.MediaTypeImageIndex, Manifests: []v1.Descriptor{whole}})
	if err != nil {
		return err
	}
	layout, err := json.Marshal(v1.ImageLayout{Version: v1.ImageLayoutVersion})
	if err != nil {
		return err
	}
	files := []entry{{v1.ImageLayoutFile, 0o644, layout}, {v1.ImageIndexFile, 0o644, top}, {v1.ImageBlobsDir + "/", 0o755, nil}, {v1.ImageBlobsDir + "/sha256/", 0o755, nil}}
	digests := make([]digest.Digest, 0, len(blobs))
	for d := range blobs {
		digests = append(digests, d)
	}
	slices.Sort(digests)
	for _, d := range digests {
		files = append(files, entry{v1.ImageBlobsDir + "/sha256/" + d.Encoded(), 0o644, blobs[d]})
	}
	data, err := archive(day, files)
	if err != nil {
		return err
	}
	return os.WriteFile(file, data, 0o644)
}

// statement is a provenance statement.
//
// Source: in-toto attestation framework, statement version 1; SLSA provenance, version 1.
type statement struct {
	Type          string       `json:"_type"`
	Subject       []subject    `json:"subject"`
	PredicateType string       `json:"predicateType"`
	Predicate     slsaEvidence `json:"predicate"`
}

type subject struct {
	Name   string            `json:"name"`
	Digest map[string]string `json:"digest"`
}

type slsaEvidence struct {
	Definition struct {
		BuildType string            `json:"buildType"`
		External  map[string]string `json:"externalParameters"`
		Resolved  []subjectURI      `json:"resolvedDependencies"`
	} `json:"buildDefinition"`
	Run struct {
		Builder struct {
			ID string `json:"id"`
		} `json:"builder"`
	} `json:"runDetails"`
}

type subjectURI struct {
	URI    string            `json:"uri"`
	Digest map[string]string `json:"digest"`
}

// provenance writes of what the files of a release were made: the commit, and the call that
// makes the same bytes again. It is not signed; whoever publishes signs it.
func provenance(commit, file string, released []string) error {
	s := statement{Type: "https://in-toto.io/Statement/v1", PredicateType: "https://slsa.dev/provenance/v1"}
	for _, name := range released {
		data, err := os.ReadFile(name)
		if err != nil {
			return err
		}
		s.Subject = append(s.Subject, subject{baseName(name), map[string]string{"sha256": fmt.Sprintf("%x", sha256.Sum256(data))}})
	}
	slices.SortFunc(s.Subject, func(a, b subject) int { return strings.Compare(a.Name, b.Name) })
	d := &s.Predicate.Definition
	d.BuildType = "https://regola.example/release/v1"
	d.External = map[string]string{"script": "scripts/release"}
	d.Resolved = []subjectURI{{"git+https://regola.example/regola", map[string]string{"gitCommit": commit}}}
	s.Predicate.Run.Builder.ID = "https://regola.example/release/v1/local"
	data, err := json.MarshalIndent(s, "", "  ")
	if err != nil {
		return err
	}
	return os.WriteFile(file, append(data, '\n'), 0o644)
}

func baseName(path string) string { return path[strings.LastIndexAny(path, `/\`)+1:] }
