#include <gtest/gtest.h>

#include "core/demo/KitRecording.h"
#include "core/demo/Random.h"
#include "core/joins/Layers.h"
#include "core/stretch/Attacks.h"
#include "core/stretch/Ringing.h"
#include "core/stretch/StretchPlan.h"
#include "testkit/Folder.h"
#include "testkit/Rate.h"

#include <array>
#include <cmath>
#include <limits>
#include <numbers>
#include <random>

// Stretching what is struck: attacks untouched, all microphones alike.
namespace orthochron {
namespace {

using Shared = std::shared_ptr<const AudioBuffer>;

struct Kit {
    std::vector<Shared> microphones;
    std::vector<Frames> attacks;  // of all drums as the first microphone hears them
};

// Four bars of the made-up drummer, heard by all his microphones.
const Kit& kit()
{
    static const Kit kKit = [] {
        const auto performance = demo::performKit({.bars = 4});
        Kit made;
        auto takes = *demo::recordKit(performance, {});
        for (AudioBuffer& take : takes) {
            made.microphones.push_back(std::make_shared<const AudioBuffer>(std::move(take)));
        }
        const auto& over = made.microphones[5]->channel(0);
        made.attacks = *attacksOf(channelOver(over), kRate);
        return made;
    }();
    return kKit;
}

Treatment evenly(double ratio, Frames length, std::vector<Frames> attacks)
{
    Treatment treatment;
    treatment.time = *TimeMap::through(
        {{Frames(0), Frames(0)},
         {length, Frames(std::llround(static_cast<double>(length.count()) * ratio))}}
    );
    treatment.attacks = std::move(attacks);
    return treatment;
}

std::vector<Channel> witnesses(const std::vector<Shared>& sounds)
{
    std::vector<Channel> all;
    for (const Shared& sound : sounds) {
        all.push_back(channelOver(sound->channel(0)));
    }
    return all;
}

AudioBuffer stretched(const Treatment& treatment, const std::vector<Shared>& set, std::size_t which)
{
    auto plan = planStretch(treatment, witnesses(set), kRate);
    EXPECT_TRUE(plan);
    auto source = (*plan)->sourceOf(
        std::make_unique<MemorySource>(set[which], kRate), std::array{static_cast<int>(which)}
    );
    AudioBuffer sound(source->channels(), source->frames());
    EXPECT_TRUE(source->read(Frames(0), sound));
    return sound;
}

// How far `stretched` is `take` moved by whole frames around an attack, sample for sample.
bool isUntouched(
    const AudioBuffer& take, const AudioBuffer& made, Frames at, Frames target, Frames after
)
{
    const auto lead = static_cast<std::int64_t>(0.0002 * kRate.count());
    for (std::int64_t i = -lead; i < after.count(); ++i) {
        const auto from = static_cast<std::size_t>(at.count() + i);
        const auto to = static_cast<std::size_t>(target.count() + i);
        if (take.channel(0)[from] != made.channel(0)[to]) {
            return false;
        }
    }
    return true;
}

TEST(Splices, AMapOfAllOnesGivesTheTakeBackBitForBit)
{
    const AudioBuffer same =
        stretched(evenly(1.0, kit().microphones[0]->frames(), kit().attacks), kit().microphones, 0);
    EXPECT_EQ(same, *kit().microphones[0]);
}

TEST(Splices, EveryAttackLiesUntouchedWhereTheMapPutsItInEveryMicrophone)
{
    for (const double ratio : {0.75, 0.9, 1.1, 1.25}) {
        const Treatment treatment = evenly(ratio, kit().microphones[0]->frames(), kit().attacks);
        for (const std::size_t m : {0U, 2U, 5U, 7U}) {
            const AudioBuffer made = stretched(treatment, kit().microphones, m);
            EXPECT_EQ(made.frames(), treatment.time.pins().back().sound);
            Frames last(-10000);
            int untouched = 0;
            int looked = 0;
            for (const Frames attack : kit().attacks) {
                // Of those that move as one the first is put where the map has it.
                if (attack - last >= toFrames(milliseconds(40.0), kRate)) {
                    ++looked;
                    untouched += isUntouched(
                        *kit().microphones[m],
                        made,
                        attack,
                        treatment.time.soundTimeOf(attack),
                        toFrames(milliseconds(8.0), kRate)
                    );
                }
                last = attack;
            }
            EXPECT_GT(looked, 20);
            EXPECT_EQ(untouched, looked) << ratio << ' ' << m;
        }
    }
}

TEST(Splices, AStrokeKeepsItsAttackThoughASpliceWithinItWouldMatchBest)
{
    // Noise in which nothing repeats but the first moments of each stroke, heard again 10 ms later: left out just
    // there, 10 ms would go over without a trace, and the stroke would have lost the most of its attack.
    const std::int64_t every = toFrames(milliseconds(60.0), kRate).count();
    const std::int64_t later = toFrames(milliseconds(10.0), kRate).count();
    demo::Random random(5);
    auto sound = std::make_shared<AudioBuffer>(1, Frames(every * 12));
    std::vector<Frames> attacks;
    std::vector<Pin> pins;
    const auto samples = sound->channel(0);
    for (std::int64_t stroke = 1; stroke < 12; ++stroke) {
        const std::int64_t start = stroke * every;
        attacks.push_back(Frames(start));
        pins.push_back({Frames(start), Frames(start - (stroke - 1) * later)});
        for (std::int64_t i = 0; i < every; ++i) {
            const double loud = i < later ? 0.4 : 0.2;
            samples[static_cast<std::size_t>(start + i)] =
                static_cast<float>(loud * random.even() - 0.5 * loud);
        }
        const auto heard = toFrames(milliseconds(6.0), kRate).count();
        for (std::int64_t i = 0; i < heard; ++i) {
            samples[static_cast<std::size_t>(start + later + i)] =
                samples[static_cast<std::size_t>(start + i)];
        }
    }
    Treatment treatment;
    treatment.time = *TimeMap::through(pins);
    treatment.attacks = attacks;
    const AudioBuffer made = stretched(treatment, {sound}, 0);
    for (std::size_t k = 0; k + 1 < attacks.size(); ++k) {
        EXPECT_TRUE(isUntouched(
            *sound,
            made,
            attacks[k],
            treatment.time.soundTimeOf(attacks[k]),
            toFrames(milliseconds(8.0), kRate)
        )) << k;
    }
}

TEST(Splices, WhatIsLittleIsMadeUpForByOneSplice)
{
    // Strokes half a second apart, each ringing on; 10 ms more between them are one splice each.
    auto sound = std::make_shared<AudioBuffer>(1, toFrames(Seconds(4.0), kRate));
    std::vector<Frames> attacks;
    for (int stroke = 0; stroke < 8; ++stroke) {
        attacks.push_back(toFrames(Seconds(0.1 + 0.5 * stroke), kRate));
        for (std::int64_t i = 0; i < 20000; ++i) {
            const auto at = static_cast<std::size_t>(attacks.back().count() + i);
            if (at < sound->channel(0).size()) {
                const double t = static_cast<double>(i) / kRate.count();
                sound->channel(0)[at] +=
                    static_cast<float>(0.5 * std::exp(-t / 0.15) * std::sin(1000.0 * t));
            }
        }
    }
    std::vector<Pin> pins;
    for (std::size_t k = 0; k < attacks.size(); ++k) {
        pins.push_back(
            {attacks[k],
             attacks[k] + toFrames(milliseconds(10.0), kRate) * static_cast<std::int64_t>(k)}
        );
    }
    Treatment treatment;
    treatment.time = *TimeMap::through(pins);
    treatment.attacks = attacks;
    const auto plan = *planStretch(treatment, witnesses({sound}), kRate);
    const auto spliced =
        *plan->splices(pins.front().sound, pins.back().sound - toFrames(Seconds(0.02), kRate));
    int leaps = 0;
    for (std::size_t i = 1; i < spliced.size(); ++i) {
        leaps += spliced[i].shift != spliced[i - 1].shift ? 1 : 0;
    }
    EXPECT_EQ(leaps, 7);
}

TEST(Splices, MuchIsLeftOutInSeveralJumpsAndWhatComesNextIsWhole)
{
    for (const double apart : {0.42, 0.5, 0.9}) {
        for (const double less : {0.12, 0.25, 0.3}) {
            auto sound = std::make_shared<AudioBuffer>(1, atSeconds(2.2));
            demo::Random random(5);
            std::vector<Frames> attacks{
                atSeconds(0.1), atSeconds(0.1 + apart), atSeconds(0.1 + 2.0 * apart)};
            for (std::size_t i = 0; i < sound->channel(0).size(); ++i) {
                double value = 0.0;
                for (const Frames attack : attacks) {
                    const double t =
                        static_cast<double>(static_cast<std::int64_t>(i) - attack.count()) /
                        kRate.count();
                    value += t >= 0.0 ? 0.3 * std::exp(-t / 0.12) * random.bell() : 0.0;
                }
                sound->channel(0)[i] = static_cast<float>(value);
            }
            Treatment treatment;
            treatment.attacks = attacks;
            const Frames out = atSeconds(less);
            treatment.time = *TimeMap::through(
                {{attacks[0], attacks[0]},
                 {attacks[1], attacks[1] - out},
                 {attacks[2], attacks[2] - out * 2}}
            );
            const AudioBuffer made = stretched(treatment, {sound}, 0);
            for (std::size_t k = 0; k < 3; ++k) {
                EXPECT_TRUE(isUntouched(
                    *sound,
                    made,
                    attacks[k],
                    attacks[k] - out * static_cast<std::int64_t>(k),
                    Frames(384)
                )) << apart
                   << ' ' << less << ' ' << k;
            }
            const auto plan = *planStretch(treatment, witnesses({sound}), kRate);
            const auto spliced = *plan->splices(attacks[0], attacks[1] - out - Frames(240));
            std::vector<Frames> leaps;
            for (std::size_t i = 1; i < spliced.size(); ++i) {
                if (spliced[i].shift != spliced[i - 1].shift) {
                    leaps.push_back(spliced[i].from);
                }
            }
            EXPECT_EQ(leaps.size(), static_cast<std::size_t>(std::ceil(less / 0.1)));
            for (std::size_t i = 1; i < leaps.size(); ++i) {
                EXPECT_GE(leaps[i] - leaps[i - 1], atSeconds(0.015)) << apart << ' ' << less;
            }
        }
    }
}

// What a far microphone still hears of an attack is kept whole, but no more than a third of what is
// between two strokes: else so little could be repeated at once that it took many jumps.
TEST(Splices, StrokesCloseTogetherTakeOneJumpThoughAFarMicrophoneHearsThemLate)
{
    constexpr std::int64_t kApart = 2880;
    const auto strokes = [](std::int64_t late) {
        demo::Random random(3);
        auto sound = std::make_shared<AudioBuffer>(1, atSeconds(1.5));
        for (std::int64_t i = 0; i < sound->frames().count(); ++i) {
            const std::int64_t since = (i - late) % kApart;
            sound->channel(0)[static_cast<std::size_t>(i)] = static_cast<float>(
                0.3 * random.bell() * std::exp(-static_cast<double>(since) / 300.0)
            );
        }
        return sound;
    };
    Treatment treatment;
    std::vector<Pin> pins;
    for (std::int64_t k = 2; k < 12; ++k) {
        treatment.attacks.emplace_back(k * kApart);
        pins.push_back({Frames(k * kApart), Frames(k * kApart * 5 / 4)});
    }
    treatment.time = *TimeMap::through(pins);
    const std::vector<Shared> set{strokes(0), strokes(1824)};
    const auto plan = *planStretch(treatment, witnesses(set), kRate);
    const auto spliced = *plan->splices(pins[2].sound, pins[7].sound - Frames(480));
    std::size_t jumps = 0;
    for (std::size_t i = 1; i < spliced.size(); ++i) {
        const bool isHeard = spliced[i].from > pins[2].sound;
        jumps += isHeard && spliced[i].shift != spliced[i - 1].shift ? 1U : 0U;
    }
    EXPECT_EQ(jumps, 5U);
}

// The longest fade of the splices that make a low drum's strokes `apart` longer apart.
Frames longestFade(Seconds apart)
{
    auto sound = std::make_shared<AudioBuffer>(1, toFrames(Seconds(2.0), kRate));
    std::vector<Frames> attacks;
    demo::Random random(7);
    std::vector<Pin> pins;
    for (int stroke = 0; stroke < 4; ++stroke) {
        attacks.push_back(toFrames(Seconds(0.1 + 0.5 * stroke), kRate));
        pins.push_back({attacks.back(), attacks.back() + toFrames(apart, kRate) * stroke});
    }
    for (std::size_t i = 0; i < sound->channel(0).size(); ++i) {
        double value = 0.0005 * random.bell();
        for (const Frames attack : attacks) {
            const double t =
                static_cast<double>(static_cast<std::int64_t>(i) - attack.count()) / kRate.count();
            if (t >= 0.0 && t < 0.5) {
                value += 0.5 * std::exp(-t / 0.4) * std::sin(2.0 * std::numbers::pi * 70.0 * t) +
                         0.5 * std::exp(-t / 0.001) * std::sin(20'000.0 * t);
            }
        }
        sound->channel(0)[i] = static_cast<float>(value);
    }
    Treatment treatment;
    treatment.time = *TimeMap::through(pins);
    treatment.attacks = attacks;
    const auto plan = *planStretch(treatment, witnesses({sound}), kRate);
    const auto spliced =
        *plan->splices(pins.front().sound, pins.back().sound - toFrames(Seconds(0.02), kRate));
    Frames longest;
    for (std::size_t i = 1; i < spliced.size(); ++i) {
        if (spliced[i].shift != spliced[i - 1].shift) {
            longest = std::max(longest, spliced[i].fade);
        }
    }
    return longest;
}

TEST(Splices, OneInALowRingTakesLongerWhereItWouldTick)
{
    EXPECT_EQ(longestFade(Seconds(1.0 / 70.0)), Frames(240));  // a whole period
    EXPECT_GT(longestFade(Seconds(0.75 / 70.0)), Frames(240));
    EXPECT_LE(longestFade(Seconds(0.75 / 70.0)), Frames(720));
}

TEST(Splices, OneAnswerHoweverItIsRead)
{
    const Treatment treatment = evenly(1.17, kit().microphones[0]->frames(), kit().attacks);
    const AudioBuffer whole = stretched(treatment, kit().microphones, 2);
    auto plan = *planStretch(treatment, witnesses(kit().microphones), kRate);
    auto source =
        plan->sourceOf(std::make_unique<MemorySource>(kit().microphones[2], kRate), std::array{2});
    std::mt19937 random(4);
    for (int i = 0; i < 200; ++i) {
        const std::int64_t length = 1 + static_cast<std::int64_t>(random() % 3000);
        const auto from = static_cast<std::int64_t>(
            random() % static_cast<std::uint64_t>(whole.frames().count() - length)
        );
        AudioBuffer block(1, Frames(length));
        ASSERT_TRUE(source->read(Frames(from), block));
        for (std::size_t k = 0; k < block.channel(0).size(); ++k) {
            ASSERT_EQ(block.channel(0)[k], whole.channel(0)[static_cast<std::size_t>(from) + k]);
        }
    }
}

TEST(Splices, WhatLiesOutsideAMovedPinsNeighboursStaysAsItWas)
{
    const auto& attacks = kit().attacks;
    const auto pinned = [&](Frames by) {
        Treatment treatment;
        std::vector<Pin> pins;
        for (std::size_t i = 0; i < attacks.size(); i += 4) {
            pins.push_back({attacks[i], attacks[i] + (i == 20 ? by : Frames(0))});
        }
        treatment.time = *TimeMap::through(std::move(pins));
        treatment.attacks = attacks;
        return stretched(treatment, kit().microphones, 0);
    };
    const AudioBuffer before = pinned(Frames(300));
    const AudioBuffer after = pinned(Frames(-700));
    const Frames lead = toFrames(milliseconds(4.0), kRate);
    bool differs = false;
    for (std::int64_t i = 0; i < before.frames().count(); ++i) {
        const bool isSame = before.channel(0)[static_cast<std::size_t>(i)] ==
                            after.channel(0)[static_cast<std::size_t>(i)];
        const bool isBetween = Frames(i) >= attacks[16] && Frames(i) < attacks[24] - lead;
        ASSERT_TRUE(isSame || isBetween) << i;
        differs = differs || !isSame;
    }
    EXPECT_TRUE(differs);
}

double levelOf(const AudioBuffer& sound, std::int64_t from)
{
    return 10.0 *
           std::log10(
               meanPower(sound.channel(0).subspan(static_cast<std::size_t>(from), 1440)) + 1e-12
           );
}

// Strokes of noise half a second apart that die away to `floor`, from half a second on.
Shared dyingStrokes(double floor)
{
    std::mt19937 random(7);
    std::normal_distribution<double> noise;
    return std::make_shared<const AudioBuffer>(testkit::soundOf(2.0, [&](auto n) {
        const double since = static_cast<double>(n % 24000) / 48000.0;
        return n < 24000 ? 0.0 : 0.2 * noise(random) * (std::exp(-since / 0.12) + floor);
    }));
}

// One at half a second, that dies away slowly.
Shared oneStroke()
{
    std::mt19937 random(7);
    std::normal_distribution<double> noise;
    return std::make_shared<const AudioBuffer>(testkit::soundOf(2.0, [&](auto n) {
        const double since = static_cast<double>(n - 24000) / 48000.0;
        return since < 0.0 ? 0.0 : 0.2 * noise(random) * std::exp(-since / 0.3);
    }));
}

Treatment drawnOut(double ratio)
{
    return evenly(ratio, Frames(96000), {Frames(24000), Frames(48000), Frames(72000)});
}

// The level of a single decaying stroke goes on falling where it is drawn out.
TEST(Splices, AStrokeDrawnOutRingsOnAndDoesNotSwell)
{
    const AudioBuffer made = stretched(drawnOut(1.4), {dyingStrokes(0.0)}, 0);
    for (const std::int64_t stroke : {33600, 67200}) {
        double lowest = levelOf(made, stroke + 2000);
        for (std::int64_t at = stroke + 2000; at + 2000 < stroke + 33600; at += 480) {
            const double here = levelOf(made, at);
            EXPECT_LT(here, lowest + 2.5) << at;
            lowest = std::min(lowest, here);
        }
    }
}

// Turned down by 6 dB where it is repeated, it would leave a hole before the next stroke: a cymbal
// or a room that sounds on beside the drum would be heard to go and to come back.
TEST(Splices, WhatSoundsOnBesideAStrokeDrawnOutIsInTheEndAsLoudAsInItsTake)
{
    for (const double floor : {0.05, 0.1}) {
        const auto strokes = dyingStrokes(floor);
        // Of many repeats each adds what its level happens to be off by.
        for (const auto& [ratio, within] : {std::pair{1.08, 2.5}, {1.15, 2.5}, {1.6, 9.0}}) {
            const AudioBuffer made = stretched(drawnOut(ratio), {strokes}, 0);
            for (const std::int64_t stroke : {24000, 48000}) {
                const std::int64_t end = stroke + 24000 - 1440 - 240;
                double quietest = 0.0;
                for (std::int64_t at = stroke; at < end; at += 480) {
                    quietest = std::min(quietest, levelOf(*strokes, at));
                }
                const auto next = std::llround(static_cast<double>(stroke + 24000) * ratio);
                EXPECT_NEAR(levelOf(made, next - 1440 - 240), levelOf(*strokes, end), within)
                    << floor << ' ' << ratio;
                const auto begin = std::llround(static_cast<double>(stroke) * ratio);
                for (std::int64_t at = begin; at < next - 1440 - 240; at += 480) {
                    EXPECT_GT(levelOf(made, at), quietest - within)
                        << floor << ' ' << ratio << ' ' << at - begin;
                }
            }
        }
    }
}

// What has just become softer goes on at that level: the mean of before and after would turn it down once more.
// Another microphone hears something swell later, so that it is repeated before that.
TEST(Splices, WhatFallsJustBeforeItIsRepeatedIsNotTurnedDownTwice)
{
    for (double fall = 0.32; fall < 0.4; fall += 0.005) {
        std::mt19937 random(7);
        std::normal_distribution<double> noise;
        const auto strokes = std::make_shared<const AudioBuffer>(testkit::soundOf(2.0, [&](auto n) {
            const double since = static_cast<double>(n % 24000) / 48000.0;
            const double beside = since < fall ? 0.12 : 0.05;
            return n < 24000 ? 0.0 : 0.2 * noise(random) * (std::exp(-since / 0.03) + beside);
        }));
        const auto swelling =
            std::make_shared<const AudioBuffer>(testkit::soundOf(2.0, [&](auto n) {
                const double since = static_cast<double>(n % 24000) / 48000.0;
                const double swell = std::clamp((since - 0.42) / 0.07, 0.0, 1.0);
                return n < 24000 ? 0.0 : 0.2 * noise(random) * (std::exp(-since / 0.03) + swell);
            }));
        const AudioBuffer made = stretched(drawnOut(1.07), {strokes, swelling}, 0);
        for (const std::int64_t stroke : {24000, 48000}) {
            const auto begin = std::llround(static_cast<double>(stroke) * 1.07);
            const auto next = std::llround(static_cast<double>(stroke + 24000) * 1.07);
            for (std::int64_t at = begin; at < next - 1440 - 240; at += 240) {
                EXPECT_GT(levelOf(made, at), -43.0) << fall << ' ' << at - begin;
            }
        }
    }
}

// A drum that rings 80 ms longer has died away by as much more, as if it were played at that tempo.
TEST(Splices, AStrokeDrawnOutDiesAwayAsItWouldAtTheOtherTempo)
{
    const auto strokes = dyingStrokes(0.0);
    for (const double ratio : {1.04, 1.12, 1.25, 1.4}) {
        const AudioBuffer made = stretched(drawnOut(ratio), {strokes}, 0);
        const auto begin = std::llround(24000 * ratio);
        const auto next = std::llround(48000 * ratio);
        for (std::int64_t at = begin + 960; at < next - 1440 - 240; at += 480) {
            const double since = static_cast<double>(at - begin) / 48000.0;
            const double dying = levelOf(*strokes, 24000) - 8.69 * since / 0.12;
            EXPECT_NEAR(levelOf(made, at), dying, 2.5) << ratio << ' ' << since;
        }
    }
}

// As quiet right up to what is struck next, which is heard against it.
TEST(Splices, WhatIsHeardJustBeforeTheNextStrokeHasDiedAwayToo)
{
    const auto strokes = dyingStrokes(0.0);
    const AudioBuffer made = stretched(drawnOut(1.4), {strokes}, 0);
    const auto powerBefore = [](const AudioBuffer& sound, std::int64_t stroke) {
        return meanPower(sound.channel(0).subspan(static_cast<std::size_t>(stroke - 180), 110));
    };
    const double down = 10.0 * std::log10(powerBefore(made, 67200) / powerBefore(*strokes, 48000));
    EXPECT_NEAR(down, -8.69 * 0.2 / 0.12, 3.0);
}

// A microphone 1 m nearer than the one that leads hears what is struck next while the lead-in lasts.
TEST(Splices, AMicrophoneThatHearsTheNextStrokeEarlyHasItWhole)
{
    const auto strokes = dyingStrokes(0.0);
    AudioBuffer early(1, strokes->frames());
    std::ranges::copy(strokes->channel(0).subspan(144), early.channel(0).begin());
    const auto near = std::make_shared<const AudioBuffer>(std::move(early));
    const AudioBuffer made = stretched(drawnOut(1.4), {strokes, near}, 1);
    for (std::size_t i = 0; i < 144; ++i) {
        EXPECT_NEAR(made.channel(0)[67200 - 144 + i], near->channel(0)[48000 - 144 + i], 1e-6) << i;
    }
}

// What rings in a microphone that does not hear the next stroke goes on after it as its take has it: turned down
// further it would be heard to come back.
TEST(Splices, WhereNothingCoversThatItComesBackARingIsTurnedDownByLittle)
{
    const auto ringing = oneStroke();
    const AudioBuffer made = stretched(drawnOut(1.4), {dyingStrokes(0.0), ringing}, 1);
    const double before = levelOf(made, 67200 - 1440 - 240);
    EXPECT_NEAR(before, levelOf(*ringing, 48000 - 1440 - 240) - 3.0, 1.5);
}

// One that is marked by nobody is not taken for what rings of the one before.
TEST(Splices, ASoftStrokeWithinWhatRingsKeepsItsLevel)
{
    std::mt19937 random(7);
    std::normal_distribution<double> noise;
    const auto strokes = std::make_shared<const AudioBuffer>(testkit::soundOf(2.0, [&](auto n) {
        const double since = static_cast<double>(n % 24000) / 48000.0;
        const double ghost = since < 0.3 ? 0.0 : 0.3 * std::exp(-(since - 0.3) / 0.12);
        return n < 24000 ? 0.0 : 0.2 * noise(random) * (std::exp(-since / 0.06) + ghost);
    }));
    const AudioBuffer made = stretched(drawnOut(1.15), {strokes}, 0);
    double loudest = -200.0;
    for (std::int64_t at = 27600 + 12000; at < 55200 - 1680; at += 48) {
        loudest = std::max(loudest, levelOf(made, at));
    }
    EXPECT_NEAR(loudest, levelOf(*strokes, 24000 + 14400), 1.0);
    // What was drawn out before it is not of its own ring.
    const AudioBuffer longer = stretched(drawnOut(1.5), {strokes}, 0);
    EXPECT_NEAR(levelOf(longer, 72000 - 1680), levelOf(*strokes, 48000 - 1680), 6.0);
}

// However fast it dies away, it is turned down by 30 dB at the most: how it would go on is less and less known.
TEST(Splices, WhatDiesAwayFastIsTurnedDownBy30DecibelsAtTheMost)
{
    std::mt19937 random(7);
    std::normal_distribution<double> noise;
    const auto strokes = std::make_shared<const AudioBuffer>(testkit::soundOf(2.0, [&](auto n) {
        const double since = static_cast<double>(n % 24000) / 48000.0;
        return n < 24000 ? 0.0 : 0.2 * noise(random) * std::exp(-since / 0.08);
    }));
    const AudioBuffer made = stretched(drawnOut(1.6), {strokes}, 0);
    const double down =
        levelOf(*strokes, 48000 - 1680) - levelOf(made, std::llround(48000 * 1.6) - 1680);
    EXPECT_GT(down, 22.0);
    EXPECT_LT(down, 30.5);
}

// Drawn out by 10 ms a drum is heard to ring as it does; nothing is done to its level.
TEST(Splices, WhatIsDrawnOutByLittleIsAsLoudAsItsTake)
{
    const auto strokes = dyingStrokes(0.0);
    const AudioBuffer made = stretched(drawnOut(1.02), {strokes}, 0);
    const auto next = static_cast<std::size_t>(std::llround(48000 * 1.02));
    for (std::size_t i = 1; i < 240; ++i) {
        ASSERT_EQ(made.channel(0)[next - i], strokes->channel(0)[48000 - i]) << i;
    }
}

// What rings into a pin at which nothing is struck is as loud after it as its take: turned down before it, it would
// swell there.
TEST(Splices, ARingThatNothingIsStruckAfterKeepsItsLevel)
{
    const auto stroke = oneStroke();
    Treatment treatment;
    treatment.time = *TimeMap::through(
        {{Frames(0), Frames(0)},
         {Frames(24000), Frames(24000)},
         {Frames(60000), Frames(74400)},
         {Frames(96000), Frames(110400)}}
    );
    treatment.attacks = {Frames(24000)};
    const AudioBuffer made = stretched(treatment, {stroke}, 0);
    EXPECT_NEAR(levelOf(made, 74400 - 1680), levelOf(*stroke, 60000 - 1680), 1.0);
}

// Nothing tells how a sound that is held for seconds would go on.
TEST(Splices, AHeldSoundIsAsLoudAsItsTakeBeforeTheNextStroke)
{
    std::mt19937 random(7);
    std::normal_distribution<double> noise;
    const auto held = std::make_shared<const AudioBuffer>(testkit::soundOf(8.0, [&](auto n) {
        const double since = static_cast<double>(n - 24000) / 48000.0;
        const double again = n < 360000 ? 0.0 : 1.0;
        return since < 0.0 ? 0.0 : 0.2 * noise(random) * (std::exp(-since / 2.0) + again);
    }));
    const AudioBuffer made =
        stretched(evenly(1.3, Frames(384000), {Frames(24000), Frames(360000)}), {held}, 0);
    EXPECT_NEAR(levelOf(made, 468000 - 1680), levelOf(*held, 360000 - 1680), 1.0);
}

// What dips and is back had not died away.
TEST(Ringing, IsAsLoudAsItStillGets)
{
    MemorySource take(
        std::make_shared<const AudioBuffer>(testkit::soundOf(
            1.0,
            [](auto n) {
                const double level = n < 9600 ? 0.5 : n < 14400 ? 0.05 : n < 19200 ? 0.35 : 0.5;
                return level * std::sin(0.2 * static_cast<double>(n));
            }
        )),
        kRate
    );
    const auto ring = *Ringing::of(take, {Frames(4800), Frames(19200), Frames(0), Frames(0)});
    EXPECT_NEAR(ring->gainAt(Frames(8400), Frames(4800)), 0.7, 0.01);
}

TEST(Splices, PitchMovesWithoutTheAttacks)
{
    const Frames length = kit().microphones[0]->frames();
    Treatment treatment = evenly(1.0, length, kit().attacks);
    treatment.semitones = -3.0;
    const AudioBuffer made = stretched(treatment, kit().microphones, 5);
    EXPECT_EQ(made.frames(), length);
    const auto attacks = *attacksOf(channelOver(made.channel(0)), kRate);
    int near = 0;
    for (const Frames attack : kit().attacks) {
        near += std::ranges::any_of(attacks, [&](Frames other) {
            return std::abs((other - attack).count()) < 240;
        });
    }
    EXPECT_GT(near, static_cast<int>(kit().attacks.size()) * 9 / 10);
}

TEST(Splices, WhateverItIsGivenTheResultIsAsLongAsAskedAndFinite)
{
    std::mt19937 random(9);
    const auto full = std::make_shared<const AudioBuffer>(testkit::soundOf(0.7, [&](auto) {
        return random() % 2 == 0 ? 1.0 : -1.0;
    }));
    const auto silence = std::make_shared<const AudioBuffer>(1, Frames(33600));
    const auto one = std::make_shared<const AudioBuffer>(1, Frames(1));
    std::vector<Frames> crowded;
    for (std::int64_t n = 0; n < 33600; n += 97) {
        crowded.push_back(Frames(n));
    }
    for (const Shared& sound : {full, silence, one}) {
        for (const double ratio : {0.05, 0.6, 1.9, 20.0}) {
            for (const auto& attacks : {std::vector<Frames>(), crowded}) {
                Treatment treatment;
                const auto length = std::max<std::int64_t>(
                    std::llround(static_cast<double>(sound->frames().count()) * ratio), 1
                );
                treatment.time =
                    *TimeMap::through({{Frames(0), Frames(0)}, {sound->frames(), Frames(length)}});
                treatment.attacks = attacks;
                const AudioBuffer made = stretched(treatment, {sound}, 0);
                EXPECT_EQ(made.frames(), Frames(length));
                for (const float value : made.channel(0)) {
                    ASSERT_LE(std::abs(value), 2.0F);
                }
            }
        }
    }
}

TEST(StretchPlan, PitchesThatCannotBeAreRefused)
{
    Treatment treatment;
    for (const double wrong : {25.0, -30.0, std::numeric_limits<double>::quiet_NaN()}) {
        treatment.semitones = wrong;
        EXPECT_FALSE(planStretch(treatment, witnesses(kit().microphones), kRate));
    }
    treatment.semitones = 1.0;
    treatment.material = Material::Tape;
    EXPECT_FALSE(planStretch(treatment, witnesses(kit().microphones), kRate));
}

}  // namespace
}  // namespace orthochron
