#pragma once

#include "core/time/TempoMap.h"

namespace orthochron {

// What a line or a hush keeps when the tempo map changes: its place in the bars, or its time.
enum class Keeps { Bars, Time };

// A moment that is held: quarter notes after bar 1, or seconds of the song.
using HeldPlace = Quantity<struct HeldPlaceTag, double>;

[[nodiscard]] inline Seconds timeOf(HeldPlace place, Keeps keeps, const TempoMap& map)
{
    return keeps == Keeps::Time ? Seconds(place.count()) : map.timeAt(Beats(place.count()));
}
[[nodiscard]] inline HeldPlace placeOf(Seconds time, Keeps keeps, const TempoMap& map)
{
    return HeldPlace(keeps == Keeps::Time ? time.count() : map.beatsAt(time).count());
}

}  // namespace orthochron
