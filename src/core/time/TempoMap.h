#pragma once

#include "core/base/Result.h"
#include "core/time/Units.h"

#include <string_view>
#include <vector>

namespace orthochron {

struct Meter {
    int numerator = 4;
    int denominator = 4;

    bool operator==(const Meter&) const = default;
    [[nodiscard]] Beats barLength() const { return Beats(4.0 * numerator / denominator); }
    [[nodiscard]] Beats beatLength() const { return Beats(4.0 / denominator); }
    // The beat as it is felt: three eighths in 6/8, 9/8 and 12/8, otherwise one of the meter's.
    [[nodiscard]] Beats feltBeat() const
    {
        const bool isByThrees = denominator >= 8 && numerator > 3 && numerator % 3 == 0;
        return beatLength() * (isByThrees ? 3.0 : 1.0);
    }
};

// Reads "4/4", "7/8". Errors: BadArgument, naming what was read.
[[nodiscard]] Result<Meter> parseMeter(std::string_view text);

// From `at` on, the tempo is `bpm` quarter notes a minute, until the next point; or it goes to the next
// point's tempo, linear in quarter notes.
struct TempoPoint {
    Beats at;
    double bpm = 120.0;
    bool isRamp = false;
    bool isPinned = false;  // stays at its time whatever is moved beside it
    double sureness = 1.0;  // 0..1; less where a draft has guessed

    bool operator==(const TempoPoint&) const = default;
};

// From bar number `bar` on (bars count from 1) the meter is `meter`.
struct MeterChange {
    int bar = 1;
    Meter meter;

    bool operator==(const MeterChange&) const = default;
};

// A place as musicians say it: bar and beat count from 1, `rest` is what lies beyond the beat.
struct BarBeat {
    int bar = 1;
    int beat = 1;
    Beats rest;
};

// Where bars and beats fall in time. Musical time 0 is the first downbeat (bar 1), which lies
// `firstDownbeat` after the song's start; what lies before it has bars 0, -1, ... and may have tempi of its
// own, as a pick-up does that is played faster or slower. The first tempo and the first meter also hold for all
// that lies before them. Asking takes a time that grows with the logarithm of the points.
class TempoMap {
public:
    TempoMap() = default;
    // Errors: BadArgument when no point stands at musical time 0, a tempo is outside 20..400, a meter is not
    // 1..32 over 1, 2, 4 ... 32, a sureness not 0..1, or the points are not in ascending order.
    [[nodiscard]] static Result<TempoMap>
    create(Seconds firstDownbeat, std::vector<TempoPoint> tempi, std::vector<MeterChange> meters);
    [[nodiscard]] static Result<TempoMap> steady(double bpm, Meter meter, Seconds firstDownbeat);

    [[nodiscard]] Seconds timeAt(Beats musical) const;
    [[nodiscard]] Beats beatsAt(Seconds songTime) const;
    [[nodiscard]] double bpmAt(Beats musical) const;
    [[nodiscard]] Meter meterOfBar(int bar) const;
    [[nodiscard]] Beats startOfBar(int bar) const;
    [[nodiscard]] int barAt(Beats musical) const;
    [[nodiscard]] BarBeat placeAt(Beats musical) const;

    [[nodiscard]] Seconds firstDownbeat() const { return firstDownbeat_; }
    [[nodiscard]] const std::vector<TempoPoint>& tempi() const { return tempi_; }
    [[nodiscard]] const std::vector<MeterChange>& meters() const { return meters_; }
    bool operator==(const TempoMap&) const = default;

private:
    [[nodiscard]] std::size_t meterIndexOfBar(int bar) const;
    [[nodiscard]] double slopeAfter(std::size_t point) const;
    void index();

    // Never empty; one point stands at musical time 0, the first meter at bar 1.
    Seconds firstDownbeat_{0.0};
    std::vector<TempoPoint> tempi_{TempoPoint{}};
    std::vector<MeterChange> meters_{MeterChange{}};
    // Where each of them begins, so that a place is found by halving: times from the first downbeat,
    // places in quarter notes.
    std::vector<Seconds> times_{Seconds(0.0)};
    std::vector<Beats> places_{Beats(0.0)};
};

}  // namespace orthochron
