#include <gtest/gtest.h>

#include "core/demo/Random.h"
#include "core/edits/ClipEdits.h"
#include "core/edits/ClipValues.h"
#include "core/edits/FitEdits.h"
#include "core/edits/JoinEdits.h"
#include "core/edits/StepEdits.h"
#include "core/files/SongFile.h"
#include "core/render/Render.h"
#include "testkit/Folder.h"
#include "testkit/MarkedKit.h"

#include <cmath>
#include <set>

// Whatever is done to clips by hand, in whatever order, a song stays a song: this plays a clumsy
// editor with a seed. The seeds are some that once broke something.
namespace orthochron {
namespace {

class AnyEdits : public testing::TestWithParam<std::uint64_t> {
protected:
    [[nodiscard]] ClipChoice someClips(const Song& song)
    {
        ClipChoice choice;
        const auto& track = song.tracks[index(song.tracks.size())];
        for (int i = 0; i < 3 && !track->clips.empty(); ++i) {
            choice.push_back(track->clips[index(track->clips.size())].id);
        }
        return choice;
    }
    [[nodiscard]] std::size_t index(std::size_t size)
    {
        return static_cast<std::size_t>(random_.even() * static_cast<double>(size));
    }
    [[nodiscard]] Frames frames(double most)
    {
        return Frames(static_cast<std::int64_t>(random_.between(-most, most)));
    }
    [[nodiscard]] Result<Song> edit(const Song& song)
    {
        HandSettings hand;
        hand.join.crossfade = Frames(static_cast<std::int64_t>(random_.between(0.0, 800.0)));
        hand.ripple = random_.even() < 0.2;
        const ClipChoice choice = someClips(song);
        const Frames place(static_cast<std::int64_t>(random_.between(0.0, 1.4e6)));
        switch (index(16)) {
        case 0:
        case 1: return splitClips(song, choice, {place, place + Frames(9000)}, hand);
        case 2: return trimClips(song, choice, Edge::Start, frames(30000.0), hand);
        case 3: return trimClips(song, choice, Edge::End, frames(30000.0), hand);
        case 4: return slipClips(song, choice, frames(20000.0), hand);
        case 5: return moveClips(song, choice, frames(60000.0), hand);
        case 6: return deleteClips(song, choice, hand);
        case 7: {
            const auto copied = copyOf(song, choice);
            return copied ? layCopies(song, *copied, place, 2, hand)
                          : Result<Song>(badArgument("none"));
        }
        case 8: return joinClips(song, choice, hand);
        case 9: return muteClips(song, choice, random_.even() < 0.5);
        case 10: return reverseClips(song, choice, hand);
        case 11: return gainClips(song, choice, random_.between(-12.0, 6.0), true);
        case 12: return fadeClips(song, choice, {.in = Frames(500), .outBy = frames(2000.0)});
        case 13: return closeGaps(song, {kit_.set, {}}, Frames(20000), hand.join);
        case 14: return changeJoins(song, kit_.set, {}, {.lengthBy = frames(300.0)});
        default: return lockClips(song, choice, random_.even() < 0.3);
        }
    }
    // What holds of every song, however it came to be.
    void expectSound(const Song& song, const std::string& after)
    {
        std::set<ClipId> ids;
        for (const auto& track : song.tracks) {
            Frames last(-1);
            for (const Clip& clip : track->clips) {
                ASSERT_TRUE(ids.insert(clip.id).second) << after;
                ASSERT_GE(clip.at, Frames(0)) << after;
                ASSERT_GE(clip.at, last) << after;
                ASSERT_GT(clip.length, Frames(0)) << after;
                ASSERT_GE(clip.soundStart, Frames(0)) << after;
                ASSERT_LE(clip.soundStart + clip.length, song.take(clip.sound.take)->frames)
                    << after;
                ASSERT_GE(clip.in.length, Frames(0)) << after;
                ASSERT_LE(clip.in.length + clip.out.length, clip.length + Frames(1)) << after;
                ASSERT_LE(clip.id.value, song.lastId) << after;
                last = clip.at;
            }
        }
        // All microphones are cut at the same samples.
        const auto& first = song.tracks[0]->clips;
        for (const auto& track : song.tracks) {
            ASSERT_EQ(track->clips.size(), first.size()) << after;
            for (std::size_t i = 0; i < first.size(); ++i) {
                ASSERT_EQ(track->clips[i].at, first[i].at) << after << " clip " << i;
                ASSERT_EQ(track->clips[i].length, first[i].length) << after << " clip " << i;
                ASSERT_EQ(track->clips[i].soundStart, first[i].soundStart)
                    << after << " clip " << i;
            }
        }
    }

    const testkit::MarkedKit& kit_ = testkit::markedKit();
    demo::Random random_{GetParam()};
};

TEST_P(AnyEdits, LeaveASongThatIsWholeSoundsAndIsSavedAsItIs)
{
    Song song = fitSet(kit_.song, kit_.set, {}, *kit_.sources)->song;
    int done = 0;
    for (int step = 0; step < 60; ++step) {
        const auto edited = edit(song);
        if (edited) {
            song = *edited;
            ++done;
        } else {
            EXPECT_EQ(edited.error().kind, ErrorKind::BadArgument) << edited.error().message;
            EXPECT_FALSE(edited.error().message.empty());
        }
        expectSound(song, "seed " + std::to_string(GetParam()) + ", step " + std::to_string(step));
        if (HasFatalFailure()) {
            return;
        }
    }
    EXPECT_GT(done, 20);

    // It is rendered alike in blocks of any size, and nothing in it is beyond reason.
    const Frames length = std::min(song.length(), Frames(200000));
    AudioBuffer whole(1, length);
    ASSERT_TRUE(renderClips(song.tracks[2]->clips, *kit_.sources, Frames(0), whole));
    AudioBuffer part(1, Frames(7777));
    for (Frames at(0); at + part.frames() <= length; at += part.frames() * 3) {
        ASSERT_TRUE(renderClips(song.tracks[2]->clips, *kit_.sources, at, part));
        for (std::size_t i = 0; i < 7777; ++i) {
            ASSERT_EQ(
                part.channel(0)[i], whole.channel(0)[i + static_cast<std::size_t>(at.count())]
            );
        }
    }
    for (const float value : whole.channel(0)) {
        ASSERT_TRUE(std::isfinite(value));
        ASSERT_LT(std::abs(value), 16.0F);
    }

    const testkit::Folder folder;
    ASSERT_TRUE(saveSong({History(song), {}}, folder / "any.orthochron"));
    const auto loaded = loadSong(folder / "any.orthochron");
    ASSERT_TRUE(loaded) << loaded.error().message;
    EXPECT_EQ(*loaded->history.song(), song);
}

INSTANTIATE_TEST_SUITE_P(
    Clumsy, AnyEdits, testing::Values(2U, 74U, 105U, 110U, 159U, 570U, 1231U, 1709U, 2253U)
);

}  // namespace
}  // namespace orthochron
