#!/bin/sh
# Writes the demo's ledgers anew: releases before the one that the demo judges, as
# regola ledger records them, with versions, builds and digests of their own.
set -eu
cd "$(dirname "$0")/../.."
go build -o "${TMPDIR:-/tmp}/regola-ledger" ./cmd/regola
run=${TMPDIR:-/tmp}/regola-ledger
work=$(mktemp -d)
trap 'rm -rf "$work" "$run"' EXIT
for d in sound faulty; do
    cp -r "demo/$d" "$work/$d"
    rm -f "$work/$d/ledger.jsonl"
    # release DAY VERSION BUILD: what was sent then
    release() {
        sed -i "s/^release_notes: .*/release_notes: What was new in $2/" "$work/$d"/listing/*.yaml
        "$run" ledger record --anyway --dossier "$work/$d" --on "$1" > /dev/null
        tail -2 "$work/$d/ledger.jsonl" | sed "s/\"version\":\"1\.4\.0\"/\"version\":\"$2\"/g; s/,\"anyway\":true//; s/\"build\":\"14[0-9]*\"/\"build\":\"$3\"/g; s/\"anyway\":true,\?//; s/\"digest\":\"[0-9a-f]\{64\}\"/\"digest\":\"$(printf %s "$2" | sha256sum | cut -d' ' -f1)\"/" > "$work/new"
        head -n -2 "$work/$d/ledger.jsonl" > "$work/old" || true
        cat "$work/old" "$work/new" > "$work/$d/ledger.jsonl"
    }
    month=2026-08
    [ "$d" = sound ] || month=2026-11
    release $month-03 1.3.1 1310
    "$run" ledger decide accepted --store android --dossier "$work/$d" --on $month-05 > /dev/null
    "$run" ledger decide rejected --store ios --dossier "$work/$d" --on $month-06 --about purpose:NSCameraUsageDescription --said 'Please explain in the text what the camera is used for.' > /dev/null
    if [ "$d" = sound ]; then
        sed -i 's/\("NSCameraUsageDescription":"\)[0-9a-f]*/\10000000000000000/' "$work/$d/ledger.jsonl" # it was another text then
        "$run" ledger reply --store ios --dossier "$work/$d" --on 2026-08-07 'The text now says that pots are photographed before and after a firing.' > /dev/null
        release 2026-08-10 1.3.2 1320
        "$run" ledger decide accepted --store android --dossier "$work/$d" --on 2026-08-11 > /dev/null
        "$run" ledger decide accepted --store ios --dossier "$work/$d" --on 2026-08-12 > /dev/null
        sed -i 's/channel: public/channel: invited-test/; /  share:/d' "$work/$d/dossier.yaml"
        release 2026-11-09 1.4.0 1390
        "$run" ledger decide accepted --store android --channel invited-test --dossier "$work/$d" --on 2026-11-10 > /dev/null
        "$run" ledger decide accepted --store ios --channel invited-test --dossier "$work/$d" --on 2026-11-11 > /dev/null
    fi
    cp "$work/$d/ledger.jsonl" "demo/$d/ledger.jsonl"
done
