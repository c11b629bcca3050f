#!/usr/bin/env bash
# Installs from Debian what is needed to build, run and test, when any of it is missing. With the
# word "tests" also what some tests need beyond that, with "fuzz" what packaging/fuzz.sh needs.
set -euo pipefail
packages=(
    g++ cmake ninja-build ccache mold pkg-config git clang-format
    qt6-base-dev libqt6svg6 qt6-svg-dev qt6-qpa-plugins qt6-xdgdesktopportal-platformtheme libgl1-mesa-dev
    libsndfile1-dev libsoxr-dev libfftw3-dev librubberband-dev libebur128-dev librtaudio-dev librtmidi-dev libxxhash-dev
    libtbb-dev nlohmann-json3-dev libexpected-dev libcli11-dev libfmt-dev
    libgtest-dev libgmock-dev libbenchmark-dev libaubio-dev libsoundtouch-dev xvfb xauth
)
is_installed() {
    dpkg-query -W -f='${Status}' "$1" 2>/dev/null | grep -q 'ok installed'
}
# RtAudio and RtMidi need the development files of one JACK or the other and would bring jackd1's, which
# removes a jackd2 that is there. Where neither is, jackd2's come first.
is_installed libjack-dev || packages=(libjack-jackd2-dev "${packages[@]}")
root=()
[ "$(id -u)" -eq 0 ] || root=(sudo)
bring() {
    "${root[@]}" env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends --no-remove "$@" >/dev/null
}
[ "${1:-}" != fuzz ] || packages+=(clang libclang-rt-14-dev)
missing=()
for package in "${packages[@]}"; do
    is_installed "$package" || missing+=("$package")
done
if [ ${#missing[@]} -gt 0 ]; then
    echo "Installing: ${missing[*]}"
    "${root[@]}" apt-get update -qq
    bring "${missing[@]}"
fi
# Some tests play on a real JACK server with the driver that needs no card; without one they are
# skipped.
[ "${1:-}" = tests ] || exit 0
command -v jackd >/dev/null || bring jackd2 || echo "No JACK server could be installed: the tests that need one are skipped."
# Another reader of MIDI files, which says event by event what ours has written.
command -v midicsv >/dev/null || bring midicsv || echo "midicsv could not be installed: the test that asks it is skipped."
