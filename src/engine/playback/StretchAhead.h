#pragma once

#include "core/render/Sources.h"
#include "engine/playback/Stream.h"

#include <condition_variable>
#include <functional>
#include <mutex>
#include <thread>

namespace orthochron::engine {

// Makes stretched sound ready before it is read: what takes long (a blend) is made from the playhead on, on a thread of
// its own, also while nothing plays, so that it sounds at once and the reader never waits for the next passage.
//
// Threads: public functions from any.
class StretchAhead {
public:
    // `position` is asked on the thread of this.
    explicit StretchAhead(std::function<Frames()> position);
    ~StretchAhead();
    StretchAhead(const StretchAhead&) = delete;
    StretchAhead& operator=(const StretchAhead&) = delete;

    // What is heard from now on; what was being made of another song is made to its end and no more.
    void look(
        std::shared_ptr<const Song> song,
        std::shared_ptr<const Sources> sources,
        std::optional<LoopRange> loop
    );
    // Leaves what it is at, for the position has leapt.
    void hurry();
    // Whether something just ahead of the playhead is not ready yet.
    [[nodiscard]] bool isBusy() const { return isBusy_.load(std::memory_order_relaxed); }
    // Waits until all that is ahead is ready; for tests.
    void settle();

private:
    struct Watched {
        std::shared_ptr<const Song> song;
        std::shared_ptr<const Sources> sources;
        std::optional<LoopRange> loop;
    };
    void run(const std::stop_token& stopped);
    void makeReady(const Watched& watched, Frames from, Frames to, const std::stop_token& stopped);

    std::function<Frames()> position_;
    mutable std::mutex mutex_;
    std::condition_variable_any wake_;
    std::condition_variable_any idle_;
    Watched watched_;
    std::stop_source given_;    // asked to stop when something else is looked at
    std::uint64_t rounds_ = 0;  // finished ones
    std::atomic<bool> isBusy_{false};
    std::jthread thread_;
};

}  // namespace orthochron::engine
