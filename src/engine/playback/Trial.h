#pragma once

#include "core/audio/AudioBuffer.h"
#include "core/base/Id.h"

#include <array>
#include <atomic>
#include <memory>
#include <mutex>
#include <optional>
#include <span>
#include <vector>

namespace orthochron::engine {

// A passage of some tracks at other pitches, played by keys while the song goes on; what these tracks play
// otherwise is silent meanwhile.
//
// Threads: made by the control thread; put() from any one thread at a time, also while it plays; the rest
// from the audio callback.
class Trial {
public:
    static constexpr int kMostSemitones = 12;

    // `at` is where the passage begins in the song.
    Trial(std::vector<TrackId> tracks, Frames at, Frames length)
        : tracks_(std::move(tracks)), at_(at), length_(length)
    {}

    // How it sounds so many semitones up or down: two channels, as long as the passage.
    void put(int semitones, std::shared_ptr<const AudioBuffer> sound);
    [[nodiscard]] bool has(int semitones) const noexcept { return soundOf(semitones) != nullptr; }
    [[nodiscard]] const std::vector<TrackId>& tracks() const { return tracks_; }
    [[nodiscard]] Frames at() const noexcept { return at_; }
    [[nodiscard]] Frames length() const noexcept { return length_; }

    // Null while it is being made.
    [[nodiscard]] const AudioBuffer* soundOf(int semitones) const noexcept;

private:
    static constexpr std::size_t kPitches = 2 * kMostSemitones + 1;

    std::vector<TrackId> tracks_;
    Frames at_;
    Frames length_;
    std::mutex mutex_;
    std::vector<std::shared_ptr<const AudioBuffer>> kept_;
    std::array<std::atomic<const AudioBuffer*>, kPitches> sounds_{};
};

// What a key of a trial plays: one pitch, faded into the next.
//
// Threads: the audio callback alone.
class TrialVoice {
public:
    // From here on another pitch, or none, at a frame of the passage.
    void turnTo(const AudioBuffer* sound, std::int64_t place) noexcept;
    // Adds what sounds, going round in the passage.
    void addTo(std::span<float> left, std::span<float> right) noexcept;
    void silence() noexcept { now_ = before_ = {}; }
    [[nodiscard]] bool isSilent() const noexcept
    {
        return now_.sound == nullptr && before_.sound == nullptr;
    }

private:
    static constexpr std::int64_t kFade = 144;  // frames

    struct Playing {
        const AudioBuffer* sound = nullptr;
        std::int64_t place = 0;
    };
    static void
    add(Playing& playing, std::size_t i, float gain, std::span<float> left, std::span<float> right
    ) noexcept;

    Playing now_;
    Playing before_;
    std::int64_t faded_ = kFade;
};

}  // namespace orthochron::engine
