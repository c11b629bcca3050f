#include "core/stretch/StretchPlan.h"

#include <fmt/format.h>

#include "core/stretch/Blend.h"
#include "core/stretch/PitchGrains.h"
#include "core/stretch/SplicedSource.h"
#include "core/stretch/Tape.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace orthochron {

namespace {

// The same for what is then played `factor` times as fast, all of a take `length` long.
Treatment drawnOut(const Treatment& treatment, double factor, Frames length)
{
    std::vector<Pin> pins = treatment.time.pins();
    for (const Frames end : {Frames(0), length}) {
        const Pin pin{end, treatment.time.soundTimeOf(end)};
        if (pins.empty() || pin.take < pins.front().take) {
            pins.insert(pins.begin(), pin);
        } else if (pin.take > pins.back().take) {
            pins.push_back(pin);
        }
    }
    for (Pin& pin : pins) {
        pin.sound = Frames(std::llround(static_cast<double>(pin.sound.count()) * factor));
    }
    Treatment drawn = treatment;
    if (auto time = TimeMap::through(std::move(pins))) {
        drawn.time = std::move(*time);
    }
    drawn.semitones = 0.0;
    return drawn;
}

// A channel as a source.
class ChannelSource final : public SampleSource {
public:
    ChannelSource(Channel channel, Hertz rate) : channel_(std::move(channel)), rate_(rate) {}
    [[nodiscard]] Hertz rate() const override { return rate_; }
    [[nodiscard]] Frames frames() const override { return channel_.frames; }
    [[nodiscard]] int channels() const override { return 1; }
    [[nodiscard]] Result<void> read(Frames from, AudioBuffer& into) override
    {
        return channel_.read(from, into.channel(0));
    }

private:
    Channel channel_;
    Hertz rate_;
};

// Spliced sounds of one plan.
class SplicedPlan final : public StretchPlan {
public:
    SplicedPlan(const Treatment& treatment, std::vector<Channel> witnesses, Hertz rate)
        : time_(treatment.time),
          splices_(std::make_shared<SplicePlan>(treatment, std::move(witnesses), rate))
    {}
    [[nodiscard]] std::unique_ptr<SampleSource>
    sourceOf(std::unique_ptr<SampleSource> take, std::span<const int>) override
    {
        const Frames frames = time_.soundTimeOf(take->frames());
        return std::make_unique<SplicedSource>(splices_, std::move(take), frames);
    }

    [[nodiscard]] Result<std::vector<Splice>> splices(Frames from, Frames to) override
    {
        return splices_->splices(from, to);
    }

private:
    TimeMap time_;
    std::shared_ptr<SplicePlan> splices_;
};

}  // namespace

bool StandIns::isFor(std::int64_t passage, const std::function<bool()>& isReady)
{
    const std::scoped_lock lock(mutex_);
    const auto [known, isNew] = known_.try_emplace(passage);
    if (isNew) {
        known->second = !isReady();
    }
    return known->second;
}

void StandIns::forget()
{
    const std::scoped_lock lock(mutex_);
    known_.clear();
}

Result<void> StretchPlan::makeReady(Frames, Frames, const Work&)
{
    return {};
}

std::unique_ptr<SampleSource> StretchPlan::
    playedSourceOf(std::unique_ptr<SampleSource> take, std::span<const int> heardAs, std::shared_ptr<StandIns>)
{
    return sourceOf(std::move(take), heardAs);
}

Result<void> StretchPlan::makeStandIn(Frames, Frames, const Work&)
{
    return {};
}

bool StretchPlan::isReady(Frames)
{
    return true;
}

Result<std::vector<Splice>> StretchPlan::splices(Frames, Frames)
{
    return std::vector<Splice>();
}

namespace {

// The plan of all but a treatment's speed line.
Result<std::shared_ptr<StretchPlan>>
planEven(const Treatment& treatment, std::vector<Channel> witnesses, Hertz rate)
{
    if (!(std::abs(treatment.semitones) <= kMostSemitones)) {
        return badArgument(fmt::format(
            "the pitch can move at most {:g} semitones up or down, not {:g}",
            kMostSemitones,
            treatment.semitones
        ));
    }
    const double factor = std::exp2(treatment.semitones / 12.0);
    switch (treatment.material) {
    case Material::Hits:
    case Material::Line: {
        const bool isLine = treatment.material == Material::Line;
        if (treatment.semitones == 0.0 && treatment.pitch.empty()) {
            return std::make_shared<SplicedPlan>(treatment, std::move(witnesses), rate);
        }
        if (isLine && (!treatment.movesFormants || !treatment.pitch.empty())) {
            auto voice = std::make_unique<ChannelSource>(witnesses.front(), rate);
            auto plan = std::make_shared<SplicedPlan>(treatment, std::move(witnesses), rate);
            auto heard = plan->sourceOf(std::move(voice), std::array{0});
            return pitchMoved(std::move(plan), std::move(heard), PitchMove(treatment));
        }
        const Frames length = std::ranges::max(witnesses, {}, &Channel::frames).frames;
        return playedFaster(
            std::make_shared<SplicedPlan>(
                drawnOut(treatment, factor, length), std::move(witnesses), rate
            ),
            factor
        );
    }
    case Material::Tape:
        if (treatment.semitones != 0.0) {
            return badArgument("with tape the pitch follows the speed; use another material");
        }
        return planTape(treatment);
    case Material::Blend: break;
    }
    return planBlend(treatment, std::move(witnesses), rate);
}

}  // namespace

Result<std::shared_ptr<StretchPlan>>
planStretch(const Treatment& treatment, std::vector<Channel> witnesses, Hertz rate)
{
    if (!treatment.pitch.empty() && treatment.material != Material::Line) {
        return badArgument("only single notes can be moved one by one");
    }
    auto plan = planEven(treatment, std::move(witnesses), rate);
    if (!plan || treatment.speed.isEmpty()) {
        return plan;
    }
    return playedAlong(std::move(*plan), treatment.speed);
}

}  // namespace orthochron
