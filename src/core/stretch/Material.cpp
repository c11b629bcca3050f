#include "core/stretch/Material.h"

#include <fmt/format.h>

#include <limits>

namespace orthochron {

StrainLimits strainLimits(Material material)
{
    switch (material) {
    case Material::Hits: return {0.7, 1.4};
    case Material::Line: return {0.75, 1.33};
    case Material::Blend: return {0.8, 1.25};
    case Material::Tape: break;
    }
    return {0.0, std::numeric_limits<double>::infinity()};
}

Result<Material> parseMaterial(std::string_view word)
{
    // As they are called on screen.
    if (word == "single-notes") {
        return Material::Line;
    }
    if (word == "chords") {
        return Material::Blend;
    }
    for (const Material material :
         {Material::Hits, Material::Line, Material::Blend, Material::Tape}) {
        if (word == materialWord(material)) {
            return material;
        }
    }
    return badArgument(fmt::format(
        "unknown material '{}'; use hits, single-notes (line), chords (blend) or tape", word
    ));
}

std::string_view materialWord(Material material)
{
    switch (material) {
    case Material::Hits: return "hits";
    case Material::Line: return "line";
    case Material::Blend: return "blend";
    case Material::Tape: break;
    }
    return "tape";
}

}  // namespace orthochron
