#pragma once

#include <nlohmann/json.hpp>

#include "core/song/Song.h"

// The parts of a song file that stand alone, as JSON: what SongPartReader reads.
namespace orthochron {

// Parts that may have fields of a newer program are objects, written with those fields again.
[[nodiscard]] nlohmann::json with(nlohmann::json json, const Extras& extras);

// Writes a field unless it has its default.
template<class T>
void put(nlohmann::json& json, const char* key, const T& value, const T& usual)
{
    if (!(value == usual)) {
        json[key] = value;
    }
}

[[nodiscard]] nlohmann::json toJson(const Take& take);
// All but its clips and marks.
[[nodiscard]] nlohmann::json toJson(const Track& track);
[[nodiscard]] nlohmann::json toJson(const Treatment& treatment);
[[nodiscard]] nlohmann::json toJson(const GridSettings& grid);
[[nodiscard]] nlohmann::json toJson(const TempoMap& map);
[[nodiscard]] nlohmann::json toJson(const LevelLine& line);
// All but its clips.
[[nodiscard]] nlohmann::json toJson(const FitRecipe& recipe);
[[nodiscard]] nlohmann::json toJson(const Scale& key);
[[nodiscard]] nlohmann::json toJson(const Temperament& temperament);
[[nodiscard]] nlohmann::json toJson(const MidiGuide& guide);

}  // namespace orthochron
