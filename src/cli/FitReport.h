#pragma once

#include "cli/Commands.h"
#include "core/audit/SongAudit.h"
#include "core/edits/FitEdits.h"
#include "core/fit/Moves.h"

namespace orthochron::cli {

// What `fit --json` prints, and `check --edits` reads. `song` is the fitted one; its one set's
// tracks are named after their files. Where it was stretched, `splices` are its joins; those after
// which it is turned down as it dies away say until when, "dies_away_until_s".
[[nodiscard]] Json fitReport(
    const Song& song,
    const FitPreview& preview,
    const FitFigures& figures,
    const std::vector<Finding>& findings,
    const std::vector<PlannedSplice>& splices
);

// Findings as `check` prints them; `files` are the names of the microphones.
[[nodiscard]] Json findingsJson(
    const std::vector<Finding>& findings, Hertz rate, const std::vector<std::string>& files
);

// Reads the report's hits and joins back as a map. Errors: BadInput.
[[nodiscard]] Result<EditMap>
editMapFrom(const Json& report, Hertz rate, Frames length, const std::string& name);

}  // namespace orthochron::cli
