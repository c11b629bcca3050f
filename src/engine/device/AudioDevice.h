#pragma once

#include "core/base/Result.h"
#include "core/time/Units.h"

#include <functional>
#include <memory>
#include <span>
#include <string>

namespace orthochron::engine {

// Fills interleaved stereo frames. Called on the device's own thread; must not lock, allocate,
// wait or throw.
using AudioCallback = std::function<void(std::span<float> interleaved)>;

// Something that asks for sound, block by block: a sound card, or the simulated one.
//
// Threads: all functions from the control thread.
class AudioDevice {
public:
    AudioDevice() = default;
    AudioDevice(const AudioDevice&) = delete;
    AudioDevice& operator=(const AudioDevice&) = delete;
    virtual ~AudioDevice() = default;

    // Asks `callback` for sound at `rate` until stop(). Errors: Failed when the device is gone.
    [[nodiscard]] virtual Result<void> start(Hertz rate, AudioCallback callback) = 0;
    virtual void stop() = 0;
    [[nodiscard]] virtual std::string name() const = 0;
    [[nodiscard]] virtual bool isSimulated() const = 0;
};

// The system's sound card, or the simulated one when there is none that works.
[[nodiscard]] std::unique_ptr<AudioDevice> openDevice();

}  // namespace orthochron::engine
