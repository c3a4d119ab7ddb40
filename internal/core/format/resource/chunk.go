// Package resource holds what the compiled forms of Android resources share:
// chunk headers, string pools, typed values, configurations and the XML tree.
//
// Source of the format: the platform's own description of resource chunks
// (struct ResChunk_header and its kin in ResourceTypes.h of the Android Open
// Source Project) and the resource messages of its build tools
// (Resources.proto and Configuration.proto there).
package resource

import (
	"encoding/binary"

	"regola.example/regola/internal/core/format"
)

// Chunk types, as in the platform's header.
const (
	ChunkStringPool   = 0x0001
	ChunkTable        = 0x0002
	ChunkXML          = 0x0003
	ChunkNamespace    = 0x0100
	ChunkNamespaceEnd = 0x0101
	ChunkElement      = 0x0102
	ChunkElementEnd   = 0x0103
	ChunkText         = 0x0104
	ChunkResourceMap  = 0x0180
	ChunkPackage      = 0x0200
	ChunkType         = 0x0201
	ChunkTypeSpec     = 0x0202
)

// Chunk is one chunk of a compiled resource file: its type, its header and
// its body, which are slices of the file.
type Chunk struct {
	Type   uint16
	Offset int    // of the chunk, in bytes from the start of the file
	Header []byte // the header, its first 8 bytes included
	Data   []byte // the whole chunk, header included
}

// Body is what follows the header.
func (c Chunk) Body() []byte { return c.Data[len(c.Header):] }

// NextChunk reads the chunk at an offset. Every length is held against the
// bytes that are really there.
func NextChunk(file []byte, offset int) (Chunk, error) {
	if offset < 0 || len(file)-offset < 8 {
		return Chunk{}, format.Damagedf(offset, "cut off inside a chunk header")
	}
	b := file[offset:]
	header := int(binary.LittleEndian.Uint16(b[2:]))
	size := binary.LittleEndian.Uint32(b[4:])
	if header < 8 || int64(size) < int64(header) {
		return Chunk{}, format.Damagedf(offset, "chunk with header of %d and size of %d bytes", header, size)
	}
	if int64(size) > int64(len(b)) {
		return Chunk{}, format.Damagedf(offset, "chunk claims %d bytes, %d are left", size, len(b))
	}
	return Chunk{
		Type:   binary.LittleEndian.Uint16(b),
		Offset: offset,
		Header: b[:header],
		Data:   b[:size],
	}, nil
}
