#include <gtest/gtest.h>

#include "core/edits/ClipEdits.h"
#include "core/edits/ClipValues.h"
#include "core/edits/FitEdits.h"
#include "core/edits/MarkEdits.h"
#include "core/edits/ShapeEdits.h"
#include "core/edits/TakeEdits.h"
#include "engine/device/SimulatedDevice.h"
#include "engine/playback/Playing.h"
#include "testkit/Allocations.h"

#include <atomic>
#include <cmath>
#include <numbers>

namespace orthochron::engine {
namespace {

TEST_F(Playing, GivesExactlyWhatIsPrinted)
{
    addTake(2.0, [](std::int64_t f) {
        return 0.3 * std::sin(0.05 * static_cast<double>(f)) + 0.001 * static_cast<double>(f % 97);
    });
    addTake(2.0, [](std::int64_t f) { return 0.2 * std::cos(0.011 * static_cast<double>(f)); });
    song_ = *changeMix(song_, song_.tracks[1]->id, {.gainDecibels = -4.0, .pan = 0.3});
    load();

    player_->play();
    const auto heard = play(20000);

    AudioBuffer printed(2, Frames(20000));
    ASSERT_TRUE(renderMix(song_, *sources_, Frames(0), printed));
    std::size_t same = 0;
    // After the 5 ms in which playing fades in.
    for (std::size_t i = 600; i < 19000; ++i) {
        same += heard[i * 2] == printed.channel(0)[i] && heard[i * 2 + 1] == printed.channel(1)[i]
                    ? 1U
                    : 0U;
    }
    EXPECT_EQ(same, 18400U);
    EXPECT_EQ(player_->dropouts(), 0);
}

TEST_F(Playing, IsSilentUntilPlayedAndAfterStop)
{
    addTake(3.0, sine);
    load();

    const auto before = pump(1024);
    player_->play();
    const auto during = play(4096);
    player_->stop();
    (void)pump(1024);
    const auto after = pump(1024);

    EXPECT_TRUE(std::ranges::all_of(before, [](float v) { return v == 0.0F; }));
    EXPECT_TRUE(std::ranges::any_of(during, [](float v) { return v > 0.2F; }));
    EXPECT_TRUE(std::ranges::all_of(after, [](float v) { return v == 0.0F; }));
    EXPECT_FALSE(player_->isPlaying());
}

TEST_F(Playing, SeeksMutesAndEditsWithoutAClick)
{
    addTake(8.0, sine);
    load();
    player_->play();
    auto sound = play(8192);

    player_->seek(Frames(200003));
    const auto sought = play(8192);
    song_ = *changeMix(song_, song_.tracks[0]->id, {.gainDecibels = -12.0});
    load();
    const auto quieter = play(4096);
    Track track = *song_.tracks[0];
    track.clips[0].soundStart += Frames(100);  // half a period off
    track.clips[0].length -= Frames(100);
    putTrack(song_, track);
    load();
    const auto edited = play(24576);

    sound.insert(sound.end(), sought.begin(), sought.end());
    sound.insert(sound.end(), quieter.begin(), quieter.end());
    sound.insert(sound.end(), edited.begin(), edited.end());
    EXPECT_LT(largestStep(sound), 2.0 * kSineStep);
    EXPECT_GT(player_->position(), Frames(200003));
    EXPECT_EQ(player_->dropouts(), 0);
}

TEST_F(Playing, FollowsLinesAndHushesAsTheyArePrintedTheClickAside)
{
    addTake(3.0, sine);
    addTake(3.0, [](std::int64_t f) { return 0.2 * std::cos(0.011 * static_cast<double>(f)); });
    LevelLine line{{{HeldPlace(0.1), 0.0, 0.4}, {HeldPlace(0.3), -20.0}}, Keeps::Time};
    song_ = *setLevelLine(song_, std::array{song_.tracks[0]->id}, line);
    line.points.back().level = kSilence;
    line.points.back().at = HeldPlace(0.5);
    song_ = *setLevelLine(song_, {}, line);
    Hush hush;
    hush.keeps = Keeps::Time;
    hush.from = HeldPlace(0.05);
    hush.to = HeldPlace(0.15);
    song_ = *addHush(song_, std::array{song_.tracks[1]->id}, hush);
    load();
    player_->play();
    const auto heard = play(30000);
    AudioBuffer printed(2, Frames(30000));
    ASSERT_TRUE(renderMix(song_, *sources_, Frames(0), printed));
    for (std::size_t i = 600; i < 29000; ++i) {
        ASSERT_NEAR(heard[i * 2], printed.channel(0)[i], 1e-6F) << i;
    }
    // The song's silence does not take the click along.
    player_->seek(Frames(48000));
    player_->setClick({true, ClickSound::Tick, 0.0});
    const auto clicks = play(30000);
    EXPECT_TRUE(std::ranges::any_of(clicks, [](float value) { return std::abs(value) > 0.05F; }));
}

TEST_F(Playing, APointSweptUpAndDownWhileItPlaysNeverClicks)
{
    addTake(8.0, sine);
    load();
    player_->play();
    std::vector<float> sound = play(8192);
    for (int step = 0; step < 30; ++step) {
        const double level = -40.0 + 45.0 * (0.5 + 0.5 * std::sin(0.7 * step));
        LevelLine line{{{HeldPlace(0.0), level}}, Keeps::Time};
        song_ = *setLevelLine(song_, std::array{song_.tracks[0]->id}, line);
        load();
        const auto some = play(2048);
        sound.insert(sound.end(), some.begin(), some.end());
    }
    // Where it was swept to is heard.
    const auto end = play(16384);
    const double level = -40.0 + 45.0 * (0.5 + 0.5 * std::sin(0.7 * 29));
    const double peak = std::ranges::max(std::span(end).last(4096));
    EXPECT_NEAR(toDecibels(peak / (0.5 * std::sqrt(0.5))), level, 0.2);
    // Twice as loud at the most, and faded into within 10 ms.
    EXPECT_LT(largestStep(sound), 2.0 * 1.8 * kSineStep);
    EXPECT_EQ(player_->dropouts(), 0);
}

TEST_F(Playing, LinesAndHushesAreHeardWithinABlockOfTheirEdit)
{
    addTake(8.0, sine);
    load();
    player_->play();
    (void)play(8192);
    const auto peakOf = [](std::span<const float> sound) { return std::ranges::max(sound); };
    const float loud = static_cast<float>(0.5 * std::sqrt(0.5));
    // The reader is given no time: what is heard comes from what was rendered before the edit.
    const Song before = song_;
    const LevelLine line{{{HeldPlace(0.0), -20.0}}, Keeps::Time};
    song_ = *setLevelLine(before, std::array{song_.tracks[0]->id}, line);
    load();
    std::vector<float> sound = device_->pump(Frames(512));
    EXPECT_NEAR(peakOf(std::span(sound).last(440)), 0.1F * loud, 0.01F * loud);
    EXPECT_LT(largestStep(sound), 2.0 * kSineStep);
    Hush hush;
    hush.keeps = Keeps::Time;
    hush.to = HeldPlace(7.0);
    song_ = *addHush(before, std::array{song_.tracks[0]->id}, hush);
    load();
    sound = device_->pump(Frames(512));
    EXPECT_EQ(peakOf(std::span(sound).last(440)), 0.0F);
    song_ = *setLevelLine(before, {}, line);
    load();
    sound = device_->pump(Frames(512));
    EXPECT_NEAR(peakOf(std::span(sound).last(440)), 0.1F * loud, 0.01F * loud);
    song_ = before;
    load();
    sound = device_->pump(Frames(512));
    EXPECT_NEAR(peakOf(std::span(sound).last(440)), loud, 0.01F * loud);
    EXPECT_LT(largestStep(sound), 2.0 * kSineStep);
    EXPECT_EQ(player_->dropouts(), 0);
}

TEST_F(Playing, ALoopWhoseEndsAreNotEquallyLoudDoesNotClick)
{
    addTake(3.0, sine);
    const LevelLine line{{{HeldPlace(0.1), -40.0}, {HeldPlace(0.5), 0.0}}, Keeps::Time};
    song_ = *setLevelLine(song_, std::array{song_.tracks[0]->id}, line);
    load();
    player_->setLoop(LoopRange{Frames(4800), Frames(24000)});
    player_->seek(Frames(4800));
    player_->play();
    const auto sound = play(60000);
    EXPECT_LT(largestStep(sound), 1.5 * kSineStep);
    // It comes round as soft as it began.
    const auto begin = std::span(sound).subspan(2 * (19200 + 1000), 2 * 400);
    EXPECT_LT(std::ranges::max(begin), 0.03F);
}

TEST_F(Playing, LoopsWithoutAClickAndComesRound)
{
    addTake(4.0, sine);
    load();
    player_->setLoop(LoopRange{Frames(10000), Frames(22321)});
    player_->seek(Frames(10000));
    player_->play();

    const auto sound = play(60000);

    EXPECT_LT(largestStep(sound), 2.0 * kSineStep);
    EXPECT_GE(player_->position(), Frames(10000));
    EXPECT_LT(player_->position(), Frames(22321));
}

TEST_F(Playing, ASilenceJustAfterALoopIsNotHeardInIt)
{
    addTake(4.0, [](std::int64_t) { return 0.2; });
    Hush hush;
    hush.keeps = Keeps::Time;
    hush.from = HeldPlace(toSeconds(Frames(34001), kRate).count());
    hush.to = HeldPlace(2.0);
    hush.edge = Seconds(0.0);
    song_ = *addHush(song_, std::array{song_.tracks[0]->id}, hush);
    load();
    player_->setLoop(LoopRange{Frames(10000), Frames(34000)});
    player_->seek(Frames(33100));
    player_->play();
    const auto all = play(60000);
    const auto sound = std::span(all).subspan(2 * 400);
    EXPECT_GT(std::ranges::min(sound), 0.99F * std::ranges::max(sound));
}

TEST_F(Playing, AnEditJustBeforeALoopComesRoundIsHeardFromItsBeginning)
{
    addTake(4.0, [](std::int64_t) { return 0.2; });
    load();
    player_->setLoop(LoopRange{Frames(10000), Frames(34000)});
    player_->seek(Frames(33000));
    player_->play();
    (void)play(1024);
    Track louder = *song_.tracks[0];
    louder.clips[0].gain = 2.0F;
    putTrack(song_, louder);
    load();
    const auto heard = play(24064);
    EXPECT_LT(largestStep(heard), 0.01);
    EXPECT_NEAR(heard.back() / heard.front(), 2.0F, 1e-3F);
    EXPECT_GE(player_->position(), Frames(10000));
    EXPECT_LT(player_->position(), Frames(34000));
    EXPECT_EQ(player_->dropouts(), 0);
}

TEST_F(Playing, StopsAtTheEndOfARange)
{
    addTake(4.0, sine);
    load();

    player_->playRange(Frames(48000), Frames(52000));
    (void)play(8192);

    EXPECT_FALSE(player_->isPlaying());
    EXPECT_NEAR(static_cast<double>(player_->position().count()), 52000.0, 1200.0);
}

TEST_F(Playing, ClicksOnTheBeat)
{
    addTake(4.0, [](std::int64_t) { return 0.0; });
    song_.tempo = *TempoMap::steady(120.0, {}, Seconds(0.25));
    load();
    player_->setClick({true, ClickSound::Tick, 0.0});
    player_->play();

    const auto sound = play(48000);

    std::vector<std::size_t> starts;
    for (std::size_t i = 0; i < sound.size() / 2; ++i) {
        const bool isLoud = std::abs(sound[i * 2]) > 0.05F;
        if (isLoud && (starts.empty() || i > starts.back() + 4800)) {
            starts.push_back(i);
        }
    }
    ASSERT_EQ(starts.size(), 2U);
    EXPECT_NEAR(static_cast<double>(starts[0]), 12000.0, 3.0);
    EXPECT_NEAR(static_cast<double>(starts[1]), 36000.0, 3.0);
}

TEST_F(Playing, ARangeEndsWhereItWasToEndWhateverIsEditedMeanwhile)
{
    addTake(4.0, [](std::int64_t) { return 0.5; });
    load();
    player_->playRange(Frames(24000), Frames(48000));
    (void)play(9600);
    ASSERT_TRUE(player_->isPlaying());
    // An edit, and the other side: each goes on with a new stream.
    song_ = *splitClips(song_, {song_.tracks[0]->clips[0].id}, {Frames(90000)}, {});
    load();
    (void)play(4800);
    player_->setSide(Side::Recorded);
    (void)play(48000);
    EXPECT_FALSE(player_->isPlaying());
    EXPECT_FALSE(player_->isWanted());
    EXPECT_LT(player_->position(), Frames(48000 + 4800));
}

TEST_F(Playing, TheEndOfAnOldRangeNeverStopsWhatIsAskedForNext)
{
    addTake(4.0, [](std::int64_t) { return 0.5; });
    load();
    player_->playRange(Frames(0), Frames(12000));
    (void)play(11264);
    ASSERT_TRUE(player_->isPlaying());
    // Asked for just before the old one ends, which the card then plays to its end.
    player_->playRange(Frames(96000), Frames(120000));
    EXPECT_TRUE(player_->isWanted());
    (void)device_->pump(Frames(2048));
    EXPECT_TRUE(player_->isWanted());
    (void)play(9600);
    EXPECT_TRUE(player_->isPlaying());
    EXPECT_GT(player_->position(), Frames(96000));
    // Seeking leaves the range: it plays on from there.
    player_->seek(Frames(130000));
    (void)play(4800);
    EXPECT_TRUE(player_->isPlaying());
}

TEST_F(Playing, TheRecordedSideIsTheTakeAtTheMomentUnderThePlayhead)
{
    addTake(6.0, [](std::int64_t f) { return static_cast<double>(f) * 1e-6; });
    song_ = *makeSet(song_, {song_.tracks[0]->id}, "Set");
    song_ = *setLead(song_, song_.tracks[0]->id, true);
    // A fit that moved what lies at two seconds by 1000 samples.
    const MicSet set = song_.sets[0];
    FitRecipe recipe;
    recipe.recorded = recordedClips(song_, set);
    Track track = *song_.tracks[0];
    Clip second = track.clips[0];
    track.clips[0].length = Frames(96000);
    second.part = PartId{999};
    second.at = Frames(96000);
    second.soundStart = Frames(95000);
    second.length = Frames(150000);
    track.clips.push_back(second);
    putTrack(song_, track);
    song_.sets[0].recipe = std::make_shared<const FitRecipe>(recipe);

    const Song recorded = asRecorded(song_, Frames(120000));

    ASSERT_EQ(recorded.tracks[0]->clips.size(), 1U);
    EXPECT_EQ(recorded.tracks[0]->clips[0].offset(), Frames(1000));
    EXPECT_EQ(asRecorded(song_, Frames(1000)).tracks[0]->clips[0].offset(), Frames(0));
}

TEST(OpenDevice, GivesTheSimulatedCardWhereNoOtherWorks)
{
    const auto device = openDevice();

    ASSERT_NE(device, nullptr);
    EXPECT_FALSE(device->name().empty());
    SimulatedDevice simulated(SimulatedDevice::Clock::RealTime, 64);
    std::atomic<int> asked{0};
    ASSERT_TRUE(simulated.start(Hertz(48000.0), [&](std::span<float> block) {
        std::ranges::fill(block, 0.0F);
        ++asked;
        asked.notify_all();
    }));
    asked.wait(0);
    simulated.stop();
    EXPECT_GT(asked.load(), 0);
}

TEST_F(Playing, TheCallbackAllocatesNothing)
{
    addTake(8.0, sine);
    std::vector<float> block(512);

    // The pump of the simulated card allocates; its callback must not. A device that keeps it lets
    // us call it alone.
    class Catching final : public AudioDevice {
    public:
        Result<void> start(Hertz, AudioCallback callback) override
        {
            callback_ = std::move(callback);
            return {};
        }
        void stop() override {}
        std::string name() const override { return "catching"; }
        bool isSimulated() const override { return true; }
        void detach() override {}
        bool isAlive() override { return true; }
        Seconds latency() const override { return Seconds(0.0); }
        Hertz rate() const override { return Hertz(0.0); }
        AudioCallback callback_;
    };
    auto device = std::make_unique<Catching>();
    Catching* caught = device.get();
    Player player(std::move(device));
    player.setSong(std::make_shared<const Song>(song_), sources_);
    player.play();
    player.settle();
    const auto callMe = [&] {
        const auto before = testkit::allocationCount();
        for (int i = 0; i < 8; ++i) {
            caught->callback_(block);
        }
        return testkit::allocationCount() - before;
    };

    EXPECT_EQ(callMe(), 0U);
    Hush hush;
    hush.keeps = Keeps::Time;
    hush.from = HeldPlace(0.2);
    hush.to = HeldPlace(0.3);
    const LevelLine line{{{HeldPlace(0.1), 0.0, 0.4}, {HeldPlace(3.0), -20.0}}, Keeps::Bars};
    const Song shaped = *setLevelLine(
        *addHush(song_, std::array{song_.tracks[0]->id}, hush),
        std::array{song_.tracks[0]->id},
        line
    );
    player.setSong(std::make_shared<const Song>(*setLevelLine(shaped, {}, line)), sources_);
    EXPECT_EQ(callMe(), 0U);
    player.seek(Frames(100000));
    player.settle();
    EXPECT_EQ(callMe(), 0U);
    player.stop();
    player.play();
    player.settle();
    EXPECT_EQ(callMe(), 0U);
    EXPECT_TRUE(std::ranges::any_of(block, [](float v) { return v != 0.0F; }));
}

TEST_F(Playing, HearsChosenTracksAloneWhateverIsMuted)
{
    addTake(2.0, [](std::int64_t) { return 0.1; });
    addTake(2.0, [](std::int64_t) { return 0.4; });
    song_ = *changeMix(song_, song_.tracks[1]->id, {.muted = true});
    load();
    player_->play();
    const float both = play(9600).at(2 * 9000);

    player_->setAlone({song_.tracks[1]->id});
    play(4800);
    const float alone = play(4800).at(2 * 4000);
    player_->setAlone({});
    play(4800);
    const float again = play(4800).at(2 * 4000);

    EXPECT_NEAR(alone / both, 4.0F, 0.01F);
    EXPECT_NEAR(again, both, 1e-6F);
}

TEST_F(Playing, ClicksOnTheBeatsOfAnotherMapWhileItIsTried)
{
    addTake(6.0, [](std::int64_t) { return 0.0; });
    song_.tempo = *TempoMap::steady(120.0, {}, Seconds(0.25));
    load();
    player_->setClick({true, ClickSound::Tick, 0.0});
    player_->setClickOn(*TempoMap::steady(60.0, {}, Seconds(0.5)));
    player_->play();
    const auto startsIn = [](const std::vector<float>& sound) {
        std::vector<std::size_t> starts;
        for (std::size_t i = 0; i < sound.size() / 2; ++i) {
            const bool isLoud = std::abs(sound[i * 2]) > 0.05F;
            if (isLoud && (starts.empty() || i > starts.back() + 4800)) {
                starts.push_back(i);
            }
        }
        return starts;
    };
    const auto slow = startsIn(play(96256));
    ASSERT_EQ(slow.size(), 2U);
    EXPECT_NEAR(static_cast<double>(slow[0]), 24000.0, 3.0);
    EXPECT_NEAR(static_cast<double>(slow[1]), 72000.0, 3.0);
    // It clicks though the song's own click is off, and stops when the map is taken away.
    player_->setClick({false, ClickSound::Tick, 0.0});
    play(4800);
    EXPECT_FALSE(startsIn(play(48128)).empty());
    player_->setClickOn(std::nullopt);
    play(4800);
    EXPECT_TRUE(startsIn(play(48128)).empty());
}

TEST_F(Playing, ThroughTheCompressorTheSoftComesUpToTheLoud)
{
    // A tone that is 30 dB louder from two seconds on.
    addTake(4.0, [](std::int64_t frame) { return sine(frame) * (frame < 96000 ? 0.03 : 1.0); });
    load();
    const auto apart = [&] {
        player_->seek(Frames(24000));
        player_->play();
        play(4800);
        (void)player_->peaks();
        play(24000);
        const auto soft = static_cast<double>(player_->peaks()[0]);
        player_->seek(Frames(110000));
        play(24000);
        (void)player_->peaks();
        play(24000);
        return toDecibels(static_cast<double>(player_->peaks()[0]) / soft);
    };
    EXPECT_NEAR(apart(), toDecibels(1.0 / 0.03), 0.2);
    player_->setSqueezed(true);
    EXPECT_TRUE(player_->isSqueezed());
    EXPECT_LT(apart(), 0.75 * toDecibels(1.0 / 0.03));
}

TEST_F(Playing, TheMasterLevelAndThePeaksGoTogether)
{
    addTake(2.0, sine);
    load();
    player_->setMasterLevel(0.0);
    player_->play();
    play(9600);
    const float loud = player_->peaks()[0];
    player_->setMasterLevel(-20.0);
    play(4800);
    (void)player_->peaks();
    play(9600);
    EXPECT_NEAR(player_->peaks()[0] / loud, 0.1F, 0.003F);
    player_->stop();
    play(4800);
    (void)player_->peaks();
    play(4800);
    EXPECT_EQ(player_->peaks()[0], 0.0F);
}

TEST_F(Playing, TheRecordedSideIsTrimmedToTheLoudnessOfTheEdited)
{
    addTake(2.0, [](std::int64_t) { return 0.2; });
    load();
    player_->setSide(Side::Recorded);
    player_->play();
    const float before = play(9600).at(2 * 9000);
    player_->setRecordedTrim(-6.0);
    play(9600);
    const float after = play(4800).at(2 * 4000);
    EXPECT_NEAR(toDecibels(static_cast<double>(after / before)), -6.0, 0.05);
    player_->setSide(Side::Edited);
    play(9600);
    EXPECT_NEAR(play(4800).at(2 * 4000), before, 1e-5F);
}

TEST_F(Playing, ADeviceThatIsGoneIsSaidAndHarmsNothing)
{
    class GoneDevice final : public AudioDevice {
    public:
        [[nodiscard]] Result<void> start(Hertz, AudioCallback) override
        {
            return failed("the sound card is gone");
        }
        void stop() override {}
        [[nodiscard]] std::string name() const override { return "gone"; }
        [[nodiscard]] bool isSimulated() const override { return false; }
        void detach() override {}
        [[nodiscard]] bool isAlive() override { return true; }
        [[nodiscard]] Seconds latency() const override { return Seconds(0.0); }
        [[nodiscard]] Hertz rate() const override { return Hertz(0.0); }
    };
    addTake(0.5, sine);
    Player player(std::make_unique<GoneDevice>());
    player.setSong(std::make_shared<const Song>(song_), sources_);
    player.play();
    player.settle();
    EXPECT_NE(player.trouble().find("gone"), std::string::npos) << player.trouble();
    player.seek(Frames(100));
    player.stop();
}

TEST_F(Playing, ManySeeksAndEditsInARowEndWhereTheLastOneSaid)
{
    addTake(4.0, sine);
    load();
    player_->play();
    for (int i = 0; i < 60; ++i) {
        player_->seek(Frames(1000 * (i % 17)));
        if (i % 5 == 0) {
            load();
        }
        if (i % 7 == 0) {
            pump(64);
        }
    }
    player_->seek(Frames(48000));
    play(2048);
    EXPECT_GE(player_->position(), Frames(48000));
    EXPECT_LE(player_->position(), Frames(48000 + 4096));
    EXPECT_TRUE(player_->isPlaying());
}

}  // namespace
}  // namespace orthochron::engine
