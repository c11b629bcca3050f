#include "engine/device/SimulatedDevice.h"

#include <chrono>

namespace orthochron::engine {

SimulatedDevice::SimulatedDevice(Clock clock, int blockFrames)
    : clock_(clock), blockFrames_(static_cast<std::size_t>(blockFrames))
{}

SimulatedDevice::~SimulatedDevice()
{
    stop();
}

Result<void> SimulatedDevice::start(Hertz rate, AudioCallback callback)
{
    stop();
    callback_ = std::move(callback);
    rate_ = rate;
    if (clock_ == Clock::ByHand) {
        return {};
    }
    thread_ = std::jthread([this, rate](const std::stop_token& stopped) {
        std::vector<float> block(blockFrames_ * 2);
        const auto period = std::chrono::duration_cast<std::chrono::steady_clock::duration>(
            std::chrono::duration<double>(static_cast<double>(blockFrames_) / rate.count())
        );
        auto next = std::chrono::steady_clock::now();
        while (!stopped.stop_requested()) {
            callback_(block);
            next += period;
            std::this_thread::sleep_until(next);
        }
    });
    return {};
}

Seconds SimulatedDevice::latency() const
{
    return rate_ > Hertz(0.0) ? Seconds(static_cast<double>(blockFrames_) / rate_.count())
                              : Seconds(0.0);
}

void SimulatedDevice::stop()
{
    if (thread_.joinable()) {
        thread_.request_stop();
        thread_.join();
    }
}

std::vector<float> SimulatedDevice::pump(Frames frames)
{
    std::vector<float> all;
    const auto wanted = static_cast<std::size_t>(frames.count()) * 2;
    std::vector<float> block(blockFrames_ * 2);
    while (all.size() < wanted) {
        callback_(block);
        all.insert(all.end(), block.begin(), block.end());
    }
    return all;
}

}  // namespace orthochron::engine
