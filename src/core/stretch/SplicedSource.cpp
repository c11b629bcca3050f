#include "core/stretch/SplicedSource.h"

#include "core/joins/Crossfade.h"
#include "core/joins/Layers.h"

#include <algorithm>
#include <cmath>

namespace orthochron {

namespace {

constexpr double kLeastDecibels = -6.0;           // of one repeat
constexpr double kLeastInTheEnd = -4.0;           // of one repeat: more would be heard as a hole
constexpr Seconds kLevel = milliseconds(25.0);    // a period and more of the lowest drum
constexpr Seconds kJustNow = milliseconds(12.5);  // half of one: its power repeats by then
constexpr Seconds kHop = milliseconds(5.0);
constexpr std::size_t kMostDecays = 1024;

}  // namespace

double SplicedSource::Decay::gainAt(Frames take) const
{
    const double place =
        static_cast<double>((take - first).count()) / static_cast<double>(hop.count());
    if (place >= static_cast<double>(decibels.size())) {
        return fromDecibels(end);
    }
    const auto before = static_cast<std::size_t>(std::max(place, 0.0));
    const double next = before + 1 < decibels.size() ? decibels[before + 1] : end;
    const double part = std::max(place, 0.0) - static_cast<double>(before);
    return fromDecibels(decibels[before] + part * (next - decibels[before]));
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
    // The first of a stretch has its own level.
    Run run;
    for (std::size_t i = 0; i < splices->size(); ++i) {
        const Splice& splice = (*splices)[i];
        const bool hasNext = i + 1 < splices->size();
        const Frames end = hasNext ? std::min(to, (*splices)[i + 1].begin()) : to;
        run.shift = splice.shift;
        if (auto done = play(run, std::max(from, splice.from), end, from, into); !done) {
            return done;
        }
        if (hasNext) {
            const Splice& next = (*splices)[i + 1];
            auto decay = decayOf(run, next);
            if (!decay) {
                return tl::unexpected(decay.error());
            }
            Run coming{next.shift, std::move(*decay)};
            if (auto done = goOver(run, coming, next, from, into); !done) {
                return done;
            }
            run = std::move(coming);
        }
    }
    return {};
}

// What is repeated was louder when it was first heard. It goes on as loud as it had become. In the end
// it has died away for so much longer than the take: a ring is quieter by as much as it falls in that
// time, what sounds on as before is as loud. From one to the other its gain goes as the sound dies away,
// by as much of the way, so that it never swells.
Result<std::shared_ptr<const SplicedSource::Decay>>
SplicedSource::decayOf(const Run& before, const Splice& next)
{
    if (!next.diesAwayUntil) {
        return nullptr;
    }
    if (const auto known = decays_.find(next.from); known != decays_.end()) {
        return known->second;
    }
    const Frames hop = toFrames(kHop, rate());
    // The level over the window up to each hop from a place on.
    const auto levels = [&](Frames take, std::size_t count, Seconds over
                        ) -> Result<std::vector<double>> {
        const Frames window = toFrames(over, rate());
        AudioBuffer sound(
            channels(), window + Frames(hop.count() * static_cast<std::int64_t>(count - 1))
        );
        if (auto read = take_->read(take - window, sound); !read) {
            return tl::unexpected(read.error());
        }
        std::vector<double> found;
        for (std::size_t k = 0; k < count; ++k) {
            double sum = 1e-14;
            for (int c = 0; c < channels(); ++c) {
                sum += meanPower(sound.channel(c).subspan(
                    k * static_cast<std::size_t>(hop.count()),
                    static_cast<std::size_t>(window.count())
                ));
            }
            found.push_back(10.0 * std::log10(sum));
        }
        return found;
    };
    Decay decay{next.from - next.shift, hop, {}};
    const Frames until = *next.diesAwayUntil;
    const Frames left = next.from - before.shift;
    const auto count = std::max<std::int64_t>((until - decay.first).count() / hop.count(), 1);
    const auto out = levels(left, 1, kLevel);
    const auto justOut = levels(left, 1, kJustNow);
    const auto in = levels(decay.first, 1, kLevel);
    const auto justIn = levels(decay.first, static_cast<std::size_t>(count), kJustNow);
    const auto earlier = levels(until - (next.shift - before.shift), 1, kLevel);
    const auto last = levels(until, 1, kLevel);
    for (const auto* read : {&out, &justOut, &in, &justIn, &earlier, &last}) {
        if (!*read) {
            return tl::unexpected(read->error());
        }
    }
    // What fell just before is softer already than it was on average.
    const double fallen = std::max(out->front() - in->front(), justOut->front() - justIn->front());
    const double down =
        toDecibels(before.gainAt(next.from)) + std::clamp(fallen, kLeastDecibels, 0.0);
    decay.end = std::max(
        down,
        (before.decay ? before.decay->end : 0.0) +
            std::clamp(last->front() - earlier->front(), kLeastInTheEnd, 0.0)
    );
    const double least = *std::ranges::min_element(*justIn);
    const double way = std::max(justIn->front() - least, decay.end - down);
    double lowest = justIn->front();
    for (const double level : *justIn) {
        lowest = std::min(lowest, level);
        const double part = way > 0.0 ? (justIn->front() - lowest) / way : 1.0;
        decay.decibels.push_back(down + part * (decay.end - down));
    }
    if (decays_.size() >= kMostDecays) {
        decays_.clear();
    }
    return decays_[next.from] = std::make_shared<const Decay>(std::move(decay));
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
    for (int c = 0; c < channels(); ++c) {
        const auto source = sound.channel(c);
        const auto target = into.channel(c).subspan(at, source.size());
        if (!run.decay) {
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
Result<void> SplicedSource::goOver(
    const Run& out, const Run& in, const Splice& splice, Frames from, AudioBuffer& into
)
{
    const Frames to = from + into.frames();
    if (splice.from <= from || splice.begin() >= to || splice.fade <= Frames(0)) {
        return {};
    }
    if (out.shift == in.shift && !out.decay && !in.decay) {
        return play(out, std::max(from, splice.begin()), std::min(to, splice.from), from, into);
    }
    AudioBuffer leaving(channels(), splice.fade);
    AudioBuffer coming(channels(), splice.fade);
    if (auto read = take_->read(splice.begin() - out.shift, leaving); !read) {
        return read;
    }
    if (auto read = take_->read(splice.begin() - in.shift, coming); !read) {
        return read;
    }
    const std::int64_t first = std::max<std::int64_t>((from - splice.begin()).count(), 0);
    const std::int64_t last = std::min((to - splice.begin()).count(), splice.fade.count());
    for (int c = 0; c < channels(); ++c) {
        const double alike =
            out.shift == in.shift ? 1.0 : correlationOf(leaving.channel(c), coming.channel(c));
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
