#include "core/shape/LevelLine.h"

#include <gtest/gtest.h>

#include "core/shape/Bend.h"
#include "testkit/Rate.h"

#include <cmath>
#include <random>

// Level lines: exact at their points, as they should be between them, and the same however they are read.
namespace orthochron {
namespace {

class LevelLines : public testing::Test {
protected:
    // Places in seconds.
    static LevelLine through(std::vector<LevelPoint> points)
    {
        LevelLine line{std::move(points), Keeps::Time};
        EXPECT_TRUE(checkLine(line));
        return line;
    }
    [[nodiscard]] double levelAt(const LevelLine& line, double seconds) const
    {
        return HeardLine(line, map_, kRate).levelAt(toFrames(Seconds(seconds), kRate));
    }
    [[nodiscard]] std::vector<float>
    gains(const LevelLine& line, double from, std::size_t count) const
    {
        std::vector<float> read(count);
        HeardLine(line, map_, kRate).gains(toFrames(Seconds(from), kRate), read);
        return read;
    }
    TempoMap map_;
};

TEST_F(LevelLines, IsStraightInDecibelsAndHoldsItsEnds)
{
    const LevelLine line = through({{HeldPlace(1.0), -6.0}, {HeldPlace(3.0), 6.0}});
    EXPECT_DOUBLE_EQ(levelAt(line, 0.0), -6.0);
    EXPECT_NEAR(levelAt(line, 1.0), -6.0, 1e-9);
    EXPECT_NEAR(levelAt(line, 1.5), -3.0, 1e-9);
    EXPECT_NEAR(levelAt(line, 3.0), 6.0, 1e-9);
    EXPECT_NEAR(levelAt(line, 100.0), 6.0, 1e-9);
}

TEST_F(LevelLines, GoesToSilenceByTheCubeOfWhatIsLeft)
{
    const LevelLine line = through({{HeldPlace(0.0), 0.0}, {HeldPlace(2.0), kSilence}});
    const HeardLine heard(line, map_, kRate);
    for (const double part : {0.1, 0.5, 0.9, 0.99}) {
        EXPECT_NEAR(
            heard.gainAt(toFrames(Seconds(2.0 * part), kRate)), std::pow(1.0 - part, 3.0), 1e-9
        );
    }
    EXPECT_EQ(heard.gainAt(toFrames(Seconds(2.0), kRate)), 0.0);
    EXPECT_EQ(levelAt(line, 5.0), kSilence);
}

TEST_F(LevelLines, BendsOverAndUnderTheStraightWhicheverWayItGoes)
{
    for (const auto& [from, to] :
         {std::pair{-12.0, 0.0}, {0.0, -12.0}, {0.0, kSilence}, {kSilence, 0.0}}) {
        const auto bent = [&](double bend) {
            return through({{HeldPlace(0.0), from, bend}, {HeldPlace(1.0), to}});
        };
        double last = levelAt(bent(0.5), 0.0);
        for (double at = 0.1; at < 0.95; at += 0.1) {
            EXPECT_GT(levelAt(bent(0.5), at), levelAt(bent(0.0), at));
            EXPECT_LT(levelAt(bent(-0.5), at), levelAt(bent(0.0), at));
            // Never back.
            const double here = levelAt(bent(0.5), at);
            EXPECT_TRUE(to > from ? here > last : here < last);
            last = here;
        }
        EXPECT_EQ(levelAt(bent(0.9), 1.0), levelAt(bent(0.0), 1.0));
    }
}

TEST_F(LevelLines, IsBentThroughWhereThePointerIs)
{
    for (const auto& [from, to] :
         {std::pair{-12.0, 0.0}, {0.0, -12.0}, {0.0, kSilence}, {kSilence, 0.0}}) {
        const LevelLine straight = through({{HeldPlace(0.0), from}, {HeldPlace(1.0), to}});
        const LevelLine bent = lines::bentThrough(straight, 0, 0.4, -7.0);
        EXPECT_NEAR(levelAt(bent, 0.4), -7.0, 0.01) << from << " to " << to;
    }
}

TEST_F(LevelLines, AStepHoldsAndIsDoneAtItsPoint)
{
    const LevelLine line = through({{HeldPlace(0.0), 0.0, 0.0, true}, {HeldPlace(1.0), kSilence}});
    EXPECT_EQ(levelAt(line, 0.994), 0.0);
    EXPECT_LT(levelAt(line, 0.9975), 0.0);
    EXPECT_EQ(levelAt(line, 1.0), kSilence);
    // No step and no kink: neither the gain nor its slope jumps.
    const auto read = gains(line, 0.99, 960);
    for (std::size_t i = 2; i < read.size(); ++i) {
        const double kink = static_cast<double>(read[i] - 2.0F * read[i - 1] + read[i - 2]);
        EXPECT_LT(std::abs(kink), 2e-4);
    }
}

TEST_F(LevelLines, IsReadAsItIsWithinFiveThousandthsOfADecibelHoweverItIsTakenApart)
{
    std::mt19937 random(5);
    std::uniform_real_distribution<double> any(0.0, 1.0);
    std::vector<LevelPoint> points;
    double at = 0.0;
    for (int i = 0; i < 200; ++i) {
        at += 0.002 + 0.05 * any(random);
        const double level = any(random) < 0.2 ? kSilence : -90.0 + 102.0 * any(random);
        points.push_back({HeldPlace(at), level, 1.8 * any(random) - 0.9, any(random) < 0.2});
    }
    const LevelLine line = through(points);
    const HeardLine heard(line, map_, kRate);
    const auto count = static_cast<std::size_t>(at * kRate.count()) + 2000;
    const auto whole = gains(line, 0.0, count);
    double worst = 0.0;
    for (std::size_t i = 0; i < count; ++i) {
        const double exact = heard.gainAt(Frames(static_cast<std::int64_t>(i)));
        if (exact > fromDecibels(-90.0)) {
            worst = std::max(
                worst, std::abs(toDecibels(static_cast<double>(whole[i])) - toDecibels(exact))
            );
        }
    }
    EXPECT_LT(worst, 0.005);
    std::vector<float> pieces(count);
    for (std::size_t done = 0; done < count;) {
        const auto some =
            std::min<std::size_t>(1 + static_cast<std::size_t>(700.0 * any(random)), count - done);
        heard.gains(Frames(static_cast<std::int64_t>(done)), std::span(pieces).subspan(done, some));
        done += some;
    }
    EXPECT_EQ(pieces, whole);
}

TEST_F(LevelLines, HeldToBarsMovesWithThemHeldToTimeDoesNot)
{
    const TempoMap fast = *TempoMap::steady(120.0, {}, Seconds(0.0));
    const TempoMap slow = *TempoMap::steady(60.0, {}, Seconds(0.0));
    LevelLine line{{{HeldPlace(4.0), 0.0}, {HeldPlace(8.0), kSilence}}, Keeps::Bars};
    EXPECT_EQ(HeardLine(line, fast, kRate).timeOfPoint(0), Frames(96000));
    EXPECT_EQ(HeardLine(line, slow, kRate).timeOfPoint(0), Frames(192000));
    line = lines::heldTo(line, Keeps::Time, fast);
    EXPECT_EQ(HeardLine(line, fast, kRate).timeOfPoint(1), Frames(192000));
    EXPECT_EQ(HeardLine(line, slow, kRate).timeOfPoint(1), Frames(192000));
}

TEST_F(LevelLines, ClearingARangeLeavesItsEndsAsLoudAsTheyWere)
{
    const LevelLine line = through(
        {{HeldPlace(0.0), 0.0},
         {HeldPlace(1.0), -10.0},
         {HeldPlace(2.0), 5.0},
         {HeldPlace(4.0), -20.0}}
    );
    const LevelLine rest = lines::cleared(line, HeldPlace(0.5), HeldPlace(3.0), map_);
    ASSERT_EQ(rest.points.size(), 4U);
    EXPECT_NEAR(levelAt(rest, 0.5), levelAt(line, 0.5), 1e-3);
    EXPECT_NEAR(levelAt(rest, 3.0), levelAt(line, 3.0), 1e-3);
    EXPECT_NEAR(levelAt(rest, 3.5), levelAt(line, 3.5), 1e-3);
    EXPECT_NEAR(levelAt(rest, 0.25), levelAt(line, 0.25), 1e-3);
}

TEST_F(LevelLines, DrawnByHandIsThinnedWithinThreeTenthsOfADecibel)
{
    std::vector<LevelPoint> drawn;
    for (int i = 0; i <= 400; ++i) {
        const double at = i / 100.0;
        drawn.push_back({HeldPlace(at), -10.0 + 8.0 * std::sin(at * 2.0)});
    }
    LevelLine none;
    none.keeps = Keeps::Time;
    const LevelLine line = lines::drawnOver(none, drawn, map_);
    EXPECT_LT(line.points.size(), 30U);
    for (const LevelPoint& point : drawn) {
        EXPECT_NEAR(levelAt(line, point.at.count()), point.level, 0.3);
    }
}

TEST_F(LevelLines, RefusesWhatCannotBe)
{
    const auto isRefused = [](std::vector<LevelPoint> points) {
        return !checkLine({std::move(points), Keeps::Bars});
    };
    EXPECT_TRUE(isRefused({{HeldPlace(1.0), 0.0}, {HeldPlace(1.0), 0.0}}));
    EXPECT_TRUE(isRefused({{HeldPlace(2.0), 0.0}, {HeldPlace(1.0), 0.0}}));
    EXPECT_TRUE(isRefused({{HeldPlace(1.0), 12.5}}));
    EXPECT_TRUE(isRefused({{HeldPlace(1.0), std::nan("")}}));
    EXPECT_TRUE(isRefused({{HeldPlace(std::nan("")), 0.0}}));
    EXPECT_TRUE(isRefused({{HeldPlace(1.0), 0.0, 1.0}}));
    EXPECT_FALSE(isRefused({{HeldPlace(1.0), kSilence}, {HeldPlace(2.0), kMostLevel}}));
}

TEST(Bend, ItsAreaIsItsIntegral)
{
    for (const double bend : {-0.9, -0.3, 0.0, 1e-5, 0.5, 0.95}) {
        double sum = 0.0;
        constexpr int kSteps = 20000;
        for (int i = 0; i < kSteps; ++i) {
            sum += bentPart((i + 0.5) / kSteps, bend) / kSteps;
        }
        EXPECT_NEAR(bentArea(1.0, bend), sum, 1e-6) << bend;
        EXPECT_NEAR(bentPart(0.5, bend), 0.5 + 0.5 * bend, 1e-12);
    }
}

}  // namespace
}  // namespace orthochron
