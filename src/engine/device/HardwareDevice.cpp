#include <fmt/format.h>
#include <rtaudio/RtAudio.h>

#include "engine/device/AudioDevice.h"
#include "engine/device/OutputConverter.h"
#include "engine/device/QuietLibraries.h"
#include "engine/device/SimulatedDevice.h"

#include <algorithm>
#include <atomic>
#include <chrono>
#include <memory>
#include <thread>
#include <utility>
#include <vector>

namespace orthochron::engine {

namespace {

constexpr const char* kClientName = "Orthochron";
constexpr const char* kSimulated = "simulated";
// A server that has its hands full may turn a client away once.
constexpr int kTries = 3;
constexpr std::chrono::milliseconds kBetweenTries(50);

// Those the library was built with, in the order in which they are tried.
std::vector<RtAudio::Api> systems()
{
    std::vector<RtAudio::Api> all;
    RtAudio::getCompiledApi(all);
    std::erase_if(all, [](RtAudio::Api api) {
        return api == RtAudio::RTAUDIO_DUMMY || api == RtAudio::UNSPECIFIED;
    });
    return all;
}

// A sound card through RtAudio. Where it cannot run at the song's rate, it runs at its own and the
// sound is converted on the way out.
class HardwareDevice final : public AudioDevice {
public:
    // Null when it is not there or cannot play.
    static std::unique_ptr<HardwareDevice> open(RtAudio::Api api, const DeviceChoice& choice)
    {
        const QuietLibraries quiet;
        try {
            auto device = std::unique_ptr<HardwareDevice>(new HardwareDevice(api));
            RtAudio& audio = *device->audio_;
            audio.showWarnings(false);
            for (unsigned id = 0; id < audio.getDeviceCount(); ++id) {
                const auto info = audio.getDeviceInfo(id);
                const bool isWanted = choice.device.empty() ? id == audio.getDefaultOutputDevice()
                                                            : info.name == choice.device;
                const auto needed = static_cast<unsigned>(choice.firstChannel) + 2;
                if (!isWanted || !info.probed || info.outputChannels < needed) {
                    continue;
                }
                device->id_ = id;
                device->firstChannel_ = needed - 2;
                device->blockFrames_ = static_cast<unsigned>(choice.blockFrames);
                device->name_ = systemName(RtAudio::getApiName(api)) + ": " + info.name;
                device->rates_ = info.sampleRates;
                device->ownRate_ = info.preferredSampleRate;
                return device;
            }
        } catch (const std::exception&) {
            return nullptr;
        }
        return nullptr;
    }
    ~HardwareDevice() override { stop(); }

    Result<void> start(Hertz rate, AudioCallback callback) override
    {
        stop();
        callback_ = std::move(callback);
        const auto wanted = static_cast<unsigned>(rate.count());
        const bool fits = std::ranges::find(rates_, wanted) != rates_.end();
        const unsigned deviceRate = fits || ownRate_ == 0 ? wanted : ownRate_;
        const QuietLibraries quiet;
        try {
            const unsigned blockFrames = openStream(deviceRate);
            if (deviceRate != wanted) {
                auto converter =
                    OutputConverter::create(rate, Hertz(deviceRate), blockFrames, callback_);
                if (!converter) {
                    audio_->closeStream();
                    return tl::unexpected(converter.error());
                }
                converter_ = std::move(*converter);
            }
            isAttached_.store(true, std::memory_order_seq_cst);
            audio_->startStream();
            const auto latency = std::max<std::int64_t>(audio_->getStreamLatency(), blockFrames);
            latency_ = Seconds(static_cast<double>(latency) / deviceRate);
            rate_ = Hertz(deviceRate);
            lastHeard_ = std::chrono::steady_clock::now();
        } catch (const std::exception& error) {
            return failed(fmt::format("{}: cannot play: {}", name_, error.what()));
        }
        return {};
    }
    void stop() override
    {
        detach();
        const QuietLibraries quiet;
        if (audio_->isStreamOpen() && api_ == RtAudio::UNIX_JACK && !stillAsks()) {
            leaveToLibrary();
        }
        try {
            if (audio_ && audio_->isStreamOpen()) {
                audio_->closeStream();
            }
        } catch (const std::exception&) {
            // A device that went away while open has stopped by itself.
            callback_ = nullptr;
        }
        if (!audio_) {
            audio_ = std::make_unique<RtAudio>(api_);
        }
        converter_.reset();
        rate_ = Hertz(0.0);
    }
    void detach() override
    {
        isAttached_.store(false, std::memory_order_seq_cst);
        // A block that is being made is finished; a card that went away makes none.
        while (isAsking_.load(std::memory_order_seq_cst)) {
            std::this_thread::yield();
        }
    }
    [[nodiscard]] std::string name() const override { return name_; }
    [[nodiscard]] bool isSimulated() const override { return false; }
    [[nodiscard]] bool isAlive() override
    {
        // Far longer than any block: a machine that was asleep or swapping comes back.
        constexpr auto kSilent = std::chrono::milliseconds(1500);
        const auto now = std::chrono::steady_clock::now();
        const std::uint64_t blocks = blocks_.load(std::memory_order_relaxed);
        if (std::exchange(heardBlocks_, blocks) != blocks) {
            lastHeard_ = now;
        }
        return audio_->isStreamRunning() && now - lastHeard_ < kSilent;
    }
    [[nodiscard]] Seconds latency() const override { return latency_; }
    [[nodiscard]] Hertz rate() const override { return rate_; }

private:
    explicit HardwareDevice(RtAudio::Api api) : api_(api), audio_(std::make_unique<RtAudio>(api)) {}

    // The block it got. Errors: the library's, thrown.
    unsigned openStream(unsigned deviceRate)
    {
        unsigned blockFrames = blockFrames_;
        RtAudio::StreamParameters parameters;
        parameters.deviceId = id_;
        parameters.nChannels = 2;
        parameters.firstChannel = firstChannel_;
        RtAudio::StreamOptions options;
        options.streamName = kClientName;
        for (int tries = kTries; tries > 0 && !audio_->isStreamOpen(); --tries) {
            try {
                audio_->openStream(
                    &parameters,
                    nullptr,
                    RTAUDIO_FLOAT32,
                    deviceRate,
                    &blockFrames,
                    &HardwareDevice::ask,
                    this,
                    &options
                );
            } catch (const std::exception&) {
                if (tries == 1) {
                    throw;
                }
                std::this_thread::sleep_for(kBetweenTries);
            }
        }
        return blockFrames;
    }
    // Whether another block is asked for within the time of many.
    [[nodiscard]] bool stillAsks() const
    {
        const std::uint64_t before = blocks_.load(std::memory_order_relaxed);
        for (int i = 0; i < 150; ++i) {
            if (blocks_.load(std::memory_order_relaxed) != before) {
                return true;
            }
            std::this_thread::sleep_for(std::chrono::milliseconds(2));
        }
        return false;
    }
    // The server went away: the library closes the stream on a thread of its own, and closing it
    // here as well would free it twice. What it never closes is let be.
    void leaveToLibrary()
    {
        for (int i = 0; i < 200 && audio_->isStreamOpen(); ++i) {
            std::this_thread::sleep_for(std::chrono::milliseconds(10));
        }
        if (audio_->isStreamOpen()) {
            (void)audio_.release();
        }
    }

    static int ask(void* out, void*, unsigned frames, double, RtAudioStreamStatus, void* self)
    {
        auto* device = static_cast<HardwareDevice*>(self);
        const std::span<float> target(
            static_cast<float*>(out), static_cast<std::size_t>(frames) * 2
        );
        device->blocks_.fetch_add(1, std::memory_order_relaxed);
        device->isAsking_.store(true, std::memory_order_seq_cst);
        if (!device->isAttached_.load(std::memory_order_seq_cst)) {
            std::ranges::fill(target, 0.0F);
        } else if (device->converter_) {
            device->converter_->fill(target);
        } else {
            device->callback_(target);
        }
        device->isAsking_.store(false, std::memory_order_seq_cst);
        return 0;
    }

    RtAudio::Api api_;
    std::unique_ptr<RtAudio> audio_;
    unsigned id_ = 0;
    unsigned firstChannel_ = 0;
    unsigned blockFrames_ = 256;
    unsigned ownRate_ = 0;
    std::vector<unsigned> rates_;
    std::string name_;
    Seconds latency_{0.0};
    Hertz rate_{0.0};
    AudioCallback callback_;
    std::unique_ptr<OutputConverter> converter_;  // none where the device runs at the song's rate
    std::atomic<bool> isAttached_{false};
    std::atomic<bool> isAsking_{false};
    std::atomic<std::uint64_t> blocks_{0};
    // Control thread: when the last block was noticed.
    std::uint64_t heardBlocks_ = 0;
    std::chrono::steady_clock::time_point lastHeard_;
};

}  // namespace

std::string systemName(const std::string& system)
{
    if (system == "jack") {
        return "JACK";
    }
    if (system == "pulse") {
        return "PulseAudio";
    }
    if (system == "alsa") {
        return "ALSA";
    }
    return system;
}

std::vector<DeviceFacts> listDevices()
{
    const QuietLibraries quiet;
    std::vector<DeviceFacts> all;
    for (const RtAudio::Api api : systems()) {
        try {
            RtAudio audio(api);
            audio.showWarnings(false);
            for (unsigned id = 0; id < audio.getDeviceCount(); ++id) {
                const auto info = audio.getDeviceInfo(id);
                if (info.probed && info.outputChannels >= 2) {
                    all.push_back(
                        {RtAudio::getApiName(api),
                         info.name,
                         static_cast<int>(info.outputChannels),
                         info.isDefaultOutput}
                    );
                }
            }
        } catch (const std::exception&) {
            continue;  // a system that does not answer has no devices
        }
    }
    all.push_back({kSimulated, {}, 2, false});
    return all;
}

std::unique_ptr<AudioDevice> openDevice(const DeviceChoice& choice)
{
    for (const RtAudio::Api api : systems()) {
        const bool isChosen = choice.system == RtAudio::getApiName(api);
        if (!isChosen && !choice.system.empty()) {
            continue;
        }
        for (int tries = isChosen ? kTries : 1; tries > 0; --tries) {
            if (auto device = HardwareDevice::open(api, choice)) {
                return device;
            }
            if (tries > 1) {
                std::this_thread::sleep_for(kBetweenTries);
            }
        }
    }
    return std::make_unique<SimulatedDevice>();
}

}  // namespace orthochron::engine
