#include "engine/playback/Trial.h"

#include <algorithm>
#include <cstdlib>

namespace orthochron::engine {

void Trial::put(int semitones, std::shared_ptr<const AudioBuffer> sound)
{
    if (std::abs(semitones) > kMostSemitones || !sound || sound->channels() != 2) {
        return;
    }
    const std::scoped_lock lock(mutex_);
    kept_.push_back(sound);
    sounds_[static_cast<std::size_t>(semitones + kMostSemitones)].store(
        sound.get(), std::memory_order_release
    );
}

const AudioBuffer* Trial::soundOf(int semitones) const noexcept
{
    return std::abs(semitones) <= kMostSemitones
               ? sounds_[static_cast<std::size_t>(semitones + kMostSemitones)].load(
                     std::memory_order_acquire
                 )
               : nullptr;
}

void TrialVoice::turnTo(const AudioBuffer* sound, std::int64_t place) noexcept
{
    before_ = now_;
    now_ = {sound, place};
    faded_ = 0;
}

void TrialVoice::add(
    Playing& playing, std::size_t i, float gain, std::span<float> left, std::span<float> right
) noexcept
{
    if (playing.sound == nullptr) {
        return;
    }
    const std::int64_t length = playing.sound->frames().count();
    const auto place = static_cast<std::size_t>(playing.place % length);
    left[i] += gain * playing.sound->channel(0)[place];
    right[i] += gain * playing.sound->channel(1)[place];
    ++playing.place;
}

void TrialVoice::addTo(std::span<float> left, std::span<float> right) noexcept
{
    for (std::size_t i = 0; i < left.size(); ++i) {
        faded_ = std::min(faded_ + 1, kFade);
        const float part = static_cast<float>(faded_) / static_cast<float>(kFade);
        add(now_, i, part, left, right);
        if (faded_ < kFade) {
            add(before_, i, 1.0F - part, left, right);
        } else {
            before_ = {};
        }
    }
}

}  // namespace orthochron::engine
