#pragma once

#include "core/song/Song.h"

#include <map>
#include <memory>
#include <vector>

namespace orthochron {

// Says what the formats before the fourth left out: which take a track's marks are of, what belongs
// together on the microphones of a set, and that a track by itself is a set of one.
class OlderSong {
public:
    // Completes a version; to be given all of a song, the oldest first. What versions share they
    // share afterwards too.
    void complete(Song& song);
    // Clips of the version last completed of which it had to be guessed what they belong to.
    [[nodiscard]] int guessed() const { return guessed_; }

private:
    using Tracks = std::vector<std::shared_ptr<const Track>>;
    struct Completed {
        Tracks from;
        Tracks made;
        int guessed = 0;
    };

    [[nodiscard]] Completed completed(const Tracks& tracks, const MicSet* set) const;
    [[nodiscard]] std::shared_ptr<const FitRecipe>
    recipe(const std::shared_ptr<const FitRecipe>& from);
    [[nodiscard]] std::shared_ptr<const Variant> variant(const std::shared_ptr<const Variant>& from
    );

    std::map<SetId, Completed> tracks_;  // of the version before
    // The old ones are kept, so that no other can take their place.
    std::map<std::shared_ptr<const FitRecipe>, std::shared_ptr<const FitRecipe>> recipes_;
    std::map<std::shared_ptr<const Variant>, std::shared_ptr<const Variant>> variants_;
    int guessed_ = 0;
};

}  // namespace orthochron
