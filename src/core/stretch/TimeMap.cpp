#include "core/stretch/TimeMap.h"

#include <algorithm>
#include <cmath>

namespace orthochron {

namespace {

// Crosses a map from one of its axes to the other.
Frames crossed(const std::vector<Pin>& pins, Frames time, Frames Pin::*from, Frames Pin::*to)
{
    if (pins.empty()) {
        return time;
    }
    const auto after = std::ranges::upper_bound(pins, time, {}, from);
    if (after == pins.begin()) {
        return time + (pins.front().*to - pins.front().*from);
    }
    const Pin& before = *std::prev(after);
    if (after == pins.end()) {
        return time + (before.*to - before.*from);
    }
    const double part = (time - before.*from) / ((*after).*from - before.*from);
    const auto length = static_cast<double>(((*after).*to - before.*to).count());
    return before.*to + Frames(std::llround(part * length));
}

}  // namespace

Result<TimeMap> TimeMap::through(std::vector<Pin> pins)
{
    for (std::size_t i = 1; i < pins.size(); ++i) {
        if (pins[i].take <= pins[i - 1].take || pins[i].sound <= pins[i - 1].sound) {
            return badArgument("the pins of a time map must ascend in both times");
        }
    }
    TimeMap map;
    map.pins_ = std::move(pins);
    return map;
}

Frames TimeMap::soundTimeOf(Frames takeTime) const
{
    return crossed(pins_, takeTime, &Pin::take, &Pin::sound);
}

Frames TimeMap::takeTimeOf(Frames soundTime) const
{
    return crossed(pins_, soundTime, &Pin::sound, &Pin::take);
}

double TimeMap::takePlaceOf(double soundTime) const
{
    const auto take = [](const Pin& pin) { return static_cast<double>(pin.take.count()); };
    const auto sound = [](const Pin& pin) { return static_cast<double>(pin.sound.count()); };
    if (pins_.empty()) {
        return soundTime;
    }
    const auto after = std::ranges::upper_bound(pins_, soundTime, {}, sound);
    if (after == pins_.begin()) {
        return soundTime + take(pins_.front()) - sound(pins_.front());
    }
    const Pin& before = *std::prev(after);
    if (after == pins_.end()) {
        return soundTime + take(before) - sound(before);
    }
    const double part = (soundTime - sound(before)) / (sound(*after) - sound(before));
    return take(before) + part * (take(*after) - take(before));
}

}  // namespace orthochron
