#include <fmt/format.h>
#include <gtest/gtest.h>

#include "core/audit/SongAudit.h"
#include "core/base/Hash.h"
#include "core/edits/ClipEdits.h"
#include "core/edits/ClipValues.h"
#include "core/edits/FitEdits.h"
#include "core/edits/GridEdits.h"
#include "core/edits/JoinEdits.h"
#include "core/edits/MapEdits.h"
#include "core/edits/MarkEdits.h"
#include "core/edits/SectionEdits.h"
#include "core/edits/ShapeEdits.h"
#include "core/edits/SpeedEdits.h"
#include "core/edits/StepEdits.h"
#include "core/edits/StretchEdits.h"
#include "core/edits/TakeEdits.h"
#include "core/edits/VariantEdits.h"
#include "core/files/SongWriter.h"
#include "core/render/Render.h"
#include "testkit/Reference.h"

#include <array>
#include <cmath>
#include <random>
#include <set>

// Somebody who does anything, in any order, to a song of two mic sets and a lone track with takes
// of unequal length and equal names. After each step the song is still a song, sounds, and comes
// back from its file as it was.
namespace orthochron {
namespace {

constexpr std::int64_t kFramesOfSecond = 48000;

// A song as it is written, its fractions to six digits: further on, processors differ.
std::string digestOf(const Song& song)
{
    const std::string whole = writeSong({History(song), {}});
    std::string text;
    int digits = -1;  // of a fraction so far
    for (const char c : whole) {
        const bool isDigit = c >= '0' && c <= '9';
        digits = c == '.' ? 0 : isDigit && digits >= 0 ? digits + 1 : -1;
        if (digits <= 6) {
            text += c;
        }
    }
    return fmt::format("{:08x}", hashOf(std::as_bytes(std::span(text))) & 0xFFFFFFFF);
}

class RandomEditor : public testing::TestWithParam<int> {
protected:
    RandomEditor() : random_(static_cast<unsigned>(GetParam()))
    {
        std::vector<ImportedTake> takes;
        int number = 0;
        for (const char* name : {"Kick", "Snare", "Snare", "Left", "Right", "Bass"}) {
            Take take;
            take.name = name;
            // Recorders stop a few frames apart.
            take.frames = Frames(6 * kFramesOfSecond + 7 * number++);
            takes.push_back({take, false});
        }
        song_ = *addTakes(song_, takes);
        song_ = *makeSet(song_, {track(0), track(1), track(2)}, "Kit");
        song_ = *makeSet(song_, {track(3), track(4)}, "Kit");
        for (std::size_t i = 0; i < song_.takes.size(); ++i) {
            sources_.put(song_.takes[i].id, strokes(song_.takes[i].frames));
        }
        for (const std::size_t lead : {std::size_t{0}, std::size_t{1}, std::size_t{3}}) {
            song_ = *setLead(song_, track(lead), true);
        }
        // Its hits are known; none was placed by hand.
        for (std::size_t i = 0; i < song_.tracks.size(); ++i) {
            Track marked = *song_.tracks[i];
            for (const Frames at : strokes_[i]) {
                marked.marks.push_back({MarkId{++song_.lastId}, at, at});
            }
            if (marked.isLead) {
                putTrack(song_, std::move(marked));
            }
        }
        song_ = *setTempo(song_, 120.0, {4, 4});
    }

    // A stroke every quarter of a second, early or late by up to 20 ms.
    std::unique_ptr<SampleSource> strokes(Frames length)
    {
        AudioBuffer sound(1, length);
        auto& starts = strokes_.emplace_back();
        for (std::int64_t stroke = kFramesOfSecond / 4; stroke < length.count();
             stroke += kFramesOfSecond / 4) {
            const std::int64_t at = stroke + upTo(1920) - 960;
            starts.push_back(Frames(at));
            for (std::int64_t i = 0; i < 4800 && at + i < length.count(); ++i) {
                const auto t = static_cast<double>(i);
                sound.channel(0)[static_cast<std::size_t>(at + i)] +=
                    static_cast<float>(0.5 * std::exp(-t / 800.0) * std::sin(0.05 * t));
            }
        }
        return std::make_unique<MemorySource>(
            std::make_shared<const AudioBuffer>(std::move(sound)), Hertz(48000.0)
        );
    }

    [[nodiscard]] std::int64_t upTo(std::int64_t most)
    {
        return static_cast<std::int64_t>(random_() % static_cast<std::uint64_t>(most + 1));
    }
    [[nodiscard]] bool chance(int oneIn) { return upTo(oneIn - 1) == 0; }
    [[nodiscard]] TrackId track(std::size_t place) const { return song_.tracks[place]->id; }
    [[nodiscard]] TrackId anyTrack()
    {
        return track(
            static_cast<std::size_t>(upTo(static_cast<std::int64_t>(song_.tracks.size()) - 1))
        );
    }
    [[nodiscard]] SetId anySet()
    {
        return song_.sets.empty() ? SetId{}
                                  : song_
                                        .sets[static_cast<std::size_t>(
                                            upTo(static_cast<std::int64_t>(song_.sets.size()) - 1)
                                        )]
                                        .id;
    }
    [[nodiscard]] ClipChoice someClips()
    {
        ClipChoice all;
        for (const auto& each : song_.tracks) {
            for (const Clip& clip : each->clips) {
                all.push_back(clip.id);
            }
        }
        ClipChoice some;
        for (std::int64_t i = upTo(2); i >= 0 && !all.empty(); --i) {
            some.push_back(
                all[static_cast<std::size_t>(upTo(static_cast<std::int64_t>(all.size()) - 1))]
            );
        }
        return chance(3) ? some : withTheirSet(song_, some);
    }
    [[nodiscard]] Frames someTime() { return Frames(upTo(6 * kFramesOfSecond)); }
    [[nodiscard]] Frames someMove() { return Frames(upTo(kFramesOfSecond) - kFramesOfSecond / 2); }
    [[nodiscard]] HandSettings hand()
    {
        return {
            {Frames(upTo(480)), chance(2) ? FadeShape::Matched : FadeShape::EqualPower}, chance(3)};
    }
    [[nodiscard]] FitRequest request()
    {
        FitRequest request;
        request.fit.drift = chance(3) ? 0.0 : 1.0;
        request.fit.feel = chance(2) ? 0.0 : 1.0;
        request.fit.stray = chance(3) ? 0.3 : 1.0;
        request.joins.crossfade = milliseconds(static_cast<double>(upTo(10)));
        request.replacesHand = chance(2);
        if (chance(3)) {
            request.bars = BarRange{1, static_cast<int>(1 + upTo(2))};
        }
        return request;
    }

    Result<Song> editClips()
    {
        // Drawn one after the other: a compiler may work out the arguments of a call in any order.
        const ClipChoice clips = someClips();
        const HandSettings settings = hand();
        const Frames time = someTime();
        const Frames by = someMove();
        const bool either = chance(2);
        switch (what_ = upTo(11)) {
        case 0:
        case 1: return splitClips(song_, clips, {time, time + by}, settings);
        case 2: return trimClips(song_, clips, either ? Edge::Start : Edge::End, by, settings);
        case 3: return slipClips(song_, clips, by, settings);
        case 4: return moveClips(song_, clips, by, settings);
        case 5: return moveToTrack(song_, clips, anyTrack(), settings);
        case 6:
            return chance(4) ? deleteClips(song_, clips, settings)
                             : joinClips(song_, clips, settings);
        case 7: return reverseClips(song_, clips, settings);
        case 8: return muteClips(song_, clips, either);
        case 9: return gainClips(song_, clips, static_cast<double>(upTo(12)) - 6.0, either);
        case 10: return lockClips(song_, clips, chance(4));
        default: {
            FadeChange change;
            change.in = Frames(upTo(9600));
            change.out = Frames(upTo(9600));
            change.evenTouching = either;
            return fadeClips(song_, clips, change);
        }
        }
    }

    Result<Song> editSets()
    {
        const SetId id = anySet();
        const MicSet* set = song_.set(id);
        const auto joins = set != nullptr ? joinsOf(song_, *set) : std::vector<SetJoin>();
        const auto join =
            joins.empty()
                ? PartId{1}
                : joins[static_cast<std::size_t>(upTo(static_cast<std::int64_t>(joins.size()) - 1))]
                      .id;
        switch (what_ = upTo(11)) {
        case 0:
        case 1: {
            auto fitted = fitSet(song_, id, request(), sources_);
            return fitted ? Result<Song>(std::move(fitted->song)) : tl::unexpected(fitted.error());
        }
        case 2: return undoFit(song_, id);
        case 3: return keepVariant(song_, id);
        case 4: return nextVariant(song_, id);
        case 5: return mendJoin(song_, id, join, sources_);
        case 6: {
            JoinChange change;
            change.length = Frames(upTo(960));
            change.atBy = Frames(upTo(400) - 200);
            return changeJoin(song_, id, join, change);
        }
        case 7: return lockJoin(song_, id, join, chance(3));
        case 8: return lockAll(song_, id, chance(5));
        case 9: {
            auto fitted = fitClips(song_, id, {}, request());
            return fitted ? Result<Song>(std::move(fitted->song)) : tl::unexpected(fitted.error());
        }
        case 10: return foldSet(song_, id, chance(2));
        default: return chance(6) ? openSet(song_, id) : dropVariants(song_, id);
        }
    }

    Result<Song> editOthers()
    {
        const TrackId id = anyTrack();
        const auto chosen = song_.track(id);
        const MarkId mark = chosen->marks.empty()
                                ? MarkId{}
                                : chosen
                                      ->marks[static_cast<std::size_t>(
                                          upTo(static_cast<std::int64_t>(chosen->marks.size()) - 1)
                                      )]
                                      .id;
        switch (what_ = upTo(13)) {
        case 0: return addMark(song_, id, someTime());
        case 1: return moveMark(song_, id, mark, someTime());
        case 2: return deleteMarks(song_, id, {mark});
        case 3: return switchMark(song_, id, mark, chance(2));
        case 4: return setBeatPoint(song_, id, mark, someTime());
        case 5:
            return setMarksWanted(
                song_,
                std::array{WantedPlace{id, mark, milliseconds(static_cast<double>(upTo(20)))}}
            );
        case 6: return setMarkLine(song_, id, mark, upTo(40));
        case 7: return moveTrack(song_, id, chance(2) ? 1 : -1);
        case 8: return renameTrack(song_, id, chance(2) ? "Snare" : "Café \"n\"\n");
        case 9: return changeMix(song_, id, {.muted = chance(2), .pan = 0.5});
        case 10: return lockTracks(song_, {id}, chance(6));
        case 11: return setTempo(song_, static_cast<double>(60 + upTo(120)), {4, 4});
        case 12: return addSection(song_, "verse", {1, static_cast<int>(upTo(3))});
        default:
            return chance(10) && song_.tracks.size() > 3 ? removeTrack(song_, id)
                                                         : setLead(song_, id, chance(2));
        }
    }

    Result<Song> editLines()
    {
        const TrackId id = anyTrack();
        const std::array tracks{id, anyTrack()};
        const auto hushes = hushesOf(song_);
        const HushId hush =
            hushes.empty()
                ? HushId{}
                : hushes[static_cast<std::size_t>(upTo(static_cast<std::int64_t>(hushes.size()) - 1)
                         )]
                      .hush.id;
        const auto quarter = static_cast<double>(upTo(12));
        const bool either = chance(2);
        switch (what_ = upTo(9)) {
        case 0: {
            LevelLine line;
            line.points = {
                {HeldPlace(quarter), -6.0, 0.5, either},
                {HeldPlace(quarter + 2.0), 3.0},
                {HeldPlace(quarter + 3.0), kSilence}};
            return setLevelLine(song_, chance(4) ? std::span<const TrackId>() : tracks, line);
        }
        case 1:
            return fadeLong(
                song_,
                chance(3) ? std::span<const TrackId>() : tracks,
                {either, {1.0 + 0.25 * quarter, {}}, 0.3}
            );
        case 2: return setEnd(song_, either ? std::optional(Beats(4.0 + quarter)) : std::nullopt);
        case 3: {
            Hush hushed;
            hushed.from = HeldPlace(quarter);
            hushed.to = HeldPlace(quarter + 1.5);
            hushed.keeps = either ? Keeps::Bars : Keeps::Time;
            hushed.goesWithClips = chance(2);
            return addHush(song_, tracks, hushed);
        }
        case 4:
            return changeHush(song_, hush, {.to = HeldPlace(quarter + 2.0), .staysInTime = either});
        case 5:
            return chance(3) ? removeHush(song_, hush)
                             : copyHush(song_, hush, quarter, static_cast<int>(upTo(2)) - 1);
        case 6: return repeatHush(song_, hush, 1, static_cast<int>(upTo(3)));
        case 7: {
            const Frames from = someTime();
            auto switched = switchHush(song_, tracks, {from, from + Frames(24000)});
            return switched ? Result<Song>(std::move(switched->song))
                            : tl::unexpected(switched.error());
        }
        case 8: return hideTrack(song_, id, either);
        default: return setFirstDownbeat(song_, Seconds(0.125 * quarter));
        }
    }

    Result<Song> editTime()
    {
        const ClipChoice clips = someClips();
        const Frames by = someMove();
        const int bar = static_cast<int>(1 + upTo(4));
        const Seconds line = song_.tempo.timeAt(song_.tempo.startOfBar(bar));
        const bool either = chance(2);
        switch (what_ = upTo(11)) {
        case 0:
            return pinLine(
                song_, song_.tempo.startOfBar(bar), line + toSeconds(by, song_.rate) * 0.2
            );
        case 1:
            return moveLine(
                song_,
                song_.tempo.startOfBar(bar) + Beats(either ? 1.0 : 0.0),
                line + Seconds(either ? 0.5 : 0.02)
            );
        case 2: return setTempoOfBar(song_, bar, static_cast<double>(90 + upTo(80)));
        case 3: return setMeterFrom(song_, bar, either ? Meter{3, 4} : Meter{6, 8});
        case 4: return scaleTempo(song_, either ? 0.5 : 2.0);
        case 5: return beginBarsAt(song_, song_.tempo.startOfBar(bar) - Beats(either ? 0.0 : 8.0));
        case 6: return simplifyMap(song_, milliseconds(static_cast<double>(upTo(20))));
        case 7:
            return shareUpTo(
                song_, song_.tempo.startOfBar(bar), either ? Sharing::AsRamp : Sharing::Evenly
            );
        case 8: return keepLine(song_, song_.tempo.startOfBar(bar));
        case 9: {
            ClipStretch change;
            change.material = either ? Material::Hits : Material::Tape;
            change.ratio = 1.0 + 0.001 * static_cast<double>(upTo(400) - 200);
            return stretchClips(song_, clips, change);
        }
        case 10:
            return spinClips(
                song_,
                clips,
                either,
                chance(4) ? std::nullopt : std::optional(Spin{Frames(2400 + upTo(4800)), 0.2})
            );
        default:
            return setSpeed(
                song_,
                clips,
                {.points =
                     {{Frames(0), 1.0}, {Frames(6000), either ? 0.5 : 1.5}, {Frames(12000), 1.0}},
                 .keeps = either ? SpeedKeeps::Length : SpeedKeeps::Content}
            );
        }
    }

    void expectASong(const Song& song)
    {
        std::set<std::uint32_t> ids;
        for (const auto& each : song.tracks) {
            const auto& clips = each->clips;
            for (std::size_t i = 0; i < clips.size(); ++i) {
                const Clip& clip = clips[i];
                const Take* take = song.take(clip.sound.take);
                ASSERT_NE(take, nullptr);
                EXPECT_TRUE(ids.insert(clip.id.value).second) << "an id twice";
                EXPECT_LE(clip.id.value, song.lastId);
                EXPECT_GT(clip.length, Frames(0));
                // Where the speed was changed and the length kept, an end may have nothing to play.
                if (!clip.sound.treatment || clip.sound.treatment->speed.isEmpty()) {
                    EXPECT_GE(clip.soundStart, clip.sound.begin());
                    EXPECT_LE(clip.soundStart + clip.length, clip.sound.end(take->frames));
                }
                EXPECT_LE(clip.in.length + clip.out.length, clip.length);
                if (i + 1 < clips.size()) {
                    const Frames overlap = clip.end() - clips[i + 1].at;
                    EXPECT_GE(clips[i + 1].at, clip.at);
                    if (overlap > Frames(0)) {
                        EXPECT_EQ(clip.out.length, overlap);
                        EXPECT_EQ(clips[i + 1].in.length, overlap);
                    }
                }
                if (i + 2 < clips.size()) {
                    EXPECT_LE(clip.end(), clips[i + 2].at) << "three at once";
                }
            }
            EXPECT_TRUE(std::ranges::is_sorted(each->marks, {}, &Mark::at));
        }
        for (const MicSet& set : song.sets) {
            for (const TrackId id : set.tracks) {
                EXPECT_TRUE(song.track(id));
            }
            if (set.recipe) {
                EXPECT_EQ(set.recipe->recorded.size(), set.tracks.size());
            }
        }
    }

    void expectItSounds(const Song& song)
    {
        AudioBuffer block(2, Frames(2048));
        ASSERT_TRUE(renderMix(song, sources_, someTime(), block));
        EXPECT_TRUE(std::ranges::all_of(block.channel(0), [](float v) { return std::isfinite(v); })
        );
    }

    std::mt19937_64 random_;
    std::int64_t what_ = 0;  // the case taken last, to find it again
    Song song_;
    Sources sources_;
    std::vector<std::vector<Frames>> strokes_;  // of each take
};

TEST_P(RandomEditor, LeavesASongThatSoundsAndComesBackFromItsFile)
{
    constexpr int kSteps = 250;
    History history(song_);
    SongWriter writer;
    std::string text = writer.whole({history, {}});
    int made = 0;
    testkit::Json steps = testkit::Json::array();
    for (int step = 0; step < kSteps && !HasFatalFailure(); ++step) {
        const auto kind = upTo(8);
        auto edited = kind < 3    ? editClips()
                      : kind == 3 ? editSets()
                      : kind < 6  ? editOthers()
                      : kind == 6 ? editLines()
                                  : editTime();
        if (!edited) {
            EXPECT_EQ(edited.error().kind, ErrorKind::BadArgument) << edited.error().message;
            EXPECT_FALSE(edited.error().message.empty());
            steps.push_back({step, kind, what_, "refused"});
            continue;
        }
        ++made;
        SCOPED_TRACE(
            testing::Message() << "step " << step << ", kind " << kind << ", case " << what_
        );
        expectASong(*edited);
        expectItSounds(*edited);
        history.add(*edited, "step");
        const SongDocument document{history, {}};
        steps.push_back({step, kind, what_, digestOf(*edited)});
        const auto read = readSong(writeSong(document), "s");
        ASSERT_TRUE(read) << read.error().message;
        EXPECT_EQ(*read->history.song(), *edited);
        text += *writer.more(document);
        song_ = *edited;
        if (HasNonfatalFailure()) {
            break;
        }
        if (chance(8) && history.canUndo()) {
            history.undo();
            song_ = *history.song();
        }
    }
    EXPECT_GT(made, kSteps / 3);
    const auto read = readSong(text, "s");
    ASSERT_TRUE(read) << read.error().message;
    EXPECT_EQ(read->history.size(), history.size());
    // Each edit, by its kind and case, makes of the song what it made of it before.
    testkit::expectAsBefore(fmt::format("edits-{}", GetParam()), {{"steps", steps}});
}

INSTANTIATE_TEST_SUITE_P(Seeds, RandomEditor, testing::Range(1, 9));

}  // namespace
}  // namespace orthochron
