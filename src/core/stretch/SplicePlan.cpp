#include "core/stretch/SplicePlan.h"

#include "core/joins/Layers.h"

#include <algorithm>
#include <limits>

namespace orthochron {

namespace {

constexpr Seconds kLeadIn = milliseconds(4.0);     // kept before each attack, as when cutting
constexpr Seconds kAttack = milliseconds(12.0);    // after a start a drum is still speaking
constexpr Seconds kTogether = milliseconds(20.0);  // attacks so close move as one
constexpr Seconds kOnPin = milliseconds(1.0);      // an attack so near a pin is what it pins
constexpr Seconds kSwell = milliseconds(10.0);  // back to its own level at a pin without an attack
// Longer stretches without an attack are held at places between, so that what is looked at is never
// long; sounds so long are held, not struck, and their level is left alone.
constexpr Seconds kLongest = milliseconds(3000.0);
constexpr Seconds kQuiet = milliseconds(20.0);  // of such a place
constexpr Seconds kStride = milliseconds(0.25);

}  // namespace

SplicePlan::SplicePlan(const Treatment& treatment, std::vector<Channel> witnesses, Hertz rate)
    : time_(treatment.time),
      material_(treatment.material),
      witnesses_(std::move(witnesses)),
      rate_(rate)
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
            held.push_back({last + Frames(since * k / parts), false, Frames(since / parts / 3)});
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
            places.push_back({attack, true, Frames(0)});
        }
    }
    for (const Pin& pin : pins) {
        const auto after = std::ranges::lower_bound(treatment.attacks, pin.take - together, {});
        const bool isOfAttack = after != treatment.attacks.end() &&
                                *after <= pin.take + toFrames(kLeadIn, rate_) + onPin;
        if (!isOfAttack) {
            places.push_back({pin.take, false, Frames(0)});
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
             place.reach}
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

// A place that is only held may lie anywhere around: where it is quietest a splice is heard least.
Result<void> SplicePlan::settle(std::size_t index)
{
    if (index >= fixed_.size() || fixed_[index].reach == Frames(0)) {
        return {};
    }
    Fixed& fixed = fixed_[index];
    const auto hop = static_cast<std::size_t>(toFrames(kQuiet, rate_).count() / 4);
    const Frames first = fixed.take - fixed.reach;
    std::vector<float> sound(static_cast<std::size_t>(fixed.reach.count() * 2));
    std::vector<double> level(sound.size() / hop, 0.0);
    for (const Channel& witness : witnesses_) {
        if (auto read = witness.read(first, sound); !read) {
            return read;
        }
        const double loud = std::max(meanPower(sound), 1e-10);
        for (std::size_t n = 0; n < level.size(); ++n) {
            level[n] += meanPower(std::span(sound).subspan(n * hop, hop)) / loud;
        }
    }
    std::size_t quietest = 0;
    double least = std::numeric_limits<double>::max();
    for (std::size_t n = 2; n + 2 < level.size(); ++n) {
        const double here = level[n - 2] + level[n - 1] + level[n] + level[n + 1];
        if (here < least) {
            least = here;
            quietest = n;
        }
    }
    fixed.take = first + Frames(static_cast<std::int64_t>(quietest * hop));
    fixed.sound = time_.soundTimeOf(fixed.take);
    fixed.reach = Frames(0);
    return {};
}

Result<const std::vector<Splice>*> SplicePlan::between(std::size_t index)
{
    if (const auto found = found_.find(index); found != found_.end()) {
        return &found->second;
    }
    std::vector<Splice> splices{firstOf(index)};
    if (index + 1 < fixed_.size()) {
        const Fixed& a = fixed_[index];
        const Fixed& b = fixed_[index + 1];
        const SpliceSection section{
            witnesses_,
            rate_,
            a.take,
            b.take,
            a.shift(),
            b.shift(),
            a.rigid,
            a.leadIn > Frames(0),
            b.leadIn};
        auto found = material_ == Material::Line ? lineSplices(section, firstOf(index))
                                                 : hitSplices(section, firstOf(index));
        if (!found) {
            return tl::unexpected(found.error());
        }
        splices = std::move(*found);
    }
    return &found_.emplace(index, std::move(splices)).first->second;
}

std::size_t SplicePlan::indexAfter(Frames sound) const
{
    const auto after = std::ranges::upper_bound(fixed_, sound, {}, &Fixed::sound);
    return static_cast<std::size_t>(after - fixed_.begin());
}

Result<std::vector<Splice>> SplicePlan::splices(Frames from, Frames to)
{
    const std::scoped_lock lock(mutex_);
    // Places around settle first; they keep their order and so tell the section in the end.
    for (std::size_t i = indexAfter(from) > 3 ? indexAfter(from) - 3 : 0; i <= indexAfter(to) + 1;
         ++i) {
        if (auto settled = settle(i); !settled) {
            return tl::unexpected(settled.error());
        }
    }
    std::size_t index = indexAfter(from);
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

}  // namespace orthochron
