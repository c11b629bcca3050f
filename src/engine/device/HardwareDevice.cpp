#include <fcntl.h>
#include <fmt/format.h>
#include <rtaudio/RtAudio.h>
#include <unistd.h>

#include "engine/device/AudioDevice.h"
#include "engine/device/OutputConverter.h"
#include "engine/device/SimulatedDevice.h"

#include <algorithm>
#include <vector>

namespace orthochron::engine {

namespace {

// Where there is no card or no server, the sound libraries complain on the terminal in a dozen lines
// of their own. While one of these lives they go nowhere; what matters is said in the window.
class QuietLibraries {
public:
    QuietLibraries()
        : kept_(::dup(STDERR_FILENO)), nowhere_(::open("/dev/null", O_WRONLY | O_CLOEXEC))
    {
        if (kept_ >= 0 && nowhere_ >= 0) {
            ::dup2(nowhere_, STDERR_FILENO);
        }
    }
    QuietLibraries(const QuietLibraries&) = delete;
    QuietLibraries& operator=(const QuietLibraries&) = delete;
    ~QuietLibraries()
    {
        if (kept_ >= 0) {
            ::dup2(kept_, STDERR_FILENO);
            ::close(kept_);
        }
        if (nowhere_ >= 0) {
            ::close(nowhere_);
        }
    }

private:
    int kept_;
    int nowhere_;
};

// The system's default output through RtAudio. Where it cannot run at the song's rate, it runs at
// its own and the sound is converted on the way out.
class HardwareDevice final : public AudioDevice {
public:
    static std::unique_ptr<HardwareDevice> open()
    {
        const QuietLibraries quiet;
        try {
            auto device = std::unique_ptr<HardwareDevice>(new HardwareDevice);
            device->audio_.showWarnings(false);
            if (device->audio_.getDeviceCount() == 0) {
                return nullptr;
            }
            device->id_ = device->audio_.getDefaultOutputDevice();
            const auto info = device->audio_.getDeviceInfo(device->id_);
            if (!info.probed || info.outputChannels < 2) {
                return nullptr;
            }
            device->name_ = info.name;
            device->rates_ = info.sampleRates;
            device->ownRate_ = info.preferredSampleRate;
            return device;
        } catch (const std::exception&) {
            return nullptr;
        }
    }
    ~HardwareDevice() override { stop(); }

    Result<void> start(Hertz rate, AudioCallback callback) override
    {
        stop();
        callback_ = std::move(callback);
        const auto wanted = static_cast<unsigned>(rate.count());
        const bool fits = std::ranges::find(rates_, wanted) != rates_.end();
        const unsigned deviceRate = fits || ownRate_ == 0 ? wanted : ownRate_;
        unsigned blockFrames = 256;
        const QuietLibraries quiet;
        RtAudio::StreamParameters parameters;
        parameters.deviceId = id_;
        parameters.nChannels = 2;
        try {
            audio_.openStream(
                &parameters,
                nullptr,
                RTAUDIO_FLOAT32,
                deviceRate,
                &blockFrames,
                &HardwareDevice::ask,
                this
            );
            if (deviceRate != wanted) {
                auto converter =
                    OutputConverter::create(rate, Hertz(deviceRate), blockFrames, callback_);
                if (!converter) {
                    audio_.closeStream();
                    return tl::unexpected(converter.error());
                }
                converter_ = std::move(*converter);
            }
            audio_.startStream();
        } catch (const std::exception& error) {
            return failed(fmt::format("{}: cannot play: {}", name_, error.what()));
        }
        return {};
    }
    void stop() override
    {
        try {
            if (audio_.isStreamOpen()) {
                audio_.closeStream();
            }
        } catch (const std::exception&) {
            // A device that went away while open has stopped by itself.
            callback_ = nullptr;
        }
        converter_.reset();
    }
    [[nodiscard]] std::string name() const override { return name_; }
    [[nodiscard]] bool isSimulated() const override { return false; }

private:
    HardwareDevice() = default;

    static int ask(void* out, void*, unsigned frames, double, RtAudioStreamStatus, void* self)
    {
        auto* device = static_cast<HardwareDevice*>(self);
        const std::span<float> target(
            static_cast<float*>(out), static_cast<std::size_t>(frames) * 2
        );
        if (device->converter_) {
            device->converter_->fill(target);
        } else {
            device->callback_(target);
        }
        return 0;
    }

    RtAudio audio_;
    unsigned id_ = 0;
    unsigned ownRate_ = 0;
    std::vector<unsigned> rates_;
    std::string name_;
    AudioCallback callback_;
    std::unique_ptr<OutputConverter> converter_;  // none where the device runs at the song's rate
};

}  // namespace

std::unique_ptr<AudioDevice> openDevice()
{
    if (auto device = HardwareDevice::open()) {
        return device;
    }
    return std::make_unique<SimulatedDevice>();
}

}  // namespace orthochron::engine
