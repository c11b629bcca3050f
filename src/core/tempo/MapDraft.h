#pragma once

#include "core/audio/Channel.h"
#include "core/base/Result.h"
#include "core/base/Work.h"
#include "core/tempo/Tempo.h"
#include "core/time/TempoMap.h"

#include <optional>
#include <span>
#include <string>
#include <vector>

namespace orthochron {

struct DraftSettings {
    Meter meter;
    std::optional<Seconds> firstDownbeat;  // guessed when none is given
    std::optional<double> bpm;  // about how fast it is; sought in the range when none is given
    TempoRange range;
};

// A beat of the music. In a meter of eighths by threes it is three of them, otherwise one of its beats.
struct DraftBeat {
    Seconds at;  // from the recording's start
    int bar = 1;
    int beat = 1;             // as the meter counts: 1 and 4 in 6/8
    double bpm = 120.0;       // quarter notes a minute, to the next
    double confidence = 0.0;  // 0..1: that the bar line, or beat, is there

    bool operator==(const DraftBeat&) const = default;
};

// Below this a bar wants looking at.
constexpr double kDoubtfulBar = 0.5;

// Where bars and beats fall in a performance that keeps no steady tempo.
struct MapDraft {
    std::vector<DraftBeat> beats;     // ascending; empty where no tempo stands out
    std::vector<MeterChange> meters;  // from bar 1
    bool isDownbeatGuessed = false;
    std::vector<Seconds> attacks;  // what lines can be laid on, ascending
    std::string tried;             // what was tried, when there are no beats
};

// Drafts the map of a performance from one or several takes that start together and have one rate.
//
// How fast it is is read from what begins (findTempo) and from how well each reading can be counted beat by
// beat (countability); the beats are followed from there (followBeats), laid on the attacks that made them
// (placeBeats) and counted into bars (countBars). A beat's confidence is how likely the count is, times how much
// is played there and how evenly.
//
// Errors: the channels'; BadArgument for no take, a range, a hint outside 20 to 400 or a first downbeat that is
// not within the takes; BadInput for a sample that is no number; Cancelled.
[[nodiscard]] Result<MapDraft> draftMap(
    std::span<const Channel> takes, Hertz rate, const DraftSettings& settings, const Work& work = {}
);

// How fine a map is drawn.
enum class MapLevel { Bar, Beat };

// The map of a draft: bar 1 on its first downbeat, a tempo from each bar or beat to the next. What lies before
// bar 1 has the first tempo. Errors: BadArgument for a draft without a bar or with impossible tempi.
[[nodiscard]] Result<TempoMap> mapOf(const MapDraft& draft, MapLevel level);

}  // namespace orthochron
