#pragma once

#include "core/base/Result.h"
#include "core/base/Work.h"
#include "core/joins/JoinSettings.h"
#include "core/time/Units.h"

#include <functional>
#include <span>
#include <vector>

namespace orthochron {

// A hit that must come through whole: the start of its attack where it was recorded, and how far
// it is moved. "Recorded" time is the song's time before the fit.
struct Anchor {
    Frames start;
    Frames move;

    bool operator==(const Anchor&) const = default;
};

// A join of the whole mic set: at song time [at, at + length) what is moved by `moveBefore` gives
// way to what is moved by `moveAfter`.
struct PlannedJoin {
    Frames at;
    Frames length;
    Frames moveBefore;
    Frames moveAfter;
};

// Reads one microphone's recorded sound from `from` (recorded time) on; silence outside it.
using RecordedReader =
    std::function<Result<void>(int microphone, Frames from, std::span<float> into)>;

// Where to join what moves differently, for all microphones at once.
//
// Between two hits the join may stand after the first one's attack, wherever it lies in either
// layer, and must end a lead-in before the second one's, so that no attack is cut or heard twice.
// Gaps close by themselves: the later part starts earlier. Inside that stretch (its last 90 ms)
// the place is taken where the two layers differ least, measured against how loud each microphone
// is at the next hit, and where no attack of another drum lies in what is repeated or left out.
// A join that would tick or dip (see Blemishes) is made longer where it may be, up to three times,
// or goes elsewhere. Anchors whose hits would change order move together. Neighbours that move
// alike are not cut.
//
// `anchors` ascending by start; recorded time 0 is where the set begins. Errors: the reader's, or
// Cancelled. Cost: linear in the joins and microphones.
[[nodiscard]] Result<std::vector<PlannedJoin>> planJoins(
    std::span<const Anchor> anchors,
    Hertz rate,
    const JoinSettings& settings,
    int microphones,
    const RecordedReader& reader,
    const Work& work = {}
);

}  // namespace orthochron
