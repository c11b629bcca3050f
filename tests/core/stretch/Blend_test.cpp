#include "core/stretch/Blend.h"

#include <gtest/gtest.h>

#include "testkit/Folder.h"
#include "testkit/Rate.h"

#include <array>
#include <cmath>
#include <numbers>

namespace orthochron {
namespace {

// Two seconds and a half of two chords, five times over, the second channel at half the level.
std::shared_ptr<const AudioBuffer> chords()
{
    const AudioBuffer one = testkit::soundOf(12.0, [](std::int64_t n) {
        const double time = static_cast<double>(n) / 48000.0;
        const double root = std::fmod(time, 2.4) < 1.2 ? 220.0 : 247.0;
        double value = 0.0;
        for (const double part : {1.0, 1.26, 1.5}) {
            value += 0.1 * std::sin(2.0 * std::numbers::pi * root * part * time);
        }
        return value;
    });
    auto both = std::make_shared<AudioBuffer>(2, one.frames());
    for (std::size_t i = 0; i < one.channel(0).size(); ++i) {
        both->channel(0)[i] = one.channel(0)[i];
        both->channel(1)[i] = 0.5F * one.channel(0)[i];
    }
    return both;
}

std::shared_ptr<StretchPlan>
planOf(std::vector<Pin> pins, const std::shared_ptr<const AudioBuffer>& sound, double steps = 0.0)
{
    Treatment treatment;
    treatment.material = Material::Blend;
    treatment.time = *TimeMap::through(std::move(pins));
    treatment.semitones = steps;
    return *planStretch(
        treatment, {channelOver(sound->channel(0)), channelOver(sound->channel(1))}, kRate
    );
}

std::unique_ptr<SampleSource>
sourceOf(std::vector<Pin> pins, const std::shared_ptr<const AudioBuffer>& sound, double steps = 0.0)
{
    return planOf(std::move(pins), sound, steps)
        ->sourceOf(std::make_unique<MemorySource>(sound, kRate), std::array{0, 1});
}

double levelOf(const AudioBuffer& sound)
{
    double sum = 0.0;
    for (const float value : sound.channel(0)) {
        sum += static_cast<double>(value) * static_cast<double>(value);
    }
    return 10.0 * std::log10(sum / static_cast<double>(sound.frames().count()) + 1e-12);
}

TEST(Blend, IsAsLongAsAskedWithoutADipWhereCellsMeet)
{
    const auto sound = chords();
    auto source = sourceOf({{Frames(0), Frames(0)}, {sound->frames(), Frames(700000)}}, sound);
    EXPECT_EQ(source->frames(), Frames(700000));
    AudioBuffer whole(2, Frames(9600));
    std::vector<double> levels;
    for (std::int64_t from = 24000; from + 9600 < 690000; from += 9600) {
        ASSERT_TRUE(source->read(Frames(from), whole));
        levels.push_back(levelOf(whole));
    }
    std::ranges::sort(levels);
    EXPECT_GT(levels.front(), levels[levels.size() / 2] - 3.0);
    EXPECT_LT(levels.back(), levels[levels.size() / 2] + 3.0);
}

TEST(Blend, KeepsItsChannelsTogether)
{
    const auto sound = chords();
    auto source = sourceOf({{Frames(0), Frames(0)}, {sound->frames(), Frames(640000)}}, sound, 2.0);
    AudioBuffer part(2, Frames(48000));
    ASSERT_TRUE(source->read(Frames(370000), part));  // two cells meet in it
    for (std::size_t i = 0; i < part.channel(0).size(); ++i) {
        ASSERT_NEAR(part.channel(1)[i], 0.5F * part.channel(0)[i], 0.02F);
    }
}

TEST(Blend, OneAnswerHoweverItIsRead)
{
    const auto sound = chords();
    const std::vector<Pin> pins{{Frames(0), Frames(0)}, {sound->frames(), Frames(520000)}};
    auto one = sourceOf(pins, sound);
    AudioBuffer whole(2, Frames(60000));
    ASSERT_TRUE(one->read(Frames(350000), whole));
    auto other = sourceOf(pins, sound);
    for (std::int64_t from = 59000; from >= 0; from -= 7411) {
        AudioBuffer block(2, Frames(1000));
        ASSERT_TRUE(other->read(Frames(350000 + from), block));
        for (std::size_t i = 0; i < 1000; ++i) {
            ASSERT_EQ(block.channel(0)[i], whole.channel(0)[static_cast<std::size_t>(from) + i]);
        }
    }
}

TEST(Blend, MadeReadyOnAllCoresItIsWhatItIsWhenItIsRead)
{
    const auto sound = chords();
    const std::vector<Pin> pins{{Frames(0), Frames(0)}, {sound->frames(), Frames(600000)}};
    const auto plan = planOf(pins, sound);
    const Frames end(48000 * 11);
    EXPECT_FALSE(plan->isReady(Frames(24000)));
    ASSERT_TRUE(plan->makeReady(Frames(0), end, {}));
    for (std::int64_t at = 0; at < end.count(); at += 24000) {
        EXPECT_TRUE(plan->isReady(Frames(at))) << at;
    }
    auto ready = plan->sourceOf(std::make_unique<MemorySource>(sound, kRate), std::array{0, 1});
    auto other = sourceOf(pins, sound);
    AudioBuffer one(2, Frames(400000));
    AudioBuffer two(2, Frames(400000));
    ASSERT_TRUE(ready->read(Frames(100000), one));
    ASSERT_TRUE(other->read(Frames(100000), two));
    EXPECT_TRUE(std::ranges::equal(one.channel(1), two.channel(1)));
    // Who gives up while it is made is told so.
    std::stop_source stopped;
    stopped.request_stop();
    EXPECT_FALSE(planOf(pins, sound)->makeReady(Frames(0), end, {stopped.get_token(), {}}));
}

TEST(Blend, AttacksAreTheTakesOwnWhereTheMapPutsThem)
{
    const auto sound = chords();
    Treatment treatment;
    treatment.material = Material::Blend;
    treatment.time = *TimeMap::through(
        {{Frames(0), Frames(0)},
         {Frames(230400), Frames(250000)},
         {sound->frames(), Frames(560000)}}
    );
    treatment.attacks = {Frames(57600), Frames(115200), Frames(230400), Frames(345600)};
    auto plan = *planStretch(
        treatment, {channelOver(sound->channel(0)), channelOver(sound->channel(1))}, kRate
    );
    auto source = plan->sourceOf(std::make_unique<MemorySource>(sound, kRate), std::array{0, 1});
    for (const Frames attack : treatment.attacks) {
        AudioBuffer part(2, Frames(1440));
        ASSERT_TRUE(source->read(treatment.time.soundTimeOf(attack) - Frames(200), part));
        for (std::size_t i = 0; i < part.channel(0).size(); ++i) {
            const auto own = static_cast<std::size_t>(attack.count()) - 200 + i;
            ASSERT_EQ(part.channel(1)[i], sound->channel(1)[own]) << attack.count() << ' ' << i;
        }
    }
}

TEST(Blend, WhereTimeRunsEvenlyItIsTheTakeItself)
{
    const auto sound = chords();
    auto source = sourceOf(
        {{Frames(0), Frames(0)},
         {Frames(100000), Frames(110000)},
         {Frames(300000), Frames(310000)},
         {Frames(400000), Frames(400000)}},
        sound
    );
    AudioBuffer part(2, Frames(190000));
    ASSERT_TRUE(source->read(Frames(115000), part));
    for (std::size_t i = 0; i < part.channel(0).size(); ++i) {
        ASSERT_EQ(part.channel(0)[i], sound->channel(0)[105000 + i]);
    }
    AudioBuffer after(2, Frames(20000));
    ASSERT_TRUE(source->read(Frames(410000), after));
    EXPECT_EQ(after.channel(1)[0], sound->channel(1)[410000]);
}

}  // namespace
}  // namespace orthochron
