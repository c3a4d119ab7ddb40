package run

import (
	"context"
	"fmt"
	"image/color"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"regola.example/regola/internal/core/pictures"
	"regola.example/regola/internal/core/retouch"
	"regola.example/regola/internal/core/safeopen"
	"regola.example/regola/internal/core/tables"
	"regola.example/regola/internal/view"
)

// maxPicture bounds a picture that is retouched, in bytes.
const maxPicture = 32 << 20

// Retouch makes copies of pictures without the faults that need no eye, and hands them out one
// after the other; one without contents of its own is a copy of the file. ground is what stands behind transparent
// parts; nil when nobody said.
func (r *Runner) Retouch(ctx context.Context, roots []pictures.Root, lib *pictures.Library, galleries []*view.Gallery, ground *color.NRGBA, out func(x *view.Retouched) error) error {
	names := map[string]bool{}
	for _, f := range lib.Pictures {
		if err := ctx.Err(); err != nil {
			return err
		}
		x := &view.Retouched{From: f.File, Name: nameIn(roots, f)}
		if info, err := os.Lstat(f.Path); err != nil || info.Mode()&fs.ModeSymlink != 0 {
			x.Skipped, x.Left = true, []string{"it is a link, which is not followed"}
			if err := out(x); err != nil {
				return err
			}
			continue
		}
		if x.Kind = f.Kind; !f.Film && f.Fault == "" { // a film is copied as it is, whatever its size
			data, err := safeopen.Read(f.Path, maxPicture)
			if err != nil {
				x.Left = []string{"its file is too large to be opened here, or cannot be read"}
			} else {
				x.Result = retouch.Picture(f.Picture, data, wanted(f.Picture, galleries), ground)
			}
		}
		if ending := "." + strings.Replace(x.Kind, "jpeg", "jpg", 1); pictures.Kinds(x.Name) != nil && !slices.Contains(pictures.Kinds(x.Name), x.Kind) && len(x.Done) > 0 {
			x.Name = strings.TrimSuffix(x.Name, path.Ext(x.Name)) + ending
		}
		stem, ending := strings.TrimSuffix(x.Name, path.Ext(x.Name)), path.Ext(x.Name)
		for n := 2; names[strings.ToLower(x.Name)]; n++ { // two names that differ in their endings alone
			x.Name = stem + "-" + strconv.Itoa(n) + ending
		}
		names[strings.ToLower(x.Name)] = true
		if err := out(x); err != nil {
			return err
		}
	}
	return nil
}

// nameIn is the path of a picture below the folder in which it was found, with what that
// folder says of it.
func nameIn(roots []pictures.Root, f *pictures.Found) string {
	for _, root := range roots {
		if rel, err := filepath.Rel(root.Folder, f.Path); err == nil && filepath.IsLocal(rel) {
			return path.Join(root.Store, root.Language, filepath.ToSlash(rel))
		}
	}
	return filepath.Base(f.Path)
}

// wanted puts together what the stores take in which a picture counts. One that fits no class
// of any store is scaled to the largest class of which it is a whole picture, only larger;
// that of its folder comes first.
func wanted(p *pictures.Picture, galleries []*view.Gallery) (w retouch.Want) {
	fits := false
	var best *tables.PictureClass
	take := func(t tables.Takes) {
		if len(t.Formats) > 0 {
			if w.Formats == nil {
				w.Formats = t.Formats
			} else if both := slices.DeleteFunc(slices.Clone(w.Formats), func(f string) bool { return !slices.Contains(t.Formats, f) }); len(both) > 0 {
				w.Formats = both
			}
		}
		w.NoAlpha = w.NoAlpha || t.Alpha == "never"
		w.Alpha = w.Alpha || t.Alpha == "always"
		if t.Bytes > 0 && (w.Bytes == 0 || t.Bytes < w.Bytes) {
			w.Bytes = t.Bytes
		}
	}
	for _, g := range galleries {
		i := slices.IndexFunc(g.All, func(it *pictures.Item) bool { return it.Picture.Path == p.Path })
		if i < 0 {
			continue
		}
		it := g.All[i]
		if it.Class != "" {
			fits = true
			take(it.Takes)
			continue
		}
		for _, c := range g.Classes {
			if c.Slot == "preview" || c.Slot != "screenshot" && c.ID != it.Wanted || c.Named && c.ID != it.Wanted {
				continue
			}
			width, height := whole(p, c)
			if width > 0 && (c.ID == it.Wanted || best == nil || width > w.Width && best.ID != it.Wanted) {
				best, w.Width, w.Height = c, width, height
			}
		}
	}
	switch {
	case fits:
		w.Width, w.Height = 0, 0
	case best != nil:
		take(best.Takes)
	}
	w.NoAlpha = w.NoAlpha && !w.Alpha
	return w
}

// whole is the largest size of a class that a picture has when it is made smaller, and its
// sides are exactly in that ratio; 0 when there is none.
func whole(p *pictures.Picture, c *tables.PictureClass) (width, height int64) {
	for _, s := range c.Sizes {
		var w, h int64
		if n, _ := fmt.Sscanf(s, "%dx%d", &w, &h); n != 2 {
			continue
		}
		if c.Turned && (w > h) != (p.Width > p.Height) {
			w, h = h, w
		}
		if w < p.Width && w*p.Height == h*p.Width && w > width {
			width, height = w, h
		}
	}
	return width, height
}
