#!/usr/bin/env bash
# Finds Results whose value is taken without asking whether there is one, in all sources or in
# those given. First it must find those planted beside it: a check that cannot fail is none. It
# takes a few seconds a file, so it is no part of ./check.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/../.."
query=packaging/results/unchecked.query
planted=$(sed 's#/src/#/planted#' "$query" | clang-query -f /dev/stdin packaging/results/planted.cpp -- -std=c++20 -Isrc 2>/dev/null | grep -c '"taken" binds here')
[ "$planted" -eq 3 ] || { echo "The check itself is broken: it found $planted of 3 planted faults."; exit 1; }
cmake -S . -B build/tidy -G Ninja -DCMAKE_DISABLE_PRECOMPILE_HEADERS=ON -DCMAKE_EXPORT_COMPILE_COMMANDS=ON >/dev/null
files=("$@")
[ ${#files[@]} -gt 0 ] || mapfile -t files < <(git ls-files 'src/*.cpp')
found=$(printf '%s\n' "${files[@]}" | xargs -P "$(nproc)" -n 8 clang-query -p build/tidy -f "$query" 2>/dev/null | grep '"taken" binds here' | sort -u || true)
[ -z "$found" ] || { echo "$found"; exit 1; }
