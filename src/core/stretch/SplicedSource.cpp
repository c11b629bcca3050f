#include "core/stretch/SplicedSource.h"

#include "core/joins/Crossfade.h"
#include "core/joins/Layers.h"

#include <algorithm>
#include <cmath>

namespace orthochron {

namespace {

// A lead-in comes up in its last moment: before that nothing of the attack is in it.
constexpr Seconds kComesUp = milliseconds(1.0);
constexpr std::size_t kMostRings = 1024;

}  // namespace

double SplicedSource::Run::gainAt(Frames sound) const
{
    if (ring) {
        return ring->gainAt(sound - splice.shift, splice.shift - splice.rings->shift);
    }
    if (leadInGain == 1.0 || sound >= risesTo) {
        return 1.0;
    }
    const double left = static_cast<double>((risesTo - sound).count()) /
                        static_cast<double>((risesTo - risesFrom).count());
    return std::lerp(1.0, leadInGain, std::min(left, 1.0));
}

SplicedSource::SplicedSource(
    std::shared_ptr<SplicePlan> plan, std::unique_ptr<SampleSource> take, Frames frames
)
    : plan_(std::move(plan)), take_(std::move(take)), frames_(frames)
{}

Result<void> SplicedSource::read(Frames from, AudioBuffer& into)
{
    into.clear();
    const Frames to = from + into.frames();
    const auto splices = plan_->splices(from, to);
    if (!splices) {
        return tl::unexpected(splices.error());
    }
    Run run;
    for (std::size_t i = 0; i < splices->size(); ++i) {
        auto next = runOf(run, (*splices)[i]);
        if (!next) {
            return tl::unexpected(next.error());
        }
        if (i > 0) {
            if (auto done = goOver(run, *next, from, into); !done) {
                return done;
            }
        }
        run = std::move(*next);
        const Frames end = i + 1 < splices->size() ? std::min(to, (*splices)[i + 1].begin()) : to;
        if (auto done = play(run, std::max(from, run.splice.from), end, from, into); !done) {
            return done;
        }
    }
    return {};
}

Result<SplicedSource::Run> SplicedSource::runOf(const Run& before, const Splice& splice)
{
    Run run{splice};
    if (splice.rings) {
        auto ring = ringOf(*splice.rings);
        if (!ring) {
            return tl::unexpected(ring.error());
        }
        run.ring = std::move(*ring);
    } else if (before.ring) {
        run.leadInGain = before.gainAt(splice.begin());
        run.risesTo = std::min(before.ring->nextHeard() + splice.shift, splice.from);
        run.risesFrom = run.risesTo - std::max(toFrames(kComesUp, rate()), Frames(1));
    }
    return run;
}

Result<std::shared_ptr<const Ringing>> SplicedSource::ringOf(const Struck& stroke)
{
    if (const auto known = rings_.find(stroke.at); known != rings_.end()) {
        return known->second;
    }
    auto ring = Ringing::of(*take_, stroke);
    if (!ring) {
        return ring;
    }
    if (rings_.size() >= kMostRings) {
        rings_.clear();
    }
    return rings_[stroke.at] = std::move(*ring);
}

Result<void>
SplicedSource::play(const Run& run, Frames begin, Frames end, Frames from, AudioBuffer& into)
{
    if (begin >= end) {
        return {};
    }
    AudioBuffer sound(channels(), end - begin);
    if (auto read = take_->read(begin - run.splice.shift, sound); !read) {
        return read;
    }
    const auto at = static_cast<std::size_t>((begin - from).count());
    for (int c = 0; c < channels(); ++c) {
        const auto source = sound.channel(c);
        const auto target = into.channel(c).subspan(at, source.size());
        if (run.isAsTaken()) {
            std::ranges::copy(source, target.begin());
            continue;
        }
        for (std::size_t i = 0; i < source.size(); ++i) {
            const double gain = run.gainAt(begin + Frames(static_cast<std::int64_t>(i)));
            target[i] = static_cast<float>(static_cast<double>(source[i]) * gain);
        }
    }
    return {};
}

// A run gives way to the next splice, where that is read.
Result<void> SplicedSource::goOver(const Run& out, const Run& in, Frames from, AudioBuffer& into)
{
    const Splice& splice = in.splice;
    const Frames to = from + into.frames();
    if (splice.from <= from || splice.begin() >= to || splice.fade <= Frames(0)) {
        return {};
    }
    if (out.splice.shift == splice.shift) {
        return play(in, std::max(from, splice.begin()), std::min(to, splice.from), from, into);
    }
    AudioBuffer leaving(channels(), splice.fade);
    AudioBuffer coming(channels(), splice.fade);
    if (auto read = take_->read(splice.begin() - out.splice.shift, leaving); !read) {
        return read;
    }
    if (auto read = take_->read(splice.begin() - splice.shift, coming); !read) {
        return read;
    }
    const std::int64_t first = std::max<std::int64_t>((from - splice.begin()).count(), 0);
    const std::int64_t last = std::min((to - splice.begin()).count(), splice.fade.count());
    for (int c = 0; c < channels(); ++c) {
        const double alike = correlationOf(leaving.channel(c), coming.channel(c));
        for (std::int64_t i = first; i < last; ++i) {
            const double place =
                (static_cast<double>(i) + 0.5) / static_cast<double>(splice.fade.count());
            const FadeGains gains = fadeGains(FadeShape::Matched, alike, place);
            const auto k = static_cast<std::size_t>(i);
            const Frames now = splice.begin() + Frames(i);
            into.channel(c)[static_cast<std::size_t>((now - from).count())] = static_cast<float>(
                static_cast<double>(leaving.channel(c)[k]) * out.gainAt(now) * gains.out +
                static_cast<double>(coming.channel(c)[k]) * in.gainAt(now) * gains.in
            );
        }
    }
    return {};
}

}  // namespace orthochron
