#!/usr/bin/env bash
# Makes every picture in docs/screenshots from the demo song. Run after ./check.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."
work=/tmp/lantern-weir
rm -rf "$work"
mkdir -m 700 "$work"
trap 'rm -rf "$work"' EXIT
export HOME=$work XDG_RUNTIME_DIR=$work QT_QPA_PLATFORM=offscreen
cmake --build build/release --target orthochron_pictures orthochron-cli >/dev/null
build/release/orthochron-cli demo "$work/song"
song="Lantern Weir"
shot() {
    local name=$1
    shift
    build/release/tests/orthochron_pictures "$@" "$work/song/$song.orthochron" "docs/screenshots/$name.png" 2>/dev/null
    rm -rf "$work/.config"
}
shot takes --stage takes
shot grid --stage grid --at 0 --bars 3 --tempo
song="Slack Water"
shot grid-follow --stage grid --at 24 --bars 6 --follow
# Nothing is doubtful in the kit.
shot marks-doubtful --stage marks --at 24 --bars 6 --doubtful
song="Lantern Weir"
shot grid-loop --stage grid --at 3 --bars 5 --track "Kick in" --loop 2
shot marks --stage marks --at 40 --bars 4
shot marks-samples --stage marks --at 41.8 --samples
shot fit --stage fit --at 40 --bars 4
shot fit-groove --stage fit --at 40 --bars 4 --groove
shot fit-stretch --stage fit --at 40 --bars 2 --stretch
shot fit-stretched --stage fit --at 86 --bars 2 --stretch --stretched
shot by-hand --stage fit --at 10 --bars 4 --by-hand --fitted --trying
shot joins --stage joins --at 89 --bars 4
song="Lantern Weir, shaped"
shot tune --stage tune --track "Alto voice" --at 20 --bars 4
shot tune-bass --stage tune --track "Double bass" --at 20 --bars 4
shot tune-night --stage tune --track "Alto voice" --at 20 --bars 4 --night
shot shape --stage shape --track "Alto voice" --at 10 --bars 14 --shaped --speed
shot shape-spin --stage shape --at 79 --bars 3
song="Lantern Weir"
shot print --stage print --at 40 --bars 4
