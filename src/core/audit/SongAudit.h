#pragma once

#include "core/audit/Findings.h"
#include "core/edits/JoinEdits.h"
#include "core/joins/JoinPlan.h"
#include "core/stretch/Strain.h"

#include <optional>
#include <span>
#include <vector>

namespace orthochron {

// A set's edit as a map to be checked: pieces, joins (those of joinsOf, in their order) and hits from
// its clips and marks.
[[nodiscard]] EditMap editMapOf(const Song& song, const MicSet& set);

// Checks every join of a set as it is rendered. `Finding::join` is an index into joinsOf.
[[nodiscard]] Result<std::vector<Finding>>
auditSet(const Song& song, SetId id, const Sources& sources, const Work& work = {});

// The findings of one join, for the loupe.
[[nodiscard]] Result<std::vector<Finding>>
auditJoin(const Song& song, SetId id, PartId join, const Sources& sources);

// What would help at a finding of strain: of the clip it lies in. None where nothing is strained.
[[nodiscard]] std::optional<StrainRelief>
reliefAt(const Song& song, const MicSet& set, const Finding& finding);

[[nodiscard]] bool isAccepted(const Song& song, const Finding& finding);
// Those of them that were not accepted.
[[nodiscard]] std::vector<Finding> notAccepted(const Song& song, std::span<const Finding> findings);
[[nodiscard]] Song acceptFinding(const Song& song, const Finding& finding);

// Tries other places, lengths and shapes for a join and keeps what measures best: fewest and
// smallest findings first, then the least mismatch. Errors: BadArgument when nothing is better.
[[nodiscard]] Result<Song>
mendJoin(const Song& song, SetId id, PartId join, const Sources& sources);

// Where stretching spliced a set's sound, as a join between what is moved differently.
struct PlannedSplice : PlannedJoin {
    // What comes after it is turned down until then, song time: see EditMap::Piece.
    std::optional<Frames> diesAwayUntil = {};
};

// Of its first microphone, and so of all. Errors: the sources'.
[[nodiscard]] Result<std::vector<PlannedSplice>>
splicesOf(const Song& song, const MicSet& set, const Sources& sources);

}  // namespace orthochron
