#include "core/joins/Blemishes.h"
#include "core/joins/Layers.h"
#include "core/stretch/SpliceSection.h"

#include <algorithm>
#include <cmath>

namespace orthochron {

namespace {

constexpr Seconds kLeadIn = milliseconds(4.0);     // kept before each attack, as when cutting
constexpr Seconds kHeard = milliseconds(2.0);      // after the latest microphone has heard it
constexpr Seconds kFurthest = milliseconds(40.0);  // a microphone 13 m away
constexpr Seconds kFade = milliseconds(5.0);
constexpr Seconds kLongFade = milliseconds(10.0);
constexpr Seconds kNext = milliseconds(15.0);
constexpr Seconds kSearch = milliseconds(90.0);  // before what comes next; sounds only get quieter
constexpr Seconds kMostRepeated = milliseconds(60.0);  // longer, it is heard as an echo
constexpr Seconds kMostLeftOut = milliseconds(100.0);
constexpr Seconds kLeastPiece = milliseconds(15.0);  // between two splices
constexpr Seconds kHop = milliseconds(1.0);
constexpr Seconds kStride = milliseconds(0.25);
constexpr double kAttackCost = 0.3;  // weighed as when cutting
constexpr double kCancelCost = 0.02;
constexpr double kEarlyCost = 1e-6;
// A jump that ticks however long it is goes elsewhere:
constexpr std::int64_t kPlaces = 12;                 // tried over all there are
constexpr double kDearer = 2.0;                      // what another place may cost against the best
constexpr Seconds kLongRepeat = milliseconds(28.0);  // takes the longer crossfade
constexpr Seconds kRingsOn = milliseconds(12.0);     // drawn out by less, none is heard to swell
// How far a jump may differ from an even share of what is wanted, where others follow it.
constexpr double kFreedom = 0.25;

// Finds where the take is left, and where it goes on.
class Between {
public:
    explicit Between(const SpliceSection& section)
        : section_(section),
          a_(section.from.count()),
          b_(section.to.count()),
          hop_(static_cast<std::size_t>(std::max<std::int64_t>(frames(kHop), 1))),
          rest_((section.shiftFrom - section.shiftTo).count()),
          rings_(section.isStruck && section.nextLeadIn > Frames(0) && -rest_ >= frames(kRingsOn)),
          rigid_(std::min(section.rigid.count(), (b_ - a_) / 4))
    {
        // As short as when cutting, unless so much is repeated that it would be heard as an echo.
        fade_ = frames(-rest_ < frames(kLongRepeat) ? kFade : kLongFade);
    }

    Result<std::vector<Splice>> find(Splice first)
    {
        std::vector<Splice> splices{first};
        if (rest_ == 0) {
            return splices;
        }
        if (auto loaded = load(); !loaded) {
            return tl::unexpected(loaded.error());
        }
        const std::int64_t count = jumpsWanted();
        std::int64_t free = a_ + rigid_;  // from here on the take may be left
        Frames struck = first.shift;      // of the last that is struck
        for (std::int64_t left = count; left > 0 && rest_ != 0; --left) {
            const Window window = windowFor(left, free);
            const Jump jump = withoutTick(best(window, left), window);
            const Splice& last = splices.back();
            Splice next;
            next.fade = Frames(std::clamp<std::int64_t>(jump.at - free, 1, jump.fade));
            next.from = std::max(Frames(jump.at) + last.shift, last.from + next.fade);
            next.shift = last.shift - Frames(jump.by);
            if (rings_ && isQuietFrom(jump)) {
                next.rings = Struck{Frames(a_), Frames(b_), section_.nextLeadIn, struck};
            } else {
                struck = next.shift;
            }
            splices.push_back(next);
            rest_ -= jump.by;
            free = jump.at + jump.by;
        }
        return splices;
    }

private:
    struct Window {
        std::int64_t from;
        std::int64_t to;
    };
    // The take is left at `at` and goes on `by` later, or earlier where that is below 0.
    struct Jump {
        std::int64_t at = 0;
        std::int64_t by = 0;
        std::int64_t fade = 0;  // up to `at`
    };
    // What is left and where it goes on, of all witnesses, over a window.
    struct Sides {
        std::vector<Layers> layers;
        Window window;
        std::int64_t by;
        std::int64_t fade;
    };

    [[nodiscard]] std::int64_t frames(Seconds time) const
    {
        return toFrames(time, section_.rate).count();
    }

    Result<void> load()
    {
        pad_ = fade_ + frames(kFurthest) + static_cast<std::int64_t>(hop_) * (kQuietHops + 1);
        first_ = a_ - pad_;
        for (const Channel& witness : section_.witnesses) {
            std::vector<float> sound(static_cast<std::size_t>(b_ - a_ + 2 * pad_));
            if (auto read = witness.read(Frames(first_), sound); !read) {
                return read;
            }
            const auto middle = std::span(sound).subspan(
                static_cast<std::size_t>(pad_), static_cast<std::size_t>(b_ - a_)
            );
            // Against what comes next, as when cutting.
            const auto next = std::span(sound).subspan(
                static_cast<std::size_t>(pad_ + b_ - a_ + frames(kLeadIn)),
                static_cast<std::size_t>(frames(kNext))
            );
            const SoundPower power = soundPowerOf(next, section_.rate);
            next_.push_back(
                {std::max({power.all, meanPower(middle), 1e-10}), std::max(power.high, 1e-10)}
            );
            addAttacks(attacks_, sound, hop_, std::max(meanChange(next), meanChange(middle)));
            sounds_.push_back(std::move(sound));
        }
        if (section_.isStruck) {
            keepWhole();
        }
        double sum = 0.0;
        for (double& value : attacks_) {
            sum += value;
            value = sum;
        }
        return {};
    }

    // Nothing is touched until the last microphone has heard the attack.
    void keepWhole()
    {
        const std::int64_t most =
            std::min(a_ + frames(kLeadIn) + frames(kFurthest), a_ + (b_ - a_) / 3);
        const auto last = static_cast<std::int64_t>(attacks_.size()) - 1;
        for (std::int64_t frame = most; frame > a_ + rigid_;
             frame -= static_cast<std::int64_t>(hop_)) {
            const auto hop = std::clamp<std::int64_t>(
                (frame - first_) / static_cast<std::int64_t>(hop_), 0, last
            );
            if (attacks_[static_cast<std::size_t>(hop)] > 0.1) {
                rigid_ = std::min(frame - a_ + frames(kHeard), most - a_);
                break;
            }
        }
    }

    [[nodiscard]] std::int64_t jumpsWanted() const
    {
        const std::int64_t room = std::max<std::int64_t>(b_ - a_ - rigid_ - fade_, 1);
        const std::int64_t most =
            rest_ < 0 ? std::clamp<std::int64_t>(
                            room * 7 / 10, frames(milliseconds(3.0)), frames(kMostRepeated)
                        )
                      : frames(kMostLeftOut);
        return std::max<std::int64_t>(
            (std::abs(rest_) + most - 1) / std::max<std::int64_t>(most, 1), 1
        );
    }

    // Where the take may be left for the next of `left` jumps.
    [[nodiscard]] Window windowFor(std::int64_t left, std::int64_t free) const
    {
        const std::int64_t share = rest_ / left;
        const std::int64_t piece = frames(kLeastPiece);
        // What comes next must not be left out, nor the attack before be heard again.
        const std::int64_t latest = rest_ > 0 ? b_ - rest_ - (left - 1) * piece : b_;
        std::int64_t earliest = free + fade_;
        if (rest_ < 0) {
            earliest = std::max(
                earliest, a_ + rigid_ + fade_ - share + (left > 1 ? -share / 4 : std::int64_t{0})
            );
        }
        earliest = std::clamp(earliest, a_ + 1, std::max(latest, a_ + 1));
        if (left == 1) {
            return {std::max(earliest, latest - frames(kSearch)), std::max(latest, earliest)};
        }
        const std::int64_t centre = earliest + (latest - earliest) / left;
        const std::int64_t width =
            std::min(frames(milliseconds(40.0)), (latest - earliest) * 8 / (10 * left));
        return {std::max(earliest, centre - width), std::max(centre, earliest)};
    }

    [[nodiscard]] std::span<const float>
    heard(std::size_t witness, std::int64_t from, std::int64_t to) const
    {
        const auto size = static_cast<std::int64_t>(sounds_[witness].size());
        const std::int64_t begin = std::clamp<std::int64_t>(from - first_, 0, size);
        const std::int64_t end = std::clamp<std::int64_t>(to - first_, begin, size);
        return std::span(sounds_[witness])
            .subspan(static_cast<std::size_t>(begin), static_cast<std::size_t>(end - begin));
    }

    [[nodiscard]] double attacksWithin(std::int64_t from, std::int64_t to) const
    {
        const auto sumUpTo = [&](std::int64_t frame) {
            const auto hop = std::clamp<std::int64_t>(
                (frame - first_) / static_cast<std::int64_t>(hop_),
                0,
                static_cast<std::int64_t>(attacks_.size()) - 1
            );
            return attacks_.empty() ? 0.0 : attacks_[static_cast<std::size_t>(hop)];
        };
        return sumUpTo(to) - sumUpTo(from);
    }

    // Whether nothing is struck from what is repeated to the end: only then does all of it die away.
    [[nodiscard]] bool isQuietFrom(const Jump& jump) const
    {
        return attacksWithin(jump.at + jump.by - fade_, b_) < 0.01;
    }

    // Where the jump would tick it is longer, or goes elsewhere, as when cutting.
    [[nodiscard]] Jump withoutTick(Jump first, const Window& window) const
    {
        Jump best = first;
        double least = tickAt(first);
        const auto take = [&](const Jump& other) {
            if (const double here = tickAt(other); here < least) {
                least = here;
                best = other;
            }
        };
        for (const double longer : kLongerThanTicks) {
            if (least > kMostTick) {
                const auto fade = static_cast<std::int64_t>(longer * static_cast<double>(fade_));
                take({first.at, first.by, fade});
                take(bestPlace(sidesOf(window, first.by, fade), frames(kStride)).second);
            }
        }
        if (least > kMostTick) {
            const Sides sides = sidesOf(window, first.by, fade_);
            const double most = kDearer * costAt(sides, first.at - window.from);
            for (std::int64_t k = kPlaces; k >= 0; --k) {
                const std::int64_t at = (window.to - window.from) * k / kPlaces;
                if (costAt(sides, at) <= most) {
                    take({window.from + at, first.by, fade_});
                }
            }
        }
        return best;
    }

    // How far the high sounds the jump makes by itself stand out; the worst witness.
    [[nodiscard]] double tickAt(const Jump& jump) const
    {
        const std::int64_t margin = frames(kBlemishMargin);
        double most = 0.0;
        for (std::size_t w = 0; w < sounds_.size(); ++w) {
            const std::int64_t from = jump.at - jump.fade - margin;
            const std::int64_t to = jump.at + margin;
            const auto before = heard(w, from, to);
            const auto after = heard(w, from + jump.by, to + jump.by);
            if (before.size() != after.size() ||
                before.size() != static_cast<std::size_t>(to - from)) {
                continue;
            }
            most =
                std::max(most, tickOf(before, after, FadeShape::Matched, next_[w], section_.rate));
        }
        return most;
    }

    [[nodiscard]] Sides sidesOf(const Window& window, std::int64_t by, std::int64_t fade) const
    {
        Sides sides{{}, window, by, fade};
        for (std::size_t w = 0; w < sounds_.size(); ++w) {
            const auto out = heard(w, window.from - fade, window.to);
            const auto in = heard(w, window.from - fade + by, window.to + by);
            const std::size_t both = std::min(out.size(), in.size());
            sides.layers.push_back(layersOf(out.first(both), in.first(both)));
        }
        return sides;
    }

    // Of leaving the take so far into the window.
    [[nodiscard]] double costAt(const Sides& sides, std::int64_t at) const
    {
        const auto from = static_cast<std::size_t>(at);
        const auto to = static_cast<std::size_t>(at + sides.fade);
        const auto length = static_cast<double>(sides.fade);
        double cost = 0.0;
        for (std::size_t w = 0; w < sides.layers.size(); ++w) {
            if (to >= sides.layers[w].same.size()) {
                continue;
            }
            const Layers::Sums sums = sides.layers[w].over(from, to);
            cost +=
                mismatchOf(sums, length, next_[w].all) / static_cast<double>(sides.layers.size()) +
                kCancelCost * cancellingOf(sums, length, next_[w].all);
        }
        const std::int64_t place = sides.window.from + at;
        const std::int64_t room = sides.window.to - sides.window.from;
        cost += kAttackCost * attacksWithin(
                                  place + std::min<std::int64_t>(sides.by, 0) - sides.fade,
                                  place + std::max<std::int64_t>(sides.by, 0)
                              );
        return cost + kEarlyCost * static_cast<double>(room - at) / static_cast<double>(room + 1);
    }

    // What the best place for a jump costs, and the jump there.
    [[nodiscard]] std::pair<double, Jump> bestPlace(const Sides& sides, std::int64_t stride) const
    {
        const std::int64_t room = sides.window.to - sides.window.from;
        std::pair<double, Jump> least{1e300, {sides.window.to, sides.by, sides.fade}};
        for (std::int64_t at = room; at >= 0; at -= std::max<std::int64_t>(stride, 1)) {
            if (const double cost = costAt(sides, at); cost < least.first) {
                least = {cost, {sides.window.from + at, sides.by, sides.fade}};
            }
        }
        return least;
    }

    // Of what is left to do, the next jump: all of it when it is the last, otherwise about an even
    // share, as goes over best.
    [[nodiscard]] Jump best(const Window& window, std::int64_t left) const
    {
        const std::int64_t share = rest_ / left;
        const std::int64_t stride = std::max<std::int64_t>(frames(kStride), 1);
        if (left == 1) {
            return bestPlace(sidesOf(window, rest_, fade_), stride).second;
        }
        const auto slack =
            static_cast<std::int64_t>(kFreedom * static_cast<double>(std::abs(share)));
        std::pair<double, Jump> least{1e300, {window.to, share, fade_}};
        const auto look = [&](std::int64_t middle, std::int64_t reach, std::int64_t step) {
            for (std::int64_t one = middle - reach; one <= middle + reach; one += step) {
                const auto place = bestPlace(sidesOf(window, one, fade_), 4 * stride);
                if (place.first < least.first) {
                    least = place;
                }
            }
        };
        look(share, slack, stride);
        look(least.second.by, stride - 1, std::max<std::int64_t>(stride / 6, 1));
        return least.second;
    }

    const SpliceSection& section_;
    std::int64_t a_;
    std::int64_t b_;
    std::size_t hop_;
    std::int64_t rest_;  // still to be left out, take time; repeated where below 0
    bool rings_;
    std::int64_t rigid_;
    std::int64_t fade_ = 0;
    std::int64_t pad_ = 0;
    std::int64_t first_ = 0;  // take time of the first frame in memory
    std::vector<std::vector<float>> sounds_;
    std::vector<SoundPower> next_;  // what each witness hears of what comes next
    std::vector<double> attacks_;   // running sum over hops from first_ on
};

}  // namespace

Result<std::vector<Splice>> hitSplices(const SpliceSection& section, Splice first)
{
    return Between(section).find(first);
}

}  // namespace orthochron
