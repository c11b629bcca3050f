#include "core/edits/VariantEdits.h"

#include <fmt/format.h>

#include "core/edits/Pieces.h"

#include <algorithm>

namespace orthochron {

namespace {

constexpr Seconds kBeforeBar = milliseconds(30.0);  // early hits on a bar line belong to the bar

std::vector<std::vector<Clip>> clipsOf(const Song& song, const MicSet& set)
{
    std::vector<std::vector<Clip>> clips;
    for (const TrackId id : set.tracks) {
        clips.push_back(song.track(id)->clips);
    }
    return clips;
}

MicSet* setIn(Song& song, SetId id)
{
    const auto found = std::ranges::find(song.sets, id, &MicSet::id);
    return found == song.sets.end() ? nullptr : &*found;
}

// The passage of a song time in which another way is heard.
std::pair<Frames, Frames> spanOf(const Song& song, BarRange bars)
{
    const auto at = [&](int bar) {
        const Seconds start = song.tempo.timeAt(song.tempo.startOfBar(bar)) - kBeforeBar;
        return std::max(Frames(0), toFrames(start, song.rate));
    };
    return {at(bars.first), at(bars.last + 1)};
}

// The tracks with the passage taken from another way.
std::vector<std::vector<Clip>> spliced(Song& song, const MicSet& set, const Variant& other)
{
    const auto [from, to] = spanOf(song, *other.bars);
    NewIds ids(song.lastId);
    std::vector<std::vector<Piece>> tracks;
    for (std::size_t t = 0; t < set.tracks.size(); ++t) {
        const auto before = takenApart(song.track(set.tracks[t])->clips);
        auto pieces = cropped(before, from, to, true, ids);
        auto inside = cropped(takenApart(other.clips[t]), from, to, false, ids);
        for (Piece& piece : inside) {
            // What is left of the same part on either side is another part from now on.
            piece.clip.part = ids.part(piece.clip.part, -1);
        }
        pieces.insert(pieces.end(), inside.begin(), inside.end());
        std::ranges::stable_sort(pieces, {}, [](const Piece& piece) { return piece.clip.at; });
        joinContinuous(pieces, [](const Clip&) { return true; });
        tracks.push_back(std::move(pieces));
    }
    return putTogether(song, std::move(tracks), {});
}

}  // namespace

Result<Song> keepVariant(const Song& song, SetId id, std::optional<BarRange> bars)
{
    Song next = song;
    MicSet* set = setIn(next, id);
    if (set == nullptr) {
        return badArgument("the mic set is not in the song");
    }
    if (set->variants.size() >= 16) {
        return badArgument("there are already 16 versions; delete some first");
    }
    if (set->variantName.empty()) {
        set->variantName = "version 1";
    }
    set->variants.push_back(std::make_shared<const Variant>(Variant{
        set->variantName, bars, clipsOf(song, *set), set->recipe}));
    set->variantName = fmt::format("version {}", set->variants.size() + 1);
    return next;
}

Result<Song> nextVariant(const Song& song, SetId id)
{
    Song next = song;
    MicSet* set = setIn(next, id);
    if (set == nullptr || set->variants.empty()) {
        return badArgument("no other version is stored; store this one first");
    }
    const auto other = set->variants.front();
    if (other->clips.size() != set->tracks.size()) {
        return badArgument("the stored version has other tracks than the mic set has now");
    }
    auto present = std::make_shared<const Variant>(Variant{
        set->variantName, other->bars, clipsOf(song, *set), set->recipe});
    auto clips = other->clips;
    if (other->bars) {
        clips = spliced(next, *set, *other);
    } else {
        set->recipe = other->recipe;
    }
    set->variants.erase(set->variants.begin());
    set->variants.push_back(std::move(present));
    set->variantName = other->name;
    const auto tracks = set->tracks;
    renewRepeatedIds(next, tracks, clips);
    putClips(next, tracks, std::move(clips));
    return next;
}

Result<Song> dropVariants(const Song& song, SetId id)
{
    Song next = song;
    MicSet* set = setIn(next, id);
    if (set == nullptr || set->variants.empty()) {
        return badArgument("no other version is stored");
    }
    set->variants.clear();
    set->variantName.clear();
    return next;
}

}  // namespace orthochron
