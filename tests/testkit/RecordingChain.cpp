#include "testkit/RecordingChain.h"

#include <algorithm>
#include <cmath>

namespace orthochron::testkit {

namespace {

float loudestOf(std::span<const float> samples)
{
    float loudest = 0.0F;
    for (const float sample : samples) {
        loudest = std::max(loudest, std::abs(sample));
    }
    return loudest;
}

// Goes the better part of the way to what it is given in as long as it is given for going up or down.
class Follower {
public:
    Follower(double start, Seconds up, Seconds down, Hertz rate)
        : value_(start),
          up_(std::exp(-1.0 / (up.count() * rate.count()))),
          down_(std::exp(-1.0 / (down.count() * rate.count())))
    {}

    double next(double value)
    {
        value_ = value + (value_ - value) * (value > value_ ? up_ : down_);
        return value_;
    }

private:
    double value_;
    double up_;
    double down_;
};

void compress(const RecordingChain& chain, std::span<float> samples, double loudest, Hertz rate)
{
    Follower level(0.0, chain.attack, chain.release, rate);
    const double threshold = loudest * fromDecibels(chain.threshold);
    for (float& sample : samples) {
        const double over = level.next(std::abs(static_cast<double>(sample))) / threshold;
        if (over > 1.0) {
            sample *= static_cast<float>(std::pow(over, 1.0 / chain.ratio - 1.0));
        }
    }
}

void drive(const RecordingChain& chain, std::span<float> samples)
{
    const double gain =
        fromDecibels(chain.drive) / static_cast<double>(std::max(loudestOf(samples), 1e-9F));
    for (float& sample : samples) {
        sample = static_cast<float>(std::tanh(gain * static_cast<double>(sample)));
    }
}

void gate(const RecordingChain& chain, std::span<float> samples, Hertz rate)
{
    Follower way(1.0, milliseconds(0.5), milliseconds(30.0), rate);
    const float opens = loudestOf(samples) * static_cast<float>(fromDecibels(chain.gateOpens));
    const Frames held = toFrames(milliseconds(100.0), rate);
    Frames left = held;
    for (float& sample : samples) {
        left = std::abs(sample) > opens ? held : std::max(left - Frames(1), Frames(0));
        sample *= static_cast<float>(way.next(left > Frames(0) ? 1.0 : 0.0));
    }
}

}  // namespace

RecordingChain madeUpChain(demo::Random& random)
{
    RecordingChain chain;
    if (random.even() < 2.0 / 3.0) {
        chain.threshold = random.between(-22.0, -6.0);
        chain.ratio = random.between(2.0, 6.0);
        chain.attack = milliseconds(random.between(1.0, 30.0));
        chain.release = milliseconds(random.between(50.0, 250.0));
    }
    const double more = random.even();
    if (more < 1.0 / 3.0) {
        chain.drive = random.between(-3.0, 9.0);
    } else if (more < 2.0 / 3.0) {
        chain.gateOpens = random.between(-38.0, -20.0);
    }
    return chain;
}

void passThrough(const RecordingChain& chain, std::span<float> samples, Hertz rate)
{
    const float loudest = loudestOf(samples);
    if (loudest <= 0.0F) {
        return;
    }
    compress(chain, samples, static_cast<double>(loudest), rate);
    drive(chain, samples);
    gate(chain, samples, rate);
    const float gain = loudest / std::max(loudestOf(samples), 1e-9F);
    for (float& sample : samples) {
        sample *= gain;
    }
}

}  // namespace orthochron::testkit
