#pragma once

#include <nlohmann/json_fwd.hpp>

#include "core/fit/Groove.h"

#include <filesystem>
#include <string>

namespace orthochron {

// Grooves as files. JSON is written and read back whole:
// {"format": "orthochron groove", "version": 1, "name": text, "meter": [numerator, denominator],
//  "steps": [{"position": quarter notes, "offset": quarter notes, "weight": 0..1, "spread": ...}]}
// MIDI is notes: each counts as an early or late stroke of the grid line nearest to it, every bar
// of the file as another time round; velocity is the weight.
[[nodiscard]] nlohmann::json grooveJson(const Groove& groove);
[[nodiscard]] Result<Groove> grooveFromJson(const nlohmann::json& json, const std::string& name);

// By the file's ending. `grid` says which lines MIDI notes are held against; its swing counts not.
// Errors: BadInput.
[[nodiscard]] Result<Groove>
readGroove(const std::filesystem::path& path, Meter meter, GridSettings grid);
// Errors: BadArgument for an ending that is neither .json nor .mid; Failed.
[[nodiscard]] Result<void> writeGroove(const Groove& groove, const std::filesystem::path& path);

}  // namespace orthochron
