#pragma once

#include "core/stretch/StretchPlan.h"

namespace orthochron {

// A source played at the speeds of a time map, pitch and all, and `factor` times as fast on top of
// it: frame n of it is what the source holds at `factor` times the take time of n.
//
// By a windowed sinc of 96 taps at any place (Smith and Gossett 1984), drawn out where it is played
// faster so that nothing folds back: flat to 0.86 of the lower of both rates' highest sound, 100 dB
// down beyond it. Where a whole frame is played at 1:1 it is that frame itself.
class SpeedSource final : public SampleSource {
public:
    SpeedSource(std::unique_ptr<SampleSource> source, TimeMap time, double factor = 1.0);

    [[nodiscard]] Hertz rate() const override { return source_->rate(); }
    [[nodiscard]] Frames frames() const override { return frames_; }
    [[nodiscard]] int channels() const override { return source_->channels(); }
    [[nodiscard]] Result<void> read(Frames from, AudioBuffer& into) override;

private:
    Result<void> readBlock(Frames from, std::int64_t offset, std::int64_t count, AudioBuffer& into);

    std::unique_ptr<SampleSource> source_;
    TimeMap time_;
    double factor_;
    Frames frames_;
    std::vector<float> weights_;
};

[[nodiscard]] std::shared_ptr<StretchPlan> planTape(const Treatment& treatment);

// What another plan makes, played `factor` times as fast.
[[nodiscard]] std::shared_ptr<StretchPlan>
playedFaster(std::shared_ptr<StretchPlan> plan, double factor);

}  // namespace orthochron
