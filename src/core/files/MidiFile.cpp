#include "core/files/MidiFile.h"

#include <fmt/format.h>

#include "core/files/AtomicFile.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <optional>
#include <string>

namespace orthochron {

namespace {

// Reads bytes of a file that may hold anything; past the end it gives zeros and remembers.
class Bytes {
public:
    explicit Bytes(std::string_view data) : data_(data) {}

    std::uint32_t byte()
    {
        if (at_ >= data_.size()) {
            isOver_ = true;
            return 0;
        }
        return static_cast<unsigned char>(data_[at_++]);
    }
    std::uint32_t number(int bytes)
    {
        std::uint32_t value = 0;
        for (int i = 0; i < bytes; ++i) {
            value = value << 8U | byte();
        }
        return value;
    }
    // Seven bits a byte, four bytes at most.
    std::uint32_t variable()
    {
        std::uint32_t value = 0;
        for (int i = 0; i < 4; ++i) {
            const std::uint32_t next = byte();
            value = value << 7U | (next & 0x7FU);
            if ((next & 0x80U) == 0) {
                return value;
            }
        }
        isOver_ = true;
        return value;
    }
    std::string_view take(std::size_t count)
    {
        isOver_ = isOver_ || count > data_.size() - at_;
        const auto part = data_.substr(at_, count);
        at_ += part.size();
        return part;
    }
    [[nodiscard]] bool isOver() const { return isOver_; }
    [[nodiscard]] bool isAtEnd() const { return at_ >= data_.size(); }

private:
    std::string_view data_;
    std::size_t at_ = 0;
    bool isOver_ = false;
};

struct TickNote {
    int key = 0;
    int velocity = 0;
    int channel = 0;
    std::optional<std::uint64_t> end;  // tick; none when it is never let go
};

struct Events {
    std::map<std::uint64_t, double> tempi;  // bpm by tick
    std::map<std::uint64_t, Meter> meters;
    std::multimap<std::uint64_t, TickNote> notes;  // by tick
    std::multimap<std::uint64_t, std::string> markers;
};

void readMeta(std::uint32_t kind, std::string_view body, std::uint64_t tick, Events& events)
{
    Bytes bytes(body);
    if (kind == 0x51 && body.size() == 3) {
        const std::uint32_t microseconds = bytes.number(3);
        if (microseconds > 0) {
            events.tempi[tick] = 60e6 / microseconds;
        }
    } else if (kind == 0x58 && body.size() >= 2) {
        Meter meter;
        meter.numerator = static_cast<int>(bytes.byte());
        meter.denominator = 1 << std::min(bytes.byte(), 10U);
        events.meters[tick] = meter;
    } else if (kind == 0x06) {
        events.markers.emplace(tick, body);
    }
}

bool readTrack(std::string_view data, Events& events)
{
    Bytes bytes(data);
    std::uint64_t tick = 0;
    std::uint32_t running = 0;
    std::map<std::uint32_t, TickNote*> sounding;  // by channel and key
    while (!bytes.isAtEnd() && !bytes.isOver()) {
        tick += bytes.variable();
        std::uint32_t status = bytes.byte();
        if (status == 0xFF) {
            const std::uint32_t kind = bytes.byte();
            readMeta(kind, bytes.take(bytes.variable()), tick, events);
        } else if (status == 0xF0 || status == 0xF7) {
            bytes.take(bytes.variable());
        } else {
            const bool isRunning = status < 0x80;
            if (!isRunning) {
                running = status;
            }
            if (running < 0x80) {
                return false;
            }
            const std::uint32_t kind = running & 0xF0U;
            const std::uint32_t first = isRunning ? status : bytes.byte();
            const bool hasSecond = kind != 0xC0U && kind != 0xD0U;
            const std::uint32_t second = hasSecond ? bytes.byte() : 0U;
            const std::uint32_t voice = (running & 0x0FU) << 7U | first;
            const bool isNote = (kind == 0x90U || kind == 0x80U) && first < 128 && second < 128;
            if (isNote && kind == 0x90U && second > 0) {
                const TickNote note{
                    static_cast<int>(first),
                    static_cast<int>(second),
                    static_cast<int>(running & 0x0FU),
                    {}};
                sounding[voice] = &events.notes.emplace(tick, note)->second;
            } else if (isNote && sounding.contains(voice)) {
                sounding[voice]->end = tick;
                sounding.erase(voice);
            }
        }
    }
    return !bytes.isOver();
}

}  // namespace

Result<MidiFile> readMidi(const std::filesystem::path& path)
{
    const auto text = readWhole(path, 64U << 20U);
    if (!text) {
        return tl::unexpected(text.error());
    }
    const auto damaged =
        badInput(fmt::format("{}: is not a MIDI file or is damaged; export it again", path.string())
        );
    Bytes bytes(*text);
    if (bytes.take(4) != "MThd" || bytes.number(4) != 6) {
        return damaged;
    }
    const std::uint32_t format = bytes.number(2);
    if (format > 1 && !bytes.isOver()) {
        return badInput(fmt::format(
            "{}: contains several songs (format {}); export them one by one", path.string(), format
        ));
    }
    const std::uint32_t trackCount = bytes.number(2);
    const std::uint32_t division = bytes.number(2);
    if (division == 0 || (division & 0x8000U) != 0) {
        return badInput(fmt::format(
            "{}: is timed in seconds, not beats; export it with a tempo track", path.string()
        ));
    }
    Events events;
    for (std::uint32_t i = 0; i < trackCount && !bytes.isAtEnd(); ++i) {
        const auto kind = bytes.take(4);
        const auto body = bytes.take(bytes.number(4));
        if (bytes.isOver() || (kind == "MTrk" && !readTrack(body, events))) {
            return damaged;
        }
    }
    const auto beats = [division](std::uint64_t tick) {
        return Beats(static_cast<double>(tick) / division);
    };
    MidiFile midi;
    for (const auto& [tick, bpm] : events.tempi) {
        midi.tempi.push_back({beats(tick), bpm});
    }
    for (const auto& [tick, meter] : events.meters) {
        midi.meters.emplace_back(beats(tick), meter);
    }
    for (const auto& [tick, name] : events.markers) {
        midi.markers.emplace_back(beats(tick), name);
    }
    for (const auto& [tick, note] : events.notes) {
        const Beats length = note.end ? beats(*note.end) - beats(tick) : MidiNote{}.length;
        midi.notes.push_back({beats(tick), length, note.key, note.velocity, note.channel});
    }
    return midi;
}

namespace {

void putNumber(std::string& out, std::uint32_t value, int bytes)
{
    for (int i = bytes - 1; i >= 0; --i) {
        out += static_cast<char>(value >> (8 * i));
    }
}

void putVariable(std::string& out, std::uint32_t value)
{
    for (int shift = 21; shift > 0; shift -= 7) {
        if (value >> shift != 0) {
            out += static_cast<char>(0x80U | ((value >> shift) & 0x7FU));
        }
    }
    out += static_cast<char>(value & 0x7FU);
}

// By tick; what ends at a tick comes before what begins there.
using WrittenEvents = std::multimap<std::pair<std::uint32_t, int>, std::string>;

std::uint32_t tickOf(Beats at)
{
    return static_cast<std::uint32_t>(
        std::max<std::int64_t>(0, std::llround(at.count() * kTicksOfQuarter))
    );
}

WrittenEvents tempoEvents(const MidiFile& midi)
{
    WrittenEvents events;
    for (const auto& [at, meter] : midi.meters) {
        std::string event("\xFF\x58\x04", 3);
        event += static_cast<char>(meter.numerator);
        event += static_cast<char>(std::lround(std::log2(meter.denominator)));
        event += std::string("\x18\x08", 2);
        events.emplace(std::pair{tickOf(at), 1}, event);
    }
    for (const TempoPoint& point : midi.tempi) {
        std::string event("\xFF\x51\x03", 3);
        putNumber(event, static_cast<std::uint32_t>(std::lround(60e6 / point.bpm)), 3);
        events.emplace(std::pair{tickOf(point.at), 1}, event);
    }
    for (const auto& [at, text] : midi.markers) {
        std::string event("\xFF\x06", 2);
        putVariable(event, static_cast<std::uint32_t>(text.size()));
        events.emplace(std::pair{tickOf(at), 1}, event + text);
    }
    return events;
}

WrittenEvents noteEvents(const std::vector<MidiNote>& notes)
{
    WrittenEvents events;
    for (const MidiNote& note : notes) {
        const auto key = static_cast<char>(note.key);
        const std::uint32_t from = tickOf(note.at);
        // One that ends where it begins would be let go before it is struck.
        const std::uint32_t to = std::max(tickOf(note.at + note.length), from + 1);
        events.emplace(
            std::pair{from, 2},
            std::string{
                static_cast<char>(0x90 + note.channel), key, static_cast<char>(note.velocity)}
        );
        events.emplace(
            std::pair{to, 0}, std::string{static_cast<char>(0x80 + note.channel), key, 0}
        );
    }
    return events;
}

WrittenEvents partEvents(const MidiPart& part)
{
    WrittenEvents events = noteEvents(part.notes);
    std::string name("\xFF\x03", 2);
    putVariable(name, static_cast<std::uint32_t>(part.name.size()));
    events.emplace(std::pair{0U, -1}, name + part.name);
    return events;
}

void putTrack(std::string& file, const WrittenEvents& events)
{
    std::string track;
    std::uint32_t last = 0;
    for (const auto& [place, event] : events) {
        putVariable(track, place.first - last);
        last = place.first;
        track += event;
    }
    track += std::string("\x00\xFF\x2F\x00", 4);
    file += "MTrk";
    putNumber(file, static_cast<std::uint32_t>(track.size()), 4);
    file += track;
}

}  // namespace

Result<void> writeMidi(const MidiFile& midi, const std::filesystem::path& path, MidiTracks tracks)
{
    const bool isOne = tracks == MidiTracks::One;
    WrittenEvents first = tempoEvents(midi);
    WrittenEvents second = noteEvents(midi.notes);
    if (isOne) {
        first.merge(second);
    }
    std::string file = "MThd";
    putNumber(file, 6, 4);
    putNumber(file, isOne ? 0 : 1, 2);
    putNumber(file, isOne ? 1 : 2 + static_cast<std::uint32_t>(midi.parts.size()), 2);
    putNumber(file, kTicksOfQuarter, 2);
    putTrack(file, first);
    if (!isOne) {
        putTrack(file, second);
        for (const MidiPart& part : midi.parts) {
            putTrack(file, partEvents(part));
        }
    }
    return writeAtomically(path, file);
}

MidiTimes::MidiTimes(const std::vector<TempoPoint>& tempi)
{
    knots_.push_back({Beats(0.0), Seconds(0.0), TempoPoint{}.bpm});
    for (const TempoPoint& point : tempi) {
        const Seconds time = timeAt(point.at);
        if (point.at == knots_.back().place) {
            knots_.back().bpm = point.bpm;
        } else {
            knots_.push_back({point.at, time, point.bpm});
        }
    }
}

Seconds MidiTimes::timeAt(Beats place) const
{
    const auto next = std::ranges::upper_bound(knots_, place, {}, &Knot::place);
    const Knot& knot = next == knots_.begin() ? *next : *std::prev(next);
    return knot.time + Seconds((place - knot.place).count() * 60.0 / knot.bpm);
}

Beats MidiTimes::placeAt(Seconds time) const
{
    const auto next = std::ranges::upper_bound(knots_, time, {}, &Knot::time);
    const Knot& knot = next == knots_.begin() ? *next : *std::prev(next);
    return knot.place + Beats((time - knot.time).count() * knot.bpm / 60.0);
}

}  // namespace orthochron
