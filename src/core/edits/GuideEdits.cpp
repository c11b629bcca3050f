#include "core/edits/GuideEdits.h"

#include <fmt/format.h>

#include "core/edits/MarkEdits.h"
#include "core/edits/SetParts.h"

#include <algorithm>
#include <cmath>

namespace orthochron {

namespace {

bool canBe(const TimedNote& note)
{
    const bool isTimed = note.at >= Seconds(0.0) && note.at <= kLatestGuideNote &&
                         note.length >= Seconds(0.0) && note.length <= kLatestGuideNote;
    return isTimed && note.key >= 0 && note.key < 128 && note.velocity > 0 && note.velocity < 128 &&
           note.channel >= 0 && note.channel < 16;
}

}  // namespace

Result<Song> takeGuide(const Song& song, MidiGuide guide)
{
    if (guide.notes.empty()) {
        return badArgument("the guide has no notes");
    }
    if (guide.notes.size() > kMostGuideNotes) {
        return badArgument(fmt::format(
            "a guide can have at most {} notes, not {}", kMostGuideNotes, guide.notes.size()
        ));
    }
    if (!std::ranges::all_of(guide.notes, canBe)) {
        return badArgument("the guide has a note outside the song's maximum length");
    }
    std::ranges::stable_sort(guide.notes, {}, &TimedNote::at);
    Song next = song;
    next.guide = std::make_shared<const MidiGuide>(std::move(guide));
    return next;
}

Result<Song> removeGuide(const Song& song)
{
    if (!song.guide) {
        return badArgument("there is no guide to delete");
    }
    Song next = song;
    next.guide = nullptr;
    return next;
}

Result<Song> marksFromGuide(const Song& song, TrackId id)
{
    const auto track = song.track(id);
    if (!track || !song.guide) {
        return badArgument(track ? "import a guide first" : "that track is not in the song");
    }
    std::vector<Frames> moments;
    auto clip = track->clips.begin();
    for (const Seconds start : song.guide->starts()) {
        const Frames at = toFrames(start, song.rate);
        while (clip != track->clips.end() && clip->end() <= at) {
            ++clip;
        }
        if (clip == track->clips.end()) {
            break;
        }
        if (clip->at <= at && track->isMarked(*clip)) {
            moments.push_back(clip->sound.takeTimeOf(clip->soundTimeOf(at, at + Frames(1))));
        }
    }
    if (moments.empty()) {
        return badArgument(fmt::format("no guide note starts while {} plays", track->name));
    }
    std::ranges::sort(moments);
    moments.erase(std::unique(moments.begin(), moments.end()), moments.end());
    return placeMarksAt(song, id, moments);
}

namespace {

// The marks of a lead as notes: the same for all, louder where struck harder.
TimedPart notesOfMarks(const Song& song, const Track& track)
{
    constexpr Seconds kLength(0.05);
    constexpr int kKey = 60;
    constexpr double kLoudest = 127.0;
    TimedPart part{track.name, {}};
    for (const HeardMark& heard : marksHeard(track, track.clips)) {
        const int velocity = static_cast<int>(std::lround(heard.mark->strength * kLoudest));
        part.notes.push_back(
            {.at = toSeconds(heard.at, song.rate),
             .length = kLength,
             .key = kKey,
             .velocity = std::clamp(velocity, 1, 127)}
        );
    }
    std::ranges::stable_sort(part.notes, {}, &TimedNote::at);
    return part;
}

}  // namespace

std::vector<TimedPart> playedParts(const Song& song)
{
    std::vector<TimedPart> parts;
    for (const auto& track : song.tracks) {
        if (song.isLead(*track) && !track->marks.empty()) {
            parts.push_back(notesOfMarks(song, *track));
        }
    }
    if (song.guide) {
        parts.push_back({song.guide->name, song.guide->notes});
    }
    return parts;
}

}  // namespace orthochron
