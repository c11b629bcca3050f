#include "core/stretch/Splices.h"

#include "core/joins/Crossfade.h"
#include "core/joins/Layers.h"

#include <algorithm>
#include <cmath>

namespace orthochron {

namespace {

constexpr Seconds kLeadIn = milliseconds(4.0);     // kept before each attack, as when cutting
constexpr Seconds kAttack = milliseconds(12.0);    // after a start a drum is still speaking
constexpr Seconds kHeard = milliseconds(2.0);      // after the latest microphone has heard it
constexpr Seconds kFurthest = milliseconds(40.0);  // a microphone 13 m away
constexpr Seconds kTogether = milliseconds(20.0);  // attacks so close move as one
constexpr Seconds kOnPin = milliseconds(1.0);      // an attack so near a pin is what it pins
constexpr Seconds kSwell = milliseconds(10.0);  // back to its own level at a pin without an attack
constexpr Seconds kFade = milliseconds(10.0);
constexpr Seconds kSearch = milliseconds(90.0);  // before what comes next; sounds only get quieter
constexpr Seconds kMostRepeated = milliseconds(60.0);  // longer, it is heard as an echo
constexpr Seconds kMostLeftOut = milliseconds(100.0);
constexpr Seconds kLeastPiece = milliseconds(15.0);  // between two splices
// Longer stretches without an attack are held at places between, so that what is looked at is never
// long; sounds so long are held, not struck, and their level is left alone.
constexpr Seconds kLongest = milliseconds(1500.0);
constexpr Seconds kHop = milliseconds(1.0);
constexpr Seconds kStride = milliseconds(0.25);
constexpr double kAttackCost = 0.3;  // weighed as when cutting
constexpr double kCancelCost = 0.02;
constexpr double kEarlyCost = 1e-6;
constexpr Seconds kLongRepeat = milliseconds(28.0);  // less is too short to be heard to swell
constexpr double kLeastGain = 0.3;                   // of one repeat
constexpr Seconds kLevel = milliseconds(25.0);       // a period and more of the lowest drum
constexpr std::size_t kMostLevels = 4096;
// How far a jump may differ from an even share of what is wanted, where others follow it.
constexpr double kFreedom = 0.25;

}  // namespace

// What lies between two fixed places: finds where the take is left, and where it goes on.
class SplicePlan::Between {
public:
    Between(const SplicePlan& plan, const Fixed& a, const Fixed& b)
        : plan_(plan),
          a_(a.take.count()),
          b_(b.take.count()),
          fade_(frames(kFade)),
          hop_(static_cast<std::size_t>(std::max<std::int64_t>(frames(kHop), 1))),
          rest_((a.shift() - b.shift()).count()),
          hasAttack_(a.leadIn > Frames(0)),
          diesAway_(hasAttack_ && !b.isHeld)
    {
        rigid_ = std::min(a.rigid.count(), (b_ - a_) / 4);
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
        for (std::int64_t left = count; left > 0 && rest_ != 0; --left) {
            const Window window = windowFor(left, free);
            const Jump jump = best(window, left);
            const Splice& last = splices.back();
            Splice next;
            next.fade = Frames(std::clamp<std::int64_t>(jump.at - free, 1, fade_));
            next.from = std::max(Frames(jump.at) + last.shift, last.from + next.fade);
            next.shift = last.shift - Frames(jump.by);
            next.diesAway = diesAway_ && -jump.by >= frames(kLongRepeat) && isQuietFrom(jump);
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
    };

    [[nodiscard]] std::int64_t frames(Seconds time) const
    {
        return toFrames(time, plan_.rate_).count();
    }

    Result<void> load()
    {
        pad_ = fade_ + frames(kFurthest) + static_cast<std::int64_t>(hop_) * (kQuietHops + 1);
        first_ = a_ - pad_;
        std::vector<double> late;
        for (const Channel& witness : plan_.witnesses_) {
            std::vector<float> sound(static_cast<std::size_t>(b_ - a_ + 2 * pad_));
            if (auto read = witness.read(Frames(first_), sound); !read) {
                return read;
            }
            const auto middle = std::span(sound).subspan(
                static_cast<std::size_t>(pad_), static_cast<std::size_t>(b_ - a_)
            );
            loud_.push_back(std::max(meanPower(middle), 1e-10));
            addAttacks(attacks_, sound, hop_, meanChange(middle) * 4.0);
            sounds_.push_back(std::move(sound));
        }
        if (hasAttack_) {
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

    // The best place for a jump of `by` and what it costs.
    [[nodiscard]] std::pair<double, std::int64_t>
    bestPlace(const Window& window, std::int64_t by, std::int64_t stride) const
    {
        std::vector<Layers> layers;
        for (std::size_t w = 0; w < sounds_.size(); ++w) {
            const auto out = heard(w, window.from - fade_, window.to);
            const auto in = heard(w, window.from - fade_ + by, window.to + by);
            const std::size_t both = std::min(out.size(), in.size());
            layers.push_back(layersOf(out.first(both), in.first(both)));
        }
        const std::int64_t room = window.to - window.from;
        std::pair<double, std::int64_t> least{1e300, window.to};
        for (std::int64_t at = room; at >= 0; at -= stride) {
            const auto from = static_cast<std::size_t>(at);
            const auto to = static_cast<std::size_t>(at + fade_);
            double cost = 0.0;
            for (std::size_t w = 0; w < layers.size(); ++w) {
                if (to >= layers[w].same.size()) {
                    continue;
                }
                const Layers::Sums sums = layers[w].over(from, to);
                const auto length = static_cast<double>(fade_);
                cost += mismatchOf(sums, length, loud_[w]) / static_cast<double>(layers.size()) +
                        kCancelCost * cancellingOf(sums, length, loud_[w]);
            }
            const std::int64_t place = window.from + at;
            cost += kAttackCost * attacksWithin(
                                      place + std::min<std::int64_t>(by, 0) - fade_,
                                      place + std::max<std::int64_t>(by, 0)
                                  );
            cost += kEarlyCost * static_cast<double>(room - at) / static_cast<double>(room + 1);
            if (cost < least.first) {
                least = {cost, place};
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
            return {bestPlace(window, rest_, stride).second, rest_};
        }
        const auto slack =
            static_cast<std::int64_t>(kFreedom * static_cast<double>(std::abs(share)));
        std::pair<double, std::int64_t> least{1e300, window.to};
        std::int64_t by = share;
        const auto look = [&](std::int64_t middle, std::int64_t reach, std::int64_t step) {
            for (std::int64_t one = middle - reach; one <= middle + reach; one += step) {
                const auto place = bestPlace(window, one, 4 * stride);
                if (place.first < least.first) {
                    least = place;
                    by = one;
                }
            }
        };
        look(share, slack, stride);
        look(by, stride - 1, std::max<std::int64_t>(stride / 6, 1));
        return {least.second, by};
    }

    const SplicePlan& plan_;
    std::int64_t a_;
    std::int64_t b_;
    std::int64_t fade_;
    std::size_t hop_;
    std::int64_t rest_;  // still to be left out, take time; repeated where below 0
    bool hasAttack_;
    bool diesAway_;
    std::int64_t rigid_ = 0;
    std::int64_t pad_ = 0;
    std::int64_t first_ = 0;  // take time of the first frame in memory
    std::vector<std::vector<float>> sounds_;
    std::vector<double> loud_;
    std::vector<double> attacks_;  // running sum over hops from first_ on
};

SplicePlan::SplicePlan(const Treatment& treatment, std::vector<Channel> witnesses, Hertz rate)
    : witnesses_(std::move(witnesses)), rate_(rate)
{
    fix(treatment);
    before_ = fixed_.empty() ? treatment.time.soundTimeOf(Frames(0)) : fixed_.front().shift();
}

std::vector<SplicePlan::Place> SplicePlan::heldBetween(const std::vector<Place>& places) const
{
    std::vector<Place> held;
    for (const Place& place : places) {
        const Frames last = held.empty() ? place.take : held.back().take;
        const std::int64_t since = (place.take - last).count();
        const std::int64_t parts = since / toFrames(kLongest, rate_).count() + 1;
        for (std::int64_t k = 1; k < parts; ++k) {
            held.push_back({last + Frames(since * k / parts), false, true});
        }
        held.push_back(place);
    }
    return held;
}

void SplicePlan::fix(const Treatment& treatment)
{
    const auto& pins = treatment.time.pins();
    const Frames onPin = toFrames(kOnPin, rate_);
    const Frames together = toFrames(kTogether, rate_);
    const auto isPinned = [&](Frames attack) {
        const auto next = std::ranges::lower_bound(pins, attack - onPin, {}, &Pin::take);
        return next != pins.end() && next->take <= attack + onPin;
    };
    std::vector<Place> places;
    for (const Frames attack : treatment.attacks) {
        const bool isClose = !places.empty() && attack < places.back().take + together;
        if (!isClose || (isPinned(attack) && attack > places.back().take + onPin * 3)) {
            places.push_back({attack, true, false});
        }
    }
    for (const Pin& pin : pins) {
        const auto after = std::ranges::lower_bound(treatment.attacks, pin.take - together, {});
        const bool isOfAttack = after != treatment.attacks.end() &&
                                *after <= pin.take + toFrames(kLeadIn, rate_) + onPin;
        if (!isOfAttack) {
            places.push_back({pin.take, false, false});
        }
    }
    std::ranges::stable_sort(places, {}, &Place::take);
    places = heldBetween(places);
    Frames lastTake;
    Frames lastSound;
    for (const Place& place : places) {
        const Frames sound = treatment.time.soundTimeOf(place.take);
        Frames lead = place.isAttack ? toFrames(kLeadIn, rate_) : Frames(0);
        if (!fixed_.empty()) {
            lead = std::min({lead, (place.take - lastTake) / 2, (sound - lastSound) / 2});
            if (sound - lead <= fixed_.back().sound || place.take - lead <= fixed_.back().take) {
                continue;
            }
        }
        fixed_.push_back(
            {place.take - lead,
             sound - lead,
             place.isAttack ? lead + toFrames(kAttack, rate_) : Frames(0),
             lead,
             place.isHeld}
        );
        lastTake = place.take;
        lastSound = sound;
    }
}

// An attack takes over within its lead-in; the last quarter of a millisecond is its own.
Splice SplicePlan::firstOf(std::size_t index) const
{
    const Fixed& fixed = fixed_[index];
    const Frames fade = fixed.leadIn > Frames(0)
                            ? std::max(fixed.leadIn - toFrames(kStride, rate_), Frames(0))
                            : toFrames(kSwell, rate_);
    return {fixed.sound + fade, fade, fixed.shift()};
}

Result<const std::vector<Splice>*> SplicePlan::between(std::size_t index)
{
    if (const auto found = found_.find(index); found != found_.end()) {
        return &found->second;
    }
    std::vector<Splice> splices{firstOf(index)};
    if (index + 1 < fixed_.size()) {
        auto found = Between(*this, fixed_[index], fixed_[index + 1]).find(firstOf(index));
        if (!found) {
            return tl::unexpected(found.error());
        }
        splices = std::move(*found);
    }
    return &found_.emplace(index, std::move(splices)).first->second;
}

Result<std::vector<Splice>> SplicePlan::splices(Frames from, Frames to)
{
    const std::scoped_lock lock(mutex_);
    const auto after = std::ranges::upper_bound(fixed_, from, {}, &Fixed::sound);
    auto index = static_cast<std::size_t>(after - fixed_.begin());
    std::vector<Splice> heard;
    if (index < 2) {
        const Frames start = fixed_.empty() ? from : std::min(from, fixed_.front().sound);
        heard.push_back({start, Frames(0), before_});
    }
    // The one before gives way to it.
    for (index = index < 2 ? 0 : index - 2; index < fixed_.size() && fixed_[index].sound < to;
         ++index) {
        const auto found = between(index);
        if (!found) {
            return tl::unexpected(found.error());
        }
        heard.insert(heard.end(), (*found)->begin(), (*found)->end());
    }
    return heard;
}

namespace {

// A take played by such a plan.
class SplicedSource final : public SampleSource {
public:
    SplicedSource(
        std::shared_ptr<SplicePlan> plan, std::unique_ptr<SampleSource> take, Frames frames
    )
        : plan_(std::move(plan)), take_(std::move(take)), frames_(frames)
    {}

    [[nodiscard]] Hertz rate() const override { return take_->rate(); }
    [[nodiscard]] Frames frames() const override { return frames_; }
    [[nodiscard]] int channels() const override { return take_->channels(); }
    [[nodiscard]] Result<void> read(Frames from, AudioBuffer& into) override
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

private:
    struct Run {
        Frames shift;
        double gain = 1.0;
    };

    // What is repeated was louder when it was first heard; it goes on as loud as it had become.
    Result<double> gainAfter(const Splice& before, const Splice& next, double gain)
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

    Result<void> play(const Run& run, Frames begin, Frames end, Frames from, AudioBuffer& into)
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
    Result<void>
    goOver(const Run& out, const Splice& in, double inGain, Frames from, AudioBuffer& into)
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

    std::shared_ptr<SplicePlan> plan_;
    std::unique_ptr<SampleSource> take_;
    Frames frames_;
    std::map<Frames, double> levels_;  // by where a splice is heard alone
};

class HitsPlan final : public StretchPlan {
public:
    HitsPlan(const Treatment& treatment, std::vector<Channel> witnesses, Hertz rate)
        : time_(treatment.time),
          splices_(std::make_shared<SplicePlan>(treatment, std::move(witnesses), rate))
    {}
    [[nodiscard]] std::unique_ptr<SampleSource> sourceOf(std::unique_ptr<SampleSource> take
    ) override
    {
        const Frames frames = time_.soundTimeOf(take->frames());
        return std::make_unique<SplicedSource>(splices_, std::move(take), frames);
    }

private:
    TimeMap time_;
    std::shared_ptr<SplicePlan> splices_;
};

}  // namespace

std::shared_ptr<StretchPlan>
planHits(const Treatment& treatment, std::vector<Channel> witnesses, Hertz rate)
{
    return std::make_shared<HitsPlan>(treatment, std::move(witnesses), rate);
}

}  // namespace orthochron
