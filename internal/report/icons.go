package report

import (
	"fmt"
	"io"

	"github.com/rivo/uniseg"

	"regola.example/regola/internal/core/icons"
)

// Icons lists the files of an icon set, and what to do with them.
func Icons(w io.Writer, folder, name string, files []icons.File, look Style) error {
	p := &printer{w: w, look: look}
	p.line("%s", p.strong(fmt.Sprintf("%s in %s", Count(len(files), "file", "files"), folder)))
	p.line("")
	width := 0
	for _, f := range files {
		width = max(width, uniseg.StringWidth(f.Path))
	}
	for _, f := range files {
		size := ""
		if f.Width > 0 {
			size = fmt.Sprintf("%dx%d", f.Width, f.Height)
		}
		p.line("  %s  %s  %s", p.path(pad(f.Path, width)), pad(size, 9), p.dim(f.What))
	}
	p.line("")
	p.line("%s", p.strong("Next"))
	for _, text := range []string{
		"copy android/res over the resources of the app, and write android:icon=\"@mipmap/" + name + "\" and android:roundIcon=\"@mipmap/" + name + "_round\" on its application element",
		"put ios/Assets.xcassets/AppIcon.appiconset into the asset catalogue of the app (ASSETCATALOG_COMPILER_APPICON_NAME = AppIcon)",
		"put android/icon.png and ios/icon.png into pictures/android and pictures/ios of the dossier",
	} {
		p.block(2, "", nil, text, nil)
	}
	return p.err
}
