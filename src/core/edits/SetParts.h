#pragma once

#include "core/song/Parts.h"

#include <memory>
#include <optional>
#include <span>
#include <vector>

// A mic set as one performance: the stretches all its microphones have of it, and how far each was
// moved from where it was recorded.
namespace orthochron {

// The channel of a take a track's marks are about.
struct TrackTake {
    TakeId take;
    int channel = 0;
    Frames offset;  // song time less take time where it was first laid
};
// None for a track that was made from no take.
[[nodiscard]] std::optional<TrackTake> recordedTake(const Song& song, TrackId id);

// The clips of each track of a set before any fit. Their time is *recorded time*: the axis the
// moves of a fit are counted on.
[[nodiscard]] std::vector<std::vector<Clip>> recordedClips(const Song& song, const MicSet& set);

// Where one track's sounds lie in recorded time.
class RecordedTimes {
public:
    explicit RecordedTimes(std::span<const Clip> recorded);

    struct Place {
        Frames move;        // of a clip's first frame, song time less recorded time
        float gain = 1.0F;  // of the recorded clip
        // Of one that was stretched since: recorded time less take time.
        std::optional<Frames> takeOffset = {};
    };
    // Where what a clip plays was recorded: by the recorded clip it has most in common with, of
    // equals the nearest. None when nothing of it was.
    [[nodiscard]] std::optional<Place> placeOf(const Clip& clip) const;

private:
    [[nodiscard]] std::optional<Place> placeOfSame(const Clip& clip) const;

    std::vector<Clip> clips_;   // by take, channel and start
    std::vector<Frames> ends_;  // the furthest sound time of each and those before it of its take
};

// A mark where a clip plays it.
struct HeardMark {
    const Mark* mark;  // of the track
    Frames at;         // song time of its start
    Frames beatPoint;
    PartId part;
};
enum class WhichMarks { On, EvenOff };
// The marks of a track wherever some clips play them forwards: none, one or several times each, in
// the order of the clips. In a crossfade the earlier clip counts. Those that are on are heard in
// clips that are not muted; even those that are off, in all.
[[nodiscard]] std::vector<HeardMark>
marksHeard(const Track& track, const std::vector<Clip>& clips, WhichMarks which = WhichMarks::On);

// What all microphones of a set have of one stretch of the performance.
struct SetPart {
    PartId id;
    Frames from;  // song time; of the microphone that has most of it
    Frames to;
    std::optional<Frames> move;  // of its start, from where it was recorded; none when it was not
    double gain = 1.0;           // against the recorded one; of the first microphone that has it
    bool isLocked = false;
    bool isMuted = false;
    bool isReversed = false;
    bool byHand = false;
    // How it was stretched since it was recorded; null when it was moved as a whole.
    std::shared_ptr<const Treatment> stretched = {};
    Frames takeOffset = Frames(0);   // then: recorded time less take time
    Frames soundOffset = Frames(0);  // and song time less sound time

    // Song time of a moment of recorded time, and the reverse, of a part that has a move.
    [[nodiscard]] Frames heardAt(Frames recorded) const;
    [[nodiscard]] Frames recordedAt(Frames heard) const;
};

// The parts of a set, ascending by `from`; they overlap where they are crossfaded. Their moves are
// from where they were recorded, or from other clips of each track that are given instead.
[[nodiscard]] std::vector<SetPart> partsOf(const Song& song, const MicSet& set);
[[nodiscard]] std::vector<SetPart>
partsOf(const Song& song, const MicSet& set, const std::vector<std::vector<Clip>>& recorded);
// The part that plays a moment of recorded time: of several the last but those changed by hand
// count for less. Null when it was cut out.
[[nodiscard]] const SetPart* partHolding(const std::vector<SetPart>& parts, Frames recorded);

}  // namespace orthochron
