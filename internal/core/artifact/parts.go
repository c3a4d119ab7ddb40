package artifact

import (
	"bytes"
	"encoding/hex"
	"io"
	"path"
	"strings"

	"regola.example/regola/internal/core/facts"
	"regola.example/regola/internal/core/files"
	"regola.example/regola/internal/core/format/pngmeta"
	"regola.example/regola/internal/core/format/webpmeta"
)

// Bounds of what is looked at for the sizes: files of fewer bytes are neither
// compared nor measured, and no more than so many pictures are opened.
const (
	leastCompared = 512
	leastMeasured = 64 << 10
	mostMeasured  = 5_000
	pictureHead   = 4 << 10
)

// parts adds to the files what only a weighing asks for: the digests of those that
// may be twins, and the sizes of large pictures in pixels. What cannot be read stays
// unknown: the size of a file is known all the same.
func parts(p *facts.Package, t *files.Tree) {
	type same struct {
		size int64
		crc  uint32
	}
	twins := map[same][]int{}
	sums := map[string]uint32{}
	if t.Archive != nil {
		for _, e := range t.Archive.Entries {
			sums[e.Name] = e.CRC
		}
	}
	measured := 0
	for i, e := range t.Entries {
		p.Files[i].Stored = e.Stored
		if e.Size >= leastCompared {
			k := same{e.Size, sums[e.Name]}
			twins[k] = append(twins[k], i)
		}
		ext := strings.ToLower(path.Ext(e.Name))
		if e.Size < leastMeasured || ext != ".png" && ext != ".webp" || measured == mostMeasured {
			continue
		}
		measured++
		p.Files[i].Width, p.Files[i].Height = pixels(e, ext)
	}
	buf := make([]byte, 64<<10)
	for _, list := range twins {
		if len(list) < 2 {
			continue
		}
		for _, i := range list {
			if sum, err := t.Entries[i].SHA256(buf); err == nil {
				p.Files[i].Digest = hex.EncodeToString(sum)
			}
		}
	}
}

// pixels is the size of a picture by its head; 0 when it does not say.
func pixels(e *files.Entry, ext string) (width, height int64) {
	r, err := e.Open()
	if err != nil {
		return 0, 0
	}
	defer r.Close()
	if ext == ".png" {
		info, _ := pngmeta.Read(r)
		return int64(info.Width), int64(info.Height)
	}
	head := make([]byte, pictureHead)
	n, _ := io.ReadFull(r, head)
	info, _ := webpmeta.Read(bytes.NewReader(head[:n]), e.Size)
	return int64(info.Width), int64(info.Height)
}
