#include "core/onset/OnsetDetector.h"

#include <gtest/gtest.h>

#include "core/demo/KitRecording.h"

#include <array>
#include <cmath>
#include <limits>

namespace orthochron {
namespace {

struct Score {
    double f = 0.0;
    double medianMs = 0.0;
    double highMs = 0.0;  // 95 %
};

// A kit recorded once and asked about each of its drums.
class Kit {
public:
    Kit(const demo::DrummerSettings& drummer, const demo::RecordingSettings& recording)
        : performance_(demo::performKit(drummer)),
          settings_(recording),
          takes_(*demo::recordKit(performance_, recording))
    {}

    Score find(std::size_t microphone, demo::Drum drum) const
    {
        auto analysis = analyseOnsets(takes_[microphone].channel(0), settings_.rate);
        EXPECT_TRUE(analysis);
        std::vector<BandEnvelope> envelopes;
        for (std::size_t m = 0; m < takes_.size(); ++m) {
            if (m != microphone) {
                envelopes.push_back(bandEnvelopeOf(takes_[m].channel(0), settings_.rate));
            }
        }
        std::vector<const BandEnvelope*> others;
        for (const auto& envelope : envelopes) {
            others.push_back(&envelope);
        }
        weighCandidates(*analysis, others);
        const auto onsets = pickOnsets(analysis->candidates, settings_.rate, {});
        return score(*onsets, demo::boathouseMicrophones()[microphone], drum);
    }

private:
    Score score(
        const std::vector<Onset>& onsets, const demo::Microphone& microphone, demo::Drum drum
    ) const
    {
        std::vector<bool> used(onsets.size(), false);
        std::vector<double> errors;
        std::size_t truths = 0;
        for (const auto& hit : performance_.hits) {
            if (hit.drum != drum) {
                continue;
            }
            ++truths;
            const double heard = demo::heardAt(microphone, drum, hit.played).count();
            std::size_t best = onsets.size();
            double least = 0.010;
            for (std::size_t k = 0; k < onsets.size(); ++k) {
                const double off =
                    std::abs(toSeconds(onsets[k].at, settings_.rate).count() - heard);
                if (!used[k] && off < least) {
                    least = off;
                    best = k;
                }
            }
            if (best < onsets.size()) {
                used[best] = true;
                errors.push_back(least * 1000.0);
            }
        }
        std::ranges::sort(errors);
        const auto found = static_cast<double>(errors.size());
        return {
            2.0 * found / static_cast<double>(truths + onsets.size()),
            errors.empty() ? 99.0 : errors[errors.size() / 2],
            errors.empty() ? 99.0 : errors[errors.size() * 95 / 100]};
    }

    demo::KitPerformance performance_;
    demo::RecordingSettings settings_;
    std::vector<AudioBuffer> takes_;
};

TEST(OnsetDetector, FindsTheDemoKitsBlowsAmongBleedToHalfAMillisecond)
{
    const Kit kit({}, {});

    for (const auto& [microphone, drum] :
         {std::pair{0, demo::Drum::Kick},
          std::pair{2, demo::Drum::Snare},
          std::pair{4, demo::Drum::Tom}}) {
        const Score score = kit.find(static_cast<std::size_t>(microphone), drum);

        EXPECT_GE(score.f, 0.995) << "microphone " << microphone;
        EXPECT_LE(score.medianMs, 0.5) << "microphone " << microphone;
        EXPECT_LE(score.highMs, 2.0) << "microphone " << microphone;
    }
}

TEST(OnsetDetector, FindsAnotherKitsBlowsAtAnotherTempoAndRate)
{
    demo::RecordingSettings recording;
    recording.rate = Hertz(44100.0);
    recording.tuning = {68.0, 225.0, 140.0, 0.7};
    recording.noiseDecibels = -68.0;
    demo::DrummerSettings drummer;
    drummer.seed = 5;
    drummer.bpm = 128.0;
    drummer.bars = 24;
    const Kit kit(drummer, recording);

    const Score kick = kit.find(0, demo::Drum::Kick);
    const Score snare = kit.find(2, demo::Drum::Snare);

    EXPECT_GE(kick.f, 0.995);
    EXPECT_GE(snare.f, 0.985);
    EXPECT_GE(kit.find(4, demo::Drum::Tom).f, 0.95);  // struck a dozen times
    EXPECT_LE(kick.medianMs, 0.5);
    EXPECT_LE(snare.medianMs, 0.5);
}

TEST(OnsetDetector, BelievesATomStruckADozenTimesInASongFullOfBleed)
{
    demo::DrummerSettings drummer;
    drummer.seed = 404;
    drummer.bpm = 115.0;
    drummer.bars = 32;
    demo::RecordingSettings recording;
    recording.tuning = {70.0, 180.0, 110.0, 1.2};
    const Kit kit(drummer, recording);

    EXPECT_GE(kit.find(4, demo::Drum::Tom).f, 0.87);    // two of sixteen may be doubtful
    EXPECT_GE(kit.find(2, demo::Drum::Snare).f, 0.99);  // its ghosts are soft, and many
}

TEST(OnsetDetector, FindsAClickAtTheSameTimeAtEveryRate)
{
    for (const double rate : {8000.0, 22050.0, 44100.0, 48000.0, 96000.0, 192000.0}) {
        std::vector<float> sound(static_cast<std::size_t>(rate));
        const auto start = static_cast<std::size_t>(0.5 * rate);
        for (std::size_t i = start; i < sound.size(); ++i) {
            const double t = static_cast<double>(i - start) / rate;
            sound[i] = static_cast<float>(0.5 * std::exp(-t / 0.03) * std::cos(2000.0 * t));
        }

        const auto analysis = analyseOnsets(sound, Hertz(rate));
        const auto onsets = pickOnsets(analysis->candidates, Hertz(rate), {});

        ASSERT_EQ(onsets->size(), 1U) << rate;
        EXPECT_NEAR(toSeconds(onsets->front().at, Hertz(rate)).count(), 0.5, 0.0005) << rate;
    }
}

TEST(OnsetDetector, FindsNothingInSilenceASingleSampleOrNoSoundAtAll)
{
    for (const std::size_t length : {std::size_t{0}, std::size_t{1}, std::size_t{48000}}) {
        const auto analysis = analyseOnsets(std::vector<float>(length, 0.0F), Hertz(48000.0));

        ASSERT_TRUE(analysis);
        EXPECT_TRUE(pickOnsets(analysis->candidates, Hertz(48000.0), {})->empty());
    }
}

TEST(OnsetDetector, RefusesSamplesThatAreNoNumbersAndRatesThatCannotBe)
{
    std::vector<float> sound(100, 0.0F);
    sound[50] = std::numeric_limits<float>::quiet_NaN();

    EXPECT_EQ(analyseOnsets(sound, Hertz(48000.0)).error().kind, ErrorKind::BadInput);
    EXPECT_EQ(
        analyseOnsets(std::span<const float>(), Hertz(0.0)).error().kind, ErrorKind::BadArgument
    );
}

TEST(OnsetDetector, GivesMoreWithMoreSensitivityAndNothingCloserThanTheGap)
{
    const demo::KitPerformance performance = demo::performKit({.bars = 6});
    const auto takes = *demo::recordKit(performance, {});
    const auto analysis = analyseOnsets(takes[2].channel(0), Hertz(48000.0));
    std::size_t before = 0;

    for (const double sensitivity : {0.0, 25.0, 50.0, 75.0, 100.0}) {
        const auto onsets =
            pickOnsets(analysis->candidates, Hertz(48000.0), {sensitivity, milliseconds(50.0), {}});

        EXPECT_GE(onsets->size(), before);
        before = onsets->size();
        for (std::size_t i = 1; i < onsets->size(); ++i) {
            EXPECT_GE((*onsets)[i].at - (*onsets)[i - 1].at, Frames(2400));
        }
    }
    EXPECT_GT(before, 20U);
}

TEST(OnsetDetector, OfThreeInARowTheFirstStaysWhenTheSecondGivesWayToTheThird)
{
    std::vector<OnsetCandidate> candidates(3);
    for (std::size_t i = 0; i < 3; ++i) {
        candidates[i].onset = {Frames(1000 + 720 * static_cast<std::int64_t>(i)), 0.3, 0.9};
        candidates[i].body = candidates[i].onset.at;
    }
    candidates[1].onset.strength = 0.5;
    candidates[2].onset.strength = 0.8;

    const auto onsets = *pickOnsets(candidates, Hertz(48000.0), {});  // 15 ms apart, 20 asked for

    ASSERT_EQ(onsets.size(), 2U);
    EXPECT_EQ(onsets[0], candidates[0].onset);
    EXPECT_EQ(onsets[1], candidates[2].onset);
}

TEST(OnsetDetector, OfWhatWasLeftOutTheSurestOfACrowdIsAskedAbout)
{
    std::vector<OnsetCandidate> candidates(5);
    const std::array<std::int64_t, 5> places{1000, 20000, 20480, 40000, 40960};
    const std::array<double, 5> confidences{0.9, 0.2, 0.3, 0.4, 0.3};
    for (std::size_t i = 0; i < 5; ++i) {
        candidates[i].onset = {Frames(places[i]), 0.3, confidences[i]};
    }
    const std::vector<Onset> picked{candidates[0].onset};
    const auto placesOf = [&](double least) {
        std::vector<std::int64_t> at;
        for (const auto& left : leftOut(candidates, picked, Hertz(48000.0), {}, least)) {
            at.push_back(left.onset.at.count());
        }
        return at;
    };
    using Places = std::vector<std::int64_t>;
    // Ten ms apart they are one; just twenty ms apart, as far as the gap asks for, two.
    EXPECT_EQ(placesOf(0.1), (Places{20480, 40000, 40960}));
    EXPECT_EQ(placesOf(0.35), (Places{40000}));
    EXPECT_EQ(placesOf(0.4), (Places{40000}));
    EXPECT_TRUE(placesOf(0.5).empty());
    // What lies within the gap of a mark is that hit itself.
    candidates[1].onset.at = Frames(1959);
    candidates[2].onset.at = Frames(1960);
    EXPECT_EQ(placesOf(0.1), (Places{1960, 40000, 40960}));
}

TEST(OnsetDetector, RefusesSettingsThatCannotBe)
{
    const auto isTaken = [](OnsetSettings settings) {
        return pickOnsets(std::vector<OnsetCandidate>(), Hertz(48000.0), settings).has_value();
    };
    EXPECT_TRUE(isTaken({.sensitivity = 0.0}));
    EXPECT_TRUE(isTaken({.sensitivity = 100.0}));
    EXPECT_FALSE(isTaken({.sensitivity = -0.1}));
    EXPECT_FALSE(isTaken({.sensitivity = 100.1}));
    EXPECT_TRUE(isTaken({.minGap = Seconds(0.0)}));
    EXPECT_TRUE(isTaken({.minGap = Seconds(10.0)}));
    EXPECT_FALSE(isTaken({.minGap = Seconds(-0.001)}));
    EXPECT_FALSE(isTaken({.minGap = Seconds(10.001)}));
}

TEST(OnsetDetector, KeepsQuietBlowsWhenAnotherMicrophoneHearsOnlyItsOwnNoise)
{
    const demo::KitPerformance performance = demo::performKit({.bars = 6});
    const auto takes = *demo::recordKit(performance, {});
    auto analysis = *analyseOnsets(takes[2].channel(0), Hertz(48000.0));
    const auto before = pickOnsets(analysis.candidates, Hertz(48000.0), {})->size();
    demo::Random random(3);
    std::vector<float> noise(takes[2].channel(0).size());
    for (float& sample : noise) {
        sample = static_cast<float>(0.0003 * random.bell());
    }
    const BandEnvelope envelope = bandEnvelopeOf(noise, Hertz(48000.0));
    const std::vector<const BandEnvelope*> others{&envelope};

    weighCandidates(analysis, others);

    EXPECT_EQ(pickOnsets(analysis.candidates, Hertz(48000.0), {})->size(), before);
}

// A skin swells once more 7 ms after it was struck: where that was thought to begin changes nothing.
TEST(OnsetDetector, TheSwellOfABlowIsNoBlow)
{
    const auto candidate = [](std::int64_t at, std::int64_t body, double strength) {
        OnsetCandidate made;
        made.onset = {Frames(at), strength, 0.99};
        made.body = Frames(body);
        return made;
    };
    for (const std::int64_t swellAt : {5300, 5350, 5540}) {
        const std::vector<OnsetCandidate> candidates{
            candidate(5000, 5000, 0.7), candidate(swellAt, 5340, 0.9), candidate(9000, 9000, 0.8)};
        const auto picked = *pickOnsets(candidates, Hertz(48000.0), {});
        ASSERT_EQ(picked.size(), 2U) << swellAt;
        EXPECT_EQ(picked[0].at, Frames(5000)) << swellAt;
        EXPECT_EQ(picked[0].strength, 0.9) << swellAt;
    }
    // What is clearly louder is another blow.
    const std::vector<OnsetCandidate> louder{
        candidate(5000, 5000, 0.6), candidate(5300, 5340, 0.9)};
    EXPECT_EQ(pickOnsets(louder, Hertz(48000.0), {})->front().at, Frames(5300));
}

// A hat speaks twice: the stick, and 10 to 14 ms later the two plates.
TEST(OnsetDetector, ABlowThatSpeaksTwiceBeginsWithTheFirst)
{
    std::vector<OnsetCandidate> candidates(2);
    for (const std::int64_t later : {490, 700, 800}) {
        candidates[0].onset = {Frames(5000), 0.7, 0.8};
        candidates[1].onset = {Frames(5000 + later), 0.9, 0.95};
        candidates[0].body = candidates[0].onset.at;
        candidates[1].body = candidates[1].onset.at;
        const auto picked = *pickOnsets(candidates, Hertz(48000.0), {});
        ASSERT_EQ(picked.size(), 1U) << later;
        // So late it is a stroke of its own, and the surer of two that are too near.
        EXPECT_EQ(picked[0].at, later < 720 ? Frames(5000) : candidates[1].onset.at) << later;
        EXPECT_EQ(picked[0].strength, 0.9) << later;
    }
}

// Its click was found ahead of its body, what follows was moved away from it: they are as near as their bodies, and the
// surer stays though the other is louder.
TEST(OnsetDetector, ASecondWaveOfABlowIsNoBlowHoweverFarApartTheyBegin)
{
    std::vector<OnsetCandidate> candidates(2);
    candidates[0].onset = {Frames(5000), 0.7, 1.0};
    candidates[0].body = Frames(5280);
    candidates[1].onset = {Frames(5970), 0.75, 0.6};
    candidates[1].body = Frames(6080);
    const auto picked = *pickOnsets(candidates, Hertz(48000.0), {});
    ASSERT_EQ(picked.size(), 1U);
    EXPECT_EQ(picked[0], candidates[0].onset);
}

TEST(OnsetDetector, SaysWhereTheWidestGapOfLevelsIs)
{
    OnsetAnalysis analysis;
    const auto add = [&](double strength, double rise) {
        OnsetCandidate candidate;
        candidate.onset.strength = strength;
        candidate.riseDecibels = rise;
        analysis.candidates.push_back(candidate);
    };
    for (const double strength : {1.0, 0.9, 0.8, 0.75, 0.15, 0.14, 0.1}) {
        add(strength, 12.0);
    }
    add(0.4, 3.0);  // rises by too little to be counted
    const auto gap = widestGap(analysis.candidates);
    ASSERT_TRUE(gap);
    EXPECT_DOUBLE_EQ(gap->above, 0.75);
    EXPECT_DOUBLE_EQ(gap->below, 0.15);
    for (const double strength : {0.6, 0.5, 0.4, 0.3, 0.25, 0.2, 0.12}) {
        add(strength, 12.0);
    }
    EXPECT_FALSE(widestGap(analysis.candidates));
    EXPECT_FALSE(widestGap({}));
}

}  // namespace
}  // namespace orthochron
