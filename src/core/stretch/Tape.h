#pragma once

#include "core/stretch/StretchPlan.h"

#include <functional>
#include <memory>
#include <span>
#include <vector>

namespace orthochron {

// A windowed sinc of 96 taps (Smith and Gossett 1984) for one speed, made ready at 512 places between two
// frames and read in between by a straight line (116 dB down). Drawn out where it is played faster, so that
// nothing folds back: flat to 0.86 of the lower of both rates' highest sound, 100 dB down beyond it.
class SincBank {
public:
    explicit SincBank(double speed);
    // That of every speed up to 1.
    [[nodiscard]] static const SincBank& slow();

    // Whether it is made for a speed, as far as that can be told from two places.
    [[nodiscard]] bool isFor(double speed) const;
    // What is heard at a place of samples of which the first is frame `first`.
    [[nodiscard]] float at(double place, std::span<const float> samples, std::int64_t first) const;

private:
    double speed_;
    std::int64_t reach_;
    std::size_t taps_;         // from reach - 1 frames before the place's own to reach behind it
    std::vector<float> rows_;  // one for each place, and one more
};

using SincBanks = std::vector<std::shared_ptr<const SincBank>>;
// Those of the speeds above 1 a time map is played at, `factor` times as fast on top of it; none where
// there are too many to be kept.
[[nodiscard]] SincBanks banksOf(const TimeMap& time, double factor = 1.0);

// Which place of a source is heard at a moment, never going back, and how loud.
struct PlayedPlaces {
    std::function<double(double)> placeOf;
    std::function<double(double)> gainAt;  // none: 1 everywhere
    Frames frames;                         // how long it is heard
};

// A source played at any speeds, pitch and all, by the weights of SincBank. Where a whole frame is played at
// 1:1 it is that frame itself.
class SpeedSource final : public SampleSource {
public:
    SpeedSource(std::unique_ptr<SampleSource> source, PlayedPlaces places);
    // At the speeds of a time map, and `factor` times as fast on top of it: frame n is what the
    // source holds at `factor` times the take time of n.
    // Weights that are at hand need not be worked out for each frame.
    SpeedSource(
        std::unique_ptr<SampleSource> source,
        TimeMap time,
        double factor = 1.0,
        SincBanks atHand = {}
    );

    [[nodiscard]] Hertz rate() const override { return source_->rate(); }
    [[nodiscard]] Frames frames() const override { return places_.frames; }
    [[nodiscard]] int channels() const override { return source_->channels(); }
    [[nodiscard]] Result<void> read(Frames from, AudioBuffer& into) override;

private:
    Result<void> readBlock(Frames from, std::int64_t offset, std::int64_t count, AudioBuffer& into);
    // The weights that are at hand for a speed; null for none.
    [[nodiscard]] const SincBank* bankFor(double speed) const;

    std::unique_ptr<SampleSource> source_;
    PlayedPlaces places_;
    SincBanks banks_;
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
