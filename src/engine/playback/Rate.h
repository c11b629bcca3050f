#pragma once

#include "core/time/Units.h"

#include <array>
#include <atomic>
#include <condition_variable>
#include <memory>
#include <mutex>
#include <span>
#include <thread>
#include <vector>

namespace orthochron::engine {

// How fast a song is played; nothing in it changes.
struct RateSettings {
    double speed = 1.0;      // kLeastRate to kMostRate
    bool keepsPitch = true;  // else the pitch follows, as a tape's does

    bool operator==(const RateSettings&) const = default;
    [[nodiscard]] bool isPlain() const { return speed == 1.0; }
};

constexpr double kLeastRate = 0.25;
constexpr double kMostRate = 4.0;

// Plays what is mixed faster or slower. The audio callback gives mixed sound and takes what became of
// it; a thread of its own stretches in between (Rubber Band's quick engine where the pitch is kept, soxr
// where it follows), for neither keeps what a callback must: no allocation, lock or wait.
//
// Threads: prepare(), set() from the control thread; give(), take(), restart() and what they ask from the
// callback, bounded and without allocation or lock.
class Rate {
public:
    static constexpr std::int64_t kCapacity = 1 << 15;  // frames in either ring

    Rate();
    Rate(const Rate&) = delete;
    Rate& operator=(const Rate&) = delete;
    ~Rate();

    // The rate of the device; before sound is given, or while none is.
    void prepare(Hertz rate);
    // Kept within its limits. Another speed is heard as soon as what is under way has been played, without
    // a click; whether the pitch is kept from the next restart on.
    void set(const RateSettings& settings);

    // How many frames of the mix it would be given now, so that `frames` can be taken soon.
    [[nodiscard]] std::int64_t wants(std::int64_t frames) const noexcept;
    // At most kCapacity less what is under way; wants() never asks for more.
    void give(std::span<const float> left, std::span<const float> right) noexcept;
    // How many of them there are; the rest is left silent. After a restart none until enough is there.
    [[nodiscard]] std::int64_t take(std::span<float> left, std::span<float> right) noexcept;
    // Whether it has begun to sound since it was restarted.
    [[nodiscard]] bool isSounding() const noexcept { return isSounding_; }
    // Frames of the mix that were given and are not yet heard.
    [[nodiscard]] std::int64_t underWay() const noexcept;
    // Lets go of everything under way.
    void restart() noexcept;

    // Waits until nothing is left to be done with what was given; for tests that pump by hand.
    void settle();

private:
    // Two channels, one writing and one reading thread.
    struct Pipe {
        std::array<std::vector<float>, 2> sound;
        std::atomic<std::int64_t> written{0};
        std::atomic<std::int64_t> read{0};

        Pipe();
        [[nodiscard]] std::int64_t filled() const noexcept;
        void put(std::span<const float> left, std::span<const float> right) noexcept;
        void get(std::span<float> left, std::span<float> right) noexcept;
    };
    class Stretcher;

    void work(const std::stop_token& stopped);
    [[nodiscard]] bool workOnce();

    Pipe mixed_;
    Pipe played_;
    std::unique_ptr<Stretcher> stretcher_;  // the worker's

    std::atomic<double> deviceRate_{48000.0};
    std::atomic<double> speed_{1.0};
    std::atomic<bool> keepsPitch_{true};
    std::atomic<std::int64_t> inside_{0};  // frames of the mix that the stretcher holds

    // A restart is asked for by number, and done when the worker says so.
    std::atomic<std::uint32_t> asked_{0};
    std::atomic<std::int64_t> askedAt_{0};  // of what is mixed, before which all is let go
    std::atomic<std::uint32_t> done_{0};
    std::atomic<std::int64_t> doneAt_{0};  // of what is played, likewise

    // Callback's own.
    bool isSounding_ = false;

    std::mutex mutex_;
    std::condition_variable wake_;
    std::condition_variable idle_;
    std::uint64_t idleRounds_ = 0;
    std::uint64_t roundsAsked_ = 0;  // up to which it goes on although it has nothing to do
    bool isSet_ = false;             // since it last looked
    std::jthread worker_;
};

}  // namespace orthochron::engine
