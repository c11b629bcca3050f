#pragma once

#include "core/audio/Channel.h"
#include "core/base/Result.h"
#include "core/base/Work.h"
#include "core/tempo/OnsetStrength.h"

#include <optional>
#include <string_view>
#include <vector>

namespace orthochron {

// The tempi that are thought possible, in beats a minute.
struct TempoRange {
    double least = 60.0;
    double most = 200.0;

    bool operator==(const TempoRange&) const = default;
};

// Errors: BadArgument for one that is not within 20 to 400 or the wrong way round.
[[nodiscard]] Result<void> validate(TempoRange range);

// One way of counting a recording.
struct TempoReading {
    double bpm = 120.0;
    double score = 0.0;  // 0..1; those of all ways to count sum to 1
    Seconds firstBeat;   // from the recording's start
    // The beats it lasts, when that is a whole number and the length was taken as evidence.
    std::optional<int> wholeBeats;
};

struct TempoFound {
    std::vector<TempoReading> readings;  // best first; empty where no tempo stands out
    double clarity = 0.0;                // 0..1: how regular what begins is
    double confidence = 0.0;             // 0..1, in the first reading
    OnsetStrength strength;              // the picture of why
};

// The least clarity of what is played to a tempo; noise and speech are below it.
constexpr double kLeastClarity = 0.3;

// The ways to count what begins, as findTempo says; `length` is that of a recording which may be a loop,
// none where it is no evidence. No readings where it is less clear than asked.
[[nodiscard]] TempoFound tempoOf(
    OnsetStrength strength,
    std::optional<Seconds> length,
    TempoRange range,
    double leastClarity = kLeastClarity
);

// The beats of a reading within `length` of the recording's start.
[[nodiscard]] std::vector<Seconds> beatsOf(const TempoReading& reading, Seconds length);

// The tempo that a name gives: "Frame drum 98bpm", "loop_120.5 BPM". None for one that gives none, or one
// outside 20 to 400.
[[nodiscard]] std::optional<double> tempoInName(std::string_view name);

// Finds at what tempo a recording is played, steady throughout, and how else it might be counted.
//
// The smallest regular pulse is sought first: the frequency at which what begins lies most nearly on one
// grid (the size of its Fourier sum, over windows of 16 s). Which of its multiples is the beat no sum can
// say; what speaks for one is how many pulses make a beat (two and four often, six where they group by
// three), how near the tempo is to those that are usual, and whether the recording lasts a whole number
// of beats, by fours above all. Where it does, its length gives the tempo exactly; otherwise a line
// through all attacks does.
//
// Errors: the channel's; BadArgument for a range that is not within 20 to 400 or the wrong way round, or
// a rate that cannot be analysed; BadInput for a sample that is no number; Cancelled.
[[nodiscard]] Result<TempoFound>
findTempo(const Channel& channel, Hertz rate, TempoRange range = {}, const Work& work = {});

}  // namespace orthochron
