#include "core/shape/Spin.h"

#include <gtest/gtest.h>

#include "core/stretch/Tape.h"
#include "testkit/Rate.h"

#include <cmath>
#include <numbers>

// Speed lines and spins, and what is heard along them.
namespace orthochron {
namespace {

class Sweep final : public SampleSource {
public:
    explicit Sweep(std::function<double(double)> sound) : sound_(std::move(sound)) {}
    [[nodiscard]] Hertz rate() const override { return kRate; }
    [[nodiscard]] Frames frames() const override { return Frames(480000); }
    [[nodiscard]] int channels() const override { return 1; }
    [[nodiscard]] Result<void> read(Frames from, AudioBuffer& into) override
    {
        for (std::int64_t i = 0; i < into.frames().count(); ++i) {
            into.channel(0)[static_cast<std::size_t>(i)] =
                static_cast<float>(sound_(static_cast<double>(from.count() + i)));
        }
        return {};
    }

private:
    std::function<double(double)> sound_;
};

std::vector<float>
along(const SpeedLine& line, std::function<double(double)> sound, Frames from, Frames to)
{
    Treatment treatment;
    treatment.material = Material::Tape;
    const auto plan = playedAlong(planTape(treatment), line);
    const auto source = plan->sourceOf(std::make_unique<Sweep>(std::move(sound)), {});
    AudioBuffer heard(1, to - from);
    EXPECT_TRUE(source->read(from, heard));
    return {heard.channel(0).begin(), heard.channel(0).end()};
}

TEST(SpeedLine, HearsTheIntegralOfItsSpeed)
{
    const auto line = SpeedLine::through(
        {{Frames(1000), 1.0, 0.4}, {Frames(9000), 0.2, -0.7}, {Frames(20000), 3.0}}
    );
    ASSERT_TRUE(line);
    double place = 1000.0;
    for (int at = 1000; at < 20000; ++at) {
        EXPECT_NEAR(line->placeOf(at), place, 1e-3) << at;
        // Simpson's rule over each frame.
        place +=
            (line->speedAt(at) + 4.0 * line->speedAt(at + 0.5) + line->speedAt(at + 1.0 - 1e-9)) /
            6.0;
    }
    EXPECT_EQ(line->placeOf(500.0), 500.0);
    EXPECT_NEAR(line->placeOf(21000.0) - line->placeOf(20000.0), 1000.0, 1e-6);
    for (const double at : {500.0, 3000.0, 15000.0, 25000.0}) {
        EXPECT_NEAR(line->heardAt(line->placeOf(at)), at, 1e-3);
    }
}

TEST(SpeedLine, RefusesWhatCannotBe)
{
    EXPECT_FALSE(SpeedLine::through({{Frames(0), 1.0}}));
    EXPECT_FALSE(SpeedLine::through({{Frames(5), 1.0}, {Frames(5), 0.0}}));
    EXPECT_FALSE(SpeedLine::through({{Frames(0), 1.0}, {Frames(9), -0.1}}));
    EXPECT_FALSE(SpeedLine::through({{Frames(0), 1.0}, {Frames(9), 4.5}}));
    EXPECT_FALSE(SpeedLine::through({{Frames(0), std::nan("")}, {Frames(9), 1.0}}));
    EXPECT_TRUE(SpeedLine::through({}));
}

TEST(Spin, LeavesWhatIsBetweenWhereItWas)
{
    Spins spins;
    spins.up = Spin{Frames(4800), 0.5};
    spins.down = Spin{Frames(9600), -0.3, 0.25};
    spins.followsLevel = false;
    const auto line = speedOf(spins, Frames(10000), Frames(60000));
    ASSERT_TRUE(line);
    EXPECT_NEAR(line->placeOf(14800.0), 14800.0, 1e-6);
    EXPECT_NEAR(line->placeOf(40000.0), 40000.0, 1e-6);
    EXPECT_NEAR(line->placeOf(50400.0), 50400.0, 1e-6);
    EXPECT_GT(line->placeOf(10000.0), 10000.0);
    EXPECT_LT(line->placeOf(60000.0), 60000.0);
    EXPECT_EQ(spinsOf(*line, Frames(10000), Frames(60000)), spins);
    spins.down.reset();
    EXPECT_EQ(
        spinsOf(*speedOf(spins, Frames(10000), Frames(60000)), Frames(10000), Frames(60000)), spins
    );
}

TEST(Spin, RefusesToBeLongerThanItsClip)
{
    EXPECT_FALSE(speedOf({{}, Spin{Frames(101)}}, Frames(0), Frames(100)));
    EXPECT_FALSE(speedOf({Spin{Frames(60)}, Spin{Frames(60)}}, Frames(0), Frames(100)));
    EXPECT_FALSE(speedOf({{}, Spin{Frames(0)}}, Frames(0), Frames(100)));
    EXPECT_TRUE(speedOf({Spin{Frames(50)}, Spin{Frames(50)}}, Frames(0), Frames(100)));
}

TEST(Spin, IsHeardAtTheIntegralOfItsLineAndStandsStillInSilence)
{
    // What is heard of a slow ramp says which place of it is heard.
    const auto line = *speedOf({{}, Spin{Frames(48000)}, false}, Frames(0), Frames(96000));
    const auto heard = along(
        line, [](double at) { return at / 480000.0; }, Frames(48000), Frames(95000)
    );
    for (std::size_t i = 0; i < heard.size(); i += 97) {
        const double at = 48000.0 + static_cast<double>(i);
        if (line.speedAt(at) > 0.06) {
            EXPECT_NEAR(static_cast<double>(heard[i]) * 480000.0, line.placeOf(at), 1.0);
        }
    }
    for (const bool followsLevel : {false, true}) {
        const auto still = along(
            *speedOf({{}, Spin{Frames(48000)}, followsLevel}, Frames(0), Frames(96000)),
            [](double at) { return 0.9 * std::sin(2.0 * std::numbers::pi * 220.0 * at / 48000.0); },
            Frames(48000),
            Frames(96000)
        );
        for (std::size_t i = still.size() - 200; i < still.size(); ++i) {
            EXPECT_LT(std::abs(still[i]), 1e-4F);
        }
        for (std::size_t i = 1; i < still.size(); ++i) {
            EXPECT_LT(std::abs(still[i] - still[i - 1]), 0.03F);
        }
    }
}

TEST(Spin, FoldsNothingBackWhereItRunsFaster)
{
    // A high sine played at twice its speed lies above what there can be: nothing of it is left.
    const auto line = *SpeedLine::through({{Frames(0), 2.0}, {Frames(48000), 2.0}}, false);
    const auto heard = along(
        line,
        [](double at) { return std::sin(2.0 * std::numbers::pi * 15000.0 * at / 48000.0); },
        Frames(4000),
        Frames(20000)
    );
    double most = 0.0;
    for (const float value : heard) {
        most = std::max(most, static_cast<double>(std::abs(value)));
    }
    EXPECT_LT(toDecibels(most), -90.0);
}

}  // namespace
}  // namespace orthochron
