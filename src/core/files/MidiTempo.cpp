#include "core/files/MidiTempo.h"

#include <fmt/format.h>

#include "core/files/AtomicFile.h"

#include <algorithm>
#include <cmath>
#include <map>

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

struct Events {
    std::map<std::uint64_t, double> tempi;  // bpm by tick
    std::map<std::uint64_t, Meter> meters;
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
    }
}

bool readTrack(std::string_view data, Events& events)
{
    Bytes bytes(data);
    std::uint64_t tick = 0;
    std::uint32_t running = 0;
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
            const int dataBytes = kind == 0xC0U || kind == 0xD0U ? 1 : 2;
            bytes.take(static_cast<std::size_t>(dataBytes - (isRunning ? 1 : 0)));
        }
    }
    return !bytes.isOver();
}

}  // namespace

Result<TempoMap> readMidiTempo(const std::filesystem::path& path, Meter meter, Seconds offset)
{
    const auto text = readWhole(path, 64U << 20U);
    if (!text) {
        return tl::unexpected(text.error());
    }
    const auto damaged =
        badInput(fmt::format("{}: is no MIDI file, or is damaged; export it again", path.string()));
    Bytes bytes(*text);
    if (bytes.take(4) != "MThd" || bytes.number(4) < 6) {
        return damaged;
    }
    bytes.number(2);
    const std::uint32_t trackCount = bytes.number(2);
    const std::uint32_t division = bytes.number(2);
    if (division == 0 || (division & 0x8000U) != 0) {
        return badInput(fmt::format(
            "{}: counts in seconds, not in beats; export it with a tempo track", path.string()
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
    std::vector<TempoPoint> tempi;
    for (const auto& [tick, bpm] : events.tempi) {
        tempi.push_back({Beats(static_cast<double>(tick) / division), bpm});
    }
    if (tempi.empty() || tempi.front().at > Beats(0.0)) {
        tempi.insert(tempi.begin(), TempoPoint{Beats(0.0), 120.0});  // the format's own default
    }
    std::vector<MeterChange> meters{{1, meter}};
    Beats start{0.0};
    for (const auto& [tick, found] : events.meters) {
        const Beats at(static_cast<double>(tick) / division);
        const double bars = (at - start) / meters.back().meter.barLength();
        const int bar = meters.back().bar + static_cast<int>(std::lround(bars));
        if (bar == meters.back().bar) {
            meters.back().meter = found;
        } else {
            start = at;
            meters.push_back({bar, found});
        }
    }
    auto map = TempoMap::create(offset, std::move(tempi), std::move(meters));
    if (!map) {
        return badInput(fmt::format(
            "{}: holds a tempo map that cannot be used: {}", path.string(), map.error().message
        ));
    }
    return map;
}

}  // namespace orthochron
