#include "engine/playback/StretchAhead.h"

#include <sys/resource.h>

#include "core/render/Render.h"

#include <algorithm>
#include <chrono>

namespace orthochron::engine {

namespace {

constexpr Seconds kMadeAhead(8.0);
constexpr std::chrono::milliseconds kOften(100);
constexpr int kPatient = 10;                        // of 0 to 19
constexpr Seconds kStandsIn = milliseconds(500.0);  // to begin with
constexpr Seconds kStandsInPlaying(2.0);
// While something stands in that passage is lost, and what is made is for after it.
constexpr Seconds kPassage(4.0);

}  // namespace

StretchAhead::StretchAhead(std::function<Playhead()> playhead)
    : playhead_(std::move(playhead)),
      standIns_([this](const std::stop_token& stopped) {
          run(stopped, &StretchAhead::makeStandIns, standInRounds_);
      }),
      fine_([this](const std::stop_token& stopped) {
          // Of this thread alone: what stands in, and what is played, come first.
          (void)::setpriority(PRIO_PROCESS, 0, kPatient);
          run(stopped, &StretchAhead::makeFine, fineRounds_);
      })
{}

StretchAhead::~StretchAhead()
{
    standIns_.request_stop();
    fine_.request_stop();
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
    // The rounds under way may have begun before what is waited for.
    const auto enough = std::pair(standInRounds_ + 2, fineRounds_ + 2);
    wake_.notify_all();
    idle_.wait(lock, [&] {
        return standInRounds_ >= enough.first && fineRounds_ >= enough.second;
    });
}

void StretchAhead::run(const std::stop_token& stopped, Make make, std::uint64_t& rounds)
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
            (this->*make)(watched, playhead_(), given);
        }
        std::unique_lock lock(mutex_);
        ++rounds;
        idle_.notify_all();
        wake_.wait_for(lock, stopped, kOften, [&] { return given.stop_requested(); });
    }
}

void StretchAhead::makeFine(
    const Watched& watched, Playhead playhead, const std::stop_token& stopped
)
{
    const Frames from = playhead.at;
    const Frames to = from + toFrames(kMadeAhead, watched.song->rate);
    const auto& loop = watched.loop;
    if (loop && from < loop->to && to > loop->to) {
        makeReady(watched, playhead, loop->to, stopped);
        const Frames again = std::min(loop->from + (to - loop->to), loop->to);
        makeReady(watched, {loop->from, false}, again, stopped);
    } else {
        makeReady(watched, playhead, to, stopped);
    }
    isBusy_.store(false, std::memory_order_relaxed);
}

void StretchAhead::makeStandIns(
    const Watched& watched, Playhead playhead, const std::stop_token& stopped
)
{
    const Frames to =
        playhead.at +
        toFrames(playhead.isPlaying ? kStandsInPlaying : kStandsIn, watched.song->rate);
    for (const auto& track : watched.song->tracks) {
        for (const StretchedPart& part : stretchedParts(*track, playhead.at, to)) {
            // What cannot be made is said where it is read.
            (void)watched.sources->makeStandIn(
                part.clip->sound, part.soundFrom, part.soundTo, {stopped, {}}
            );
        }
    }
}

void StretchAhead::makeReady(
    const Watched& watched, Playhead playhead, Frames to, const std::stop_token& stopped
)
{
    // What is heard first first, of all tracks alike.
    std::vector<StretchedPart> parts;
    for (const auto& track : watched.song->tracks) {
        const auto some = stretchedParts(*track, playhead.at, to);
        parts.insert(parts.end(), some.begin(), some.end());
    }
    std::ranges::stable_sort(parts, {}, &StretchedPart::from);
    const auto isReady = [&](const StretchedPart& part) {
        return watched.sources->isReady(part.clip->sound, part.soundFrom);
    };
    const auto make = [&](const StretchedPart& part, Frames from, Frames until) {
        (void)watched.sources->makeReady(part.clip->sound, from, until, {stopped, {}});
    };
    const Frames passage = toFrames(kPassage, watched.song->rate);
    bool isStoodIn = false;
    for (const StretchedPart& part : parts) {
        const bool isMissing = !isReady(part);
        if (isMissing) {
            isBusy_.store(true, std::memory_order_relaxed);
        }
        isStoodIn = isStoodIn || (playhead.isPlaying && part.from == playhead.at && isMissing);
        if (!isStoodIn) {
            make(part, part.soundFrom, part.soundTo);
        } else {
            // One passage at a time, so that a core is left for what stands in.
            const bool isLost = part.from == playhead.at;
            for (Frames at = part.soundFrom + (isLost ? passage : Frames(0));
                 at < part.soundTo && !stopped.stop_requested();
                 at += passage) {
                make(part, at, at + Frames(1));
            }
        }
        if (stopped.stop_requested()) {
            return;
        }
    }
}

}  // namespace orthochron::engine
