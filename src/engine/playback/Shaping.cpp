#include "engine/playback/Shaping.h"

#include <algorithm>

namespace orthochron::engine {

Shaping::Shaping(
    std::shared_ptr<const Song> song,
    const std::map<TrackId, std::size_t>& slots,
    std::uint64_t number
)
    : song_(std::move(song)), number_(number)
{
    for (const auto& track : song_->tracks) {
        if (!track->level.isEmpty() || !track->hushes.empty()) {
            tracks_[slots.at(track->id)] = track.get();
        }
    }
}

void Shaping::gains(std::size_t slot, Frames from, std::span<float> into) const noexcept
{
    const Track& track = *tracks_[slot];
    HeardLine(track.level, song_->tempo, song_->rate).gains(from, into);
    applyHushes(track.hushes, song_->tempo, song_->rate, from, into);
}

void Shaping::songGains(Frames from, std::span<float> into) const noexcept
{
    HeardLine(song_->level, song_->tempo, song_->rate).gains(from, into);
}

void SmoothGains::follow(std::span<float> gains, bool mayLeap, std::int64_t within) noexcept
{
    if (mayLeap && !isNew_ && gains.front() != last_) {
        away_ = last_ - gains.front();
        left_ = within;
    }
    isNew_ = false;
    for (std::size_t i = 0; i < gains.size() && left_ > 0; ++i, --left_) {
        gains[i] += away_ * static_cast<float>(left_) / static_cast<float>(within);
    }
    last_ = gains.back();
}

}  // namespace orthochron::engine
