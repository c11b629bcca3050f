#pragma once

#include "core/render/Sources.h"
#include "engine/playback/Stream.h"

#include <condition_variable>
#include <functional>
#include <mutex>
#include <thread>

namespace orthochron::engine {

// Makes stretched sound ready before it is read: what takes long (a blend) is made from the playhead on, also while
// nothing plays; on one thread what stands in for it, so that it sounds at once, on another the fine sound.
//
// Threads: public functions from any.
class StretchAhead {
public:
    struct Playhead {
        Frames at;
        bool isPlaying = false;
    };
    // `playhead` is asked on the thread of this.
    explicit StretchAhead(std::function<Playhead()> playhead);
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
    // Makes, round after round, what is to be heard next.
    using Make = void (StretchAhead::*)(const Watched&, Playhead, const std::stop_token&);
    void run(const std::stop_token& stopped, Make make, std::uint64_t& rounds);
    void makeStandIns(const Watched& watched, Playhead playhead, const std::stop_token& stopped);
    void makeFine(const Watched& watched, Playhead playhead, const std::stop_token& stopped);
    void
    makeReady(const Watched& watched, Playhead playhead, Frames to, const std::stop_token& stopped);

    std::function<Playhead()> playhead_;
    mutable std::mutex mutex_;
    std::condition_variable_any wake_;
    std::condition_variable_any idle_;
    Watched watched_;
    std::stop_source given_;           // asked to stop when something else is looked at
    std::uint64_t standInRounds_ = 0;  // finished ones
    std::uint64_t fineRounds_ = 0;
    std::atomic<bool> isBusy_{false};
    std::jthread standIns_;
    std::jthread fine_;
};

}  // namespace orthochron::engine
