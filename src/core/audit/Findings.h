#pragma once

#include "core/base/Result.h"
#include "core/base/Work.h"
#include "core/time/Units.h"

#include <functional>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace orthochron {

enum class FindingKind { Click, DoubleHit, Gap, Dip, Skew, Strain, CutInAttack, OverFullScale };

constexpr double kSilent = 3e-6;  // RMS of a gap

// What the program's own check of an edit turned up.
struct Finding {
    FindingKind kind = FindingKind::Click;
    Frames at;                        // song time
    double value = 0.0;               // how much, in unitOf(kind)
    int microphone = 0;               // where it is worst
    std::optional<std::size_t> join;  // of the checked joins, when it belongs to one
    double loudness = 0.0;            // dB, of what is wrong against the music around it

    bool operator==(const Finding&) const = default;
};

[[nodiscard]] std::string_view wordOf(FindingKind kind);  // "double hit"
[[nodiscard]] std::string_view unitOf(FindingKind kind);  // "dB", "ms", "samples", "ratio"

// Orders findings worst first: by kind (what is heard first), then by size.
[[nodiscard]] bool isWorse(const Finding& a, const Finding& b);

// What an edit by cutting claims to have done to all microphones of a set.
struct EditMap {
    struct Piece {
        Frames from;  // song time
        Frames to;
        Frames move;  // song time less recorded time
        double gain = 1.0;
        bool isPlain = true;  // sounds as recorded: only then is it known where its hits are
        bool isHeard = true;  // joins of muted pieces are not checked
        // It repeats what had died away meanwhile and is turned down to that, by 30 dB at the most, until
        // the lead-in of what is struck next.
        bool diesAway = false;
    };
    struct Join {
        Frames at;
        Frames length;
        std::size_t before = 0;  // index of the piece before it; the next one comes after
    };
    struct Hit {
        Frames start;  // recorded time of the start of its attack
        Frames move;
    };
    std::vector<Piece> pieces;  // ascending by from; overlap by the join between them, if any
    std::vector<Join> joins;
    std::vector<Hit> hits;  // ascending by start
    Hertz rate{48000.0};
    Frames length;

    // Where a recorded moment is heard, by the last piece that plays it; none when it was cut out.
    [[nodiscard]] std::optional<Frames> heardAt(Frames recorded) const;
};

// How loud what dies away is against what was recorded, as far as that may be so: along a line.
struct DecayGain {
    double mean;
    double slope;   // a frame
    double middle;  // where it is the mean

    [[nodiscard]] double at(std::int64_t index) const;
};

[[nodiscard]] DecayGain decayGain(std::span<const float> edited, std::span<const float> recorded);

// Reads a microphone's sound; callable from several threads at once.
using MicrophoneReader =
    std::function<Result<void>(int microphone, Frames from, std::span<float> into)>;

// Reads what one side of a join would sound like by itself, beyond its edge too.
using SideReader = std::function<Result<void>(
    int microphone, std::size_t join, bool isLater, Frames from, std::span<float> into
)>;

struct AuditInput {
    const EditMap& map;
    int microphones = 0;
    MicrophoneReader edited;    // song time
    MicrophoneReader recorded;  // recorded time; what is not looked at in checkJoins
    SideReader side = {};       // song time; none: what was recorded, moved as the map says
};

// Says of each finding how loud what is wrong is against the music around it. Errors: the readers'.
[[nodiscard]] Result<void> weighFindings(const AuditInput& input, std::span<Finding> findings);

// Checks every join: click, dip, cut in attack and double hit, by what both sides would have
// sounded like without it. Errors: the readers', Cancelled. In order of time.
[[nodiscard]] Result<std::vector<Finding>>
checkJoins(const AuditInput& input, const Work& work = {});

// The findings of the join with this index alone.
[[nodiscard]] Result<std::vector<Finding>> checkJoin(const AuditInput& input, std::size_t index);

// Compares the whole edit with what its map says it should be, and finds what is not as claimed:
// gaps, skew between microphones, clicks and double hits anywhere, samples over full scale.
[[nodiscard]] Result<std::vector<Finding>>
checkWhole(const AuditInput& input, const Work& work = {});

}  // namespace orthochron
