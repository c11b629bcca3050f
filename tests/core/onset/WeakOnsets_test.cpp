#include "core/onset/WeakOnsets.h"

#include <gtest/gtest.h>

#include "core/onset/BandPass.h"
#include "core/pitch/Notes.h"

#include <cmath>
#include <numbers>
#include <random>

namespace orthochron {
namespace {

struct Note {
    double at = 0.0;  // s
    double hertz = 110.0;
    bool isLegato = false;  // pitch changes, level does not
};

// Bowed notes: 50 ms to full level, eight partials, a short fall before each new stroke.
std::vector<float> bowed(const std::vector<Note>& notes, double seconds, Hertz rate)
{
    std::vector<float> sound(static_cast<std::size_t>(seconds * rate.count()));
    std::mt19937 random(3);
    std::normal_distribution<double> noise(0.0, 1.0);
    double phase = 0.0;
    for (std::size_t i = 0; i < sound.size(); ++i) {
        const double t = static_cast<double>(i) / rate.count();
        std::size_t n = 0;
        while (n + 1 < notes.size() && notes[n + 1].at <= t) {
            ++n;
        }
        const double since = t - notes[n].at;
        double level = since < 0.0 ? 0.0 : std::min(1.0, 0.02 + since / 0.05);
        if (notes[n].isLegato) {
            level = 1.0;
        }
        if (n + 1 < notes.size() && !notes[n + 1].isLegato) {
            level *= std::clamp((notes[n + 1].at - t) / 0.04, 0.05, 1.0);
        }
        phase += 2.0 * std::numbers::pi * notes[n].hertz / rate.count();
        double value = 0.0;
        for (int partial = 1; partial <= 8; ++partial) {
            value += std::sin(phase * partial) / partial;
        }
        sound[i] = static_cast<float>(0.2 * level * value + 3e-4 * noise(random));
    }
    return sound;
}

std::vector<Note> melody()
{
    std::vector<Note> notes;
    const std::vector<double> steps{0, 2, 4, 5, 4, 2, 0, -3, 0, 7, 5, 4, 4, 4, 2, 0};
    for (std::size_t i = 0; i < steps.size(); ++i) {
        const bool changes = i > 0 && steps[i] != steps[i - 1];
        notes.push_back(
            {0.3 + 0.4 * static_cast<double>(i),
             98.0 * std::pow(2.0, steps[i] / 12.0),
             changes && i % 3 == 2}
        );
    }
    return notes;
}

class WeakOnsets : public testing::TestWithParam<double> {};

TEST_P(WeakOnsets, FindNotesThatBeginWithoutAnAttackByLevelAndPitchTogether)
{
    const Hertz rate{GetParam()};
    const auto notes = melody();

    const auto sound = bowed(notes, 7.0, rate);
    const auto analysis = analyseWeakOnsets(channelOver(sound), rate);

    ASSERT_TRUE(analysis);
    int found = 0;
    for (const Note& note : notes) {
        found += std::ranges::any_of(analysis->candidates, [&](const OnsetCandidate& candidate) {
            return std::abs(toSeconds(candidate.onset.at, rate).count() - note.at) < 0.040;
        });
    }
    EXPECT_GE(found, 15) << "of 16";
    EXPECT_LE(analysis->candidates.size(), 17U);
}

INSTANTIATE_TEST_SUITE_P(Rates, WeakOnsets, testing::Values(8000.0, 44100.0, 96000.0));

TEST(WeakOnset, SaysNothingOfSilenceAndRefusesNonsense)
{
    EXPECT_TRUE(analyseWeakOnsets(channelOver({}), Hertz(48000.0))->candidates.empty());
    const std::vector<float> one{0.5F};
    EXPECT_TRUE(analyseWeakOnsets(channelOver(one), Hertz(48000.0))->candidates.empty());
    const std::vector<float> silence(48000);
    EXPECT_TRUE(analyseWeakOnsets(channelOver(silence), Hertz(48000.0))->candidates.empty());
    const std::vector<float> nan{std::nanf("")};
    EXPECT_FALSE(analyseWeakOnsets(channelOver(nan), Hertz(48000.0)));
    EXPECT_FALSE(analyseWeakOnsets(channelOver(one), Hertz(100.0)));
}

// Low thuds every half second, high clicks in between.
std::vector<float> thudsAndClicks()
{
    std::vector<float> sound(48000 * 4);
    for (std::size_t i = 0; i < sound.size(); ++i) {
        const double thud = static_cast<double>(i % 24000) / 48000.0;
        const double click = static_cast<double>((i + 12000) % 24000) / 48000.0;
        sound[i] = static_cast<float>(
            0.6 * std::exp(-thud / 0.08) * std::sin(2.0 * std::numbers::pi * 60.0 * thud) +
            0.4 * std::exp(-click / 0.03) * std::sin(2.0 * std::numbers::pi * 5000.0 * click)
        );
    }
    return sound;
}

TEST(InABand, OnlyWhatSoundsThereIsFound)
{
    const auto sound = thudsAndClicks();
    const auto strong = [&](std::optional<FrequencyBand> band) {
        OnsetSettings settings;
        settings.band = band;
        const auto analysis = analyseAsAsked(channelOver(sound), Hertz(48000.0), settings);
        EXPECT_TRUE(analysis);
        return *pickOnsets(analysis->candidates, Hertz(48000.0), {.sensitivity = 30.0});
    };

    const auto clicks = strong(FrequencyBand{Hertz(2000.0), Hertz(12000.0)});
    ASSERT_EQ(clicks.size(), 8U);
    for (const Onset& onset : clicks) {
        EXPECT_NEAR(static_cast<double>(onset.at.count() % 24000), 12000.0, 48.0);
    }
    const auto thuds = strong(FrequencyBand{Hertz(20.0), Hertz(150.0)});
    EXPECT_NEAR(static_cast<double>(thuds.size()), 8.0, 1.0);
    EXPECT_GE(strong(std::nullopt).size(), 15U);
    EXPECT_FALSE(bandPassed(sound, Hertz(48000.0), {Hertz(500.0), Hertz(100.0)}));
}

}  // namespace
}  // namespace orthochron
