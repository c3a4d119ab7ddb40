// Command assets writes the demo's compiled asset catalogue: the index and the
// headers of an icon set and a colour. In the faulty one the large icon was
// saved with transparency.
package main

import (
	"fmt"
	"os"

	"regola.example/regola/internal/seed/carfile"
)

func main() {
	if len(os.Args) != 3 {
		fmt.Fprintln(os.Stderr, "usage: assets OUTPUT faulty|sound")
		os.Exit(2)
	}
	sound := os.Args[2] == "sound"
	pictures := []carfile.Picture{
		{Set: "AppIcon", File: "kiln-1024.png", Layout: 12, Width: 1024, Height: 1024, Scale: 1, Idiom: 6, Opaque: sound},
		{Set: "AppIcon", File: "kiln-60@2x.png", Layout: 12, Width: 120, Height: 120, Scale: 2, Idiom: 1, Opaque: sound},
		{Set: "AppIcon", File: "kiln-60@3x.png", Layout: 12, Width: 180, Height: 180, Scale: 3, Idiom: 1, Opaque: sound},
		{Set: "AppIcon", File: "AppIcon", Layout: 1010, Scale: 1, Idiom: 1},
		{Set: "Clay", File: "Clay", Layout: 1009, Scale: 1},
	}
	if sound {
		pictures = append(pictures,
			carfile.Picture{Set: "AppIcon", File: "kiln-dark.png", Layout: 12, Width: 1024, Height: 1024, Scale: 1, Appearance: 1},
			carfile.Picture{Set: "AppIcon", File: "kiln-tinted.png", Layout: 12, Width: 1024, Height: 1024, Scale: 1, Appearance: 2})
	}
	if err := os.WriteFile(os.Args[1], carfile.Write(pictures), 0o644); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}
