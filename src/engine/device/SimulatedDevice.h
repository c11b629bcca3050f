#pragma once

#include "engine/device/AudioDevice.h"

#include <mutex>
#include <thread>
#include <vector>

namespace orthochron::engine {

// A sound card that needs no hardware. On its clock it asks for blocks in real time and throws
// them away; by hand (for tests) it asks only when pumped and keeps what it was given.
class SimulatedDevice final : public AudioDevice {
public:
    enum class Clock { RealTime, ByHand };

    explicit SimulatedDevice(Clock clock = Clock::RealTime, int blockFrames = 256);
    ~SimulatedDevice() override;

    [[nodiscard]] Result<void> start(Hertz rate, AudioCallback callback) override;
    void stop() override;
    [[nodiscard]] std::string name() const override { return "simulated sound card"; }
    [[nodiscard]] bool isSimulated() const override { return true; }
    void detach() override { stop(); }
    [[nodiscard]] bool isAlive() override { return true; }
    [[nodiscard]] Seconds latency() const override;
    [[nodiscard]] Hertz rate() const override { return rate_; }

    // By hand only: asks for whole blocks until at least `frames` came, and gives them,
    // interleaved. The caller's thread is the audio thread meanwhile.
    std::vector<float> pump(Frames frames);

private:
    Clock clock_;
    std::size_t blockFrames_;
    Hertz rate_{0.0};
    AudioCallback callback_;
    std::jthread thread_;
};

}  // namespace orthochron::engine
