#pragma once

#include "core/song/Song.h"

#include <array>
#include <cstdint>
#include <map>
#include <memory>
#include <span>

namespace orthochron::engine {

constexpr std::size_t kMixSlots = 512;

// The level lines and hushes of a song, laid over what is played as late as that can be: in the audio
// callback, so that an edit of them is heard within a block.
class Shaping {
public:
    // `number` tells it from those before it.
    Shaping(
        std::shared_ptr<const Song> song,
        const std::map<TrackId, std::size_t>& slots,
        std::uint64_t number
    );

    [[nodiscard]] std::uint64_t number() const noexcept { return number_; }
    // Whether anything is laid over the track in a slot of the mix.
    [[nodiscard]] bool has(std::size_t slot) const noexcept { return tracks_[slot] != nullptr; }
    [[nodiscard]] bool hasSong() const noexcept { return !song_->level.isEmpty(); }
    // Callback: the gains of a slot, or of the whole song, from a song time on. Neither locks nor allocates.
    void gains(std::size_t slot, Frames from, std::span<float> into) const noexcept;
    void songGains(Frames from, std::span<float> into) const noexcept;

private:
    std::shared_ptr<const Song> song_;
    std::array<const Track*, kMixSlots> tracks_{};  // those that have a line or hushes
    std::uint64_t number_;
};

// Gains as they are laid over sound, piece by piece. Where they leap, since they were edited or since the song
// goes on elsewhere, they get there within some frames.
class SmoothGains {
public:
    // Callback: `gains` are those of the next frames.
    void follow(std::span<float> gains, bool mayLeap, std::int64_t within) noexcept;
    // Callback: the next frames are as loud as they are.
    void rest() noexcept { isNew_ = false; }
    [[nodiscard]] bool isOne() const noexcept { return last_ == 1.0F && left_ == 0; }
    [[nodiscard]] float last() const noexcept { return last_; }

private:
    float last_ = 1.0F;
    float away_ = 0.0F;  // of the last leap
    std::int64_t left_ = 0;
    bool isNew_ = true;
};

}  // namespace orthochron::engine
