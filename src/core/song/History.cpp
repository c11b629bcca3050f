#include "core/song/History.h"

#include "core/song/ListDiff.h"

#include <cassert>
#include <utility>

namespace orthochron {

namespace {

// Every so many versions one stays whole, so that none is far from one that is.
constexpr std::size_t kWholeEvery = 32;
// Versions this near the present one stay whole, so that undo costs nothing.
constexpr std::size_t kNear = 2;

// A track as it differs from the one of that id in the next version.
struct PackedTrack {
    std::shared_ptr<const Track> whole;  // where a difference would save nothing
    Track rest;                          // all but clips and marks
    ListDiff<Clip> clips;
    ListDiff<Mark> marks;
};

template<class T>
std::size_t bytesOf(const ListDiff<T>& diff)
{
    return diff.capacity() * sizeof(typename ListDiff<T>::value_type);
}

// All but its clips and marks.
Track restOf(const Track& track)
{
    // Each field by name: a new one that is forgotten here does not compile.
    const auto& [id, name, clips, marks, noHits, markedTake, markedChannel, detection, isLead, isHidden, isMuted, isSoloed, isLocked, gainDecibels, pan, level, hushes, notes, glide, extras] =
        track;
    return {
        .id = id,
        .name = name,
        .noHits = noHits,
        .markedTake = markedTake,
        .markedChannel = markedChannel,
        .detection = detection,
        .isLead = isLead,
        .isHidden = isHidden,
        .isMuted = isMuted,
        .isSoloed = isSoloed,
        .isLocked = isLocked,
        .gainDecibels = gainDecibels,
        .pan = pan,
        .level = level,
        .hushes = hushes,
        .notes = notes,
        .glide = glide,
        .extras = extras,
    };
}

PackedTrack packTrack(const std::shared_ptr<const Track>& track, const Song& next)
{
    const auto after = next.track(track->id);
    PackedTrack packed;
    if (!after || after == track) {
        packed.whole = track;
        return packed;
    }
    packed.clips = diffOf<Clip>(after->clips, track->clips);
    packed.marks = diffOf<Mark>(after->marks, track->marks);
    packed.clips.shrink_to_fit();
    packed.marks.shrink_to_fit();
    const std::size_t whole =
        track->clips.size() * sizeof(Clip) + track->marks.size() * sizeof(Mark);
    if (2 * (bytesOf(packed.clips) + bytesOf(packed.marks)) > whole) {
        return {track, {}, {}, {}};
    }
    packed.rest = restOf(*track);
    return packed;
}

std::shared_ptr<const Track> unpackTrack(const PackedTrack& packed, const Song& next)
{
    if (packed.whole) {
        return packed.whole;
    }
    const auto after = next.track(packed.rest.id);
    Track track = packed.rest;
    track.clips = *patched<Clip>(after->clips, packed.clips);
    track.marks = *patched<Mark>(after->marks, packed.marks);
    return std::make_shared<const Track>(std::move(track));
}

}  // namespace

struct History::Packed {
    Song rest;  // without its tracks
    std::vector<PackedTrack> tracks;
};

std::shared_ptr<const History::Packed> History::pack(const Song& song, const Song& next)
{
    auto packed = std::make_shared<Packed>();
    packed->rest = song;
    packed->rest.tracks.clear();
    for (const auto& track : song.tracks) {
        packed->tracks.push_back(packTrack(track, next));
    }
    return packed;
}

std::shared_ptr<const Song> History::unpack(const Packed& packed, const Song& next)
{
    Song song = packed.rest;
    for (const PackedTrack& track : packed.tracks) {
        song.tracks.push_back(unpackTrack(track, next));
    }
    return std::make_shared<const Song>(std::move(song));
}

History::History(Song first, std::string name)
    : lastSerial_(std::make_shared<std::atomic<std::uint64_t>>(0))
{
    steps_.push_back(
        {std::make_shared<const Song>(std::move(first)), nullptr, std::move(name), ++*lastSerial_}
    );
}

std::shared_ptr<const Song> History::unpacked(std::size_t index) const
{
    std::size_t whole = index;
    while (!steps_[whole].song) {
        ++whole;
    }
    std::shared_ptr<const Song> song = steps_[whole].song;
    while (whole > index) {
        --whole;
        song = unpack(*steps_[whole].packed, *song);
    }
    return song;
}

History::Version History::version(std::size_t index) const
{
    return {unpacked(index), steps_[index].name, steps_[index].serial};
}

void History::visit(std::size_t first, const std::function<void(const Version&)>& see) const
{
    std::vector<std::shared_ptr<const Song>> songs;
    for (std::size_t from = first; from < steps_.size();) {
        std::size_t whole = from;
        while (!steps_[whole].song) {
            ++whole;
        }
        songs.assign(whole - from + 1, nullptr);
        songs.back() = steps_[whole].song;
        for (std::size_t i = songs.size() - 1; i-- > 0;) {
            songs[i] = unpack(*steps_[from + i].packed, *songs[i + 1]);
        }
        for (std::size_t i = 0; i < songs.size(); ++i) {
            see({songs[i], steps_[from + i].name, steps_[from + i].serial});
        }
        from = whole + 1;
    }
}

void History::add(Song song, std::string name)
{
    steps_.resize(current_ + 1);
    // It is not the difference from what came after it any more.
    steps_[current_].packed = nullptr;
    steps_.push_back(
        {std::make_shared<const Song>(std::move(song)), nullptr, std::move(name), ++*lastSerial_}
    );
    if (steps_.size() > kMostSteps + 1) {
        steps_.erase(steps_.begin());
    }
    current_ = steps_.size() - 1;
    settle();
}

// Makes whole what is near the present version and packs what no longer is.
void History::settle()
{
    const std::size_t from = current_ > kNear ? current_ - kNear : 0;
    const std::size_t to = std::min(current_ + kNear, steps_.size() - 1);
    for (std::size_t i = to + 1; i-- > from;) {
        steps_[i].song = unpacked(i);
    }
    for (std::size_t i = steps_.size() - 1; i-- > 0;) {
        const bool isNear = i >= from && i <= to;
        if (isNear || !steps_[i].song || steps_[i].serial % kWholeEvery == 0) {
            continue;
        }
        if (!steps_[i].packed) {
            steps_[i].packed = pack(*steps_[i].song, *unpacked(i + 1));
        }
        steps_[i].song = nullptr;
    }
}

void History::undo()
{
    assert(canUndo());
    goTo(current_ - 1);
}

void History::redo()
{
    assert(canRedo());
    goTo(current_ + 1);
}

void History::goTo(std::size_t index)
{
    assert(index < steps_.size());
    current_ = index;
    settle();
}

void History::changeTakes(const std::function<void(Take&)>& change)
{
    for (Step& step : steps_) {
        if (step.song) {
            auto song = std::make_shared<Song>(*step.song);
            std::ranges::for_each(song->takes, change);
            step.song = std::move(song);
        }
        if (step.packed) {
            auto packed = std::make_shared<Packed>(*step.packed);
            std::ranges::for_each(packed->rest.takes, change);
            step.packed = std::move(packed);
        }
    }
}

}  // namespace orthochron
