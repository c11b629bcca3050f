#include "engine/playback/StretchAhead.h"

#include "core/render/Render.h"

#include <algorithm>
#include <chrono>

namespace orthochron::engine {

namespace {

constexpr Seconds kMadeAhead(8.0);
constexpr std::chrono::milliseconds kOften(100);

}  // namespace

StretchAhead::StretchAhead(std::function<Frames()> position)
    : position_(std::move(position)),
      thread_([this](const std::stop_token& stopped) { run(stopped); })
{}

StretchAhead::~StretchAhead()
{
    thread_.request_stop();
    const std::scoped_lock lock(mutex_);
    given_.request_stop();
}

void StretchAhead::look(
    std::shared_ptr<const Song> song,
    std::shared_ptr<const Sources> sources,
    std::optional<LoopRange> loop
)
{
    const std::scoped_lock lock(mutex_);
    watched_ = {std::move(song), std::move(sources), loop};
    given_.request_stop();
    given_ = {};
    wake_.notify_all();
}

void StretchAhead::hurry()
{
    const std::scoped_lock lock(mutex_);
    given_.request_stop();
    given_ = {};
    wake_.notify_all();
}

void StretchAhead::settle()
{
    std::unique_lock lock(mutex_);
    // The round under way may have begun before what is waited for.
    const std::uint64_t enough = rounds_ + 2;
    wake_.notify_all();
    idle_.wait(lock, [&] { return rounds_ >= enough; });
}

void StretchAhead::run(const std::stop_token& stopped)
{
    while (!stopped.stop_requested()) {
        Watched watched;
        std::stop_token given;
        {
            const std::scoped_lock lock(mutex_);
            watched = watched_;
            given = given_.get_token();
        }
        if (watched.song) {
            const Frames from = position_();
            const Frames to = from + toFrames(kMadeAhead, watched.song->rate);
            const auto& loop = watched.loop;
            if (loop && from < loop->to && to > loop->to) {
                makeReady(watched, from, loop->to, given);
                makeReady(
                    watched, loop->from, std::min(loop->from + (to - loop->to), loop->to), given
                );
            } else {
                makeReady(watched, from, to, given);
            }
            isBusy_.store(false, std::memory_order_relaxed);
        }
        std::unique_lock lock(mutex_);
        ++rounds_;
        idle_.notify_all();
        wake_.wait_for(lock, stopped, kOften, [&] { return given.stop_requested(); });
    }
}

void StretchAhead::makeReady(
    const Watched& watched, Frames from, Frames to, const std::stop_token& stopped
)
{
    // What is heard first first, of all tracks alike.
    std::vector<StretchedPart> parts;
    for (const auto& track : watched.song->tracks) {
        const auto some = stretchedParts(*track, from, to);
        parts.insert(parts.end(), some.begin(), some.end());
    }
    std::ranges::stable_sort(parts, {}, &StretchedPart::from);
    for (const StretchedPart& part : parts) {
        const Sound& sound = part.clip->sound;
        if (!watched.sources->isReady(sound, part.soundFrom)) {
            isBusy_.store(true, std::memory_order_relaxed);
        }
        // What cannot be made is said where it is read.
        (void)watched.sources->makeReady(sound, part.soundFrom, part.soundTo, {stopped, {}});
        if (stopped.stop_requested()) {
            return;
        }
    }
}

}  // namespace orthochron::engine
