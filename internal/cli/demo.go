package cli

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path"
	"path/filepath"

	"regola.example/regola/internal/write"

	"github.com/spf13/cobra"

	"regola.example/regola/demo"
	"regola.example/regola/internal/core/check"
	"regola.example/regola/internal/core/place"
	"regola.example/regola/internal/core/safeopen"
	"regola.example/regola/internal/report"
	"regola.example/regola/internal/run"
)

func (e *env) demoCommand() *cobra.Command {
	var on string
	c := &cobra.Command{
		Use:   "demo [FOLDER]",
		Short: "Write a made-up release with faults, judge it, say what to try",
		Long: `Write the demo into a folder (a temporary one by default): the made-up app
"Terrafuoco" as an Android and an iOS release, once with a handful of faults and
once fixed; then judge the faulty one. A file that is already there and differs
is never overwritten.`,
		Example: "  regola demo\n  regola demo try-it",
		Args:    cobra.MaximumNArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			on, err := e.dayFlag(on)
			if err != nil {
				return err
			}
			var folder string
			if len(args) == 1 {
				folder = args[0]
				err = writeDemo(folder)
			} else {
				folder, err = temporaryDemo()
			}
			if err != nil {
				return err
			}
			r, err := run.New(e.lib, run.Options{Options: check.Options{Day: on}})
			if err != nil {
				return err
			}
			res, err := r.Check(c.Context(), run.Job{Dossier: filepath.Join(folder, "faulty")})
			if err != nil {
				return err
			}
			fmt.Fprintf(e.out, "The demo is in %s: faulty/, and sound/ with the faults fixed.\n\n", folder)
			if err := report.Text(e.out, res, e.look(e.out), exitStatus(res, "error", false)); err != nil {
				return err
			}
			fmt.Fprintf(e.out, `
Try next
  regola check %s
  regola facts %s
  regola explain android/target-level
`, filepath.Join(folder, "sound"), filepath.Join(folder, "faulty", "build", "terrafuoco.aab"))
			return nil
		},
	}
	c.Flags().StringVar(&on, "on", "", "judge as of a `DAY` (today by default)")
	return c
}

// temporaryDemo writes the demo into the temporary folder: into the same place
// each time, so that no folders pile up, unless somebody else is there.
func temporaryDemo() (string, error) {
	folder := filepath.Join(os.TempDir(), fmt.Sprintf("regola-demo-%d", os.Getuid()))
	err := os.Mkdir(folder, 0o700)
	info, old := os.Lstat(folder)
	if err == nil || old == nil && info.IsDir() && info.Mode().Perm()&0o077 == 0 {
		if writeDemo(folder) == nil {
			return folder, nil
		}
	}
	folder, err = os.MkdirTemp("", "regola-demo-")
	if err != nil {
		return "", write.Problem(os.TempDir(), err)
	}
	return folder, writeDemo(folder)
}

// writeDemo writes the embedded demo. All files are looked at before the first
// is written, so that a refusal leaves nothing behind.
func writeDemo(folder string) error {
	type file struct {
		name string
		data []byte
	}
	var missing []file
	err := fs.WalkDir(demo.Files, ".", func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		data, err := demo.Files.ReadFile(name)
		if err != nil {
			return err
		}
		target := filepath.Join(folder, filepath.FromSlash(path.Clean(name)))
		old, err := safeopen.Read(target, int64(len(data)))
		switch {
		case err == nil && bytes.Equal(old, data):
			return nil
		case err == nil:
			return &place.Problem{At: place.Place{File: target}, What: "this file is there already and is not the demo's", Fix: "choose another folder, or move the file away"}
		case !errors.Is(err, fs.ErrNotExist):
			return &place.Problem{At: place.Place{File: target}, What: "the demo cannot be written here: " + safeopen.Problem(target, err, "").What, Fix: "choose another folder"}
		}
		missing = append(missing, file{target, data})
		return nil
	})
	if err != nil {
		return err
	}
	for _, f := range missing {
		if err := os.MkdirAll(filepath.Dir(f.name), 0o755); err != nil {
			return write.Problem(filepath.Dir(f.name), err)
		}
		if err := write.Whole(f.name, nil, func(w io.Writer) error { _, err := w.Write(f.data); return err }); err != nil {
			return err
		}
	}
	return nil
}
