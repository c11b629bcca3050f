#pragma once

#include "core/audio/SampleSource.h"
#include "core/stretch/SplicePlan.h"

#include <map>
#include <memory>

namespace orthochron {

// A take played by the splices of a plan it shares. Crossfades are matched, in each channel by itself.
class SplicedSource final : public SampleSource {
public:
    SplicedSource(
        std::shared_ptr<SplicePlan> plan, std::unique_ptr<SampleSource> take, Frames frames
    );

    [[nodiscard]] Hertz rate() const override { return take_->rate(); }
    [[nodiscard]] Frames frames() const override { return frames_; }
    [[nodiscard]] int channels() const override { return take_->channels(); }
    [[nodiscard]] Result<void> read(Frames from, AudioBuffer& into) override;

private:
    struct Run {
        Frames shift;
        double gain = 1.0;
    };

    [[nodiscard]] Result<double> gainAfter(const Splice& before, const Splice& next, double gain);
    Result<void> play(const Run& run, Frames begin, Frames end, Frames from, AudioBuffer& into);
    Result<void>
    goOver(const Run& out, const Splice& in, double inGain, Frames from, AudioBuffer& into);

    std::shared_ptr<SplicePlan> plan_;
    std::unique_ptr<SampleSource> take_;
    Frames frames_;
    std::map<Frames, double> levels_;  // by where a splice is heard alone
};

}  // namespace orthochron
