#pragma once

#include "core/audio/SampleSource.h"
#include "core/stretch/Ringing.h"
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
        Splice splice;
        std::shared_ptr<const Ringing> ring = nullptr;  // none: as the take is
        // Before an attack a lead-in is as quiet as what gives way to it, until then.
        double leadInGain = 1.0;
        Frames risesFrom{};  // sound time
        Frames risesTo{};

        [[nodiscard]] double gainAt(Frames sound) const;
        [[nodiscard]] bool isAsTaken() const { return !ring && leadInGain == 1.0; }
    };

    [[nodiscard]] Result<std::shared_ptr<const Ringing>> ringOf(const Struck& stroke);
    [[nodiscard]] Result<Run> runOf(const Run& before, const Splice& splice);
    Result<void> play(const Run& run, Frames begin, Frames end, Frames from, AudioBuffer& into);
    Result<void> goOver(const Run& out, const Run& in, Frames from, AudioBuffer& into);

    std::shared_ptr<SplicePlan> plan_;
    std::unique_ptr<SampleSource> take_;
    Frames frames_;
    std::map<Frames, std::shared_ptr<const Ringing>> rings_;  // by the stroke
};

}  // namespace orthochron
