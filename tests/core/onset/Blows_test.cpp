#include <gtest/gtest.h>

#include "core/onset/OnsetDetector.h"
#include "testkit/Rate.h"

#include <cmath>
#include <numbers>
#include <random>
#include <span>

// What a recorded drum does that a plain burst does not.
namespace orthochron {
namespace {

// Half a minute of a drum struck now and then, with its truth.
class Drum {
public:
    Drum() : samples_(static_cast<std::size_t>(30 * 48000))
    {
        std::normal_distribution<double> noise(0.0, 3e-5);
        for (float& sample : samples_) {
            sample = static_cast<float>(noise(random_));
        }
    }
    void addTone(double at, double hertz, double level, double attack, double decay)
    {
        add(at, 6.0 * decay, [=](double t) {
            return level * (1.0 - std::exp(-t / attack)) * std::exp(-t / decay) *
                   std::sin(2.0 * std::numbers::pi * hertz * t);
        });
    }
    void addClick(double at, double level)
    {
        std::normal_distribution<double> noise(0.0, level);
        add(at, 0.003, [&](double t) { return noise(random_) * std::exp(-t / 0.0006); });
    }
    void addHiss(double at, double level, double decay)
    {
        std::normal_distribution<double> noise(0.0, level);
        add(at, 3.0 * decay, [&](double t) { return noise(random_) * std::exp(-t / decay); });
    }
    // Sixty blows, none exactly on a pulse.
    [[nodiscard]] std::vector<double> blows()
    {
        std::uniform_real_distribution<double> jitter(-0.03, 0.03);
        std::vector<double> times;
        for (int i = 0; i < 56; ++i) {
            times.push_back(0.6 + 0.5 * i + jitter(random_));
        }
        return times;
    }
    [[nodiscard]] std::mt19937& random() { return random_; }
    [[nodiscard]] std::vector<OnsetCandidate> candidates(int weighed = 1) const
    {
        auto analysis = analyseOnsets(samples_, kRate);
        EXPECT_TRUE(analysis);
        for (int i = 0; i < weighed; ++i) {
            weighCandidates(*analysis, {});
        }
        return analysis->candidates;
    }
    [[nodiscard]] std::vector<Onset> found() const { return *pickOnsets(candidates(), kRate, {}); }
    // By how much each blow's nearest onset misses it, ms; sorted by size.
    [[nodiscard]] static std::vector<double>
    errors(const std::vector<Onset>& onsets, const std::vector<double>& truth)
    {
        std::vector<double> all;
        for (const double at : truth) {
            double least = 1e9;
            for (const Onset& onset : onsets) {
                const double error = 1e3 * (toSeconds(onset.at, kRate).count() - at);
                least = std::abs(error) < std::abs(least) ? error : least;
            }
            all.push_back(least);
        }
        std::ranges::sort(all, {}, [](double error) { return std::abs(error); });
        return all;
    }

private:
    template<class Value>
    void add(double at, double length, const Value& value)
    {
        const auto first = static_cast<std::size_t>(std::llround(at * kRate.count()));
        const auto count = static_cast<std::size_t>(length * kRate.count());
        for (std::size_t i = 0; i < count && first + i < samples_.size(); ++i) {
            samples_[first + i] +=
                static_cast<float>(value(static_cast<double>(i) / kRate.count()));
        }
    }

    std::mt19937 random_{11};
    std::vector<float> samples_;
};

TEST(Blows, AHeadThatSwellsAgainIsNoSecondBlow)
{
    Drum drum;
    const auto truth = drum.blows();
    for (const double at : truth) {
        drum.addClick(at, 0.05);
        // Two modes of one head, that cancel and meet again after an eighth of a second.
        drum.addTone(at, 58.0, 0.32, 0.002, 0.16);
        drum.addTone(at, 66.0, 0.30, 0.002, 0.16);
    }
    const auto found = drum.found();
    EXPECT_GE(found.size(), truth.size());
    EXPECT_LE(found.size(), truth.size() + 2);
    EXPECT_LT(std::abs(Drum::errors(found, truth).back()), 1.0);
}

TEST(Blows, ASoftStrokeInTheRingOfALoudOneIsNoRing)
{
    Drum drum;
    auto truth = drum.blows();
    const std::size_t loud = truth.size();
    for (std::size_t i = 0; i < loud; ++i) {
        drum.addClick(truth[i], 0.05);
        drum.addTone(truth[i], 180.0, 0.5, 0.001, 0.08);
        drum.addClick(truth[i] + 0.21, 0.008);
        drum.addTone(truth[i] + 0.21, 185.0, 0.08, 0.001, 0.08);
        truth.push_back(truth[i] + 0.21);
    }
    // Alone it may be another drum's; a ring it is not.
    const auto candidates = drum.candidates();
    for (const double at : truth) {
        const auto stroke = std::ranges::find_if(candidates, [&](const OnsetCandidate& each) {
            return std::abs(toSeconds(each.onset.at, kRate).count() - at) < 0.006;
        });
        ASSERT_NE(stroke, candidates.end()) << at;
        EXPECT_FALSE(stroke->isRing) << at;
        EXPECT_GT(stroke->noveltyDecibels, 2.0) << at;
    }
}

TEST(Blows, BeginWithTheBeatersClick)
{
    Drum drum;
    const auto truth = drum.blows();
    std::uniform_real_distribution<double> level(0.5, 1.0);
    for (const double at : truth) {
        const double loud = level(drum.random());
        drum.addClick(at, 0.02 * loud);
        drum.addTone(at + 0.0042, 62.0, 0.6 * loud, 0.0015, 0.12);
    }
    const auto errors = Drum::errors(drum.found(), truth);
    EXPECT_LT(std::abs(errors[errors.size() / 2]), 0.15);
    EXPECT_LT(std::abs(errors[errors.size() * 19 / 20]), 0.5);
}

TEST(Blows, FourOfThemTellOfAClickAndThreeDoNot)
{
    constexpr double kBodyAfter = 0.0042;
    for (const std::size_t count : {3U, 4U}) {
        Drum drum;
        std::vector<double> truth = drum.blows();
        truth.resize(count);
        for (const double at : truth) {
            drum.addClick(at, 0.01);
            drum.addClick(at + kBodyAfter, 0.2);
            drum.addTone(at + kBodyAfter, 62.0, 0.6, 0.0015, 0.12);
        }
        const auto errors = Drum::errors(drum.found(), truth);
        for (const double error : errors) {
            EXPECT_NEAR(error, count < 4 ? 1000.0 * kBodyAfter : 0.0, 0.6) << count;
        }
    }
}

TEST(Blows, AnotherDrumThatArrivesJustBeforeIsNotTheirStart)
{
    Drum drum;
    const auto truth = drum.blows();
    std::uniform_real_distribution<double> earlier(0.0008, 0.0085);
    for (const double at : truth) {
        // Struck together with it, a little earlier each time by another amount.
        drum.addClick(at - earlier(drum.random()), 0.03);
        drum.addClick(at, 0.12);
        drum.addTone(at, 62.0, 0.6, 0.0007, 0.12);
    }
    const auto errors = Drum::errors(drum.found(), truth);
    EXPECT_LT(std::abs(errors[errors.size() / 2]), 0.15);
}

TEST(Blows, ABeginningTooFaintToSeeIsWhereTheDrumsOtherStrokesHaveIt)
{
    Drum drum;
    const auto truth = drum.blows();
    std::uniform_real_distribution<double> level(0.5, 1.0);
    for (std::size_t i = 0; i < truth.size(); ++i) {
        const double loud = level(drum.random());
        // Of every third stroke the beater's click is lost in the noise.
        drum.addClick(truth[i], (i % 3 == 0 ? 0.0002 : 0.02) * loud);
        drum.addTone(truth[i] + 0.0042, 62.0, 0.6 * loud, 0.0015, 0.12);
    }
    const auto errors = Drum::errors(drum.found(), truth);
    EXPECT_LT(std::abs(errors[errors.size() / 2]), 0.15);
    EXPECT_LT(std::abs(errors[errors.size() * 9 / 10]), 1.0);
}

TEST(Blows, WhereNothingRisesSteeplyItBeginsWhereItRisesMost)
{
    Drum drum;
    std::vector<double> truth;
    std::uniform_real_distribution<double> jitter(-0.02, 0.02);
    for (double at = 0.6; at < 29.0; at += 0.11) {
        truth.push_back(at + jitter(drum.random()));
        // A stroke in the ring of those before, whose modes are loudest together 11 ms later.
        drum.addTone(truth.back(), 210.0, 0.1, 0.002, 0.07);
        drum.addTone(truth.back(), 255.0, -0.09, 0.002, 0.07);
    }
    const auto candidates = drum.candidates();
    std::vector<Onset> all;
    for (const OnsetCandidate& candidate : candidates) {
        all.push_back(candidate.onset);
    }
    // By itself each is some milliseconds late, but far from the peak; so faint in the ring of the others none is
    // believed enough to be set by the shape of all.
    const auto errors = Drum::errors(all, truth);
    EXPECT_LT(std::abs(errors[errors.size() / 2]), 4.0);
    EXPECT_LT(std::abs(errors[errors.size() * 9 / 10]), 5.5);
}

// Of those found within 5 ms of a blow.
double strengthOf(std::span<const Onset> found, double blow)
{
    double strength = 0.0;
    for (const Onset& onset : found) {
        if (std::abs(toSeconds(onset.at, kRate).count() - blow) < 0.005) {
            strength = std::max(strength, onset.strength);
        }
    }
    return strength;
}

TEST(Blows, IsAsLoudAsItIsWhereAnotherDrumIsHeardJustAheadOfIt)
{
    Drum drum;
    const auto blows = drum.blows();
    for (std::size_t i = 0; i < blows.size(); ++i) {
        drum.addTone(blows[i], 190.0, 0.5, 0.0006, 0.08);
        drum.addClick(blows[i], 0.1);
        if (i % 8 == 5) {
            drum.addHiss(blows[i] - 0.0085, 0.02, 0.12);
        }
    }
    const std::vector<Onset> found = drum.found();
    EXPECT_EQ(*pickOnsets(drum.candidates(2), kRate, {}), found);  // weighed again it is the same
    for (const double blow : blows) {
        EXPECT_GT(strengthOf(found, blow), 0.7) << blow;
    }
}

}  // namespace
}  // namespace orthochron
