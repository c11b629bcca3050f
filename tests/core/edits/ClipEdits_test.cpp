#include "core/edits/ClipEdits.h"

#include <gtest/gtest.h>

#include "core/edits/ClipValues.h"
#include "core/edits/JoinEdits.h"
#include "core/edits/MarkEdits.h"
#include "core/edits/TakeEdits.h"
#include "core/render/Render.h"
#include "testkit/Rate.h"

#include <random>

namespace orthochron {
namespace {

constexpr std::int64_t kLength = 96000;
constexpr Frames kSecond{48000};
const HandSettings kHand;

// A mic set of two tracks and a track of its own, two seconds of noise on each.
class ByHand : public testing::Test {
protected:
    ByHand()
    {
        std::mt19937 random(7);
        std::uniform_real_distribution<float> noise(-0.5F, 0.5F);
        std::vector<ImportedTake> takes;
        for (const char* name : {"kick", "snare", "bass"}) {
            Take take;
            take.name = name;
            take.frames = Frames(kLength);
            takes.push_back({take, false});
        }
        song_ = *addTakes(Song{}, takes);
        song_ = *makeSet(song_, {track(0), track(1)}, "Kit");
        for (const Take& take : song_.takes) {
            AudioBuffer sound(1, take.frames);
            for (float& sample : sound.channel(0)) {
                sample = noise(random);
            }
            sources_.put(
                take.id,
                std::make_unique<MemorySource>(
                    std::make_shared<const AudioBuffer>(std::move(sound)), kRate
                )
            );
        }
    }

    [[nodiscard]] TrackId track(std::size_t place) const { return song_.tracks[place]->id; }
    [[nodiscard]] static const std::vector<Clip>& clips(const Song& song, std::size_t place)
    {
        return song.tracks[place]->clips;
    }
    [[nodiscard]] static ClipId id(const Song& song, std::size_t place, std::size_t clip)
    {
        return clips(song, place)[clip].id;
    }
    [[nodiscard]] std::vector<float>
    sound(const Song& song, std::size_t place, std::int64_t from, std::int64_t to) const
    {
        AudioBuffer into(1, Frames(to - from));
        EXPECT_TRUE(renderClips(clips(song, place), sources_, Frames(from), into));
        return {into.channel(0).begin(), into.channel(0).end()};
    }
    [[nodiscard]] static double difference(const std::vector<float>& a, const std::vector<float>& b)
    {
        double most = 0.0;
        for (std::size_t i = 0; i < a.size(); ++i) {
            most = std::max(most, std::abs(static_cast<double>(a[i] - b[i])));
        }
        return most;
    }
    // The kit in four clips of half a second.
    [[nodiscard]] Song quartered() const
    {
        return *splitClips(
            song_, {id(song_, 0, 0)}, {Frames(24000), Frames(48000), Frames(72000)}, kHand
        );
    }
    static void expectAlike(const Song& song)
    {
        const auto& first = clips(song, 0);
        const auto& second = clips(song, 1);
        ASSERT_EQ(first.size(), second.size());
        for (std::size_t i = 0; i < first.size(); ++i) {
            EXPECT_EQ(first[i].at, second[i].at);
            EXPECT_EQ(first[i].soundStart, second[i].soundStart);
            EXPECT_EQ(first[i].length, second[i].length);
            EXPECT_EQ(first[i].in.length, second[i].in.length);
        }
    }

    Song song_;
    Sources sources_;
};

TEST_F(ByHand, SplitsAllMicrophonesAtTheSameSampleAndSoundsAsBefore)
{
    const Song split = quartered();

    ASSERT_EQ(clips(split, 0).size(), 4U);
    EXPECT_EQ(clips(split, 2).size(), 1U);
    expectAlike(split);
    EXPECT_EQ(clips(split, 0)[1].end() - clips(split, 0)[2].at, Frames(240));
    EXPECT_EQ(clips(split, 0)[1].end(), Frames(48000));  // what begins there is heard alone
    for (const std::size_t place : {std::size_t{0}, std::size_t{1}}) {
        EXPECT_LT(
            difference(sound(split, place, 0, kLength), sound(song_, place, 0, kLength)), 2e-6
        );
    }
}

TEST_F(ByHand, RefusesASplitThatFallsIntoNoClip)
{
    EXPECT_FALSE(splitClips(song_, {id(song_, 0, 0)}, {Frames(kLength + 5)}, kHand));
    EXPECT_FALSE(splitClips(song_, {}, {kSecond}, kHand));
    EXPECT_FALSE(splitClips(song_, {ClipId{9999}}, {kSecond}, kHand));
}

TEST_F(ByHand, PullsATrimmedEdgeBackOutOverItsSpare)
{
    const auto trimmed = trimClips(song_, {id(song_, 2, 0)}, Edge::Start, Frames(10000), kHand);
    ASSERT_TRUE(trimmed);
    EXPECT_EQ(clips(*trimmed, 2)[0].at, Frames(10000));
    EXPECT_EQ(clips(*trimmed, 2)[0].in.length, Frames(240));  // a cut inside the take is faded
    EXPECT_EQ(difference(sound(*trimmed, 2, 0, 10000), std::vector<float>(10000)), 0.0);

    const auto back = trimClips(*trimmed, {id(song_, 2, 0)}, Edge::Start, Frames(-50000), kHand);
    ASSERT_TRUE(back);
    EXPECT_EQ(clips(*back, 2)[0].soundStart, Frames(0));
    EXPECT_EQ(clips(*back, 2)[0].at, Frames(0));
    EXPECT_FALSE(trimClips(song_, {id(song_, 2, 0)}, Edge::End, Frames(10), kHand));
}

TEST_F(ByHand, CoversANeighbourWithACrossfadeAndTheNeighbourComesBack)
{
    const Song split = quartered();

    const auto over = trimClips(split, {id(split, 0, 1)}, Edge::End, Frames(6000), kHand);
    ASSERT_TRUE(over);
    expectAlike(*over);
    EXPECT_EQ(clips(*over, 0)[1].end(), Frames(54000));
    EXPECT_EQ(clips(*over, 0)[2].at, Frames(54000 - 240));
    const auto back = trimClips(*over, {id(split, 0, 2)}, Edge::Start, Frames(-6000), kHand);
    ASSERT_TRUE(back);
    EXPECT_EQ(clips(*back, 0)[2].at, Frames(48000 - 240));
    EXPECT_EQ(clips(*back, 0)[1].end(), Frames(48000));
}

TEST_F(ByHand, SlipsTheAudioInsideFixedEdges)
{
    const Song split = quartered();
    const ClipId middle = id(split, 0, 1);

    const auto slipped = slipClips(split, {middle}, Frames(480), kHand);

    ASSERT_TRUE(slipped);
    expectAlike(*slipped);
    EXPECT_EQ(clips(*slipped, 0)[1].at, clips(split, 0)[1].at);
    EXPECT_EQ(clips(*slipped, 0)[1].end(), clips(split, 0)[1].end());
    EXPECT_EQ(difference(sound(*slipped, 1, 30480, 40480), sound(song_, 1, 30000, 40000)), 0.0);
    // Its joins are now between different sounds, and measured as such; before they were one sound.
    const auto likeness = [this](const Song& song) {
        return *sources_.likeness(clips(song, 0)[0], clips(song, 0)[1]);
    };
    EXPECT_NEAR(likeness(split), 1.0, 1e-6);
    EXPECT_LT(std::abs(likeness(*slipped)), 0.5);
    // Clips that only touch have nothing to be unlike in.
    EXPECT_EQ(*sources_.likeness(clips(song_, 0)[0], clips(song_, 0)[0]), 1.0);
    Clip later = clips(song_, 0)[0];
    later.at = later.end();
    EXPECT_EQ(*sources_.likeness(clips(song_, 0)[0], later), 1.0);
    // The first clip begins where the take does: there is nothing before it to slip in.
    EXPECT_EQ(slipReach(split, {id(split, 0, 0)}, Frames(480)), Frames(0));
    EXPECT_FALSE(slipClips(split, {id(split, 0, 0)}, Frames(480), kHand));
    EXPECT_EQ(slipReach(split, {id(split, 0, 3)}, Frames(-100000)), Frames(0));
}

TEST_F(ByHand, MovesClipsOverWhatLiesThereAndNothingElse)
{
    const Song split = quartered();

    const auto moved = moveClips(split, {id(split, 1, 1)}, Frames(2400), kHand);

    ASSERT_TRUE(moved);
    expectAlike(*moved);
    const auto& kick = clips(*moved, 0);
    ASSERT_EQ(kick.size(), 4U);
    EXPECT_EQ(kick[0].end(), Frames(24000));  // a gap is left where it was
    EXPECT_EQ(kick[1].at, Frames(26400));
    EXPECT_EQ(kick[1].end(), Frames(50400));
    EXPECT_EQ(kick[2].at, Frames(50400 - 240));
    EXPECT_EQ(kick[3].offset(), Frames(0));
    EXPECT_EQ(difference(sound(*moved, 0, 30000, 40000), sound(song_, 0, 27600, 37600)), 0.0);
    EXPECT_LT(difference(sound(*moved, 0, 60000, kLength), sound(song_, 0, 60000, kLength)), 2e-6);
}

TEST_F(ByHand, RippleTakesWhatComesLaterAlong)
{
    const Song split = quartered();
    const HandSettings ripple{.join = {}, .ripple = true};

    const auto moved = moveClips(split, {id(split, 0, 1)}, Frames(2400), ripple);
    ASSERT_TRUE(moved);
    EXPECT_EQ(clips(*moved, 0)[3].offset(), Frames(2400));
    EXPECT_EQ(clips(*moved, 0)[0].offset(), Frames(0));
    const auto shorter = deleteClips(split, {id(split, 0, 1)}, ripple);
    ASSERT_TRUE(shorter);
    expectAlike(*shorter);
    EXPECT_EQ(clips(*shorter, 0)[1].offset(), Frames(-24000));
    EXPECT_EQ(clips(*shorter, 0)[0].end(), Frames(24000));
    EXPECT_EQ(clips(*shorter, 0).back().end(), Frames(72000));
    EXPECT_EQ(clips(*shorter, 0)[1].in.length, Frames(240));
}

TEST_F(ByHand, DeletingLeavesFadedEnds)
{
    const Song split = quartered();

    const auto holed = deleteClips(split, {id(split, 0, 1), id(split, 0, 2)}, kHand);

    ASSERT_TRUE(holed);
    ASSERT_EQ(clips(*holed, 1).size(), 2U);
    EXPECT_EQ(clips(*holed, 0)[0].out.length, Frames(240));
    EXPECT_EQ(clips(*holed, 0)[1].in.length, Frames(240));
    EXPECT_EQ(difference(sound(*holed, 0, 24000, 72000), std::vector<float>(48000)), 0.0);
}

TEST_F(ByHand, RepeatsCopiesOneAfterTheOther)
{
    const Song split = quartered();

    const auto repeated = layCopies(
        split, *copyOf(split, {id(split, 0, 0), id(split, 0, 1)}), Frames(kLength), 3, kHand
    );

    ASSERT_TRUE(repeated);
    expectAlike(*repeated);
    EXPECT_EQ(clips(*repeated, 0).size(), 10U);
    EXPECT_EQ(repeated->length(), Frames(kLength + 3 * 48000));
    EXPECT_EQ(
        difference(
            sound(*repeated, 1, kLength + 48240, kLength + 71000), sound(song_, 1, 240, 23000)
        ),
        0.0
    );
    const CopiedClips first = *copyOf(split, {id(split, 0, 0)});
    EXPECT_FALSE(layCopies(split, first, Frames(-1), 1, kHand));
    EXPECT_FALSE(layCopies(split, first, Frames(0), 0, kHand));
    EXPECT_FALSE(copyOf(split, {}));
}

TEST_F(ByHand, LaysCopiesDownAfterTheirOriginalsAreGone)
{
    const Song split = quartered();
    const CopiedClips copied = *copyOf(split, {id(split, 0, 1)});
    const Song without = *deleteClips(split, {id(split, 0, 1)}, kHand);

    const auto back = layCopies(without, copied, copied.span.from, 1, kHand);

    ASSERT_TRUE(back);
    expectAlike(*back);
    EXPECT_EQ(difference(sound(*back, 0, 24300, 47000), sound(song_, 0, 24300, 47000)), 0.0);
    const Song locked = *lockTracks(without, {track(1)}, true);
    EXPECT_FALSE(layCopies(locked, copied, Frames(0), 1, kHand));
}

TEST_F(ByHand, JoinsOnlyNeighboursThatAreContinuous)
{
    const Song split = quartered();
    const ClipChoice all = clipsWithin(split, std::vector{track(0)}, Frames(0), Frames(kLength));

    const auto one = joinClips(split, all, kHand);
    ASSERT_TRUE(one);
    ASSERT_EQ(clips(*one, 1).size(), 1U);
    EXPECT_EQ(clips(*one, 1)[0], clips(song_, 1)[0]);

    const Song slipped = *slipClips(split, {id(split, 0, 1)}, Frames(100), kHand);
    EXPECT_EQ(clips(*joinClips(slipped, all, kHand), 0).size(), 3U);
    EXPECT_FALSE(joinClips(slipped, {all[0], all[1]}, kHand));
}

TEST_F(ByHand, MutesOnAllMicrophonesAndReverses)
{
    const Song split = quartered();

    const auto muted = muteClips(split, {id(split, 0, 1)}, true);
    ASSERT_TRUE(muted);
    EXPECT_EQ(difference(sound(*muted, 1, 24000, 47700), std::vector<float>(23700)), 0.0);

    const auto reversed = reverseClips(split, {id(split, 0, 1)}, kHand);
    ASSERT_TRUE(reversed);
    expectAlike(*reversed);
    auto backwards = sound(song_, 0, 24240, 47760);
    std::ranges::reverse(backwards);
    EXPECT_EQ(difference(sound(*reversed, 0, 24240, 47760), backwards), 0.0);
    const auto again = reverseClips(*reversed, {id(split, 0, 1)}, kHand);
    EXPECT_LT(difference(sound(*again, 0, 0, kLength), sound(song_, 0, 0, kLength)), 2e-6);
}

TEST_F(ByHand, RendersTheSameReversedInBlocksOfAnySize)
{
    const Song reversed = *reverseClips(song_, {id(song_, 2, 0)}, kHand);
    const auto whole = sound(reversed, 2, 0, 5000);

    for (const std::int64_t size : {1, 7, 511}) {
        for (std::int64_t from = 0; from + size <= 2000; from += 97) {
            const auto part = sound(reversed, 2, from, from + size);
            const std::vector<float> same(whole.begin() + from, whole.begin() + from + size);
            ASSERT_EQ(part, same) << size << " from " << from;
        }
    }
}

TEST_F(ByHand, ChangesGainOfOneMicrophoneAlone)
{
    const Song split = quartered();
    const Song louder = *gainClips(split, {id(split, 1, 0)}, 6.0, false);
    EXPECT_TRUE(clips(louder, 1)[0].byHand);
    EXPECT_EQ(clips(louder, 1)[1], clips(split, 1)[1]);
    const Song more = *gainClips(louder, {id(split, 1, 0)}, -3.0, true);

    EXPECT_EQ(clips(louder, 0)[0].gain, 1.0F);
    EXPECT_NEAR(toDecibels(static_cast<double>(clips(more, 1)[0].gain)), 3.0, 1e-5);
    EXPECT_NEAR(
        toDecibels(
            static_cast<double>(clips(*gainClips(song_, {id(song_, 1, 0)}, 99.0, false), 1)[0].gain)
        ),
        24.0,
        1e-5
    );
}

TEST_F(ByHand, MovesAPartToAnotherTrackAtTheIdenticalTime)
{
    const Song split = quartered();

    const auto moved = moveToTrack(split, {id(split, 1, 1)}, track(2), kHand);

    ASSERT_TRUE(moved);
    EXPECT_EQ(clips(*moved, 1).size(), 3U);
    EXPECT_EQ(clips(*moved, 0).size(), 4U);
    ASSERT_EQ(clips(*moved, 2).size(), 3U);  // what lay there was split around it
    EXPECT_EQ(difference(sound(*moved, 2, 24000, 47000), sound(song_, 1, 24000, 47000)), 0.0);
    EXPECT_FALSE(moveToTrack(split, {id(split, 1, 1)}, track(1), kHand));
}

TEST_F(ByHand, NothingMovesWhatIsLocked)
{
    const Song split = quartered();
    const Song locked = *lockClips(split, {id(split, 0, 1)}, true);
    const ClipChoice choice{id(split, 1, 1)};  // the other microphone is locked with it

    EXPECT_FALSE(moveClips(locked, choice, Frames(10), kHand));
    EXPECT_FALSE(slipClips(locked, choice, Frames(10), kHand));
    EXPECT_FALSE(trimClips(locked, choice, Edge::End, Frames(-10), kHand));
    EXPECT_FALSE(deleteClips(locked, choice, kHand));
    EXPECT_FALSE(reverseClips(locked, choice, kHand));
    EXPECT_FALSE(muteClips(locked, choice, true));
    EXPECT_FALSE(fadeClips(locked, choice, {.in = Frames(10)}));
    // Nor is it covered, or taken along by a ripple.
    EXPECT_FALSE(moveClips(locked, {id(split, 0, 0)}, Frames(100), kHand));
    EXPECT_FALSE(deleteClips(locked, {id(split, 0, 0)}, {.join = {}, .ripple = true}));
    EXPECT_TRUE(moveClips(*lockClips(locked, choice, false), choice, Frames(10), kHand));
    const Song whole = *lockTracks(split, {track(0)}, true);
    EXPECT_FALSE(moveClips(whole, choice, Frames(10), kHand));
    EXPECT_TRUE(std::ranges::all_of(joinsOf(whole, whole.sets[0]), &SetJoin::isLocked));
    // One locked track of a set locks its joins, the last as well as the first; no other track does.
    const Song second = *lockTracks(split, {track(1)}, true);
    EXPECT_TRUE(std::ranges::all_of(joinsOf(second, second.sets[0]), &SetJoin::isLocked));
    const Song other = *lockTracks(split, {track(2)}, true);
    EXPECT_TRUE(std::ranges::none_of(joinsOf(other, other.sets[0]), &SetJoin::isLocked));
}

TEST_F(ByHand, FadesFreeEndsAndLeavesTouchingOnesTheirCrossfade)
{
    const Song split = *moveClips(quartered(), {id(quartered(), 0, 3)}, Frames(9600), kHand);
    const ClipChoice all = clipsWithin(split, std::vector{track(0)}, Frames(0), Frames(200000));

    const auto faded = fadeClips(split, all, {.in = Frames(960), .out = Frames(480)});
    ASSERT_TRUE(faded);
    expectAlike(*faded);
    EXPECT_EQ(clips(*faded, 0)[0].in.length, Frames(960));
    EXPECT_EQ(clips(*faded, 0)[1].in.length, Frames(240));  // still the crossfade
    EXPECT_EQ(clips(*faded, 0)[2].out.length, Frames(480));
    EXPECT_EQ(clips(*faded, 0)[3].in.length, Frames(960));

    const auto longer = fadeClips(*faded, all, {.inBy = Frames(100)});
    EXPECT_EQ(clips(*longer, 0)[0].in.length, Frames(1060));
    EXPECT_EQ(clips(*longer, 0)[3].in.length, Frames(1060));
    EXPECT_EQ(clips(*longer, 0)[0].out.length, clips(*faded, 0)[0].out.length);

    const auto apart = fadeClips(split, all, {.in = Frames(480), .evenTouching = true});
    ASSERT_TRUE(apart);
    EXPECT_EQ(clips(*apart, 0)[1].in.length, Frames(480));
    EXPECT_LE(clips(*apart, 0)[0].end(), clips(*apart, 0)[1].at);
}

TEST_F(ByHand, FadesGiveWayInProportionWhenTheyExceedTheClip)
{
    const auto faded =
        fadeClips(song_, {id(song_, 2, 0)}, {.in = Frames(90000), .out = Frames(30000)});

    ASSERT_TRUE(faded);
    const Clip& clip = clips(*faded, 2)[0];
    EXPECT_EQ(clip.in.length + clip.out.length, clip.length);
    EXPECT_NEAR(clip.in.length / clip.length, 0.75, 0.001);
    const auto none = fadeClips(*faded, {clip.id}, {.in = Frames(0), .out = Frames(0)});
    EXPECT_EQ(difference(sound(*none, 2, 0, kLength), sound(song_, 2, 0, kLength)), 0.0);
}

TEST_F(ByHand, AClipThatAllLiesWithinACrossfadeKeepsItWhenItsNeighbourIsFaded)
{
    Song song = quartered();
    for (const std::size_t microphone : {0U, 1U}) {
        Track each = *song.tracks[microphone];
        // The second begins where the first does, a few samples long.
        each.clips[0].at = each.clips[1].at;
        each.clips[0].length = Frames(50);
        each.clips[0].out.length = Frames(50);
        each.clips[1].in.length = Frames(50);
        putTrack(song, each);
    }
    const FadeChange change{.in = Frames(2000), .out = Frames(1000), .evenTouching = true};
    const Song faded = *fadeClips(song, {id(song, 0, 1)}, change);
    for (const Clip& clip : clips(faded, 0)) {
        EXPECT_GT(clip.length, Frames(0));
    }
    EXPECT_EQ(clips(faded, 0)[1].in.length, Frames(50));
    EXPECT_EQ(clips(faded, 0)[1].out.length, Frames(1000));
}

TEST_F(ByHand, ACurveCanBeBentWithoutMovingItsEnds)
{
    const Song even =
        *fadeClips(song_, {id(song_, 2, 0)}, {.in = Frames(4800), .shape = FadeShape::EqualGain});
    const Song late = *fadeClips(even, {id(song_, 2, 0)}, {.middle = 0.8F});
    const auto at = [&](const Song& song, std::int64_t frame) {
        return static_cast<double>(
            sound(song, 2, frame, frame + 1)[0] / sound(song_, 2, frame, frame + 1)[0]
        );
    };

    EXPECT_NEAR(at(even, 2400), 0.5, 0.001);
    EXPECT_NEAR(at(late, 3840), 0.5, 0.001);
    EXPECT_LT(at(late, 2400), 0.2);
    EXPECT_NEAR(at(late, 4799), 1.0, 0.001);
}

TEST_F(ByHand, ACurveIsBentThroughAPoint)
{
    for (const FadeShape shape : {FadeShape::EqualGain, FadeShape::EqualPower}) {
        const Fade fade{Frames(4800), shape};
        for (const double middle : {0.3, 0.5, 0.8}) {
            Fade bent = fade;
            bent.middle = static_cast<float>(middle);
            const FadeGains gains = bent.gainsAt(0.4, 0.0);
            EXPECT_NEAR(middleThrough(fade, 0.4, gains.in, true), middle, 1e-4);
            EXPECT_NEAR(middleThrough(fade, 0.4, gains.out, false), middle, 1e-4);
        }
    }
    EXPECT_NEAR(middleThrough({Frames(4800)}, 0.5, 1.0, true), kEarliestMiddle, 1e-4);
    EXPECT_NEAR(middleThrough({Frames(4800)}, 0.5, 0.0, true), kLatestMiddle, 1e-4);
}

TEST_F(ByHand, CrossfadesAtTheEndsOfClipsAreChangedAsTheirFadesAre)
{
    Song song = quartered();
    // One sound that goes on is no join.
    EXPECT_FALSE(fadeCrossfades(song, {id(song, 0, 1)}, {.in = Frames(960)}));
    song = *slipClips(song, {id(song, 0, 1)}, Frames(2400), kHand);
    song = *slipClips(song, {id(song, 0, 3)}, Frames(1200), kHand);
    song = *changeJoins(song, song.sets[0].id, {}, {.length = Frames(0)});
    EXPECT_FALSE(fadeCrossfades(song, {id(song, 0, 1)}, {.in = Frames(960)}));
    EXPECT_FALSE(meetsNeighbours(song, {id(song, 0, 1)}));
    song = *changeJoins(song, song.sets[0].id, {}, {.length = Frames(480)});
    EXPECT_TRUE(meetsNeighbours(song, {id(song, 0, 0)}));
    EXPECT_TRUE(meetsNeighbours(song, {id(song, 0, 3)}));
    EXPECT_FALSE(meetsNeighbours(song, {id(song, 2, 0)}));

    const auto lengths = [&](const Song& of) {
        std::vector<std::int64_t> all;
        for (const SetJoin& join : joinsOf(of, of.sets[0])) {
            all.push_back(join.length.count());
        }
        return all;
    };
    const ClipChoice second{id(song, 0, 1)};
    using Lengths = std::vector<std::int64_t>;
    EXPECT_EQ(
        lengths(*fadeCrossfades(song, second, {.in = Frames(960)})), (Lengths{960, 480, 480})
    );
    EXPECT_EQ(
        lengths(*fadeCrossfades(song, second, {.out = Frames(240)})), (Lengths{480, 240, 480})
    );
    EXPECT_EQ(
        lengths(*fadeCrossfades(song, second, {.inBy = Frames(100), .outBy = Frames(-80)})),
        (Lengths{580, 400, 480})
    );
    // A shape alone goes to both ends, and to every microphone.
    const Song shaped = *fadeCrossfades(song, second, {.shape = FadeShape::EqualGain});
    expectAlike(shaped);
    for (std::size_t microphone : {0U, 1U}) {
        EXPECT_EQ(clips(shaped, microphone)[1].in.shape, FadeShape::EqualGain);
        EXPECT_EQ(clips(shaped, microphone)[2].in.shape, FadeShape::EqualGain);
        EXPECT_EQ(clips(shaped, microphone)[3].in, clips(song, microphone)[3].in);
    }
    EXPECT_FALSE(fadeCrossfades(song, {id(song, 2, 0)}, {.in = Frames(960)}));
    const Song locked = *lockAll(song, song.sets[0].id, true);
    EXPECT_FALSE(fadeCrossfades(locked, second, {.in = Frames(960)}));
}

TEST_F(ByHand, NothingIsDoneToClipsOrTracksThatAreNotThere)
{
    EXPECT_FALSE(lockClips(song_, {ClipId{99999}}, true));
    EXPECT_FALSE(lockTracks(song_, {TrackId{99999}}, true));
    EXPECT_FALSE(meetsNeighbours(song_, {ClipId{99999}}));
    EXPECT_FALSE(roomOf(song_, SetId{99999}, PartId{}));
    EXPECT_FALSE(changeJoin(song_, SetId{99999}, PartId{}, {}));
    EXPECT_FALSE(lockAll(song_, SetId{99999}, true));
}

TEST_F(ByHand, WhatIsDoneToAClipIsByHandSoThatAFitMadeAgainKeepsIt)
{
    Song split = quartered();
    for (const auto& each : std::vector(split.tracks)) {
        Track track = *each;
        for (Clip& clip : track.clips) {
            clip.byHand = false;
        }
        putTrack(split, track);
    }
    const ClipChoice second{id(split, 0, 1)};
    // Which of the clips of both microphones are by hand then.
    const auto changed = [&](const Result<Song>& song) {
        EXPECT_TRUE(song);
        std::vector<bool> first;
        std::vector<bool> other;
        for (std::size_t i = 0; i < clips(*song, 0).size(); ++i) {
            first.push_back(clips(*song, 0)[i].byHand);
        }
        for (const Clip& clip : clips(*song, 1)) {
            other.push_back(clip.byHand);
        }
        EXPECT_EQ(first, other);
        return first;
    };
    using Flags = std::vector<bool>;
    const Flags none{false, false, false, false};
    const Flags justIt{false, true, false, false};
    const Flags itAndLater{false, true, true, true};
    const HandSettings ripple{.ripple = true};
    EXPECT_EQ(changed(split), none);
    EXPECT_EQ(changed(muteClips(split, second, true)), justIt);
    EXPECT_EQ(changed(slipClips(split, second, Frames(100), kHand)), justIt);
    EXPECT_EQ(changed(reverseClips(split, second, kHand)), justIt);
    EXPECT_EQ(changed(trimClips(split, second, Edge::End, Frames(-500), kHand)), justIt);
    EXPECT_EQ(changed(trimClips(split, second, Edge::End, Frames(-500), ripple)), itAndLater);
    EXPECT_EQ(changed(moveClips(split, second, Frames(100), kHand))[1], true);
    EXPECT_EQ(changed(moveClips(split, second, Frames(100), ripple)), itAndLater);
    EXPECT_EQ(changed(lockClips(split, second, true)), none);
    const CopiedClips copied = *copyOf(split, second);
    EXPECT_EQ(
        changed(layCopies(split, copied, Frames(kLength), 1, kHand)),
        (Flags{false, false, false, false, true})
    );
    const Song elsewhere = *moveToTrack(split, second, track(2), kHand);
    EXPECT_TRUE(std::ranges::any_of(clips(elsewhere, 2), &Clip::byHand));
    const Song faded = *fadeClips(split, {id(split, 0, 0)}, {.in = Frames(500)});
    EXPECT_TRUE(clips(faded, 0)[0].byHand);
    EXPECT_FALSE(clips(faded, 0)[1].byHand);
    EXPECT_TRUE(clips(*gainClips(split, second, 1.0, true), 0)[1].byHand);
}

TEST_F(ByHand, ProposesSplitsAtMarksAndGridLines)
{
    Song song = *setLead(song_, track(0), true);
    song = *addMark(song, track(0), Frames(30000));
    song = *addMark(song, track(0), Frames(60000));

    EXPECT_EQ(
        markTimes(song, song.sets[0], {Frames(0), Frames(50000)}, Frames(192)),
        std::vector{Frames(30000 - 192)}
    );
    EXPECT_EQ(
        gridTimes(song, {Frames(0), Frames(13000)}), (std::vector{Frames(6000), Frames(12000)})
    );
}

}  // namespace
}  // namespace orthochron
