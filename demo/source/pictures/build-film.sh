#!/usr/bin/env bash
# Makes the demo's preview film from drawn frames, with a silent stereo track.
# Needs ffmpeg from Debian. The result goes to demo/sound/pictures; the faulty
# one, too short and with 60 frames a second, to demo/faulty/pictures.
set -euo pipefail
cd "$(dirname "$0")/../../.."
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
go run ./demo/source/pictures -frames "$work"
film() { # FRAMES-A-SECOND SECONDS FILE
  mkdir -p "$(dirname "$3")"
  ffmpeg -v error -y -framerate 5 -i "$work/%03d.png" -f lavfi -i anullsrc=r=44100:cl=stereo -t "$2" -r "$1" \
    -c:v libx264 -profile:v high -level 4.0 -pix_fmt yuv420p -preset veryslow -crf 52 -g 600 -c:a aac -b:a 8k -map_metadata -1 -movflags +faststart "$3"
}
film 30 16 demo/sound/pictures/ios/en-GB/preview.mp4
film 60 2 demo/faulty/pictures/ios/en-GB/preview.mp4
