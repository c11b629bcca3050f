#include "core/song/Song.h"

#include "core/base/Hash.h"

#include <algorithm>
#include <cassert>
#include <cmath>
#include <unordered_set>

namespace orthochron {

FadeGains Fade::gainsAt(double part, double likeness) const
{
    // A power of the place puts the half-way point where it is wanted and leaves both ends.
    const double bend =
        middle == 0.5F ? 1.0 : std::log(0.5) / std::log(static_cast<double>(middle));
    const double place = bend == 1.0 ? part : std::pow(std::clamp(part, 0.0, 1.0), bend);
    return fadeGains(shape, likeness, place);
}

std::optional<Frames> Clip::songTimeOf(Frames takeTime) const
{
    const Frames within = sound.soundTimeOf(takeTime) - soundStart;
    if (within < Frames(0) || within >= length) {
        return std::nullopt;
    }
    return isReversed ? end() - Frames(1) - within : at + within;
}

namespace {

// Of two shared values, by what they hold.
template<class T>
bool alike(const std::shared_ptr<const T>& a, const std::shared_ptr<const T>& b)
{
    return a == b || (a && b && *a == *b);
}

}  // namespace

bool Variant::operator==(const Variant& other) const
{
    return name == other.name && bars == other.bars && clips == other.clips &&
           alike(recipe, other.recipe) && extras == other.extras;
}

bool MicSet::operator==(const MicSet& other) const
{
    return id == other.id && name == other.name && tracks == other.tracks &&
           isFolded == other.isFolded && alike(recipe, other.recipe) &&
           variantName == other.variantName &&
           std::ranges::equal(variants, other.variants, alike<Variant>) && extras == other.extras;
}

bool PrintedSet::operator==(const PrintedSet& other) const
{
    return set == other.set && depth == other.depth && isLive == other.isLive &&
           std::ranges::equal(others, other.others, alike<Track>) && alike(recipe, other.recipe) &&
           variantName == other.variantName &&
           std::ranges::equal(variants, other.variants, alike<Variant>);
}

bool Song::operator==(const Song& other) const
{
    const auto sameTrack = [](const auto& a, const auto& b) { return a == b || *a == *b; };
    return name == other.name && rate == other.rate && tempo == other.tempo && grid == other.grid &&
           takes == other.takes && std::ranges::equal(tracks, other.tracks, sameTrack) &&
           sets == other.sets && std::ranges::equal(prints, other.prints, alike<PrintedSet>) &&
           accepted == other.accepted && grooves == other.grooves && sections == other.sections &&
           level == other.level && endMark == other.endMark && key == other.key &&
           temperament == other.temperament && alike(guide, other.guide) && extras == other.extras;
}

const Take* Song::take(TakeId id) const
{
    const auto found = std::ranges::find(takes, id, &Take::id);
    return found == takes.end() ? nullptr : &*found;
}

std::shared_ptr<const Track> Song::track(TrackId id) const
{
    const auto found =
        std::ranges::find_if(tracks, [id](const auto& track) { return track->id == id; });
    return found == tracks.end() ? nullptr : *found;
}

const MicSet* Song::set(SetId id) const
{
    const auto found = std::ranges::find(sets, id, &MicSet::id);
    return found == sets.end() ? nullptr : &*found;
}

const MicSet* Song::setOf(TrackId id) const
{
    const auto found = std::ranges::find_if(sets, [id](const MicSet& set) {
        return std::ranges::find(set.tracks, id) != set.tracks.end();
    });
    return found == sets.end() ? nullptr : &*found;
}

std::string Song::nameOf(const MicSet& set) const
{
    const auto lone = set.isLone() ? track(set.tracks.front()) : nullptr;
    return lone ? lone->name : set.name;
}

bool Song::isLead(const Track& track) const
{
    const MicSet* set = setOf(track.id);
    return track.isLead || (set != nullptr && set->isLone());
}

Frames Song::length() const
{
    Frames end{0};
    for (const auto& track : tracks) {
        for (const Clip& clip : track->clips) {
            end = std::max(end, clip.end());
        }
    }
    return end;
}

Frames Song::end() const
{
    return endMark ? toFrames(tempo.timeAt(*endMark), rate) : length();
}

void renewRepeatedIds(
    Song& song, std::span<const TrackId> tracks, std::vector<std::vector<Clip>>& clips
)
{
    std::unordered_set<ClipId> used;
    for (const auto& track : song.tracks) {
        if (std::ranges::find(tracks, track->id) == tracks.end()) {
            for (const Clip& clip : track->clips) {
                used.insert(clip.id);
            }
        }
    }
    for (auto& list : clips) {
        for (Clip& clip : list) {
            while (!used.insert(clip.id).second) {
                clip.id = ClipId{++song.lastId};
            }
        }
    }
}

void completeSets(Song& song)
{
    std::unordered_set<TrackId> inSets;
    for (const MicSet& set : song.sets) {
        inSets.insert(set.tracks.begin(), set.tracks.end());
    }
    for (const auto& track : song.tracks) {
        if (!inSets.contains(track->id)) {
            MicSet lone;
            lone.id = SetId{track->id.value};  // ids of all kinds are given out together
            lone.tracks = {track->id};
            song.sets.push_back(std::move(lone));
        }
    }
}

void putTrack(Song& song, Track track)
{
    const auto place =
        std::ranges::find_if(song.tracks, [&](const auto& other) { return other->id == track.id; });
    assert(place != song.tracks.end());
    *place = std::make_shared<const Track>(std::move(track));
}

void putClips(Song& song, const std::vector<TrackId>& tracks, std::vector<std::vector<Clip>> clips)
{
    assert(tracks.size() == clips.size());
    for (std::size_t t = 0; t < tracks.size(); ++t) {
        Track track = *song.track(tracks[t]);
        track.clips = std::move(clips[t]);
        putTrack(song, std::move(track));
    }
}

namespace {

template<class T>
std::uint64_t mixed(const T& value, std::uint64_t seed)
{
    return hashOf(std::as_bytes(std::span(&value, 1)), seed);
}

}  // namespace

std::uint64_t fitFingerprint(const Song& song, const MicSet& set)
{
    std::uint64_t print = mixed(song.tempo.firstDownbeat().count(), 1);
    for (const TempoPoint& point : song.tempo.tempi()) {
        print = mixed(point.isRamp, mixed(point.bpm, mixed(point.at.count(), print)));
    }
    for (const MeterChange& change : song.tempo.meters()) {
        print = mixed(
            change.meter.denominator, mixed(change.meter.numerator, mixed(change.bar, print))
        );
    }
    for (const TrackId id : set.tracks) {
        const auto track = song.track(id);
        if (!track || !song.isLead(*track)) {
            continue;
        }
        print = mixed(id.value, print);
        for (const Mark& mark : track->marks) {
            if (mark.isOn) {
                print = mixed(
                    mark.line.value_or(-1),
                    mixed(mark.beatPoint.count(), mixed(mark.at.count(), print))
                );
                if (mark.wanted) {
                    print = mixed(mark.wanted->count(), print);
                }
            }
        }
    }
    return print;
}

bool isOutOfDate(const Song& song, const MicSet& set)
{
    return set.recipe && set.recipe->madeFrom != fitFingerprint(song, set);
}

}  // namespace orthochron
