#include "core/edits/PrintEdits.h"

#include <gtest/gtest.h>

#include "core/edits/FitEdits.h"
#include "core/edits/StepEdits.h"
#include "core/edits/TakeEdits.h"
#include "core/files/SongFile.h"
#include "core/render/Print.h"
#include "core/render/Render.h"
#include "testkit/CutSong.h"
#include "testkit/Folder.h"

#include <cmath>

namespace orthochron {

namespace {

using testkit::Folder;

// Two microphones of noise bursts, cut into pieces that were moved and faded, with a level line.
class PrintEdits : public testing::Test {
protected:
    PrintEdits()
    {
        std::vector<ImportedTake> takes;
        for (const char* name : {"near.wav", "far.wav"}) {
            AudioBuffer audio(1, Frames(4 * 48000));
            std::uint32_t seed = 7;
            for (std::size_t i = 0; i < audio.channel(0).size(); ++i) {
                seed = seed * 1664525U + 1013904223U;
                const double decay = std::exp(-static_cast<double>(i % 24000) / 4000.0);
                audio.channel(0)[i] = static_cast<float>(
                    decay * (static_cast<double>(seed >> 8U) / 16777216.0 - 0.5)
                );
            }
            testkit::writeSound(folder_ / name, audio, PrintFormat::Wav24);
            takes.push_back({*takeFromFile(folder_ / name, Hertz(48000.0), folder_.path()), false});
        }
        song_ = *addTakes(song_, std::move(takes));
        song_ = *makeSet(song_, {track(0).id, track(1).id}, "Pair");
        for (int t = 0; t < 2; ++t) {
            Track cut = track(t);
            const Clip whole = cut.clips.front();
            cut.clips.clear();
            for (int piece = 0; piece < 7; ++piece) {
                Clip clip = whole;
                clip.id = ClipId{++song_.lastId};
                clip.part = PartId{1000U + static_cast<std::uint32_t>(piece)};
                clip.soundStart = Frames(24000 * piece);
                clip.at = Frames(24000 * piece + 300 * piece);
                clip.length = Frames(24400);
                clip.in.length = clip.out.length = Frames(100);
                clip.gain = piece == 3 ? 0.5F : 1.0F;
                cut.clips.push_back(clip);
            }
            for (int hit = 0; hit < 7; ++hit) {
                Mark mark;
                mark.id = MarkId{++song_.lastId};
                mark.at = mark.beatPoint = Frames(24000 * hit + 500);
                cut.marks.push_back(mark);
            }
            cut.isLead = t == 0;
            cut.gainDecibels = -6.0;
            Hush hush;
            hush.id = HushId{++song_.lastId};
            hush.from = HeldPlace(2.0);
            hush.to = HeldPlace(2.5);
            cut.hushes = {hush};
            putTrack(song_, std::move(cut));
        }
    }

    [[nodiscard]] const Track& track(int index) const
    {
        return *song_.tracks[static_cast<std::size_t>(index)];
    }
    [[nodiscard]] SetId set() const { return song_.sets.front().id; }
    [[nodiscard]] Sources sources(const Song& song) const
    {
        Sources sources;
        for (const Take& take : song.takes) {
            const auto file = folder_ / take.path;
            sources.put(take.id, *SoundFileReader::open(file), file);
        }
        return sources;
    }
    [[nodiscard]] FinishedPrint printed(PrintDepth depth) const
    {
        std::vector<TrackPrint> tracks;
        FinishedPrint print;
        print.set = set();
        print.depth = depth;
        for (int t = 0; t < 2; ++t) {
            tracks.push_back({track(t).id, folder_ / (std::to_string(t) + "-print.wav"), 0, depth});
        }
        PrintSettings settings;
        settings.to = song_.length();
        settings.format = PrintFormat::Wav32Float;
        EXPECT_TRUE(printTracks(song_, sources(song_), tracks, settings));
        for (const TrackPrint& file : tracks) {
            print.takes.push_back(*takeFromFile(file.path, song_.rate, folder_.path()));
        }
        return print;
    }
    [[nodiscard]] AudioBuffer mixOf(const Song& song) const
    {
        AudioBuffer mix(2, song_.length());
        EXPECT_TRUE(renderMix(song, sources(song), Frames(0), mix));
        return mix;
    }
    static double difference(const AudioBuffer& a, const AudioBuffer& b)
    {
        double most = 0.0;
        for (std::size_t i = 0; i < a.channel(0).size(); ++i) {
            most = std::max(most, static_cast<double>(std::abs(a.channel(0)[i] - b.channel(0)[i])));
        }
        return most;
    }

    Folder folder_;
    Song song_;
};

}  // namespace

TEST_F(PrintEdits, InPlaceTheSongSoundsTheSame)
{
    const AudioBuffer before = mixOf(song_);
    for (const PrintDepth depth : {PrintDepth::Clips, PrintDepth::Track}) {
        const auto next = printInPlace(song_, printed(depth));
        ASSERT_TRUE(next);
        const Track& print = *next->track(track(0).id);
        ASSERT_EQ(print.clips.size(), 1U);
        EXPECT_LE(difference(before, mixOf(*next)), depth == PrintDepth::Clips ? 0.0 : 1e-7);
        // What stays live is still there, what became fixed is not.
        EXPECT_EQ(print.hushes.empty(), depth == PrintDepth::Track);
        EXPECT_EQ(print.gainDecibels, depth == PrintDepth::Track ? 0.0 : -6.0);
    }
}

TEST_F(PrintEdits, MarksGoWithItToWhereTheyAreHeard)
{
    const auto next = printInPlace(song_, printed(PrintDepth::Clips));
    ASSERT_TRUE(next);
    const Track& print = *next->track(track(0).id);
    ASSERT_EQ(print.marks.size(), 7U);
    for (std::size_t hit = 0; hit < 7; ++hit) {
        EXPECT_EQ(print.marks[hit].at, Frames(static_cast<std::int64_t>(24300 * hit + 500)));
    }
    EXPECT_TRUE(next->isLead(print));
    EXPECT_EQ(next->set(set())->tracks.size(), 2U);
    EXPECT_EQ(print.clips[0].part, next->track(track(1).id)->clips[0].part);
}

TEST_F(PrintEdits, OpenedAgainTheSongIsWhatItWas)
{
    const auto next = printInPlace(song_, printed(PrintDepth::Track));
    ASSERT_TRUE(next);
    ASSERT_NE(printOf(*next, set()), nullptr);
    const auto opened = openPrint(*next, set());
    ASSERT_TRUE(opened);
    EXPECT_EQ(printOf(*opened, set()), nullptr);
    EXPECT_EQ(opened->sets, song_.sets);
    for (int t = 0; t < 2; ++t) {
        EXPECT_EQ(*opened->track(track(t).id), track(t));
    }
    EXPECT_FALSE(openPrint(*opened, set()));
}

TEST_F(PrintEdits, PrintAndLiveChangePlacesAndKeepTheLane)
{
    const auto print = printInPlace(song_, printed(PrintDepth::Clips));
    const auto muted = changeMix(*print, track(0).id, {.muted = true});
    const auto live = switchPrint(*muted, set());
    ASSERT_TRUE(live);
    EXPECT_TRUE(printOf(*live, set())->isLive);
    EXPECT_EQ(live->track(track(0).id)->clips, track(0).clips);
    EXPECT_TRUE(live->track(track(0).id)->isMuted);
    const auto again = switchPrint(*live, set());
    ASSERT_TRUE(again);
    EXPECT_FALSE(printOf(*again, set())->isLive);
    for (int t = 0; t < 2; ++t) {
        EXPECT_EQ(*again->track(track(t).id), *muted->track(track(t).id));
    }
}

TEST_F(PrintEdits, APrintCanBePrintedAndOpenedTwice)
{
    const auto first = printInPlace(song_, printed(PrintDepth::Clips));
    FinishedPrint more = printed(PrintDepth::Track);
    const auto second = printInPlace(*first, more);
    ASSERT_TRUE(second);
    const auto back = openPrint(*openPrint(*second, set()), set());
    ASSERT_TRUE(back);
    EXPECT_EQ(back->track(track(0).id)->clips, track(0).clips);
}

TEST_F(PrintEdits, BelowItHasTracksOfItsOwnAndTheOriginalIsMuted)
{
    const AudioBuffer before = mixOf(song_);
    const auto next = printBelow(song_, printed(PrintDepth::Track));
    ASSERT_TRUE(next);
    ASSERT_EQ(next->tracks.size(), 4U);
    EXPECT_TRUE(next->tracks[0]->isMuted);
    EXPECT_EQ(next->tracks[2]->name, "near print");
    EXPECT_EQ(next->sets.size(), 2U);
    EXPECT_TRUE(next->isLead(*next->tracks[2]));
    EXPECT_LE(difference(before, mixOf(*next)), 1e-7);
}

TEST_F(PrintEdits, IsKeptInTheFile)
{
    History history(song_);
    history.add(*printInPlace(song_, printed(PrintDepth::Track)), "Print");
    const Song with = *history.song();
    const auto file = folder_ / "printed.orthochron";
    ASSERT_TRUE(saveSong({std::move(history), {}}, file));
    const auto loaded = loadSong(file);
    ASSERT_TRUE(loaded) << loaded.error().message;
    EXPECT_EQ(*loaded->history.song(), with);
    const auto opened = openPrint(*loaded->history.song(), set());
    ASSERT_TRUE(opened);
    EXPECT_EQ(*opened->track(track(0).id), track(0));
}

TEST_F(PrintEdits, RefusesWhatDoesNotFit)
{
    FinishedPrint print = printed(PrintDepth::Clips);
    print.takes.pop_back();
    EXPECT_FALSE(printInPlace(song_, print));
    print.set = SetId{999};
    EXPECT_FALSE(printBelow(song_, print));
    EXPECT_FALSE(switchPrint(song_, set()));
    // Of a set that lost a track nothing can be put back.
    const auto next = printInPlace(song_, printed(PrintDepth::Clips));
    const auto less = removeTrack(*next, track(1).id);
    EXPECT_EQ(printOf(*less, set()), nullptr);
}

}  // namespace orthochron
