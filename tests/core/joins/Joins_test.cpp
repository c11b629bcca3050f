#include <gtest/gtest.h>

#include "core/audit/SongAudit.h"
#include "core/edits/FitEdits.h"
#include "core/edits/TakeEdits.h"
#include "core/render/Render.h"
#include "testkit/MarkedKit.h"
#include "testkit/Rate.h"

#include <cmath>

namespace orthochron {
namespace {

TEST(Crossfade, KeepsTheLevelItsShapeIsMeantFor)
{
    for (double x = 0.0; x <= 1.0; x += 0.05) {
        const FadeGains power = fadeGains(FadeShape::EqualPower, 0.0, x);
        const FadeGains gain = fadeGains(FadeShape::EqualGain, 0.0, x);
        EXPECT_NEAR(power.out * power.out + power.in * power.in, 1.0, 1e-12);
        EXPECT_NEAR(gain.out + gain.in, 1.0, 1e-12);
        for (const double alike : {-0.7, 0.0, 0.4, 1.0}) {
            const FadeGains matched = fadeGains(FadeShape::Matched, alike, x);
            const double level = matched.out * matched.out + matched.in * matched.in +
                                 2.0 * alike * matched.out * matched.in;
            EXPECT_NEAR(level, 1.0, 1e-12) << alike;
        }
    }
    for (const FadeShape shape :
         {FadeShape::Matched, FadeShape::EqualGain, FadeShape::EqualPower}) {
        EXPECT_NEAR(fadeGains(shape, 0.3, 0.0).out, 1.0, 1e-12);
        EXPECT_NEAR(fadeGains(shape, 0.3, 1.0).in, 1.0, 1e-12);
        EXPECT_EQ(parseFadeShape(fadeShapeWord(shape)), shape);
    }
    EXPECT_FALSE(parseFadeShape("wobbly"));
}

// Clicks every quarter second over a hum.
RecordedReader clicksAndHum()
{
    return [](int microphone, Frames from, std::span<float> into) -> Result<void> {
        for (std::size_t i = 0; i < into.size(); ++i) {
            const std::int64_t at = from.count() + static_cast<std::int64_t>(i);
            const auto since = static_cast<double>(((at % 12000) + 12000) % 12000) / kRate.count();
            into[i] = static_cast<float>(
                0.02 * std::sin(0.01 * static_cast<double>(at) + microphone) +
                0.5 * std::exp(-since / 0.02) * std::sin(3000.0 * since)
            );
        }
        return {};
    };
}

TEST(Crossfade, ItsWordsAreReadBackAndOthersRefused)
{
    for (const FadeShape shape :
         {FadeShape::Matched, FadeShape::EqualPower, FadeShape::EqualGain}) {
        EXPECT_EQ(*parseFadeShape(fadeShapeWord(shape)), shape);
    }
    EXPECT_FALSE(parseFadeShape("Matched"));
    EXPECT_FALSE(parseFadeShape(""));
}

TEST(Crossfade, BeginsWithOneSideAndEndsWithTheOther)
{
    for (const FadeShape shape :
         {FadeShape::Matched, FadeShape::EqualPower, FadeShape::EqualGain}) {
        for (const double alike : {-1.0, -0.3, 0.0, 0.6, 1.0}) {
            const FadeGains first = fadeGains(shape, alike, 0.0);
            const FadeGains last = fadeGains(shape, alike, 1.0);
            EXPECT_NEAR(first.out, 1.0, 1e-9);
            EXPECT_NEAR(first.in, 0.0, 1e-9);
            EXPECT_NEAR(last.out, 0.0, 1e-9);
            EXPECT_NEAR(last.in, 1.0, 1e-9);
            for (double place = 0.05; place < 1.0; place += 0.05) {
                const FadeGains gains = fadeGains(shape, alike, place);
                const FadeGains mirrored = fadeGains(shape, alike, 1.0 - place);
                EXPECT_NEAR(gains.in, mirrored.out, 1e-9);
                EXPECT_TRUE(std::isfinite(gains.in) && gains.in >= 0.0);
            }
        }
    }
}

TEST(JoinPlan, JoinsBetweenTheAttacksAndNeverInOne)
{
    std::vector<Anchor> anchors;
    const std::vector<std::int64_t> moves{0, 480, -300, -300, 900, 100, -700, 0};
    for (std::size_t i = 0; i < moves.size(); ++i) {
        anchors.push_back({Frames(12000 * static_cast<std::int64_t>(i + 1)), Frames(moves[i])});
    }

    const auto joins = planJoins(anchors, kRate, {}, 3, clicksAndHum());

    ASSERT_TRUE(joins);
    ASSERT_EQ(joins->size(), 6U);  // neighbours that move alike are not cut
    for (const PlannedJoin& join : *joins) {
        EXPECT_GE(join.length, Frames(240));
        EXPECT_LE(join.length, Frames(720));  // where the hum would tick
        for (const Anchor& anchor : anchors) {
            // Neither side's attack lies in the crossfade or is played by both.
            for (const Frames move : {join.moveBefore, join.moveAfter}) {
                const Frames attack = anchor.start + move;
                EXPECT_FALSE(
                    attack >= join.at - Frames(90) && attack < join.at + join.length + Frames(90)
                ) << "join at "
                  << join.at.count() << ", attack at " << attack.count();
            }
            EXPECT_FALSE(
                anchor.start + join.moveBefore < join.at &&
                anchor.start + join.moveAfter >= join.at + join.length
            );
        }
    }
}

TEST(JoinPlan, SurvivesHitsWithNoRoomBetweenThem)
{
    std::vector<Anchor> anchors;
    for (int i = 0; i < 40; ++i) {
        anchors.push_back({Frames(1000 + 60 * i), Frames(i % 2 == 0 ? 300 : -300)});
    }

    const auto joins = planJoins(anchors, kRate, {}, 2, clicksAndHum());

    ASSERT_TRUE(joins);
    for (std::size_t i = 1; i < joins->size(); ++i) {
        EXPECT_GE((*joins)[i].at, (*joins)[i - 1].at + (*joins)[i - 1].length);
    }
    EXPECT_TRUE(planJoins({}, kRate, {}, 2, clicksAndHum())->empty());
}

// Noise everywhere but in [from, to).
RecordedReader noiseOutside(std::int64_t from, std::int64_t to)
{
    return [from, to](int, Frames first, std::span<float> into) -> Result<void> {
        for (std::size_t i = 0; i < into.size(); ++i) {
            const std::int64_t at = first.count() + static_cast<std::int64_t>(i);
            const auto scattered = static_cast<std::uint32_t>(at) * 2'654'435'761U;
            const float noise = static_cast<float>(scattered >> 8U) / 8'388'608.0F - 1.0F;
            into[i] = at >= from && at < to ? 0.0F : noise;
        }
        return {};
    };
}

PlannedJoin onlyJoin(std::vector<Anchor> anchors, const RecordedReader& reader)
{
    const auto joins = planJoins(anchors, kRate, {}, 1, reader);
    EXPECT_TRUE(joins && joins->size() == 1U);
    return joins->front();
}

TEST(JoinPlan, TakesTheLastPlaceWhereBothLayersAreSilent)
{
    // Moved by 480 frames, both are silent from 22 480 to 23 440.
    const PlannedJoin join = onlyJoin(
        {{Frames(12'000), Frames(0)}, {Frames(24'000), Frames(480)}}, noiseOutside(22'000, 23'440)
    );
    EXPECT_EQ(join.length, Frames(240));
    EXPECT_LE(join.at + join.length, Frames(23'440));
    EXPECT_GT(
        join.at + join.length, Frames(23'440 - 60)
    );  // attacks are looked for in steps of a millisecond
}

TEST(JoinPlan, EndsALeadInBeforeTheNextAttackWhereverItLiesInEitherLayer)
{
    const auto silence = noiseOutside(0, 100'000);
    const auto endOf = [&](std::int64_t move) {
        const PlannedJoin join =
            onlyJoin({{Frames(12'000), Frames(0)}, {Frames(24'000), Frames(move)}}, silence);
        return (join.at + join.length).count();
    };
    EXPECT_EQ(endOf(480), 24'000 - 192);   // where it is not moved to yet
    EXPECT_EQ(endOf(-300), 23'700 - 192);  // where it is moved to
}

TEST(JoinPlan, BeginsOnlyOnceTheDrumBeforeHasSpoken)
{
    // Only before 13 300 are both silent; the attack before lies at 12 000 and, moved, at 12 480.
    const PlannedJoin join = onlyJoin(
        {{Frames(12'000), Frames(0)}, {Frames(15'000), Frames(480)}}, noiseOutside(0, 13'300)
    );
    EXPECT_GE(join.at, Frames(12'480 + 576));
    EXPECT_LT(join.at, Frames(12'480 + 576 + 12));
}

// Twelve bars of the demo kit, marked and fitted.
class FittedKit : public testing::Test {
protected:
    static void SetUpTestSuite()
    {
        const testkit::MarkedKit& kit = testkit::markedKit();
        sources_ = kit.sources;
        marked_ = kit.song;
        set_ = kit.set;
        fitted_ = fitSet(marked_, set_, {}, *sources_)->song;
    }

    static inline Song marked_;
    static inline Song fitted_;
    static inline SetId set_;
    static inline std::shared_ptr<Sources> sources_;
};

TEST_F(FittedKit, CutsEveryMicrophoneAtTheSameSamples)
{
    const auto& first = fitted_.tracks[0]->clips;
    EXPECT_GT(first.size(), 40U);
    for (const auto& track : fitted_.tracks) {
        ASSERT_EQ(track->clips.size(), first.size());
        for (std::size_t i = 0; i < first.size(); ++i) {
            EXPECT_EQ(track->clips[i].at, first[i].at);
            EXPECT_EQ(track->clips[i].soundStart, first[i].soundStart);
            EXPECT_EQ(track->clips[i].length, first[i].length);
        }
    }
    EXPECT_EQ(fitted_.length(), marked_.length());
}

TEST_F(FittedKit, HasNoGapAndNoClickNorDoubleHit)
{
    for (const auto& track : fitted_.tracks) {
        for (std::size_t i = 1; i < track->clips.size(); ++i) {
            EXPECT_GE(track->clips[i - 1].end(), track->clips[i].at);
        }
    }
    const auto findings = auditSet(fitted_, set_, *sources_);
    ASSERT_TRUE(findings);
    for (const Finding& finding : *findings) {
        EXPECT_EQ(finding.kind, FindingKind::Dip)
            << wordOf(finding.kind) << " at " << finding.at.count();
    }
}

TEST_F(FittedKit, KeepsTheRingingOfTheOverheadsThroughItsJoins)
{
    // The level of the overheads across all joins, against the mean of both sides: no dip of 1 dB.
    const auto map = editMapOf(fitted_, fitted_.sets[0]);
    double edited = 0.0;
    double expected = 0.0;
    for (std::size_t k = 0; k < map.joins.size(); ++k) {
        for (const std::size_t t : {std::size_t{5}, std::size_t{6}}) {
            const Clip& clip = fitted_.tracks[t]->clips[0];
            std::vector<float> a(static_cast<std::size_t>(map.joins[k].length.count()));
            auto b = a;
            AudioBuffer e(1, map.joins[k].length);
            ASSERT_TRUE(sources_->read(clip.sound.take, 0, map.joins[k].at - map.pieces[k].move, a)
            );
            ASSERT_TRUE(
                sources_->read(clip.sound.take, 0, map.joins[k].at - map.pieces[k + 1].move, b)
            );
            ASSERT_TRUE(renderClips(fitted_.tracks[t]->clips, *sources_, map.joins[k].at, e));
            for (std::size_t i = 0; i < a.size(); ++i) {
                const auto square = [](float v) {
                    return static_cast<double>(v) * static_cast<double>(v);
                };
                expected += 0.5 * (square(a[i]) + square(b[i]));
                edited += square(e.channel(0)[i]);
            }
        }
    }
    EXPECT_GT(10.0 * std::log10(edited / expected), -1.0);
    EXPECT_LT(10.0 * std::log10(edited / expected), 1.5);
}

TEST_F(FittedKit, ACrossfadeAskedForBelowAMillisecondIsAsShort)
{
    FitRequest request{.fit = {1.0, 1.0, 1.0}};
    request.joins.crossfade = milliseconds(0.25);
    const auto fitted = fitSet(fitted_, set_, request, *sources_);
    ASSERT_TRUE(fitted);
    const auto joins = joinsOf(fitted->song, fitted->song.sets[0]);
    ASSERT_GT(joins.size(), 20U);
    for (const SetJoin& join : joins) {
        EXPECT_LE(join.length, Frames(240)) << join.at.count();
    }
    const auto isAsked = [](const SetJoin& join) { return join.length == Frames(12); };
    EXPECT_TRUE(std::ranges::any_of(joins, isAsked));
    EXPECT_TRUE(std::ranges::is_sorted(joins, {}, &SetJoin::at));
}

TEST_F(FittedKit, OpenedAndMadeAgainItCanStillBeTakenBack)
{
    const MicSet kit = fitted_.sets[0];
    const Song open = *openSet(fitted_, kit.id);
    const auto made = makeSet(open, kit.tracks, "Kit");
    ASSERT_TRUE(made) << made.error().message;
    EXPECT_FALSE(isOutOfDate(*made, made->sets[0]));
    const auto back = undoFit(*made, made->sets[0].id);
    ASSERT_TRUE(back) << back.error().message;
    for (std::size_t t = 0; t < kit.tracks.size(); ++t) {
        const auto& clips = back->track(kit.tracks[t])->clips;
        ASSERT_EQ(clips.size(), kit.recipe->recorded[t].size());
        EXPECT_EQ(clips[0].at, kit.recipe->recorded[t][0].at);
        EXPECT_EQ(clips[0].length, kit.recipe->recorded[t][0].length);
        EXPECT_EQ(clips[0].part, back->track(kit.tracks[0])->clips[0].part);
    }
}

TEST_F(FittedKit, FindsWhatAHandSpoilsAndMendsIt)
{
    const auto joins = joinsOf(fitted_, fitted_.sets[0]);
    const auto hit = hitsOf(fitted_, fitted_.sets[0]).hits[20];
    const auto map = editMapOf(fitted_, fitted_.sets[0]);
    const auto moved = std::ranges::find(map.hits, hit.start, &EditMap::Hit::start);
    std::size_t index = 0;
    while (index + 1 < joins.size() && joins[index + 1].at < moved->start + moved->move) {
        ++index;
    }
    const Frames attack = moved->start + moved->move;

    // Into the attack, with no crossfade at all.
    const auto spoiled =
        changeJoin(fitted_, set_, joins[index].id, {Frames(96), std::nullopt, attack});
    ASSERT_TRUE(spoiled);
    const auto found = *auditJoin(*spoiled, set_, joins[index].id, *sources_);
    EXPECT_TRUE(std::ranges::any_of(found, [](const Finding& f) {
        return f.kind == FindingKind::CutInAttack;
    }));

    const auto mended = mendJoin(*spoiled, set_, joins[index].id, *sources_);
    ASSERT_TRUE(mended) << mended.error().message;
    const auto left = *auditJoin(*mended, set_, joins[index].id, *sources_);
    EXPECT_FALSE(std::ranges::any_of(left, [](const Finding& f) {
        return f.kind == FindingKind::CutInAttack;
    }));
}

TEST_F(FittedKit, RefusesToTouchWhatIsLocked)
{
    const auto joins = joinsOf(fitted_, fitted_.sets[0]);
    const Song locked = *lockJoin(fitted_, set_, joins[2].id, true);

    EXPECT_FALSE(changeJoin(locked, set_, joins[2].id, {Frames(100), std::nullopt, std::nullopt}));
    EXPECT_TRUE(changeJoin(locked, set_, joins[8].id, {Frames(100), std::nullopt, std::nullopt}));
    const Song again = fitSet(locked, set_, {.fit = {1.0, 1.0, 1.0}}, *sources_)->song;
    const Clip& kept = locked.tracks[0]->clips[3];
    EXPECT_TRUE(std::ranges::any_of(again.tracks[0]->clips, [&](const Clip& clip) {
        return clip.offset() == kept.offset();
    }));
    EXPECT_FALSE(changeJoins(*lockAll(fitted_, set_, true), set_, {}, {.length = Frames(100)}));
}

TEST_F(FittedKit, FitsAgainToTheSameAndOnlyTheAskedBars)
{
    const Song twice = fitSet(fitted_, set_, {}, *sources_)->song;
    for (std::size_t i = 0; i < twice.tracks[0]->clips.size(); ++i) {
        EXPECT_EQ(twice.tracks[0]->clips[i].at, fitted_.tracks[0]->clips[i].at);
    }

    const auto partly =
        fitSet(fitted_, set_, {.fit = {1.0, 1.0, 1.0}, .bars = BarRange{5, 6}}, *sources_);
    ASSERT_TRUE(partly);
    EXPECT_GT(partly->kept, 20);
    const Frames before = toFrames(marked_.tempo.timeAt(marked_.tempo.startOfBar(4)), kRate);
    for (std::size_t i = 0; fitted_.tracks[0]->clips[i].end() < before; ++i) {
        EXPECT_EQ(partly->song.tracks[0]->clips[i].offset(), fitted_.tracks[0]->clips[i].offset());
    }
    EXPECT_EQ(*undoFit(fitted_, set_)->tracks[0], *marked_.tracks[0]);
}

TEST_F(FittedKit, AcceptedFindingsStayAccepted)
{
    const Finding finding{FindingKind::Dip, Frames(48000), -4.0, 2, 5};

    const Song accepted = acceptFinding(fitted_, finding);

    EXPECT_TRUE(isAccepted(accepted, finding));
    EXPECT_FALSE(isAccepted(accepted, {FindingKind::Click, Frames(48000), -4.0, 2, 5}));
    EXPECT_FALSE(isAccepted(fitted_, finding));
}

}  // namespace
}  // namespace orthochron
