#include <gtest/gtest.h>

#include "core/audio/SampleSource.h"
#include "core/demo/KitRecording.h"
#include "core/edits/FitEdits.h"
#include "core/edits/MapEdits.h"
#include "core/edits/MarkEdits.h"
#include "core/edits/SteadyEdits.h"
#include "core/edits/TakeEdits.h"
#include "core/render/Render.h"
#include "core/tempo/MapDraft.h"
#include "testkit/Rate.h"

#include <cmath>

namespace orthochron {
namespace {

// A made-up drummer without a click, three of his microphones, kick and snare marked, and the true map.
struct FreeKit {
    Song song;
    SetId set;
    std::shared_ptr<Sources> sources = std::make_shared<Sources>();
    std::vector<Seconds> beats;
};

FreeKit freeKit()
{
    auto performance = demo::performKit(
        {.bpm = 104.0, .bars = 10, .looseness = 0.2, .wanderOff = Seconds(0.0), .mistakes = false}
    );
    FreeKit kit;
    kit.beats = demo::playFreely(performance, {.wander = 0.025, .slowing = 0.06});
    auto takes = *demo::recordKit(performance, {});
    std::vector<TrackId> tracks;
    for (const std::size_t microphone : {0U, 2U, 5U}) {
        Take take;
        take.name = demo::boathouseMicrophones()[microphone].name;
        take.rate = kRate;
        take.frames = takes[microphone].frames();
        kit.song = *addTakes(kit.song, {{take, false}});
        kit.sources->put(
            kit.song.takes.back().id,
            std::make_unique<MemorySource>(
                std::make_shared<const AudioBuffer>(std::move(takes[microphone])), kRate
            )
        );
        tracks.push_back(kit.song.tracks.back()->id);
    }
    kit.song = *makeSet(kit.song, tracks, "Kit");
    kit.song = *setLead(*setLead(kit.song, tracks[0], true), tracks[1], true);
    kit.set = kit.song.sets[0].id;
    kit.song = *placeMarks(kit.song, kit.set, *analyseSet(kit.song, kit.set, *kit.sources), {});
    MapDraft truth;
    truth.meters = {{1, {4, 4}}};
    for (std::size_t k = 0; k < kit.beats.size(); ++k) {
        const int beat = static_cast<int>(k);
        truth.beats.push_back({kit.beats[k], beat / 4 + 1, beat % 4 + 1, 104.0, 1.0});
    }
    kit.song = *takeDraft(kit.song, truth, MapLevel::Bar, Seconds(0.0));
    return kit;
}

TEST(MakeSteady, BringsEveryBarToTheTempoAndLeavesItsInsideAsItWasPlayed)
{
    const FreeKit kit = freeKit();
    const auto made = makeSteady(kit.song, 104.0, {}, *kit.sources);
    ASSERT_TRUE(made) << made.error().message;
    ASSERT_EQ(made->tempo.tempi().size(), 1U);

    const Seconds first = kit.beats[0];
    const auto before = hitsOf(kit.song, kit.song.sets[0]).hits;
    const auto after = hitsOf(*made, made->sets[0]).hits;
    ASSERT_EQ(before.size(), after.size());
    int bars = 0;
    for (std::size_t i = 0; i < before.size(); ++i) {
        const Seconds was = toSeconds(before[i].start, kRate);
        const Seconds is = toSeconds(after[i].start, kRate);
        const Beats place = kit.song.tempo.beatsAt(was);
        const int bar = kit.song.tempo.barAt(place + Beats(0.2));
        // All of a bar moves alike.
        const double wanted = (first + Seconds((bar - 1) * 240.0 / 104.0)).count() -
                              kit.song.tempo.timeAt(kit.song.tempo.startOfBar(bar)).count();
        EXPECT_NEAR((is - was).count(), wanted, 2e-4) << i;
        const double off = std::abs((place - kit.song.tempo.startOfBar(bar)).count());
        bars += off < 0.05 ? 1 : 0;
    }
    EXPECT_GE(bars, 8);
    // What is heard between two joins is the recording itself, on all microphones alike.
    for (std::size_t t = 1; t < 3; ++t) {
        const auto& lead = made->tracks[0]->clips;
        const auto& other = made->tracks[t]->clips;
        ASSERT_EQ(lead.size(), other.size());
        for (std::size_t c = 0; c < lead.size(); ++c) {
            EXPECT_EQ(lead[c].at, other[c].at);
            EXPECT_EQ(lead[c].offset(), other[c].offset());
        }
    }
    EXPECT_FALSE(made->sets[0].recipe);
}

TEST(MakeSteady, LeavesNoGap)
{
    const FreeKit kit = freeKit();
    for (const double bpm : {96.0, 112.0}) {
        const Song made = *makeSteady(kit.song, bpm, {}, *kit.sources);
        const auto& clips = made.tracks[2]->clips;
        for (std::size_t c = 1; c < clips.size(); ++c) {
            EXPECT_LT(clips[c].at, clips[c - 1].end()) << bpm << " " << c;
        }
    }
}

TEST(MakeSteady, ByStretchingEveryHitLiesWhereTheTempoHasItsPlace)
{
    const FreeKit kit = freeKit();
    const Song made =
        *makeSteady(kit.song, 100.0, {}, *kit.sources, {}, {FitMethod::Stretch, Material::Hits});
    ASSERT_EQ(made.tempo.tempi().size(), 1U);
    const auto before = hitsOf(kit.song, kit.song.sets[0]).hits;
    const auto after = hitsOf(made, made.sets[0]).hits;
    ASSERT_EQ(before.size(), after.size());
    int exact = 0;
    for (std::size_t i = 0; i < before.size(); ++i) {
        const Beats place = kit.song.tempo.beatsAt(toSeconds(before[i].start, kRate));
        const Seconds wanted = made.tempo.timeAt(place);
        const double off = std::abs((toSeconds(after[i].start, kRate) - wanted).count());
        EXPECT_LT(off, 0.02) << i;  // strokes of a flam keep their distance
        exact += off < 5e-5 ? 1 : 0;
    }
    EXPECT_GT(exact, static_cast<int>(before.size()) * 9 / 10);
    for (const auto& track : made.tracks) {
        ASSERT_EQ(track->clips.size(), 1U);
        EXPECT_EQ(track->clips[0].sound.treatment, made.tracks[0]->clips[0].sound.treatment);
    }
    EXPECT_FALSE(made.sets[0].recipe);
}

TEST(MakeSteady, StartsFromWhatWasRecordedWhateverFitIsHeard)
{
    const FreeKit kit = freeKit();
    const auto fitted = fitSet(kit.song, kit.set, {}, *kit.sources);
    ASSERT_TRUE(fitted) << fitted.error().message;
    ASSERT_GT(fitted->joins, 20);
    for (const FitMethod method : {FitMethod::Cut, FitMethod::Stretch}) {
        const FitWay way{method, Material::Hits};
        const Song plain = *makeSteady(kit.song, 98.0, {}, *kit.sources, {}, way);
        const Song made = *makeSteady(fitted->song, 98.0, {}, *kit.sources, {}, way);
        EXPECT_FALSE(made.sets[0].recipe);
        for (std::size_t t = 0; t < 3; ++t) {
            const auto& clips = made.tracks[t]->clips;
            const auto& expected = plain.tracks[t]->clips;
            ASSERT_EQ(clips.size(), expected.size()) << t;
            for (std::size_t c = 0; c < clips.size(); ++c) {
                EXPECT_EQ(clips[c].at, expected[c].at) << t << " " << c;
                EXPECT_EQ(clips[c].length, expected[c].length) << t << " " << c;
                EXPECT_EQ(clips[c].offset(), expected[c].offset()) << t << " " << c;
            }
        }
    }
}

TEST(MakeSteady, LeavesASongAloneOfWhichATrackIsLocked)
{
    const FreeKit kit = freeKit();
    Song locked = kit.song;
    Track last = *locked.tracks[2];
    last.isLocked = true;
    putTrack(locked, last);
    for (const FitMethod method : {FitMethod::Cut, FitMethod::Stretch}) {
        const auto made = makeSteady(locked, 98.0, {}, *kit.sources, {}, {method, Material::Hits});
        ASSERT_FALSE(made);
        EXPECT_NE(made.error().message.find(last.name), std::string::npos);
    }
}

TEST(MakeSteady, RefusesWhatCannotBe)
{
    const FreeKit kit = freeKit();
    EXPECT_FALSE(makeSteady(kit.song, 0.0, {}, *kit.sources));
    EXPECT_FALSE(makeSteady(kit.song, std::nan(""), {}, *kit.sources));
    Song steady = kit.song;
    steady.tempo = *TempoMap::steady(104.0, {}, Seconds(0.9));
    EXPECT_FALSE(makeSteady(steady, 104.0, {}, *kit.sources));
}

}  // namespace
}  // namespace orthochron
