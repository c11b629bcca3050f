#pragma once

#include "core/base/Result.h"
#include "core/time/Units.h"

#include <functional>
#include <memory>
#include <span>
#include <string>
#include <vector>

namespace orthochron::engine {

// Fills interleaved stereo frames. Called on the device's own thread; must not lock, allocate,
// wait or throw.
using AudioCallback = std::function<void(std::span<float> interleaved)>;

// Something that asks for sound, block by block: a sound card, or the simulated one.
//
// Threads: all functions from the control thread; stop() and the destructor from any, once detach()
// returned.
class AudioDevice {
public:
    AudioDevice() = default;
    AudioDevice(const AudioDevice&) = delete;
    AudioDevice& operator=(const AudioDevice&) = delete;
    virtual ~AudioDevice() = default;

    // Asks `callback` for sound at `rate` until stop(). Errors: Failed when the device is gone.
    [[nodiscard]] virtual Result<void> start(Hertz rate, AudioCallback callback) = 0;
    virtual void stop() = 0;
    // Never asks the callback again, from now on; the device itself may take its time to stop.
    virtual void detach() = 0;
    [[nodiscard]] virtual std::string name() const = 0;
    [[nodiscard]] virtual bool isSimulated() const = 0;
    // Whether a started device still asks for sound: false when its server or card went away.
    [[nodiscard]] virtual bool isAlive() = 0;
    // From the callback to the ear, as far as the system says; 0 before start().
    [[nodiscard]] virtual Seconds latency() const = 0;
    // The rate it runs at, which may be another than the song's; 0 before start().
    [[nodiscard]] virtual Hertz rate() const = 0;
};

// Which device to play on, as it is remembered.
struct DeviceChoice {
    std::string system;    // "jack", "pulse", "alsa", "simulated"; empty for whichever works first
    std::string device;    // its name there; empty for the system's usual one
    int firstChannel = 0;  // of the pair of outputs
    int blockFrames = 256;

    bool operator==(const DeviceChoice&) const = default;
};

// A device there is.
struct DeviceFacts {
    std::string system;
    std::string device;
    int channels = 0;
    bool isUsual = false;  // the system's own choice
};

// All devices of all sound systems that answer, the simulated one last. Takes a moment: run it as a
// job.
[[nodiscard]] std::vector<DeviceFacts> listDevices();

// The chosen device. Where it cannot be had: the simulated one.
[[nodiscard]] std::unique_ptr<AudioDevice> openDevice(const DeviceChoice& choice = {});

// A system's name for people.
[[nodiscard]] std::string systemName(const std::string& system);

}  // namespace orthochron::engine
