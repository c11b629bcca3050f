#pragma once

#include "core/render/Render.h"
#include "engine/playback/Click.h"
#include "engine/playback/Shaping.h"

#include <array>
#include <atomic>
#include <optional>

namespace orthochron::engine {

struct LoopRange {
    Frames from;
    Frames to;

    bool operator==(const LoopRange&) const = default;
};

// What a stream plays, fixed when it is made.
struct StreamPlan {
    std::shared_ptr<const Song> song;  // its clips as they are to be heard
    std::shared_ptr<const Sources> sources;
    std::vector<std::size_t> slots;  // of the mix, by track of the song
    std::optional<LoopRange> loop;
    std::optional<Frames> stopAt;
    ClickSound click = ClickSound::Wood;
    std::optional<TempoMap> clickOn;  // whose beats it sounds on; none for the song's
    Frames start;                     // song time of the first frame
    bool isContinuation = false;      // goes on where the playing one is, sample for sample
    float gain = 1.0F;                // loudness trim of the recorded side
    std::uint32_t startNumber = 0;    // counts plays and seeks: playing waits for the newest
    bool isRated = false;             // goes through Rate
    bool keepsPitch = true;           // there
};

// Sound rendered ahead, track by track, so that level and mute, level lines and hushes act at once.
//
// Threads: one fills (the reader), one takes (the audio callback); the constructor and destructor
// run on the reader. take* are bounded and neither lock nor allocate.
class Stream {
public:
    static constexpr std::int64_t kCapacity = 1 << 15;  // frames ahead
    static constexpr std::int64_t kChunk = 1024;

    explicit Stream(StreamPlan plan);

    // Reader: renders one chunk when there is room. False when there was none.
    bool fill();
    // Reader: whether enough is ready to begin.
    [[nodiscard]] bool isReady(std::int64_t frames) const;
    [[nodiscard]] bool hasFailed() const { return failed_; }

    // Callback: how many frames are there to take.
    [[nodiscard]] std::int64_t available() const noexcept
    {
        return written_.load(std::memory_order_acquire) - read_.load(std::memory_order_relaxed);
    }
    // Callback: adds `frames` (at most available()) to left and right, which are silent, along the lines and
    // hushes of `shaping` (null: as they were last) and through the mix's gains, then along the song's level
    // line, then the click, and moves on. `gains[slot]` are targets, reached at the end of the block.
    using Gains = std::array<std::array<float, 2>, kMixSlots>;
    void take(
        std::span<float> left,
        std::span<float> right,
        const Gains& gains,
        float click,
        const Shaping* shaping
    ) noexcept;
    // Callback: moves on without sounding.
    void skip(std::int64_t frames) noexcept { read_.fetch_add(frames, std::memory_order_release); }
    // Callback: song time of the next frame, or of one that was taken a while ago.
    [[nodiscard]] Frames position(std::int64_t ago = 0) const noexcept;
    [[nodiscard]] const StreamPlan& plan() const noexcept { return plan_; }

private:
    struct Lane {
        std::size_t slot = 0;
        int channels = 1;
        std::array<std::vector<float>, 2> sound;  // rings of kCapacity
        std::array<float, 2> gain{};              // where the last block ended
        bool hasGain = false;
        SmoothGains shape;
    };
    [[nodiscard]] Frames positionOf(std::int64_t frame) const noexcept;
    void
    render(Lane& lane, const Track& track, Frames from, std::int64_t place, std::int64_t count);
    void store(std::vector<float>& ring, std::span<const float> sound, std::int64_t place);
    // Callback: calls `see(first, count, from, leaps)` for the pieces of the next frames, each of which
    // is shaped at once and lies on one side of the loop's end.
    void eachPiece(std::size_t count, bool leaps, const auto& see) const noexcept;
    // Callback: gains of a piece; empty where all of them are 1.
    std::span<const float> shaped(
        SmoothGains& smooth, std::size_t count, bool leaps, bool isKnown, bool has, const auto& fill
    ) noexcept;
    // Callback: applies the song's level line to the tracks.
    void followSong(
        std::span<float> left, std::span<float> right, bool leaps, const Shaping* shaping
    ) noexcept;
    [[nodiscard]] bool crossLoop(const Track& track, Frames from, AudioBuffer& sound) const;

    StreamPlan plan_;
    Click click_;
    std::vector<Lane> lanes_;  // by track; the last is the click
    static constexpr std::size_t kPiece = 512;
    std::array<float, kPiece> shape_{};  // gains of the piece being taken
    SmoothGains songShape_;
    std::int64_t leapFrames_ = 240;
    std::uint64_t shapedBy_ = 0;  // the number of what the last block was shaped by
    Frames expected_;             // the song time the next block begins at unless the song leaps
    std::atomic<std::int64_t> written_{0};
    std::atomic<std::int64_t> read_{0};
    bool failed_ = false;
};

}  // namespace orthochron::engine
