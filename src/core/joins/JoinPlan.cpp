#include "core/joins/JoinPlan.h"

#include <oneapi/tbb/parallel_for.h>

#include "core/joins/Blemishes.h"
#include "core/joins/Layers.h"

#include <algorithm>
#include <atomic>
#include <cmath>
#include <mutex>

namespace orthochron {

namespace {

constexpr Seconds kAttack = milliseconds(12.0);      // after a start a drum is still speaking
constexpr Seconds kLeastAttack = milliseconds(2.0);  // where there is no room for more
constexpr Seconds kSearch = milliseconds(90.0);      // before the next hit; sounds only get quieter
constexpr Seconds kShortest = milliseconds(1.0);
constexpr Seconds kStride = milliseconds(0.25);
constexpr Seconds kHop = milliseconds(1.0);  // of the look-out for attacks
constexpr double kAttackCost = 0.3;          // an attack lost or doubled outweighs any mismatch
constexpr double kCancelCost = 0.02;         // of two sides that are each other's opposite
// A join that ticks however long it is goes elsewhere:
constexpr std::int64_t kPlaces = 12;  // tried over all there are
constexpr double kDearer = 2.0;       // what another place may cost against the best

struct Slot {
    Anchor before;
    Anchor after;
    std::int64_t earliest = 0;  // song time the join may begin
    std::int64_t latest = 0;    // song time it must have ended
    std::int64_t length = 0;
};

std::vector<Anchor> inOrder(std::span<const Anchor> anchors, Hertz rate)
{
    std::vector<Anchor> kept;
    const Frames apart = toFrames(kLeastAttack, rate);
    for (const Anchor& anchor : anchors) {
        Anchor next = anchor;
        if (!kept.empty() &&
            next.start + next.move < kept.back().start + kept.back().move + apart) {
            next.move = kept.back().move;
        }
        kept.push_back(next);
    }
    return kept;
}

// What lies before the first hit stays where it is.
std::vector<Slot>
slotsOf(const std::vector<Anchor>& anchors, Hertz rate, const JoinSettings& settings)
{
    const auto frames = [rate](Seconds time) { return toFrames(time, rate).count(); };
    std::vector<Slot> slots;
    std::int64_t free = 0;  // song time the join before has ended
    Anchor before{Frames(-frames(kAttack)), Frames(0)};
    for (const Anchor& after : anchors) {
        if (after.move != before.move) {
            const std::int64_t low = std::min(before.move, after.move).count();
            const std::int64_t high = std::max(before.move, after.move).count();
            Slot slot{before, after, 0, 0, 0};
            slot.latest = std::max(after.start.count() + low - frames(settings.leadIn), free + 1);
            std::int64_t least = std::max(before.start.count() + high + frames(kAttack), free);
            if (slot.latest - least < frames(settings.crossfade)) {
                least = std::max(before.start.count() + high + frames(kLeastAttack), free);
            }
            slot.earliest = std::max(least, slot.latest - frames(kSearch));
            slot.length = std::min(frames(settings.crossfade), slot.latest - slot.earliest);
            // Never shorter than asked for, unless that is no crossfade worth the name.
            const std::int64_t shortest =
                std::min(frames(kShortest), std::max<std::int64_t>(frames(settings.crossfade), 1));
            if (slot.length < shortest) {
                // No room between the attacks: join as late as the next one allows.
                slot.length = std::min(shortest, slot.latest - free);
                slot.earliest = slot.latest - slot.length;
            }
            free = slot.latest;
            slots.push_back(slot);
        }
        before = after;
    }
    return slots;
}

class Placer {
public:
    Placer(
        const Slot& slot,
        Hertz rate,
        const JoinSettings& settings,
        int microphones,
        const RecordedReader& reader
    )
        : slot_(slot),
          rate_(rate),
          settings_(settings),
          microphones_(microphones),
          reader_(reader),
          low_(std::min(slot.before.move, slot.after.move)),
          high_(std::max(slot.before.move, slot.after.move)),
          hop_(static_cast<std::size_t>(std::max<std::int64_t>(1, toFrames(kHop, rate).count())))
    {}

    Result<PlannedJoin> place()
    {
        if (auto loaded = load(); !loaded) {
            return tl::unexpected(loaded.error());
        }
        const Place first = best(slot_.length);
        PlannedJoin join = joinAt(first);
        double least = tickAt(join);
        const auto take = [&](const Place& place) {
            const PlannedJoin other = joinAt(place);
            if (const double here = tickAt(other); here < least) {
                least = here;
                join = other;
            }
        };
        for (const double longer : kLongerThanTicks) {
            const auto length =
                static_cast<std::int64_t>(longer * static_cast<double>(slot_.length));
            if (settings_.mayBeLonger() && least > kMostTick &&
                length <= slot_.latest - slot_.earliest) {
                take(best(length));
            }
        }
        if (least > kMostTick) {
            takeElsewhere(first, take);
        }
        return join;
    }

private:
    struct Place {
        std::int64_t at = 0;  // from the earliest on
        std::int64_t length = 0;
        double cost = 0.0;
    };

    PlannedJoin joinAt(const Place& place) const
    {
        return {
            Frames(slot_.earliest + place.at),
            Frames(place.length),
            slot_.before.move,
            slot_.after.move};
    }

    // Where the layers differ least.
    Place best(std::int64_t length) const
    {
        const std::int64_t room = slot_.latest - slot_.earliest - length;
        const std::int64_t stride = std::max<std::int64_t>(1, toFrames(kStride, rate_).count());
        Place least{room, length, cost(room, room, length)};
        for (std::int64_t at = room - stride; at >= 0; at -= stride) {
            if (const double here = cost(at, room, length); here < least.cost) {
                least = {at, length, here};
            }
        }
        return least;
    }

    // Offers places of the same length over all there are, the latest first, that cost little more.
    template<class Take>
    void takeElsewhere(const Place& best, const Take& take) const
    {
        const std::int64_t room = slot_.latest - slot_.earliest - best.length;
        for (std::int64_t k = kPlaces; k >= 0; --k) {
            const std::int64_t at = room * k / kPlaces;
            const Place place{at, best.length, cost(at, room, best.length)};
            if (place.cost <= kDearer * best.cost) {
                take(place);
            }
        }
    }

    // How far the join ticks on the worst microphone.
    double tickAt(const PlannedJoin& join) const
    {
        const auto margin = static_cast<std::size_t>(toFrames(kBlemishMargin, rate_).count());
        const auto length = static_cast<std::size_t>(join.length.count());
        double most = 0.0;
        for (std::size_t m = 0; m < sounds_.size(); ++m) {
            const auto layer = [&](Frames move) {
                const Frames from = join.at - move - first_ - toFrames(kBlemishMargin, rate_);
                return std::span(sounds_[m])
                    .subspan(static_cast<std::size_t>(from.count()), length + 2 * margin);
            };
            const auto before = layer(join.moveBefore);
            const auto after = layer(join.moveAfter);
            most = std::max(most, tickOf(before, after, settings_.shape, next_[m], rate_));
        }
        return most;
    }

    Result<void> load()
    {
        // One stretch of recorded time holds both layers.
        const Frames margin = toFrames(kBlemishMargin, rate_);
        first_ = Frames(slot_.earliest) - high_ -
                 std::max(Frames(static_cast<std::int64_t>(hop_) * (kQuietHops + 1)), margin);
        const Frames last =
            Frames(slot_.latest) - low_ + std::max(Frames(static_cast<std::int64_t>(hop_)), margin);
        std::vector<float> sound(static_cast<std::size_t>((last - first_).count()));
        std::vector<float> hit(static_cast<std::size_t>(toFrames(milliseconds(15.0), rate_).count())
        );
        const auto window = static_cast<std::size_t>(slot_.latest - slot_.earliest);
        for (int m = 0; m < microphones_; ++m) {
            if (auto read = reader_(m, first_, sound); !read) {
                return read;
            }
            if (auto read = reader_(m, slot_.after.start, hit); !read) {
                return read;
            }
            const SoundPower power = soundPowerOf(hit, rate_);
            next_.push_back({std::max(power.all, 1e-10), std::max(power.high, 1e-10)});
            const auto layer = [&](Frames move) {
                const Frames from = Frames(slot_.earliest) - move - first_;
                return std::span(sound).subspan(static_cast<std::size_t>(from.count()), window);
            };
            layers_.push_back(layersOf(layer(slot_.before.move), layer(slot_.after.move)));
            addAttacks(attacks_, sound, hop_, meanChange(hit));
            sounds_.push_back(sound);
        }
        // As running sums.
        double sum = 0.0;
        for (double& value : attacks_) {
            sum += value;
            value = sum;
        }
        return {};
    }

    double attacksWithin(Frames from, Frames to) const
    {
        const auto index = [&](Frames frame) {
            const auto hop = (frame - first_).count() / static_cast<std::int64_t>(hop_);
            return static_cast<std::size_t>(
                std::clamp<std::int64_t>(hop, 0, static_cast<std::int64_t>(attacks_.size()) - 1)
            );
        };
        return attacks_.empty() ? 0.0 : attacks_[index(to)] - attacks_[index(from)];
    }

    double cost(std::int64_t at, std::int64_t room, std::int64_t frames) const
    {
        const auto from = static_cast<std::size_t>(at);
        const auto to = static_cast<std::size_t>(at + frames);
        const auto length = static_cast<double>(frames);
        double mismatch = 0.0;
        double cancelling = 0.0;
        for (std::size_t m = 0; m < layers_.size(); ++m) {
            const Layers::Sums sums = layers_[m].over(from, to);
            mismatch +=
                mismatchOf(sums, length, next_[m].all) / static_cast<double>(layers_.size());
            cancelling += cancellingOf(sums, length, next_[m].all);
        }
        const Frames begin(slot_.earliest + at);
        const double attack = attacksWithin(begin - high_, begin + Frames(frames) - low_);
        // Of equals, the later: what is repeated or left out then lies furthest from the last hit.
        const double early =
            static_cast<double>(room - at) / std::max<double>(1.0, static_cast<double>(room));
        return mismatch + kCancelCost * cancelling + kAttackCost * attack + 1e-6 * early;
    }

    const Slot& slot_;
    Hertz rate_;
    const JoinSettings& settings_;
    int microphones_;
    const RecordedReader& reader_;
    Frames low_;
    Frames high_;
    std::size_t hop_;
    Frames first_;  // recorded time of the first frame looked at
    std::vector<Layers> layers_;
    std::vector<std::vector<float>> sounds_;  // of each microphone, from first_ on
    std::vector<SoundPower> next_;            // what each hears of the next hit
    std::vector<double> attacks_;             // running sum over hops from first_ on
};

}  // namespace

Result<void> validate(const JoinSettings& settings)
{
    const auto isWithin = [](Seconds value, double most) {
        return value.count() >= 0.0 && value.count() <= most;
    };
    if (!isWithin(settings.leadIn, 0.1)) {
        return badArgument("the lead-in must be 0 to 100 ms");
    }
    if (!isWithin(settings.crossfade, 0.5)) {
        return badArgument("a crossfade must be 0 to 500 ms");
    }
    return {};
}

Result<std::vector<PlannedJoin>> planJoins(
    std::span<const Anchor> anchors,
    Hertz rate,
    const JoinSettings& settings,
    int microphones,
    const RecordedReader& reader,
    const Work& work
)
{
    const std::vector<Slot> slots = slotsOf(inOrder(anchors, rate), rate, settings);
    std::vector<PlannedJoin> joins(slots.size());
    std::atomic<std::size_t> done{0};
    std::mutex mutex;
    Result<void> outcome;
    tbb::parallel_for(std::size_t{0}, slots.size(), [&](std::size_t i) {
        if (work.stopped()) {
            return;
        }
        auto placed = Placer(slots[i], rate, settings, microphones, reader).place();
        if (placed) {
            joins[i] = std::move(*placed);
        } else {
            const std::scoped_lock lock(mutex);
            outcome = tl::unexpected(placed.error());
        }
        if (const std::size_t count = ++done; count % 64 == 0) {
            const std::scoped_lock lock(mutex);
            work.report(static_cast<double>(count) / static_cast<double>(slots.size()));
        }
    });
    if (work.stopped()) {
        return cancelled();
    }
    if (!outcome) {
        return tl::unexpected(outcome.error());
    }
    return joins;
}

}  // namespace orthochron
