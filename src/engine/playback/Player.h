#pragma once

#include "engine/device/AudioDevice.h"
#include "engine/playback/Handover.h"
#include "engine/playback/Rate.h"
#include "engine/playback/Ring.h"
#include "engine/playback/Squeeze.h"
#include "engine/playback/Stream.h"
#include "engine/playback/StretchAhead.h"
#include "engine/playback/Trial.h"

#include <condition_variable>
#include <map>
#include <mutex>
#include <thread>

namespace orthochron::engine {

enum class Side { Recorded, Edited };

// Plays a song: transport, loop, click, recorded against edited, levels.
//
// Threads: every public function from the control thread (the GUI's). A reader thread renders
// ahead and opens new streams; the audio callback takes from them and never waits. What changes
// clips or place (an edit, a seek, the other side) is a new stream, faded into within 10 ms; what is
// laid over them (levels, lines, hushes) is heard from the next block on.
class Player {
public:
    explicit Player(std::unique_ptr<AudioDevice> device);
    Player(const Player&) = delete;
    Player& operator=(const Player&) = delete;
    ~Player();

    // The song as it now is. Heard at once when playing; mute, level and pan, level lines and hushes without
    // a new stream, from the next block on.
    void setSong(std::shared_ptr<const Song> song, std::shared_ptr<const Sources> sources);
    void play();
    void stop();
    void seek(Frames songTime);
    // Plays from `from` to `to` and stops there.
    void playRange(Frames from, Frames to);
    void setLoop(std::optional<LoopRange> loop);
    void setSide(Side side);
    void setClick(const ClickSettings& click);
    // Clicks on the beats of another map, whether the click is on or off; none for the song's own.
    void setClickOn(std::optional<TempoMap> map);
    // Gain of the recorded side that makes it as loud as the edited one.
    void setRecordedTrim(double decibels);
    void setMasterLevel(double decibels);
    // Listens through a heavy compressor; see Squeeze.
    void setSqueezed(bool isSqueezed);
    [[nodiscard]] bool isSqueezed() const { return squeezed_.load(std::memory_order_relaxed); }
    // How fast all is played, click and cursor with it; kept within its limits.
    void setRate(const RateSettings& rate);
    [[nodiscard]] const RateSettings& rate() const { return rate_; }
    // Tries a passage at other pitches; none ends it.
    void setTrial(std::shared_ptr<const Trial> trial);
    // Holds one of its pitches, heard from the next block on also while nothing plays, or lets go. It goes on
    // from the song's place in the passage, or `isAnew` from its beginning.
    void holdPitch(std::optional<int> semitones, bool isAnew = false);
    // Hears these tracks alone, whatever is muted or soloed; none for the song as it is.
    void setAlone(std::vector<TrackId> tracks);

    [[nodiscard]] bool isPlaying() const { return isPlaying_.load(std::memory_order_acquire); }
    // Whether it sounds or is about to: what is asked for begins only once enough is rendered.
    [[nodiscard]] bool isWanted() const
    {
        return wantedStart_.load(std::memory_order_acquire) != kNoStart;
    }
    [[nodiscard]] Frames position() const
    {
        return Frames(position_.load(std::memory_order_acquire));
    }
    [[nodiscard]] Side side() const { return side_; }
    [[nodiscard]] const ClickSettings& click() const { return click_; }
    [[nodiscard]] const std::optional<LoopRange>& loop() const { return loop_; }
    // Blocks that came short since the start.
    [[nodiscard]] std::int64_t dropouts() const
    {
        return dropouts_.load(std::memory_order_relaxed);
    }
    // The highest sample of each side since the last call.
    [[nodiscard]] std::array<float, 2> peaks();
    [[nodiscard]] AudioDevice& device() { return *device_; }
    [[nodiscard]] const AudioDevice& device() const { return *device_; }
    // Goes on with another device from where it is. Gives the one before, detached: it may take a
    // while to stop, so it is best dropped on another thread.
    [[nodiscard]] std::unique_ptr<AudioDevice> exchangeDevice(std::unique_ptr<AudioDevice> device);
    // Whether stretched sound just ahead of the playhead is still being made.
    [[nodiscard]] bool isMakingReady() const { return ahead_.isBusy(); }
    // A sentence when the device could not be started.
    [[nodiscard]] const std::string& trouble() const { return trouble_; }

    // Waits until the reader has done all that was asked of it and filled what it can; for tests
    // that pump by hand.
    void settle();

private:
    struct Request {
        Frames at;
        bool isContinuation = false;
        std::optional<Frames> stopAt;
        std::uint32_t startNumber = 0;
    };

    void request(Frames at, bool isContinuation, std::optional<Frames> stopAt = {});
    void refresh();
    void startDevice();
    void startDeviceAt(Hertz rate);
    void updateMix();
    void giveSlots();
    void readAhead(const std::stop_token& stopped);
    [[nodiscard]] bool serve();
    // Where sound is to be made ready: where it is about to begin, or where it plays.
    [[nodiscard]] Frames aheadPlace();
    [[nodiscard]] StreamPlan planFor(const Request& request) const;
    void callback(std::span<float> interleaved) noexcept;
    void mixBlock(std::span<float> left, std::span<float> right) noexcept;
    // A block as it is heard: of the mix, or of what the rate made of it. False while there is nothing yet.
    [[nodiscard]] bool nextBlock(std::span<float> left, std::span<float> right) noexcept;
    void turnPitch() noexcept;
    void sound(Stream& stream, std::span<float> left, std::span<float> right) noexcept;
    void adopt() noexcept;
    void retire(Stream* stream) noexcept;

    std::unique_ptr<AudioDevice> device_;
    std::string trouble_;
    Hertz deviceRate_{0.0};

    // Control thread.
    Side side_ = Side::Edited;
    ClickSettings click_;
    std::optional<LoopRange> loop_;
    RateSettings rate_;
    std::optional<Frames> stopAt_;  // where what plays ends, when a range of the song was asked for
    // Which of the mix a track has. One that is gone keeps it until another needs it: undo may bring it back, and
    // what it plays may still be fading.
    std::map<TrackId, std::size_t> slots_;
    std::uint64_t slotsGiven_ = 0;
    std::vector<TrackId> alone_;
    std::uint64_t shapings_ = 0;  // given so far
    bool isPitchHeld_ = false;
    std::uint32_t pitchesHeld_ = 0;

    // Between control and reader, under mutex_.
    std::mutex mutex_;
    std::condition_variable wake_;
    std::condition_variable idle_;
    std::shared_ptr<const Song> song_;
    std::shared_ptr<const Sources> sources_;
    std::optional<Request> wanted_;
    std::optional<TempoMap> clickOn_;
    bool isServing_ = false;
    bool isFull_ = false;  // the callback has yet to take a stream before it can be given another
    std::uint64_t idleRounds_ = 0;   // of the reader, in which there was nothing to do
    std::uint64_t roundsAsked_ = 0;  // up to which it goes on although nothing plays
    double recordedTrim_ = 0.0;

    // Reader.
    std::vector<std::unique_ptr<Stream>> streams_;
    // Since when what is asked for waits to be stretched, while what plays goes on; not for long, for what cannot be
    // made is said where it is read.
    std::optional<std::chrono::steady_clock::time_point> heldBack_;

    // Between reader and callback.
    Ring<Stream*, 16> incoming_;
    Ring<Stream*, 64> retired_;

    static constexpr std::uint32_t kNoStart = 0;

    // Control to callback.
    struct Slot {
        std::atomic<float> left{0.0F};
        std::atomic<float> right{0.0F};
    };
    std::array<Slot, kMixSlots> mix_;
    std::atomic<float> clickGain_{0.0F};
    std::atomic<float> master_{1.0F};
    std::atomic<bool> squeezed_{false};
    Handover<Trial> trial_;
    Handover<Shaping> shaping_;
    // What is held of it: how often something was, whether anew, and 64 more than the semitones; 0 is none.
    std::atomic<std::uint32_t> heldPitch_{0};
    // The number of the start that is to sound. By number, so that the end of an older one never stops
    // the one that was just asked for.
    std::atomic<std::uint32_t> wantedStart_{kNoStart};
    std::atomic<std::uint32_t> startNumber_{0};

    // Callback to control.
    std::atomic<bool> isPlaying_{false};
    std::atomic<std::int64_t> position_{0};
    std::atomic<std::int64_t> mixedPosition_{0};  // what is mixed next; ahead of what is heard
    std::atomic<std::int64_t> dropouts_{0};
    std::array<std::atomic<float>, 2> peaks_{};

    // Callback's own.
    Stream* active_ = nullptr;
    Stream* fading_ = nullptr;
    Stream* pending_ = nullptr;
    std::int64_t faded_ = 0;
    std::int64_t fadeFrames_ = 480;
    float run_ = 0.0F;  // 0 stopped .. 1 playing
    Squeeze squeeze_;
    static constexpr std::size_t kBlock = 512;
    const Trial* heardTrial_ = nullptr;
    std::uint32_t heardPitch_ = 0;
    TrialVoice voice_;
    bool isRated_ = false;
    bool keepsPitch_ = true;
    const Shaping* heardShaping_ = nullptr;
    bool isChangingPath_ = false;  // what plays is faded out, for what comes goes another way
    std::array<float, kBlock> left_{}, right_{}, oldLeft_{}, oldRight_{};
    std::array<float, kBlock> mixedLeft_{}, mixedRight_{};
    Stream::Gains gains_{};
    Rate played_;

    StretchAhead ahead_{[this] { return StretchAhead::Playhead{aheadPlace(), isWanted()}; }};
    std::jthread reader_;
};

// What the recorded side plays from `at` on: every mic set as it was recorded, without its fit,
// laid so that the moment of the take that lies under `at` stays there.
[[nodiscard]] Song asRecorded(const Song& song, Frames at);

}  // namespace orthochron::engine
