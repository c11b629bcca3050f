#include "core/tune/Octaves.h"

#include <algorithm>
#include <cmath>

namespace orthochron {

namespace {

constexpr double kOctave = 12.0;
constexpr double kLeastLeap = 10.0;  // semitones, from the note it touches
constexpr double kMostLeap = 15.0;
constexpr double kAmong = 6.0;  // semitones, from the median of what is near
constexpr Seconds kReach{4.0};
constexpr Seconds kLongLeap{1.0};  // an octave that is held this long was meant

double medianOf(std::vector<double> values)
{
    const auto middle = values.begin() + std::ssize(values) / 2;
    std::ranges::nth_element(values, middle);
    return *middle;
}

}  // namespace

std::vector<int> octaveDoubts(std::span<const SungNote> notes, Hertz rate)
{
    std::vector<int> doubts(notes.size(), 0);
    const Frames reach = toFrames(kReach, rate);
    std::size_t first = 0;
    for (std::size_t i = 0; i < notes.size(); ++i) {
        const SungNote& note = notes[i];
        while (notes[first].end + reach < note.start) {
            ++first;
        }
        if (note.end - note.start > toFrames(kLongLeap, rate)) {
            continue;
        }
        const auto leapTo = [&](const SungNote& other) {
            const double off = other.centre - note.centre;
            const bool isLeap = std::abs(off) >= kLeastLeap && std::abs(off) <= kMostLeap;
            return isLeap ? (off > 0.0 ? 1 : -1) : 0;
        };
        int octaves = 0;
        if (i > 0 && notes[i - 1].touchesNext) {
            octaves = leapTo(notes[i - 1]);
        }
        if (octaves == 0 && note.touchesNext && i + 1 < notes.size()) {
            octaves = leapTo(notes[i + 1]);
        }
        std::vector<double> near;
        for (std::size_t k = first; k < notes.size() && notes[k].start < note.end + reach; ++k) {
            if (k != i) {
                near.push_back(notes[k].centre);
            }
        }
        if (octaves == 0 || near.size() < 2) {
            continue;
        }
        // Alone up or down there, and at home an octave away.
        const double moved = note.centre + octaves * kOctave;
        const bool isAlone = std::ranges::none_of(near, [&](double other) {
            return std::abs(other - note.centre) < 0.5 * kAmong;
        });
        if (isAlone && std::abs(moved - medianOf(near)) <= kAmong) {
            doubts[i] = octaves;
        }
    }
    return doubts;
}

}  // namespace orthochron
