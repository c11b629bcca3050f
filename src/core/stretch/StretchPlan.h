#pragma once

#include "core/audio/Channel.h"
#include "core/audio/SampleSource.h"
#include "core/base/Work.h"
#include "core/stretch/SpliceSection.h"
#include "core/stretch/Treatment.h"

#include <memory>
#include <span>
#include <vector>

namespace orthochron {

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
};

// The plan of a treatment. `witnesses` are the channels that are listened to, in the time of the
// treated take, at its rate; at least one. They are not read before a source is. Errors: BadArgument for a pitch that is
// no number, is beyond two octaves, or is asked of tape.
[[nodiscard]] Result<std::shared_ptr<StretchPlan>>
planStretch(const Treatment& treatment, std::vector<Channel> witnesses, Hertz rate);

}  // namespace orthochron
