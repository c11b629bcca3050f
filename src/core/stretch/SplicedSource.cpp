#include "core/stretch/SplicedSource.h"

#include "core/joins/Crossfade.h"
#include "core/joins/Layers.h"

#include <algorithm>
#include <cmath>

namespace orthochron {

namespace {

constexpr double kLeastGain = 0.5;              // of one repeat
constexpr Seconds kLevel = milliseconds(25.0);  // a period and more of the lowest drum
constexpr std::size_t kMostLevels = 4096;

}  // namespace

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
    // From the first of a stretch on, which has its own level.
    double gain = 1.0;
    for (std::size_t i = 0; i < splices->size(); ++i) {
        const Splice& splice = (*splices)[i];
        const bool hasNext = i + 1 < splices->size();
        const Frames end = hasNext ? std::min(to, (*splices)[i + 1].begin()) : to;
        const Run run{splice.shift, gain};
        if (auto done = play(run, std::max(from, splice.from), end, from, into); !done) {
            return done;
        }
        if (hasNext) {
            const Splice& next = (*splices)[i + 1];
            auto level = gainAfter(splice, next, gain);
            if (!level) {
                return tl::unexpected(level.error());
            }
            if (auto done = goOver(run, next, *level, from, into); !done) {
                return done;
            }
            gain = *level;
        }
    }
    return {};
}

// What is repeated was louder when it was first heard; it goes on as loud as it had become.
Result<double> SplicedSource::gainAfter(const Splice& before, const Splice& next, double gain)
{
    if (!next.diesAway) {
        return 1.0;
    }
    if (const auto known = levels_.find(next.from); known != levels_.end()) {
        return gain * known->second;
    }
    AudioBuffer sound(channels(), toFrames(kLevel, rate()));
    const auto power = [&](Frames shift) -> Result<double> {
        if (auto read = take_->read(next.from - sound.frames() - shift, sound); !read) {
            return tl::unexpected(read.error());
        }
        double sum = 1e-14;
        for (int c = 0; c < channels(); ++c) {
            sum += meanPower(sound.channel(c));
        }
        return sum;
    };
    const auto out = power(before.shift);
    const auto in = power(next.shift);
    if (!out || !in) {
        return tl::unexpected(!out ? out.error() : in.error());
    }
    const double level = std::clamp(std::sqrt(*out / *in), kLeastGain, 1.0);
    if (levels_.size() >= kMostLevels) {
        levels_.clear();
    }
    levels_[next.from] = level;
    return gain * level;
}

Result<void>
SplicedSource::play(const Run& run, Frames begin, Frames end, Frames from, AudioBuffer& into)
{
    if (begin >= end) {
        return {};
    }
    AudioBuffer sound(channels(), end - begin);
    if (auto read = take_->read(begin - run.shift, sound); !read) {
        return read;
    }
    const auto at = static_cast<std::size_t>((begin - from).count());
    const auto gain = static_cast<float>(run.gain);
    for (int c = 0; c < channels(); ++c) {
        const auto target = into.channel(c).subspan(at, sound.channel(c).size());
        std::ranges::transform(sound.channel(c), target.begin(), [gain](float value) {
            return value * gain;
        });
    }
    return {};
}

// A run gives way to the next splice, where that is read.
Result<void> SplicedSource::goOver(
    const Run& out, const Splice& in, double inGain, Frames from, AudioBuffer& into
)
{
    const Frames to = from + into.frames();
    if (in.from <= from || in.begin() >= to || in.fade <= Frames(0)) {
        return {};
    }
    if (out.shift == in.shift && out.gain == inGain) {
        return play(out, std::max(from, in.begin()), std::min(to, in.from), from, into);
    }
    AudioBuffer leaving(channels(), in.fade);
    AudioBuffer coming(channels(), in.fade);
    if (auto read = take_->read(in.begin() - out.shift, leaving); !read) {
        return read;
    }
    if (auto read = take_->read(in.begin() - in.shift, coming); !read) {
        return read;
    }
    const std::int64_t first = std::max<std::int64_t>((from - in.begin()).count(), 0);
    const std::int64_t last = std::min((to - in.begin()).count(), in.fade.count());
    for (int c = 0; c < channels(); ++c) {
        const double alike =
            out.shift == in.shift ? 1.0 : correlationOf(leaving.channel(c), coming.channel(c));
        for (std::int64_t i = first; i < last; ++i) {
            const double place =
                (static_cast<double>(i) + 0.5) / static_cast<double>(in.fade.count());
            const FadeGains gains = fadeGains(FadeShape::Matched, alike, place);
            const auto k = static_cast<std::size_t>(i);
            into.channel(c)[static_cast<std::size_t>((in.begin() - from).count() + i)] =
                static_cast<float>(
                    static_cast<double>(leaving.channel(c)[k]) * out.gain * gains.out +
                    static_cast<double>(coming.channel(c)[k]) * inGain * gains.in
                );
        }
    }
    return {};
}

}  // namespace orthochron
