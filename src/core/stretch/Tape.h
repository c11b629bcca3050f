#pragma once

#include "core/stretch/StretchPlan.h"

#include <functional>

namespace orthochron {

// Which place of a source is heard at a moment, never going back, and how loud.
struct PlayedPlaces {
    std::function<double(double)> placeOf;
    std::function<double(double)> gainAt;  // none: 1 everywhere
    Frames frames;                         // how long it is heard
};

// A source played at any speeds, pitch and all.
//
// By a windowed sinc of 96 taps at any place (Smith and Gossett 1984), drawn out where it is played
// faster so that nothing folds back: flat to 0.86 of the lower of both rates' highest sound, 100 dB
// down beyond it. Where a whole frame is played at 1:1 it is that frame itself.
class SpeedSource final : public SampleSource {
public:
    SpeedSource(std::unique_ptr<SampleSource> source, PlayedPlaces places);
    // At the speeds of a time map, and `factor` times as fast on top of it: frame n is what the
    // source holds at `factor` times the take time of n.
    SpeedSource(std::unique_ptr<SampleSource> source, TimeMap time, double factor = 1.0);

    [[nodiscard]] Hertz rate() const override { return source_->rate(); }
    [[nodiscard]] Frames frames() const override { return places_.frames; }
    [[nodiscard]] int channels() const override { return source_->channels(); }
    [[nodiscard]] Result<void> read(Frames from, AudioBuffer& into) override;

private:
    Result<void> readBlock(Frames from, std::int64_t offset, std::int64_t count, AudioBuffer& into);

    std::unique_ptr<SampleSource> source_;
    PlayedPlaces places_;
    std::vector<float> weights_;
};

// Frames beyond a place that its weights reach at speed 1; as many times more at a higher one.
constexpr std::int64_t kSincReach = 52;
// The weights with which the samples from `first` on are heard at a place, at a speed.
void sincWeights(double place, double speed, std::vector<float>& weights, std::int64_t& first);

[[nodiscard]] std::shared_ptr<StretchPlan> planTape(const Treatment& treatment);

// What another plan makes, played `factor` times as fast.
[[nodiscard]] std::shared_ptr<StretchPlan>
playedFaster(std::shared_ptr<StretchPlan> plan, double factor);

// The same, played along a speed line.
[[nodiscard]] std::shared_ptr<StretchPlan>
playedAlong(std::shared_ptr<StretchPlan> plan, SpeedLine speed);

}  // namespace orthochron
