#pragma once

#include <nlohmann/json_fwd.hpp>

#include "core/files/SongFile.h"

#include <map>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace orthochron {

// Writes a song with its history as text (docs/file-format.md), and remembers what it wrote: the
// same song changed a little can then be written as a line that goes on where the text ended.
class SongWriter {
public:
    [[nodiscard]] std::string whole(const SongDocument& document);

    // What came since the last text, as one line to be appended to it, its end included. None when
    // nothing was written yet or the history is another: then it has to be written whole.
    [[nodiscard]] std::optional<std::string> more(const SongDocument& document);

private:
    // A list of the file that grows: what of it is not in any text yet.
    struct Pool {
        std::string fresh;
        std::size_t count = 0;

        std::size_t add(std::string_view json);
    };
    struct TrackPlaces {
        std::size_t track = 0;
        std::size_t clips = 0;
        std::size_t marks = 0;
    };
    using Places = std::map<TrackId, TrackPlaces>;
    // What a version may be told from: the one before it.
    struct Before {
        std::shared_ptr<const Song> song;
        Places places;
    };
    // Clip lists of the version being written, by length: microphones of a set are cut alike.
    using Sisters = std::map<std::size_t, std::pair<const std::vector<Clip>*, std::size_t>>;

    void addVersion(const History::Version& version, Before& before);
    Places placeTracks(const Song& song, const Before& before, Sisters& sisters);
    std::size_t placeTake(const Take& take);
    void placeTreatments(const std::vector<Clip>& clips);
    std::size_t placeClips(
        const std::vector<Clip>& clips,
        const std::vector<Clip>* like,
        std::size_t likePlace,
        Sisters& sisters
    );
    std::size_t placeMarks(
        const std::vector<Mark>& marks, const std::vector<Mark>* like, std::size_t likePlace
    );
    std::size_t placeRecipe(const std::shared_ptr<const FitRecipe>& recipe, Sisters& sisters);
    std::size_t placeVariant(
        const std::shared_ptr<const Variant>& variant,
        const MicSet& set,
        const Song& song,
        const Places& places,
        Sisters& sisters
    );
    std::size_t placeKept(const std::shared_ptr<const Track>& track, Sisters& sisters);
    nlohmann::json printJson(const PrintedSet& print, const Song& song, Sisters& sisters);
    nlohmann::json fieldsOf(const Song& song, const Places& places, Sisters& sisters);
    std::string takeFresh(std::string text);

    Pool takes_, treatments_, clips_, marks_, tracks_, recipes_, variants_, versions_;
    std::map<TakeId, std::pair<std::size_t, Take>> takePlaces_;  // as written last
    // Shared values are kept alive, so that no other takes the address of one.
    std::map<std::shared_ptr<const Treatment>, std::size_t> treatmentPlaces_;
    std::map<std::shared_ptr<const FitRecipe>, std::size_t> recipePlaces_;
    std::map<std::shared_ptr<const Variant>, std::size_t> variantPlaces_;
    std::map<std::shared_ptr<const Track>, std::size_t> keptPlaces_;  // beside prints
    std::shared_ptr<const void> line_;                                // of the history in the text
    std::vector<std::uint64_t> serials_;        // of the versions in the text, oldest first
    std::map<std::uint64_t, Places> placesOf_;  // by serial
};

}  // namespace orthochron
