package run

import (
	"path/filepath"

	"regola.example/regola/internal/core/dossier"
	"regola.example/regola/internal/core/ledger"
	"regola.example/regola/internal/ledgerfile"
)

// Kept lists the files and folders of a dossier that no report may replace or lie in:
// all that belongs to the submission, its bases included, whether it was read or not.
func Kept(d *dossier.Dossier) []string {
	out := d.Files()
	for _, root := range append([]string{d.Root}, d.Bases()...) {
		out = append(out, KeptIn(root)...)
	}
	for _, p := range d.Pictures {
		if folder, problem := d.Inside(p.Folder); problem == nil && filepath.Clean(folder) != filepath.Clean(d.Root) {
			out = append(out, folder)
		}
	}
	for _, name := range d.PackageNames() {
		out = append(out, d.Path(name))
	}
	return out
}

// KeptIn is Kept for the folder of a dossier that may not even be readable: what has a
// name of its own there.
func KeptIn(folder string) (out []string) {
	for _, name := range []string{dossier.FileName, ledger.FileName, ledgerfile.LockName, ledgerfile.TempName, dossier.ListingFolder, PictureFolder} {
		out = append(out, filepath.Join(folder, name))
	}
	return out
}
