#include "core/tune/Scale.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <optional>
#include <string>
#include <utility>

namespace orthochron {

namespace {

// The degrees as semitones above the tonic, '1' for those it has.
constexpr std::array kScales{
    std::pair{"chromatic", "111111111111"},
    std::pair{"major", "101011010101"},
    std::pair{"minor", "101101011010"},
    std::pair{"harmonic", "101101011001"},
    std::pair{"melodic", "101101010101"},
    std::pair{"dorian", "101101010110"},
    std::pair{"phrygian", "110101011010"},
    std::pair{"lydian", "101010110101"},
    std::pair{"mixolydian", "101011010110"},
    std::pair{"pentatonic", "101010010100"},
    std::pair{"minor-pentatonic", "100101010010"},
    std::pair{"blues", "100101110010"},
    std::pair{"whole-tone", "101010101010"}};

int inOctave(int semitone)
{
    return ((semitone % 12) + 12) % 12;
}

std::optional<int> tonicOf(std::string_view key)
{
    constexpr std::string_view kNames = "C D EF G A B";
    if (key.empty() || key.size() > 2 || key.front() == ' ') {
        return std::nullopt;
    }
    const auto letter = static_cast<char>(std::toupper(static_cast<unsigned char>(key.front())));
    const std::size_t place = kNames.find(letter);
    if (place == std::string_view::npos || letter == ' ') {
        return std::nullopt;
    }
    const int natural = static_cast<int>(place);
    if (key.size() == 1) {
        return natural;
    }
    if (key[1] != '#' && key[1] != 'b') {
        return std::nullopt;
    }
    return inOctave(natural + (key[1] == '#' ? 1 : -1));
}

}  // namespace

bool Scale::has(int midi) const
{
    return degrees[static_cast<std::size_t>(inOctave(midi - tonic))];
}

Result<Scale> parseScale(std::string_view key, std::string_view name)
{
    const auto tonic = tonicOf(key);
    if (!tonic) {
        return badArgument(
            fmt::format("key '{}' must be a letter from A to G, with # or b if needed", key)
        );
    }
    const auto* const found =
        std::ranges::find_if(kScales, [&](const auto& scale) { return name == scale.first; });
    if (found == kScales.end()) {
        std::string names;
        for (const auto& [known, degrees] : kScales) {
            names += names.empty() ? known : std::string(", ") + known;
        }
        return badArgument(fmt::format("unknown scale '{}'; use {}", name, names));
    }
    Scale scale;
    scale.tonic = *tonic;
    for (std::size_t i = 0; i < 12; ++i) {
        scale.degrees[i] = found->second[i] == '1';
    }
    return scale;
}

}  // namespace orthochron
