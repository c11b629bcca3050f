#pragma once

#include "core/audio/Fourier.h"
#include "core/time/Units.h"

#include <array>
#include <cstdint>
#include <optional>
#include <span>
#include <vector>

namespace orthochron {

// What an attack is made of: the power of sixteen bands from 60 Hz to 12 kHz, of equal width on a logarithmic
// scale, that the 40 ms after its start have above the 40 ms before it. What rings on says nothing.
struct AttackColour {
    static constexpr std::size_t kCount = 16;

    // Half dB above -127.5 dB; 0 of a band that drowns in what rings on.
    std::array<std::uint8_t, kCount> levels{};
    [[nodiscard]] bool isKnown(std::size_t band) const { return levels[band] > 0; }
    [[nodiscard]] double decibels(std::size_t band) const { return 0.5 * levels[band] - 127.5; }
};

// Listens for colours at one rate; one for each thread.
class ColourEar {
public:
    explicit ColourEar(Hertz rate);
    // Of what lies outside the samples it hears silence.
    [[nodiscard]] AttackColour hear(std::span<const float> samples, Frames start);

private:
    std::array<double, AttackColour::kCount> powers(std::span<const float> samples, Frames from);

    Fourier fourier_;
    std::vector<float> fading_;                                  // from the start on
    std::array<std::size_t, AttackColour::kCount + 1> edges_{};  // bins
    bool isBefore_ = false;
};

// What the drum's loud blows have in common, and how far each is from it.
class UsualColour {
public:
    explicit UsualColour(std::span<const AttackColour> loud);
    // How much otherwise an attack is made up than the usual one, in dB: what is left of the difference when its
    // level and one slope over all bands (softer strokes are duller) are taken away, the bands weighed by what
    // they carry; less what the loud ones differ themselves. -5, less than anything known, where it cannot be said.
    [[nodiscard]] double unlike(const AttackColour& colour) const;
    // The middle of their power, octaves above 60 Hz; -1 where it is not known.
    [[nodiscard]] double centre() const;

private:
    [[nodiscard]] std::optional<double> difference(const AttackColour& colour) const;

    std::array<double, AttackColour::kCount> usual_{};  // against the strongest band
    std::array<double, AttackColour::kCount> weights_{};
    double own_ = 0.0;  // the loud ones' own difference
    bool isKnown_ = false;
};

}  // namespace orthochron
