#pragma once

#include "core/audio/Channel.h"
#include "core/audio/SampleSource.h"
#include "core/base/Work.h"
#include "core/stretch/SpliceSection.h"
#include "core/stretch/Treatment.h"

#include <functional>
#include <map>
#include <memory>
#include <mutex>
#include <span>
#include <vector>

namespace orthochron {

// Which passages of a sound a quick engine stands in for while it is played, because they were not ready when playing
// came to them. Each is heard one way from its beginning to its end, by all microphones.
//
// Threads: any.
class StandIns {
public:
    // Whether it does for a passage; one it was not asked about goes by whether that is ready then.
    [[nodiscard]] bool isFor(std::int64_t passage, const std::function<bool()>& isReady);
    // Playing comes anew to all of them.
    void forget();

private:
    std::mutex mutex_;
    std::map<std::int64_t, bool> known_;
};

// What the microphones of a set share of a treatment: where it is spliced, where grains are cut. It
// finds out about a passage when that is first read, and the answer is one however it is read.
//
// Threads: any number of sources of one plan may be read at once, each by one thread.
class StretchPlan : public std::enable_shared_from_this<StretchPlan> {
public:
    StretchPlan() = default;
    StretchPlan(const StretchPlan&) = delete;
    StretchPlan& operator=(const StretchPlan&) = delete;
    virtual ~StretchPlan() = default;

    // A take in sound time, whose channels are these witnesses, by index; -1 for one that is none.
    // Its frames() is where the sound ends; before 0 there may be some too. Reading fails as the
    // take, or a witness, does.
    [[nodiscard]] virtual std::unique_ptr<SampleSource>
    sourceOf(std::unique_ptr<SampleSource> take, std::span<const int> heardAs) = 0;

    // Where the sound is spliced in [from, to) of sound time, ascending, beginning with what is heard
    // there; none of a material that is not made by splicing. Errors: the witnesses'.
    [[nodiscard]] virtual Result<std::vector<Splice>> splices(Frames from, Frames to);

    // Makes what takes long to make of [from, to) of sound time, nearest first and as far as is kept, so that a
    // source that reads it does not wait; nothing where reading is quick. Errors: the witnesses'; Cancelled.
    [[nodiscard]] virtual Result<void> makeReady(Frames from, Frames to, const Work& work);
    // Whether a source that reads there would have to wait.
    [[nodiscard]] virtual bool isReady(Frames at);

    // Whether a source may have to wait at all. Then a quick engine stands in while it is played: as sourceOf(), but
    // with what is not ready made quickly, passage by passage as `standIns` has it; the passages go over into each
    // other as ever.
    [[nodiscard]] virtual bool takesLong() const { return false; }
    [[nodiscard]] virtual std::unique_ptr<SampleSource> playedSourceOf(
        std::unique_ptr<SampleSource> take,
        std::span<const int> heardAs,
        std::shared_ptr<StandIns> standIns
    );
    // Makes ready what stands in, likewise, where it has to. Errors: as makeReady().
    [[nodiscard]] virtual Result<void> makeStandIn(Frames from, Frames to, const Work& work);
    // Whether it can be played from there without waiting, one way or the other.
    [[nodiscard]] virtual bool isReadyToPlay(Frames at) { return isReady(at); }
};

// The plan of a treatment. `witnesses` are the channels that are listened to, in the time of the
// treated take, at its rate; at least one. They are not read before a source is. Errors: BadArgument for a pitch that is
// no number, is beyond two octaves, or is asked of tape.
[[nodiscard]] Result<std::shared_ptr<StretchPlan>>
planStretch(const Treatment& treatment, std::vector<Channel> witnesses, Hertz rate);

}  // namespace orthochron
