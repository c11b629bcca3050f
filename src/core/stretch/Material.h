#pragma once

#include "core/base/Result.h"

#include <string_view>

namespace orthochron {

// What a stretch treats a sound as.
enum class Material {
    Hits,   // attacks pass untouched, only what lies between them yields: drums, picking
    Line,   // one note at a time: voice, bass, bowed and blown instruments
    Blend,  // chords and whole mixes
    Tape,   // pitch follows speed
};

// The ratios of length, new to old, within which a material is stretched without being strained.
struct StrainLimits {
    double least = 0.0;
    double most = 0.0;

    [[nodiscard]] bool hold(double ratio) const { return ratio >= least && ratio <= most; }
};
[[nodiscard]] StrainLimits strainLimits(Material material);

// "hits", "line", "blend", "tape". Errors: BadArgument.
[[nodiscard]] Result<Material> parseMaterial(std::string_view word);
[[nodiscard]] std::string_view materialWord(Material material);

}  // namespace orthochron
