#pragma once

#include "core/base/Result.h"
#include "core/base/Work.h"
#include "core/onset/AttackColour.h"
#include "core/onset/AttackShapes.h"
#include "core/onset/AttackStart.h"
#include "core/onset/BandEnvelope.h"
#include "core/onset/OnsetSettings.h"

#include <memory>
#include <optional>
#include <span>
#include <vector>

namespace orthochron {

struct Onset {
    Frames at;              // where the attack begins to rise, counted from the first frame given
    double strength = 0.0;  // 0..1, linear, relative to the loud blows of the same drum
    double confidence =
        1.0;  // 0..1: of so many like it this part are hits of the microphone's drum

    bool operator==(const Onset&) const = default;
};

// An attack that might be a hit: what pickOnsets chooses from.
struct OnsetCandidate {
    Onset onset;
    Frames body;  // where it speaks, at or after its start: what its level is measured from
    double riseDecibels = 0.0;        // above what rang before it
    double noveltyDecibels = 0.0;     // see noveltyOf
    double overBleedDecibels = 0.0;   // what is the microphone's own drum's against what is not
    double owedDecibels = 0.0;        // what the blow before still rings with, above it
    Seconds sinceBlow{1.0};           // that blow; 1 s at the most
    bool isRing = false;              // of a blow before it, swelling once more
    std::vector<EarlierRise> ahead;   // see risesBefore
    std::vector<Frames> othersBlows;  // near it: when other microphones hear their own drums
    Frames byItself;                  // where it seems to begin, whatever the drum's others do
    Frames bodyByItself;
    std::shared_ptr<const AttackTrace> trace;  // around that; none where it is too soft
    AttackColour colour;                       // of what begins with it
};

// Why a candidate may be no hit.
enum class Doubt {
    None,     // it is one, as good as certainly
    Bleed,    // struck elsewhere
    Ring,     // a blow before it swells once more
    Faint,    // so quiet that it may be nothing
    Unclear,  // none of these alone
};
[[nodiscard]] Doubt doubtOf(const OnsetCandidate& candidate);

// Everything detection knows of a channel while it works.
struct OnsetAnalysis {
    BandEnvelope envelope;
    std::vector<OnsetCandidate> candidates;  // ascending
    double loudPower = 0.0;                  // of the microphone's own attacks whose strength is 1
};

// Levels, linear like strengths, between which none of the clear attacks lies: the widest such gap that has at
// least three above it, down to -40 dB; where a threshold divides best. None where levels lie close together (3 dB).
// Attacks are clear that rise by 6 dB and are no ring.
struct StrengthGap {
    double above = 1.0;
    double below = 0.0;
};
[[nodiscard]] bool countsForGaps(const OnsetCandidate& candidate);
[[nodiscard]] std::optional<StrengthGap> widestGap(std::span<const OnsetCandidate> candidates);

// Finds every attack of one channel, and weighs it as that of a microphone alone, each by itself.
//
// In four bands the level of the next few milliseconds is held against the highest of the last
// 25 ms, so that ringing never counts, however it beats; the strongest band speaks. Each attack is
// then placed to the sample by attackStart. Attacks from near silence to full scale are kept.
//
// The channel may be empty. `rate` is 8000..192000 Hz; windows are lengths in seconds.
// Errors: the channel's; BadArgument for the rate, BadInput for a sample that is no number,
// Cancelled.
// Reads the channel in passes: what stays in memory of an hour is about 50 MB (see Microphones.h for more).
[[nodiscard]] Result<OnsetAnalysis>
analyseOnsets(const Channel& channel, Hertz rate, const Work& work = {});
[[nodiscard]] Result<OnsetAnalysis>
analyseOnsets(std::span<const float> samples, Hertz rate, const Work& work = {});

// Says anew of each candidate how strong it is and how sure it is a hit of the microphone's own
// drum, now that the other microphones of the set are heard too, and where those begin that
// another drum's blow could have hidden, as its other strokes do (startsByShape). `others` are their envelopes over the same
// frames; those of the same drum and of a room do no harm.
void weighCandidates(OnsetAnalysis& analysis, std::span<const BandEnvelope* const> others);

// Weighs each candidate by nothing but how it rises: for a part of the sound that was asked for, where no
// drum is more at home than another.
void weighPlainly(OnsetAnalysis& analysis);

// The onsets at least as strong and as sure as asked, in ascending order.
// Errors: BadArgument for a setting out of range.
[[nodiscard]] Result<std::vector<Onset>>
pickOnsets(std::span<const OnsetCandidate> candidates, Hertz rate, const OnsetSettings& settings);

// What pickOnsets leaves out although it may be a hit: at least `least` sure and the surest within the
// smallest gap, ascending, none of them so near to a picked one.
[[nodiscard]] std::vector<OnsetCandidate> leftOut(
    std::span<const OnsetCandidate> candidates,
    std::span<const Onset> picked,
    Hertz rate,
    const OnsetSettings& settings,
    double least
);

}  // namespace orthochron
