#include "core/audio/ScalarProduct.h"
#include "core/joins/Layers.h"
#include "core/stretch/SpliceSection.h"

#include <algorithm>
#include <cmath>
#include <numeric>

namespace orthochron {

namespace {

constexpr double kCoarseRate = 8000.0;            // lags are looked for at about this rate first
constexpr Seconds kLeast = milliseconds(2.5);     // time runs on by so much before anything is done
constexpr Seconds kShortest = milliseconds(2.5);  // the least left out or repeated: 400 Hz
constexpr Seconds kLongest = milliseconds(30.0);  // a period of 33 Hz
constexpr Seconds kStep = milliseconds(2.5);
constexpr Seconds kWindow = milliseconds(12.0);  // what is held against each other
constexpr Seconds kPlaces = milliseconds(5.0);   // from a step on
constexpr Seconds kTail = milliseconds(60.0);    // in which what is left over is done
constexpr Seconds kLeastFade = milliseconds(4.0);
constexpr Seconds kFade = milliseconds(12.0);  // where there is room
constexpr Seconds kMostFade = milliseconds(20.0);
constexpr Seconds kHop = milliseconds(1.0);
// How unlike the sides may be after kLeast, 0..1 of their power, and how soon that is e times more.
constexpr double kUnlike = 0.01;
constexpr Seconds kPatience = milliseconds(4.0);
constexpr double kQuiet = 0.01;  // of the mean power: what is softer may be spliced anywhere
constexpr double kAttackCost = 0.5;
constexpr double kUneven = 0.01;  // of lags, the one that comes nearest to the course of time

struct Sampled {
    std::vector<float> sound;
    std::vector<double> power;  // running sum of squares

    void sum()
    {
        power.assign(sound.size() + 1, 0.0);
        for (std::size_t i = 0; i < sound.size(); ++i) {
            power[i + 1] = power[i] + static_cast<double>(sound[i]) * static_cast<double>(sound[i]);
        }
    }
    [[nodiscard]] double powerOver(std::size_t from, std::size_t length) const
    {
        return power[from + length] - power[from];
    }
};

// One witness, whole and at the coarse rate.
struct Heard {
    Sampled fine;
    Sampled coarse;
    double loud = 1e-10;
};

class Walk {
public:
    explicit Walk(const SpliceSection& section)
        : section_(section),
          from_(section.from.count()),
          to_(section.to.count()),
          every_(std::max<std::int64_t>(std::llround(section.rate.count() / kCoarseRate), 1)),
          hop_(static_cast<std::size_t>(std::max<std::int64_t>(frames(kHop), 1)))
    {}

    Result<std::vector<Splice>> splices(Splice first)
    {
        std::vector<Splice> made{first};
        if (section_.shiftFrom == section_.shiftTo) {
            return made;
        }
        if (auto loaded = load(); !loaded) {
            return tl::unexpected(loaded.error());
        }
        std::int64_t free = from_ + std::min(section_.rigid.count(), (to_ - from_) / 4);
        std::int64_t at = free;
        while (at + frames(kTail) < to_) {
            const std::int64_t wanted = wantedAt(at, made.back().shift);
            if (std::abs(wanted) < frames(kLeast)) {
                at += frames(kStep);
                continue;
            }
            const Jump jump = best(std::max(at, free + frames(kLeastFade)), wanted);
            const double allowed =
                kUnlike * std::exp(
                              static_cast<double>(std::abs(wanted) - frames(kLeast)) /
                              static_cast<double>(frames(kPatience))
                          );
            if (jump.by == 0 || jump.unlike > allowed) {
                at += frames(kStep);
                continue;
            }
            splice(made, jump, free);
            at = free;
        }
        finish(made, free);
        return made;
    }

private:
    // The take is left at `at` and goes on `by` later, or earlier where that is below 0.
    struct Jump {
        std::int64_t at = 0;
        std::int64_t by = 0;
        double unlike = 2.0;
    };

    [[nodiscard]] std::int64_t frames(Seconds time) const
    {
        return toFrames(time, section_.rate).count();
    }

    Result<void> load()
    {
        pad_ = frames(kLongest) + frames(kMostFade) + frames(kPlaces) + frames(kWindow) +
               static_cast<std::int64_t>(hop_) * (kQuietHops + 1);
        first_ = from_ - pad_;
        for (const Channel& witness : section_.witnesses) {
            Heard heard;
            heard.fine.sound.resize(static_cast<std::size_t>(to_ - from_ + 2 * pad_));
            if (auto read = witness.read(Frames(first_), heard.fine.sound); !read) {
                return read;
            }
            heard.loud = std::max(meanPower(heard.fine.sound), 1e-10);
            addAttacks(attacks_, heard.fine.sound, hop_, meanChange(heard.fine.sound) * 8.0);
            const auto step = static_cast<std::size_t>(every_);
            heard.coarse.sound.resize(heard.fine.sound.size() / step);
            for (std::size_t n = 0; n < heard.coarse.sound.size(); ++n) {
                const auto run = std::span(heard.fine.sound).subspan(n * step, step);
                heard.coarse.sound[n] =
                    std::accumulate(run.begin(), run.end(), 0.0F) / static_cast<float>(every_);
            }
            heard.fine.sum();
            heard.coarse.sum();
            heard_.push_back(std::move(heard));
        }
        std::partial_sum(attacks_.begin(), attacks_.end(), attacks_.begin());
        return {};
    }

    // How much later the sound should be than it is: to be repeated, or left out where below 0.
    [[nodiscard]] std::int64_t wantedAt(std::int64_t at, Frames shift) const
    {
        const double part = static_cast<double>(at - from_) / static_cast<double>(to_ - from_);
        const auto all = static_cast<double>((section_.shiftTo - section_.shiftFrom).count());
        return section_.shiftFrom.count() + std::llround(part * all) - shift.count();
    }

    [[nodiscard]] double attacksWithin(std::int64_t from, std::int64_t to) const
    {
        const auto sumUpTo = [&](std::int64_t frame) {
            const auto last = static_cast<std::int64_t>(attacks_.size()) - 1;
            const auto hop = (frame - first_) / static_cast<std::int64_t>(hop_);
            return attacks_[static_cast<std::size_t>(std::clamp<std::int64_t>(hop, 0, last))];
        };
        return attacks_.empty() ? 0.0 : sumUpTo(to) - sumUpTo(from);
    }

    // How unlike the sides are of jumps of one length from some places on, one after the other in
    // `rate`: 0 the same, 1 nothing in common.
    void unlikeOver(
        std::vector<double>& unlike,
        Sampled Heard::*rate,
        std::int64_t begin,
        std::int64_t by,
        std::int64_t window,
        std::size_t places
    ) const
    {
        unlike.assign(places, 0.0);
        const auto length = static_cast<std::size_t>(window);
        for (const Heard& heard : heard_) {
            const Sampled& sampled = heard.*rate;
            const auto size = static_cast<std::int64_t>(sampled.sound.size());
            const auto count = window + static_cast<std::int64_t>(places) - 1;
            if (begin < 0 || begin + by < 0 || begin + count > size || begin + by + count > size) {
                unlike.assign(places, 2.0);
                return;
            }
            const auto sound = std::span(sampled.sound);
            const double quiet = kQuiet * heard.loud * static_cast<double>(window);
            const auto from = static_cast<std::size_t>(begin);
            const auto to = static_cast<std::size_t>(begin + by);
            auto same = static_cast<double>(
                scalarProduct(sound.subspan(from, length), sound.subspan(to, length))
            );
            for (std::size_t k = 0; k < places; ++k) {
                const double power =
                    sampled.powerOver(from + k, length) + sampled.powerOver(to + k, length);
                unlike[k] += std::max(power - 2.0 * same, 0.0) / (power + quiet) /
                             static_cast<double>(heard_.size());
                // On to the next place.
                if (k + 1 < places) {
                    same += static_cast<double>(
                        sound[from + k + length] * sound[to + k + length] -
                        sound[from + k] * sound[to + k]
                    );
                }
            }
        }
    }

    // The likest sides from `at` on, of what brings the sound nearer to where it should be.
    [[nodiscard]] Jump best(std::int64_t at, std::int64_t wanted) const
    {
        const std::int64_t most = std::min(2 * std::abs(wanted), frames(kLongest)) / every_;
        const std::int64_t window = frames(kWindow) / every_;
        const std::int64_t begin = (at - first_) / every_ - window;
        const auto places = static_cast<std::size_t>(frames(kPlaces) / every_);
        Jump jump;
        double least = 2.0;
        std::vector<double> unlike;
        for (std::int64_t lag = std::max<std::int64_t>(frames(kShortest) / every_, 1); lag <= most;
             ++lag) {
            const std::int64_t by = wanted > 0 ? -lag : lag;
            unlikeOver(unlike, &Heard::coarse, begin, by, window, places);
            const double uneven =
                kUneven *
                std::abs(
                    static_cast<double>(lag * every_) / static_cast<double>(std::abs(wanted)) - 1.0
                );
            for (std::size_t k = 0; k < places; ++k) {
                if (unlike[k] + uneven < least) {
                    least = unlike[k] + uneven;
                    jump = {
                        first_ + (begin + window + static_cast<std::int64_t>(k)) * every_,
                        by * every_,
                        unlike[k]};
                }
            }
        }
        if (jump.by != 0) {
            refine(jump);
            jump.unlike +=
                kAttackCost * attacksWithin(
                                  jump.at + std::min<std::int64_t>(jump.by, 0) - frames(kLeastFade),
                                  jump.at + std::max<std::int64_t>(jump.by, 0)
                              );
        }
        return jump;
    }

    // The same to the sample.
    void refine(Jump& jump) const
    {
        const std::int64_t window = frames(kWindow);
        const std::int64_t coarse = jump.by;
        double least = 2.0;
        std::vector<double> unlike;
        for (std::int64_t by = coarse - every_; by <= coarse + every_; ++by) {
            unlikeOver(unlike, &Heard::fine, jump.at - window - first_, by, window, 1);
            if (unlike[0] < least) {
                least = unlike[0];
                jump.by = by;
            }
        }
        jump.unlike = least;
    }

    void splice(std::vector<Splice>& made, const Jump& jump, std::int64_t& free) const
    {
        const Splice& last = made.back();
        Splice next;
        const std::int64_t fade = std::clamp(std::abs(jump.by), frames(kFade), frames(kMostFade));
        next.fade = Frames(std::clamp<std::int64_t>(jump.at - free, 1, fade));
        next.from = std::max(Frames(jump.at) + last.shift, last.from + next.fade);
        next.shift = last.shift - Frames(jump.by);
        made.push_back(next);
        free = jump.at + jump.by;
    }

    // What is left over is done at the end, as well as that can be.
    void finish(std::vector<Splice>& made, std::int64_t free) const
    {
        const std::int64_t rest = (section_.shiftTo - made.back().shift).count();
        if (rest == 0) {
            return;
        }
        const std::int64_t latest = std::max(rest < 0 ? to_ + rest : to_, from_ + 1);
        const std::int64_t earliest = std::clamp(
            std::max(free + frames(kLeastFade), latest - frames(kTail)), from_ + 1, latest
        );
        const std::int64_t window = frames(kLeastFade);
        const auto places = static_cast<std::size_t>(latest - earliest + 1);
        std::vector<double> unlike;
        unlikeOver(unlike, &Heard::fine, earliest - window - first_, -rest, window, places);
        const auto least = std::ranges::min_element(unlike) - unlike.begin();
        splice(made, {earliest + least, -rest, 0.0}, free);
    }

    const SpliceSection& section_;
    std::int64_t from_;
    std::int64_t to_;
    std::int64_t every_;  // frames in one of the coarse rate
    std::size_t hop_;
    std::int64_t pad_ = 0;
    std::int64_t first_ = 0;  // take time of the first frame in memory
    std::vector<Heard> heard_;
    std::vector<double> attacks_;  // running sum over hops from first_ on
};

}  // namespace

Result<std::vector<Splice>> lineSplices(const SpliceSection& section, Splice first)
{
    return Walk(section).splices(first);
}

}  // namespace orthochron
