#include "core/files/MidiTempo.h"

#include <fmt/format.h>

#include "core/files/MidiFile.h"
#include "core/time/MapKnots.h"

#include <algorithm>
#include <cmath>

namespace orthochron {

namespace {

constexpr std::string_view kFirstBar = "bar 1";
// From here on the tempi before bar 1 are the map's.
constexpr std::string_view kPickUp = "pick-up";

// The points without those that only correct the rounding of the one before.
std::vector<TempoPoint> withoutCorrections(const std::vector<TempoPoint>& points)
{
    constexpr Seconds kOff(20e-6);
    constexpr double kSame = 1e-5;  // of a tempo
    MapKnots all;
    Seconds time{0.0};
    for (std::size_t i = 0; i < points.size(); ++i) {
        if (i > 0) {
            const Beats beats = points[i].at - points[i - 1].at;
            time += Seconds(beats.count() * 60.0 / points[i - 1].bpm);
        }
        all.knots.push_back({points[i].at, time});
    }
    all.lastBpm = points.back().bpm;
    const MapKnots few = simplified(all, kOff);
    std::vector<TempoPoint> kept;
    for (std::size_t i = 0; i < few.knots.size(); ++i) {
        double bpm = few.lastBpm;
        if (i + 1 < few.knots.size()) {
            const Beats beats = few.knots[i + 1].place - few.knots[i].place;
            bpm = beats.count() * 60.0 / (few.knots[i + 1].time - few.knots[i].time).count();
        }
        const bool isCorrection = i > 0 && i + 1 == few.knots.size() &&
                                  few.knots[i].place != Beats(0.0) &&
                                  std::abs(bpm / kept.back().bpm - 1.0) < kSame;
        if (!isCorrection) {
            kept.push_back({few.knots[i].place, bpm});
        }
    }
    return kept;
}

// What a file says of a map before it is one.
struct Places {
    std::vector<TempoPoint> tempi;
    std::vector<std::pair<Beats, Meter>> meters;
    Seconds before;  // what the file plays before bar 1
};

Beats markedAs(const MidiFile& midi, std::string_view name, Beats otherwise)
{
    const auto marker =
        std::ranges::find(midi.markers, name, &std::pair<Beats, std::string>::second);
    return marker == midi.markers.end() ? otherwise : marker->first;
}

// Counts from the marker of bar 1, where there is one; what lies before it is left out up to the pick-up.
Places fromFirstBar(MidiFile midi)
{
    Places places{std::move(midi.tempi), std::move(midi.meters), Seconds(0.0)};
    if (places.tempi.empty() || places.tempi.front().at > Beats(0.0)) {
        places.tempi.insert(places.tempi.begin(), TempoPoint{});  // the format's own default, 120
    }
    const Beats first = markedAs(midi, kFirstBar, Beats(0.0));
    if (first <= Beats(0.0)) {
        return places;
    }
    const Beats pickUp = markedAs(midi, kPickUp, first);
    std::vector<TempoPoint> tempi;
    for (std::size_t i = 0; i < places.tempi.size(); ++i) {
        const TempoPoint& point = places.tempi[i];
        const Beats next =
            i + 1 < places.tempi.size() ? std::min(places.tempi[i + 1].at, first) : first;
        if (point.at < first) {
            places.before += Seconds((next - point.at).count() * 60.0 / point.bpm);
        }
        if (point.at <= std::min(pickUp, first)) {
            tempi.assign(1, TempoPoint{std::min(pickUp, first) - first, point.bpm});
        } else {
            tempi.push_back({point.at - first, point.bpm});
        }
    }
    const auto behind = std::ranges::lower_bound(tempi, Beats(0.0), {}, &TempoPoint::at);
    if (behind == tempi.end() || behind->at != Beats(0.0)) {
        tempi.insert(behind, TempoPoint{Beats(0.0), std::prev(behind)->bpm});
    }
    places.tempi = std::move(tempi);
    std::vector<std::pair<Beats, Meter>> meters;
    for (const auto& [at, meter] : places.meters) {
        if (at <= first) {
            meters.assign(1, {Beats(0.0), meter});
        } else {
            meters.emplace_back(at - first, meter);
        }
    }
    places.meters = std::move(meters);
    return places;
}

}  // namespace

Result<TempoMap> readMidiTempo(const std::filesystem::path& path, Meter meter, Seconds offset)
{
    auto midi = readMidi(path);
    if (!midi) {
        return tl::unexpected(midi.error());
    }
    const Places places = fromFirstBar(std::move(*midi));
    std::vector<MeterChange> meters{{1, meter}};
    Beats start{0.0};
    for (const auto& [at, found] : places.meters) {
        const double bars = (at - start) / meters.back().meter.barLength();
        const int bar = meters.back().bar + static_cast<int>(std::lround(bars));
        if (bar == meters.back().bar) {
            meters.back().meter = found;
        } else {
            start = at;
            meters.push_back({bar, found});
        }
    }
    auto map = TempoMap::create(
        offset + places.before, withoutCorrections(places.tempi), std::move(meters)
    );
    if (!map) {
        return badInput(fmt::format(
            "{}: contains a tempo map that cannot be used: {}", path.string(), map.error().message
        ));
    }
    return map;
}

Result<void> checkMidiName(const std::filesystem::path& path)
{
    if (path.extension() != ".mid" && path.extension() != ".midi") {
        return badArgument(fmt::format("{}: a tempo map must be saved as .mid", path.string()));
    }
    return {};
}

namespace {

// What leads from the song's start to the first bar line in it: a bar as long as its tempo allows, with the
// pick-up at its end.
struct LeadIn {
    Beats length;  // without the pick-up
    Meter meter;
};

// Errors: BadArgument where no tempo leads so far in so much time.
Result<LeadIn> leadInOf(Seconds time, double bpm, Beats pickUp)
{
    constexpr int kMostBeats = 32;
    for (const int denominator : {4, 8, 16, 32}) {
        const double beat = 4.0 / denominator;
        const double rest = pickUp.count() / beat;
        const auto last = static_cast<int>(std::lround(rest));
        if (last >= kMostBeats || std::abs(rest - last) > 1e-6) {
            continue;
        }
        if (time <= Seconds(0.0)) {
            return LeadIn{Beats(0.0), {last, denominator}};
        }
        const auto beats = std::lround(time.count() * bpm / 60.0 / beat);
        const auto count = static_cast<int>(std::clamp<long>(beats, 1, kMostBeats - last));
        const double tempo = count * beat * 60.0 / time.count();
        if (tempo >= 20.0 && tempo <= 400.0) {
            return LeadIn{Beats(count * beat), {count + last, denominator}};
        }
    }
    return badArgument(fmt::format(
        "the first bar line or pick-up is {:.1f} ms after the song\'s start, too close for a "
        "tempo; move it to the start",
        inMilliseconds(time)
    ));
}

class MapWriter {
public:
    MapWriter(const TempoMap& map, Seconds end) : map_(map), end_(end) {}

    Result<MidiFile> written()
    {
        int bar = map_.barAt(map_.beatsAt(Seconds(0.0)));
        while (map_.timeAt(map_.startOfBar(bar)) < Seconds(0.0)) {
            ++bar;
        }
        if (map_.timeAt(map_.startOfBar(bar)) > Seconds(0.0)) {
            if (auto led = leadTo(map_.startOfBar(bar)); !led) {
                return tl::unexpected(led.error());
            }
        } else {
            markPickUp(map_.startOfBar(bar));
        }
        while (map_.timeAt(map_.startOfBar(bar)) < end_ || midi_.notes.empty()) {
            writeBar(bar);
            ++bar;
        }
        return midi_;
    }

private:
    // From the song's start to the first bar line in it, or to the pick-up that has a tempo of its own.
    Result<void> leadTo(Beats line)
    {
        const auto own = std::ranges::find_if(map_.tempi(), [&](const TempoPoint& point) {
            return map_.timeAt(point.at) >= Seconds(0.0);
        });
        const bool hasOwn = own != map_.tempi().end() && own->at < line;
        Beats from = hasOwn ? own->at : line;
        auto leadIn = leadInOf(map_.timeAt(from), map_.bpmAt(from), line - from);
        if (!leadIn && hasOwn) {
            // No meter can be written for it: the bar as a whole still leads to the line.
            from = line;
            leadIn = leadInOf(map_.timeAt(line), map_.bpmAt(line), Beats(0.0));
        }
        if (!leadIn) {
            return tl::unexpected(leadIn.error());
        }
        midi_.meters.emplace_back(Beats(0.0), leadIn->meter);
        if (leadIn->length > Beats(0.0)) {
            step(leadIn->length, map_.timeAt(from));
        }
        markPickUp(from);
        follow(from, line);
        return {};
    }
    // The tempi before bar 1 are read back from the place where they are the map's and not the lead-in's. `from`: what
    // is written next.
    void markPickUp(Beats from)
    {
        const Beats first = std::max(map_.tempi().front().at, from);
        if (first < Beats(0.0)) {
            midi_.markers.emplace_back(at_ + (first - from), kPickUp);
        }
    }
    void writeBar(int bar)
    {
        constexpr int kFirstClick = 76;  // the high wood block of General MIDI
        constexpr int kOtherClick = 77;  // the low one
        const Meter meter = map_.meterOfBar(bar);
        if (midi_.meters.empty() || midi_.meters.back().second != meter) {
            midi_.meters.emplace_back(at_, meter);
        }
        if (bar == 1) {
            midi_.markers.emplace_back(at_, kFirstBar);
        }
        const Beats from = map_.startOfBar(bar);
        const Beats to = map_.startOfBar(bar + 1);
        for (int beat = 0; beat < meter.numerator; ++beat) {
            const Beats place = at_ + meter.beatLength() * beat;
            midi_.notes.push_back(
                {place, Beats(0.1), beat == 0 ? kFirstClick : kOtherClick, beat == 0 ? 110 : 80}
            );
        }
        follow(from, to);
    }
    // Goes where the map goes.
    void follow(Beats from, Beats to)
    {
        std::vector<Beats> ends{to};
        for (std::size_t i = 0; i < map_.tempi().size(); ++i) {
            const TempoPoint& point = map_.tempi()[i];
            if (point.at > from && point.at < to) {
                ends.push_back(point.at);
            }
            if (point.isRamp && i + 1 < map_.tempi().size()) {
                for (Beats at = std::max(point.at, from); at < std::min(map_.tempi()[i + 1].at, to);
                     at += Beats(1.0)) {
                    ends.push_back(at);
                }
            }
        }
        std::ranges::sort(ends);
        Beats last = from;
        for (const Beats end : ends) {
            // A place is a whole tick.
            const Beats whole(std::round(end.count() * kTicksOfQuarter) / kTicksOfQuarter);
            if (whole > last) {
                step(whole - last, map_.timeAt(whole));
                last = whole;
            }
        }
    }
    // Goes on by so much, to arrive at a time as nearly as whole microseconds allow.
    void step(Beats length, Seconds arrival)
    {
        constexpr double kMicroseconds = 1e6;
        const double wanted = arrival.count() * kMicroseconds - time_;
        const double pace = std::clamp(std::round(wanted / length.count()), 1.0, 16777215.0);
        if (midi_.tempi.empty() || pace != pace_) {
            midi_.tempi.push_back({at_, 60.0 * kMicroseconds / pace});
        }
        pace_ = pace;
        time_ += pace * length.count();
        at_ += length;
    }

    const TempoMap& map_;
    Seconds end_;
    MidiFile midi_;
    Beats at_{0.0};      // from the file's beginning
    double time_ = 0.0;  // microseconds, as the file plays it
    double pace_ = 0.0;  // microseconds a quarter note
};

}  // namespace

Result<void> writeMidiTempo(
    const TempoMap& map,
    Seconds end,
    const std::filesystem::path& path,
    std::span<const TimedPart> parts
)
{
    if (auto named = checkMidiName(path); !named) {
        return named;
    }
    auto midi = MapWriter(map, end).written();
    if (!midi) {
        return tl::unexpected(midi.error());
    }
    const MidiTimes played(midi->tempi);
    for (const TimedPart& part : parts) {
        MidiPart& written = midi->parts.emplace_back(MidiPart{part.name, {}});
        for (const TimedNote& note : part.notes) {
            if (note.at >= Seconds(0.0)) {
                const Beats at = played.placeAt(note.at);
                written.notes.push_back(
                    {at,
                     played.placeAt(note.at + note.length) - at,
                     note.key,
                     note.velocity,
                     note.channel}
                );
            }
        }
    }
    return writeMidi(*midi, path, MidiTracks::TempoAndNotes);
}

}  // namespace orthochron
