#!/usr/bin/env bash
# Runs clang-tidy on the given sources, or on those changed since the last commit. It takes 5 to 20
# seconds a file, so it is no part of ./check.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."
cmake -S . -B build/tidy -G Ninja -DCMAKE_DISABLE_PRECOMPILE_HEADERS=ON -DCMAKE_EXPORT_COMPILE_COMMANDS=ON >/dev/null
files=("$@")
[ ${#files[@]} -gt 0 ] || mapfile -t files < <(git diff --name-only HEAD -- 'src/*.cpp')
[ ${#files[@]} -eq 0 ] || printf '%s\n' "${files[@]}" | xargs -P "$(nproc)" -n 1 clang-tidy -p build/tidy --quiet
