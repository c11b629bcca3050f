#!/usr/bin/env bash
# Installs from Debian what is needed to build, run and test, when any of it is missing.
set -euo pipefail
packages=(
    libjack-jackd2-dev  # named first: else RtAudio brings the other server's, which removes this one
    g++ cmake ninja-build ccache pkg-config git clang-format
    qt6-base-dev libqt6svg6 qt6-svg-dev qt6-qpa-plugins libgl1-mesa-dev
    libsndfile1-dev libsoxr-dev libebur128-dev librtaudio-dev libxxhash-dev
    libtbb-dev nlohmann-json3-dev libexpected-dev libcli11-dev libfmt-dev
    libgtest-dev libgmock-dev libbenchmark-dev libaubio-dev xvfb xauth
)
missing=()
for package in "${packages[@]}"; do
    dpkg-query -W -f='${Status}' "$package" 2>/dev/null | grep -q 'ok installed' || missing+=("$package")
done
[ ${#missing[@]} -eq 0 ] && exit 0
echo "Installing: ${missing[*]}"
root=()
[ "$(id -u)" -eq 0 ] || root=(sudo)
"${root[@]}" apt-get update -qq
"${root[@]}" env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends --no-remove "${missing[@]}" >/dev/null
