#pragma once

#include "core/base/Id.h"
#include "core/fit/FitSettings.h"
#include "core/joins/JoinSettings.h"
#include "core/onset/OnsetSettings.h"
#include "core/shape/Hush.h"
#include "core/shape/LevelLine.h"
#include "core/song/Extras.h"
#include "core/song/MidiGuide.h"
#include "core/song/Sound.h"
#include "core/tune/NoteByHand.h"
#include "core/tune/Rungs.h"

#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

// The document as a value. Every type here is plain data; edits/ makes new songs of old ones.
// Positions on the song's axis and in takes are frames at the song's rate; a take of another rate
// is heard, and counted, as converted to it.
namespace orthochron {

// One recorded file; never written to.
struct Take {
    TakeId id;
    std::string name;         // as shown: the file's name without its ending
    std::string path;         // relative to the song's folder, or absolute
    std::uint64_t bytes = 0;  // with the hash: how a changed file is noticed
    std::string hash;         // hashOfFile
    Hertz rate{48000.0};      // the file's own
    Frames frames;            // at the song's rate
    int channels = 1;
    std::string format;
    Frames timeStamp;  // place on the recorder's clock, at the song's rate; 0 when unknown
    Extras extras;

    bool operator==(const Take&) const = default;
};

struct Fade {
    Frames length;
    FadeShape shape = FadeShape::EqualPower;
    float middle = 0.5F;  // part of the length at which it is half done: 0.1..0.9

    bool operator==(const Fade&) const = default;
    // The gains of the two sides at a part (0..1) of the length. `likeness` is the correlation of
    // the two sounds, for Matched.
    [[nodiscard]] FadeGains gainsAt(double part, double likeness) const;
};

// A window on a sound. Where it overlaps its neighbour on the track, the overlap is the crossfade
// and both fades are as long as it.
struct Clip {
    ClipId id;
    PartId part;  // what the microphones of a set have of one stretch of a performance shares it
    Sound sound;
    Frames soundStart;  // first frame of it there is, sound time
    Frames at;          // song time of that frame
    Frames length;
    Fade in;
    Fade out;
    float gain = 1.0F;  // linear
    bool isLocked = false;
    bool isMuted = false;
    bool isReversed = false;  // heard from soundStart + length backwards
    bool byHand = false;      // changed by hand: a fit made again keeps it
    Extras extras;

    bool operator==(const Clip&) const = default;
    [[nodiscard]] Frames end() const { return at + length; }
    // Song time less sound time; of a clip that is not reversed.
    [[nodiscard]] Frames offset() const { return at - soundStart; }
    // The first frame of the sound it needs for the span [from, to) of song time.
    [[nodiscard]] Frames soundTimeOf(Frames from, Frames to) const
    {
        return isReversed ? soundStart + (end() - to) : from - offset();
    }
    // Song time of a moment of its take; none when it does not play it.
    [[nodiscard]] std::optional<Frames> songTimeOf(Frames takeTime) const;
};

// A hit as the user holds it, in the take's own time.
struct Mark {
    MarkId id;
    Frames at;                // start of the attack: where it may be cut
    Frames beatPoint;         // what is put on the line
    double strength = 1.0;    // 0..1
    double confidence = 1.0;  // 0..1, of its being a hit; 1 for what is by hand
    bool isOn = true;
    bool byHand = false;               // placed or confirmed: no detection moves it
    std::optional<std::int64_t> line;  // grid line given by hand
    std::optional<Seconds> wanted;     // deviation from its line a fit leaves it, given by hand

    bool operator==(const Mark&) const = default;
};

struct Track {
    TrackId id;
    std::string name;
    std::vector<Clip> clips;     // ascending by `at`
    std::vector<Mark> marks;     // ascending by `at`
    std::vector<Frames> noHits;  // where someone decided that there is none; ascending, take time
    TakeId markedTake;           // what the marks are of: the take the track was made from
    int markedChannel = 0;
    OnsetSettings detection;  // what the marks were found with
    bool isLead = false;
    bool isHidden = false;
    bool isMuted = false;
    bool isSoloed = false;
    bool isLocked = false;  // nothing on it can be moved
    double gainDecibels = 0.0;
    double pan = 0.0;  // -1 left .. 1 right
    LevelLine level;
    std::vector<Hush> hushes;       // ascending by `from`
    std::vector<NoteByHand> notes;  // decided about the marked take; ascending, apart
    std::optional<Seconds> glide;   // from note to note, where they were tuned; none: as sung
    Extras extras;

    bool operator==(const Track&) const = default;
    // Whether a clip plays what the marks are of.
    [[nodiscard]] bool isMarked(const Clip& clip) const
    {
        return clip.sound.take == markedTake && clip.sound.firstChannel() == markedChannel;
    }
};

enum class FitMethod { Cut, Stretch };

// How the audio is made to yield to a fit.
struct FitWay {
    FitMethod method = FitMethod::Cut;
    Material material = Material::Hits;  // what it is stretched as

    bool operator==(const FitWay&) const = default;
};

// A fit kept as a recipe, so that it can be made again with other values.
struct FitRecipe {
    FitSettings fit;
    JoinSettings joins;
    GridSettings grid;
    FitWay way = {};
    std::vector<std::vector<Clip>> recorded;  // clips of each track of the set before the first fit
    std::uint64_t madeFrom = 0;               // fingerprint of the marks and the grid it used
    Extras extras;

    bool operator==(const FitRecipe&) const = default;
};

// Another way of fitting a passage, kept beside the one that is heard.
struct Variant {
    std::string name;
    std::optional<BarRange> bars;          // the passage; none for the whole song
    std::vector<std::vector<Clip>> clips;  // of each track of the set
    std::shared_ptr<const FitRecipe> recipe;
    Extras extras;

    bool operator==(const Variant& other) const;
};

// Tracks recorded together: edits go to all of them at the same sample. A track by itself is a set
// of one.
struct MicSet {
    SetId id;
    std::string name;
    std::vector<TrackId> tracks;  // in the order of the lanes
    bool isFolded = false;        // to its leads
    std::shared_ptr<const FitRecipe> recipe;
    std::string variantName;  // of the way that is heard, when others are kept
    std::vector<std::shared_ptr<const Variant>> variants;  // the others; the next one first
    Extras extras;

    bool operator==(const MicSet& other) const;
    // Of one track: its own lead, and shown as no more than its track.
    [[nodiscard]] bool isLone() const { return tracks.size() == 1; }
};

// How much of what is heard becomes part of a print's sound: what the clips make of it, or the track's
// level line, hushes, level and pan as well.
enum class PrintDepth { Clips, Track };

// A mic set printed in place. What it was made of is kept beside it; one of the two is in the song.
struct PrintedSet {
    SetId set;
    PrintDepth depth = PrintDepth::Clips;
    bool isLive = false;  // in the song is what was printed, and the print is kept
    std::vector<std::shared_ptr<const Track>> others;  // of each track, the one that is kept
    // What the set has along with them.
    std::shared_ptr<const FitRecipe> recipe;
    std::string variantName;
    std::vector<std::shared_ptr<const Variant>> variants;

    bool operator==(const PrintedSet& other) const;
};

// A finding the user has listened to and let be, by place and kind.
struct AcceptedFinding {
    std::string kind;
    Frames at;

    bool operator==(const AcceptedFinding&) const = default;
};

// A named range of bars; feel and its correction may differ by section.
struct Section {
    SectionId id;
    std::string name;
    BarRange bars;
    std::optional<Scale> key;  // of its own

    bool operator==(const Section&) const = default;
};

struct Song {
    std::string name;
    Hertz rate{48000.0};
    TempoMap tempo;
    GridSettings grid;
    std::vector<Take> takes;
    std::vector<std::shared_ptr<const Track>>
        tracks;  // in the order of the lanes; shared by versions
    std::vector<MicSet> sets;
    std::vector<std::shared_ptr<const PrintedSet>> prints;  // of one set the last is the newest
    std::vector<AcceptedFinding> accepted;
    std::vector<Groove> grooves;             // kept in the song, by name
    std::vector<Section> sections;           // ascending by first bar, never overlapping
    LevelLine level;                         // of the whole song, after the mix
    std::optional<Beats> endMark;            // where it ends, set by hand
    Scale key;                               // whose rungs notes hang off
    Temperament temperament;                 // where they lie
    std::shared_ptr<const MidiGuide> guide;  // null for none
    std::uint32_t lastId = 0;                // ids are given out upwards
    Extras extras;

    bool operator==(const Song& other) const;

    [[nodiscard]] const Take* take(TakeId id) const;
    [[nodiscard]] std::shared_ptr<const Track> track(TrackId id) const;  // null when there is none
    [[nodiscard]] const MicSet* set(SetId id) const;
    [[nodiscard]] const MicSet* setOf(TrackId id) const;
    // As it is called on screen and in files: a track by itself by its own name.
    [[nodiscard]] std::string nameOf(const MicSet& set) const;
    // Whether a track's hits decide where its set is cut.
    [[nodiscard]] bool isLead(const Track& track) const;
    [[nodiscard]] Frames length() const;  // end of the last clip
    // Where it ends: at its end mark, or where its last clip does.
    [[nodiscard]] Frames end() const;
};

// Replaces a track by its id; the song must hold it.
void putTrack(Song& song, Track track);

// Gives some tracks other clips, one list for each.
void putClips(Song& song, const std::vector<TrackId>& tracks, std::vector<std::vector<Clip>> clips);

// Makes a set of one of every track that is in none.
void completeSets(Song& song);

// Gives new ids to those of some clips, about to be laid on `tracks` in place of what is there, that
// another clip of the song or an earlier one of these has.
void renewRepeatedIds(
    Song& song, std::span<const TrackId> tracks, std::vector<std::vector<Clip>>& clips
);

// What the fit of a set depends on: the marks of its leads and the grid. A recipe whose
// fingerprint differs is out of date.
[[nodiscard]] std::uint64_t fitFingerprint(const Song& song, const MicSet& set);
[[nodiscard]] bool isOutOfDate(const Song& song, const MicSet& set);

}  // namespace orthochron
