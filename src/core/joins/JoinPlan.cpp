#include "core/joins/JoinPlan.h"

#include <oneapi/tbb/parallel_for.h>

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
constexpr std::int64_t kQuietHops = 8;
constexpr double kAttackRise = 8.0;   // linear power, 9 dB
constexpr double kAttackCost = 0.3;   // an attack lost or doubled outweighs any mismatch
constexpr double kCancelCost = 0.02;  // of two sides that are each other's opposite

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

// Running sums of one microphone's two layers over a slot.
struct Layers {
    std::vector<double> same;         // sum of a*b up to each frame
    std::vector<double> powerBefore;  // sum of a*a
    std::vector<double> powerAfter;   // sum of b*b
};

Layers layersOf(std::span<const float> a, std::span<const float> b)
{
    Layers layers;
    const std::size_t size = a.size();
    layers.same.resize(size + 1);
    layers.powerBefore.resize(size + 1);
    layers.powerAfter.resize(size + 1);
    for (std::size_t i = 0; i < size; ++i) {
        const auto x = static_cast<double>(a[i]);
        const auto y = static_cast<double>(b[i]);
        layers.same[i + 1] = layers.same[i] + x * y;
        layers.powerBefore[i + 1] = layers.powerBefore[i] + x * x;
        layers.powerAfter[i + 1] = layers.powerAfter[i] + y * y;
    }
    return layers;
}

// How much attack each hop holds: the power of the sample-to-sample change (which favours the
// high sounds that begin sharply), where it rises far above the hops before.
void addAttacks(
    std::vector<double>& attacks, std::span<const float> sound, std::size_t hop, double loud
)
{
    std::vector<double> power(sound.size() / hop, 0.0);
    for (std::size_t n = 0; n < power.size(); ++n) {
        for (std::size_t i = std::max<std::size_t>(n * hop, 1); i < (n + 1) * hop; ++i) {
            const auto change = static_cast<double>(sound[i] - sound[i - 1]);
            power[n] += change * change;
        }
        power[n] /= static_cast<double>(hop);
    }
    attacks.resize(power.size(), 0.0);
    for (std::size_t n = 1; n < power.size(); ++n) {
        double before = 0.0;
        const std::size_t first = n > kQuietHops ? n - kQuietHops : 0;
        for (std::size_t k = first; k < n; ++k) {
            before = std::max(before, power[k]);
        }
        if (power[n] > kAttackRise * before) {
            attacks[n] += std::min(power[n] / loud, 1.0);
        }
    }
}

double meanPower(std::span<const float> sound)
{
    double sum = 0.0;
    for (const float value : sound) {
        sum += static_cast<double>(value) * static_cast<double>(value);
    }
    return sum / std::max<double>(1.0, static_cast<double>(sound.size()));
}

double meanChange(std::span<const float> sound)
{
    double sum = 0.0;
    for (std::size_t i = 1; i < sound.size(); ++i) {
        const auto change = static_cast<double>(sound[i] - sound[i - 1]);
        sum += change * change;
    }
    return std::max(sum / std::max<double>(1.0, static_cast<double>(sound.size())), 1e-14);
}

class Placer {
public:
    Placer(const Slot& slot, Hertz rate, int microphones, const RecordedReader& reader)
        : slot_(slot),
          rate_(rate),
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
        const std::int64_t room = slot_.latest - slot_.earliest - slot_.length;
        const std::int64_t stride = std::max<std::int64_t>(1, toFrames(kStride, rate_).count());
        std::int64_t best = room;
        double least = cost(room, room);
        for (std::int64_t at = room - stride; at >= 0; at -= stride) {
            if (const double here = cost(at, room); here < least) {
                least = here;
                best = at;
            }
        }
        PlannedJoin join;
        join.at = Frames(slot_.earliest + best);
        join.length = Frames(slot_.length);
        join.moveBefore = slot_.before.move;
        join.moveAfter = slot_.after.move;
        return join;
    }

private:
    Result<void> load()
    {
        // One stretch of recorded time holds both layers.
        first_ = Frames(slot_.earliest) - high_ -
                 Frames(static_cast<std::int64_t>(hop_) * (kQuietHops + 1));
        const Frames last = Frames(slot_.latest) - low_ + Frames(static_cast<std::int64_t>(hop_));
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
            const double loud = std::max(meanPower(hit), 1e-10);
            loud_.push_back(loud);
            const auto layer = [&](Frames move) {
                const Frames from = Frames(slot_.earliest) - move - first_;
                return std::span(sound).subspan(static_cast<std::size_t>(from.count()), window);
            };
            layers_.push_back(layersOf(layer(slot_.before.move), layer(slot_.after.move)));
            addAttacks(attacks_, sound, hop_, meanChange(hit));
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

    double cost(std::int64_t at, std::int64_t room) const
    {
        const auto from = static_cast<std::size_t>(at);
        const auto to = static_cast<std::size_t>(at + slot_.length);
        double mismatch = 0.0;
        double cancelling = 0.0;
        for (std::size_t m = 0; m < layers_.size(); ++m) {
            const Layers& layers = layers_[m];
            const double ab = layers.same[to] - layers.same[from];
            const double aa = layers.powerBefore[to] - layers.powerBefore[from];
            const double bb = layers.powerAfter[to] - layers.powerAfter[from];
            const double differ =
                std::max(aa + bb - 2.0 * ab, 0.0) / static_cast<double>(slot_.length);
            mismatch += differ / loud_[m] / static_cast<double>(layers_.size());
            // Sides that cancel leave a dip no gain can fill, however quiet they are.
            const double power = std::sqrt(std::max(aa * bb, 0.0));
            const double share =
                std::min(1.0, 30.0 * power / static_cast<double>(slot_.length) / loud_[m]);
            cancelling += power > 1e-14 ? share * std::max(-0.1 - ab / power, 0.0) : 0.0;
        }
        const Frames begin(slot_.earliest + at);
        const double attack = attacksWithin(begin - high_, begin + Frames(slot_.length) - low_);
        // Of equals, the later: what is repeated or left out then lies furthest from the last hit.
        const double early =
            static_cast<double>(room - at) / std::max<double>(1.0, static_cast<double>(room));
        return mismatch + kCancelCost * cancelling + kAttackCost * attack + 1e-6 * early;
    }

    const Slot& slot_;
    Hertz rate_;
    int microphones_;
    const RecordedReader& reader_;
    Frames low_;
    Frames high_;
    std::size_t hop_;
    Frames first_;  // recorded time of the first frame looked at
    std::vector<Layers> layers_;
    std::vector<double> loud_;     // each microphone's power at the next hit
    std::vector<double> attacks_;  // running sum over hops from first_ on
};

}  // namespace

Result<void> validate(const JoinSettings& settings)
{
    const auto isWithin = [](Seconds value, double most) {
        return value.count() >= 0.0 && value.count() <= most;
    };
    if (!isWithin(settings.leadIn, 0.1)) {
        return badArgument("the lead-in is a time from 0 to 100 ms");
    }
    if (!isWithin(settings.crossfade, 0.5)) {
        return badArgument("a crossfade is from 0 to 500 ms long");
    }
    return {};
}

double correlationOf(std::span<const float> a, std::span<const float> b)
{
    const Layers layers = layersOf(a, b);
    const double power = std::sqrt(layers.powerBefore.back() * layers.powerAfter.back());
    return power > 1e-14 ? std::clamp(layers.same.back() / power, -1.0, 1.0) : 1.0;
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
        auto placed = Placer(slots[i], rate, microphones, reader).place();
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
