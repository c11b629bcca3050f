#include "core/files/OlderSong.h"

#include "core/song/Parts.h"

namespace orthochron {

namespace {

void giveParts(std::vector<std::vector<Clip>>& lists)
{
    std::vector<std::vector<Clip>*> all;
    for (auto& clips : lists) {
        all.push_back(&clips);
    }
    joinParts(all);
}

}  // namespace

OlderSong::Completed OlderSong::completed(const Tracks& tracks, const MicSet* set) const
{
    std::vector<Track> made;
    for (std::size_t t = 0; t < tracks.size(); ++t) {
        Track track = *tracks[t];
        const bool isFitted = set != nullptr && set->recipe && t < set->recipe->recorded.size();
        const auto& clips = isFitted ? set->recipe->recorded[t] : track.clips;
        if (!clips.empty()) {
            track.markedTake = clips.front().sound.take;
            track.markedChannel = clips.front().sound.firstChannel();
        }
        made.push_back(std::move(track));
    }
    std::vector<std::vector<Clip>*> lists;
    for (Track& track : made) {
        lists.push_back(&track.clips);
    }
    Completed all{tracks, {}, joinParts(lists)};
    for (Track& track : made) {
        all.made.push_back(std::make_shared<const Track>(std::move(track)));
    }
    return all;
}

std::shared_ptr<const FitRecipe> OlderSong::recipe(const std::shared_ptr<const FitRecipe>& from)
{
    auto& made = recipes_[from];
    if (from && !made) {
        FitRecipe copy = *from;
        giveParts(copy.recorded);
        made = std::make_shared<const FitRecipe>(std::move(copy));
        recipes_[made] = made;
    }
    return made;
}

std::shared_ptr<const Variant> OlderSong::variant(const std::shared_ptr<const Variant>& from)
{
    auto& made = variants_[from];
    if (!made) {
        Variant copy = *from;
        giveParts(copy.clips);
        copy.recipe = recipe(copy.recipe);
        made = std::make_shared<const Variant>(std::move(copy));
        variants_[made] = made;
    }
    return made;
}

void OlderSong::complete(Song& song)
{
    completeSets(song);
    guessed_ = 0;
    std::map<SetId, Completed> next;
    for (MicSet& set : song.sets) {
        Tracks from;
        for (const TrackId id : set.tracks) {
            if (auto track = song.track(id)) {
                from.push_back(std::move(track));
            }
        }
        auto known = tracks_.find(set.id);
        // A version has from the one before what it does not say itself.
        Completed all =
            known != tracks_.end() && (known->second.from == from || known->second.made == from)
                ? std::move(known->second)
                : completed(from, &set);
        for (std::size_t t = 0; t < all.made.size(); ++t) {
            *std::ranges::find(song.tracks, from[t]) = all.made[t];
        }
        guessed_ += all.guessed;
        all.from = std::move(from);
        next[set.id] = std::move(all);
        set.recipe = recipe(set.recipe);
        for (auto& each : set.variants) {
            each = variant(each);
        }
    }
    tracks_ = std::move(next);
}

}  // namespace orthochron
