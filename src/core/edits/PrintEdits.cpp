#include "core/edits/PrintEdits.h"

#include <fmt/format.h>

#include "core/edits/SetParts.h"

#include <algorithm>

namespace orthochron {

namespace {

// The marks of a track where they are heard, as marks of its print.
std::vector<Mark> printedMarks(const Track& track, Frames from, Frames length)
{
    std::vector<Mark> marks;
    for (const HeardMark& heard : marksHeard(track, track.clips, WhichMarks::EvenOff)) {
        Mark mark = *heard.mark;
        mark.at = heard.at - from;
        mark.beatPoint = heard.beatPoint - from;
        // A hit is where it was put: nothing is asked of it any more.
        mark.wanted.reset();
        if (mark.at >= Frames(0) && mark.at < length) {
            marks.push_back(mark);
        }
    }
    std::ranges::stable_sort(marks, {}, &Mark::at);
    return marks;
}

// What a track is as a print of itself. Marks that are heard twice get ids of their own.
Track printedTrack(
    const Track& track, const Take& take, const FinishedPrint& print, PartId part, Song& song
)
{
    Track printed = track;
    printed.marks = printedMarks(track, print.from, take.frames);
    std::vector<MarkId> ids;
    for (Mark& mark : printed.marks) {
        if (std::ranges::find(ids, mark.id) != ids.end()) {
            mark.id = MarkId{++song.lastId};
        }
        ids.push_back(mark.id);
    }
    printed.noHits.clear();
    printed.notes.clear();
    printed.glide.reset();
    printed.markedTake = take.id;
    printed.markedChannel = 0;
    Clip clip;
    clip.id = ClipId{++song.lastId};
    clip.part = part;
    clip.sound.take = take.id;
    clip.sound.channel = take.channels == 1 ? 0 : Sound::kAllChannels;
    clip.at = print.from;
    clip.length = take.frames;
    printed.clips = {clip};
    if (print.depth == PrintDepth::Track) {
        printed.level = {};
        printed.hushes.clear();
        printed.gainDecibels = 0.0;
        printed.pan = 0.0;
    }
    return printed;
}

Result<std::vector<Track>> printedTracks(Song& song, const FinishedPrint& print)
{
    const MicSet* set = song.set(print.set);
    if (set == nullptr) {
        return badArgument("the mic set is not in the song");
    }
    if (set->tracks.size() != print.takes.size()) {
        return badArgument(fmt::format(
            "{} files were printed for {} tracks", print.takes.size(), set->tracks.size()
        ));
    }
    const PartId part{++song.lastId};
    std::vector<Track> tracks;
    for (std::size_t i = 0; i < set->tracks.size(); ++i) {
        Take take = print.takes[i];
        take.id = TakeId{++song.lastId};
        tracks.push_back(printedTrack(*song.track(set->tracks[i]), take, print, part, song));
        song.takes.push_back(std::move(take));
    }
    return tracks;
}

MicSet& setIn(Song& song, SetId id)
{
    return *std::ranges::find(song.sets, id, &MicSet::id);
}

// What belongs to the lane, not to the sound.
void keepLane(Track& track, const Track& shown)
{
    track.name = shown.name;
    track.isLead = shown.isLead;
    track.isHidden = shown.isHidden;
    track.isMuted = shown.isMuted;
    track.isSoloed = shown.isSoloed;
    track.isLocked = shown.isLocked;
}

// Changes what is kept beside a print for what is in the song.
PrintedSet exchanged(Song& song, PrintedSet print)
{
    MicSet& set = setIn(song, print.set);
    for (auto& other : print.others) {
        auto shown = song.track(other->id);
        Track track = *other;
        keepLane(track, *shown);
        putTrack(song, std::move(track));
        other = std::move(shown);
    }
    std::swap(set.recipe, print.recipe);
    std::swap(set.variantName, print.variantName);
    std::swap(set.variants, print.variants);
    print.isLive = !print.isLive;
    return print;
}

std::size_t placeOf(const Song& song, SetId set)
{
    std::size_t place = song.prints.size();
    while (song.prints[--place]->set != set) {}
    return place;
}

}  // namespace

const PrintedSet* printOf(const Song& song, SetId id)
{
    const MicSet* set = song.set(id);
    for (std::size_t i = song.prints.size(); i-- > 0;) {
        const PrintedSet& print = *song.prints[i];
        if (print.set == id) {
            const bool isSame =
                set != nullptr && std::ranges::equal(print.others, set->tracks, {}, &Track::id);
            return isSame ? &print : nullptr;
        }
    }
    return nullptr;
}

Result<Song> printInPlace(const Song& song, const FinishedPrint& print)
{
    Song next = song;
    auto tracks = printedTracks(next, print);
    if (!tracks) {
        return tl::unexpected(tracks.error());
    }
    PrintedSet kept;
    kept.set = print.set;
    kept.depth = print.depth;
    for (Track& track : *tracks) {
        kept.others.push_back(next.track(track.id));
        putTrack(next, std::move(track));
    }
    MicSet& set = setIn(next, print.set);
    kept.recipe = std::exchange(set.recipe, nullptr);
    kept.variantName = std::exchange(set.variantName, {});
    kept.variants = std::exchange(set.variants, {});
    next.prints.push_back(std::make_shared<const PrintedSet>(std::move(kept)));
    return next;
}

Result<Song> printBelow(const Song& song, const FinishedPrint& print)
{
    Song next = song;
    auto tracks = printedTracks(next, print);
    if (!tracks) {
        return tl::unexpected(tracks.error());
    }
    const MicSet original = *next.set(print.set);
    MicSet set;
    set.id = SetId{++next.lastId};
    set.name = original.name.empty() ? std::string() : original.name + " print";
    set.isFolded = original.isFolded;
    auto after = std::ranges::find(next.tracks, original.tracks.back(), &Track::id);
    std::ptrdiff_t place = after - next.tracks.begin() + 1;
    for (Track& track : *tracks) {
        Track muted = *next.track(track.id);
        muted.isMuted = true;
        putTrack(next, std::move(muted));
        track.id = TrackId{++next.lastId};
        track.name += " print";
        track.isMuted = false;
        for (Mark& mark : track.marks) {
            mark.id = MarkId{++next.lastId};
        }
        set.tracks.push_back(track.id);
        next.tracks.insert(
            next.tracks.begin() + place++, std::make_shared<const Track>(std::move(track))
        );
    }
    const auto beside = std::ranges::find(next.sets, original.id, &MicSet::id);
    next.sets.insert(beside + 1, std::move(set));
    return next;
}

Result<Song> switchPrint(const Song& song, SetId set)
{
    const PrintedSet* print = printOf(song, set);
    if (print == nullptr) {
        return badArgument("nothing was printed in place here");
    }
    Song next = song;
    next.prints[placeOf(song, set)] = std::make_shared<const PrintedSet>(exchanged(next, *print));
    return next;
}

Result<Song> openPrint(const Song& song, SetId set)
{
    const PrintedSet* print = printOf(song, set);
    if (print == nullptr) {
        return badArgument("nothing was printed in place here");
    }
    Song next = song;
    if (!print->isLive) {
        (void)exchanged(next, *print);
    }
    next.prints.erase(next.prints.begin() + static_cast<std::ptrdiff_t>(placeOf(song, set)));
    return next;
}

}  // namespace orthochron
