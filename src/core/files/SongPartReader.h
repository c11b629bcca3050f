#pragma once

#include "core/files/JsonReader.h"
#include "core/song/Song.h"

#include <memory>
#include <vector>

// The parts of a song file that stand alone. Each says to `read` what is wrong with it.
namespace orthochron {

[[nodiscard]] Take takeFrom(JsonReader& read, const nlohmann::json& json);
[[nodiscard]] OnsetSettings detectionFrom(JsonReader& read, const nlohmann::json& json);
[[nodiscard]] BarRange
barsFrom(JsonReader& read, const nlohmann::json& first, const nlohmann::json& last);
[[nodiscard]] std::vector<Section> sectionsFrom(JsonReader& read, const nlohmann::json& json);
[[nodiscard]] GridSettings gridFrom(JsonReader& read, const nlohmann::json& json);
[[nodiscard]] TempoMap tempoFrom(JsonReader& read, const nlohmann::json& json);
[[nodiscard]] LevelLine levelFrom(JsonReader& read, const nlohmann::json& json);
[[nodiscard]] std::vector<Hush> hushesFrom(JsonReader& read, const nlohmann::json& json);
[[nodiscard]] Scale keyFrom(JsonReader& read, const nlohmann::json& json);
[[nodiscard]] Temperament temperamentFrom(JsonReader& read, const nlohmann::json& json);
[[nodiscard]] std::shared_ptr<const MidiGuide>
guideFrom(JsonReader& read, const nlohmann::json& json);
// What was decided by hand about the notes of a take.
[[nodiscard]] std::vector<NoteByHand> notesFrom(JsonReader& read, const nlohmann::json& json);
[[nodiscard]] SpeedLine speedFrom(JsonReader& read, const nlohmann::json& json);
// All of a recipe but its clips and what the set it is of says.
[[nodiscard]] FitRecipe recipeSettingsFrom(JsonReader& read, const nlohmann::json& json);

}  // namespace orthochron
