#include <gtest/gtest.h>

#include "core/audio/Fourier.h"
#include "core/pitch/PitchCurve.h"
#include "core/stretch/StretchPlan.h"
#include "testkit/Rate.h"
#include "testkit/Voice.h"

#include <array>
#include <cmath>
#include <numbers>

// Stretching and moving one note at a time.
namespace orthochron {
namespace {

Treatment evenly(double ratio, Frames length)
{
    Treatment treatment;
    treatment.material = Material::Line;
    treatment.time = *TimeMap::through(
        {{Frames(0), Frames(0)},
         {length, Frames(std::llround(static_cast<double>(length.count()) * ratio))}}
    );
    return treatment;
}

std::unique_ptr<SampleSource> sourceOf(const Treatment& treatment, const AudioBuffer& sound)
{
    const auto shared = std::make_shared<const AudioBuffer>(sound);
    auto plan = *planStretch(treatment, {channelOver(sound.channel(0))}, kRate);
    return plan->sourceOf(std::make_unique<MemorySource>(shared, kRate), std::array{0});
}

AudioBuffer made(const Treatment& treatment, const AudioBuffer& sound)
{
    auto source = sourceOf(treatment, sound);
    AudioBuffer result(1, source->frames());
    EXPECT_TRUE(source->read(Frames(0), result));
    return result;
}

// The median of how far the pitch lies from where it should, in cents.
double medianCents(
    const testkit::Voice& voice, const Treatment& treatment, const AudioBuffer& sound, double steps
)
{
    const auto curve = *pitchOf(channelOver(sound.channel(0)), kRate);
    std::vector<double> errors;
    for (std::size_t n = 10; n + 10 < curve.size(); ++n) {
        const Frames at = treatment.time.takeTimeOf(placeOfPitch(n, kRate));
        const double wanted = voice.hertz[static_cast<std::size_t>(at.count())];
        if (wanted > 0.0) {
            errors.push_back(
                curve[n].isVoiced()
                    ? std::abs(1200.0 * std::log2(curve[n].pitch.count() / wanted) - 100.0 * steps)
                    : 1200.0
            );
        }
    }
    std::ranges::sort(errors);
    return errors[errors.size() / 2];
}

// The middle of what is loud between 500 and 3000 Hz.
double brightnessOf(const AudioBuffer& sound)
{
    Fourier fourier(8192);
    double sum = 0.0;
    double weighed = 0.0;
    for (std::int64_t from = 9600; from + 8192 < sound.frames().count(); from += 8192) {
        for (std::size_t i = 0; i < 8192; ++i) {
            const double window =
                0.5 - 0.5 * std::cos(2.0 * std::numbers::pi * static_cast<double>(i) / 8192.0);
            fourier.samples()[i] =
                static_cast<float>(window) * sound.channel(0)[static_cast<std::size_t>(from) + i];
        }
        fourier.run();
        for (std::size_t bin = 86; bin < 512; ++bin) {
            const auto power = static_cast<double>(fourier.power(bin));
            sum += power;
            weighed += power * static_cast<double>(bin) * 48000.0 / 8192.0;
        }
    }
    return weighed / sum;
}

TEST(Line, IsAsLongAsAskedAndKeepsItsPitch)
{
    for (const double middle : {70.0, 220.0}) {
        // A voice lies within about a period of where it should; where it trembles that is pitch, too.
        const auto voice =
            testkit::sing({.middle = middle, .vibrato = middle < 100.0 ? 0.05 : 0.3});
        for (const double ratio : {0.8, 0.97, 1.03, 1.25}) {
            const Treatment treatment = evenly(ratio, voice.sound.frames());
            const AudioBuffer result = made(treatment, voice.sound);
            EXPECT_EQ(result.frames(), treatment.time.pins().back().sound);
            EXPECT_LT(medianCents(voice, treatment, result, 0.0), 3.0) << middle << ' ' << ratio;
        }
    }
}

TEST(Line, NearOneToOneMostOfItIsTheTakeItself)
{
    const auto voice = testkit::sing({});
    const AudioBuffer result = made(evenly(1.02, voice.sound.frames()), voice.sound);
    std::int64_t same = 0;
    std::int64_t shift = 0;
    for (std::int64_t n = 2000; n + 2000 < voice.sound.frames().count(); ++n) {
        const auto isSame = [&](std::int64_t by) {
            return voice.sound.channel(0)[static_cast<std::size_t>(n)] ==
                   result.channel(0)[static_cast<std::size_t>(n + by)];
        };
        if (!isSame(shift)) {
            for (std::int64_t by = 0; by < 9000 && n + by < result.frames().count(); ++by) {
                if (isSame(by)) {
                    shift = by;
                    break;
                }
            }
        }
        same += isSame(shift) ? 1 : 0;
    }
    EXPECT_GT(static_cast<double>(same), 0.75 * static_cast<double>(voice.sound.frames().count()));
}

TEST(Line, OfPeriodsThatAreAllAlikeItLeavesOutAboutAsManyAsItMust)
{
    // A tone that never changes can be spliced by any number of its periods; by too many it would have to go back.
    AudioBuffer tone(1, toFrames(Seconds(6.0), kRate));
    for (std::size_t i = 0; i < tone.channel(0).size(); ++i) {
        const double turn = 2.0 * std::numbers::pi * 240.0 * static_cast<double>(i) / kRate.count();
        tone.channel(0)[i] = static_cast<float>(0.3 * std::sin(turn) + 0.1 * std::sin(2.0 * turn));
    }
    const Treatment treatment = evenly(0.97, tone.frames());
    const auto plan = *planStretch(treatment, {channelOver(tone.channel(0))}, kRate);
    const auto splices = *plan->splices(Frames(0), treatment.time.pins().back().sound);
    ASSERT_GT(splices.size(), 3U);
    for (std::size_t i = 1; i < splices.size(); ++i) {
        EXPECT_LE(splices[i].shift, splices[i - 1].shift) << i;
        // Within a period of where time runs evenly to.
        const Frames at = splices[i].from;
        const Frames even = at - treatment.time.takeTimeOf(at);
        EXPECT_NEAR(static_cast<double>((splices[i].shift - even).count()), 0.0, 200.0) << i;
    }
}

TEST(Line, MovesInPitchWithItsFormantsWhereTheyWere)
{
    const auto voice = testkit::sing({.middle = 200.0, .formant = 1300.0});
    const double before = brightnessOf(voice.sound);
    for (const double steps : {-5.0, 3.0, 7.0}) {
        Treatment treatment = evenly(1.0, voice.sound.frames());
        treatment.semitones = steps;
        const AudioBuffer kept = made(treatment, voice.sound);
        EXPECT_LT(medianCents(voice, treatment, kept, steps), 3.0) << steps;
        EXPECT_NEAR(brightnessOf(kept) / before, 1.0, 0.03) << steps;
        treatment.movesFormants = true;
        const AudioBuffer moved = made(treatment, voice.sound);
        EXPECT_EQ(moved.frames(), voice.sound.frames());
        EXPECT_LT(medianCents(voice, treatment, moved, steps), 3.0) << steps;
        EXPECT_NEAR(brightnessOf(moved) / before, std::exp2(steps / 12.0), 0.06) << steps;
    }
}

TEST(Line, OneAnswerHoweverItIsRead)
{
    const auto voice = testkit::sing({.seconds = 10.0});
    for (const auto& [steps, movesFormants] :
         {std::pair{0.0, false}, {4.0, false}, {4.0, true}, {-7.0, true}}) {
        Treatment treatment = evenly(1.1, voice.sound.frames());
        treatment.semitones = steps;
        treatment.movesFormants = movesFormants;
        const AudioBuffer whole = made(treatment, voice.sound);
        auto source = sourceOf(treatment, voice.sound);
        // Backwards, so that nothing is known of what came before.
        for (std::int64_t from = whole.frames().count() - 5000; from > 0; from -= 23456) {
            AudioBuffer block(1, Frames(1000));
            ASSERT_TRUE(source->read(Frames(from), block));
            for (std::size_t i = 0; i < 1000; ++i) {
                ASSERT_NEAR(
                    block.channel(0)[i], whole.channel(0)[static_cast<std::size_t>(from) + i], 1e-6F
                ) << steps
                  << ' ' << from;
            }
        }
    }
}

TEST(Line, PinsAreMetToTheSample)
{
    const auto voice = testkit::sing({});
    Treatment treatment;
    treatment.material = Material::Line;
    treatment.time = *TimeMap::through(
        {{Frames(0), Frames(0)},
         {Frames(96000), Frames(99000)},
         {Frames(144000), Frames(144500)},
         {Frames(240000), Frames(252000)}}
    );
    treatment.attacks = {Frames(96000), Frames(144000), Frames(240000)};
    const AudioBuffer result = made(treatment, voice.sound);
    for (const Pin& pin : treatment.time.pins()) {
        for (std::size_t i = 0; i < 480; ++i) {
            ASSERT_EQ(
                result.channel(0)[static_cast<std::size_t>(pin.sound.count()) + i],
                voice.sound.channel(0)[static_cast<std::size_t>(pin.take.count()) + i]
            );
        }
    }
}

}  // namespace
}  // namespace orthochron
