#!/usr/bin/env bash
# Gives every reader of what comes from outside anything, for so many seconds each (600): clang's fuzzer goes on from the
# corpora that ./check replays. For the night; what it finds lies in build/fuzz.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."
packaging/install-packages.sh fuzz
cmake --preset fuzz -DORTHOCHRON_FUZZ_SECONDS="${1:-600}" >/dev/null
cmake --build --preset fuzz
ctest --preset fuzz
