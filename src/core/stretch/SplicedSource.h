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
    // The gain of what is repeated: in dB, every hop of the take from a place on.
    struct Decay {
        Frames first;
        Frames hop;
        std::vector<double> decibels;
        double end = 0.0;  // after the last

        [[nodiscard]] double gainAt(Frames take) const;
    };
    struct Run {
        Frames shift;
        std::shared_ptr<const Decay> decay = nullptr;  // none: as the take is

        [[nodiscard]] double gainAt(Frames sound) const
        {
            return decay ? decay->gainAt(sound - shift) : 1.0;
        }
    };

    [[nodiscard]] Result<std::shared_ptr<const Decay>>
    decayOf(const Run& before, const Splice& next);
    Result<void> play(const Run& run, Frames begin, Frames end, Frames from, AudioBuffer& into);
    Result<void>
    goOver(const Run& out, const Run& in, const Splice& splice, Frames from, AudioBuffer& into);

    std::shared_ptr<SplicePlan> plan_;
    std::unique_ptr<SampleSource> take_;
    Frames frames_;
    std::map<Frames, std::shared_ptr<const Decay>> decays_;  // by where a splice is heard alone
};

}  // namespace orthochron
