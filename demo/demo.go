// Package demo holds the made-up app "Terrafuoco", the firing log of a pottery
// kiln, as a release with faults and as the same release fixed. The packages
// are made by real compilers from source/ with build.sh; the built files are
// kept so that nobody needs those tools.
package demo

import "embed"

// Files is the demo as it is written for a user: faulty/ and sound/.
//
//go:embed faulty sound
var Files embed.FS
