#include "core/edits/LinePoints.h"

#include <gtest/gtest.h>

#include "core/edits/TakeEdits.h"

#include <array>

namespace orthochron {
namespace {

class LinePointsTest : public testing::Test {
protected:
    LinePointsTest()
    {
        for (int i = 0; i < 3; ++i) {
            Take take;
            take.name = "take";
            take.frames = Frames(480000);
            song_ = *addTakes(song_, {{take, false}});
            tracks_.push_back(song_.tracks.back()->id);
        }
        // Ends at 4, 5 and 6 s; the second is held to the bars.
        for (std::size_t i = 0; i < 3; ++i) {
            LevelLine line;
            line.keeps = i == 1 ? Keeps::Bars : Keeps::Time;
            for (const auto& [at, level] :
                 {std::pair{1.0, 0.0},
                  std::pair{2.0, -6.0},
                  std::pair{4.0 + double(i), kSilence}}) {
                line.points.push_back({placeOf(Seconds(at), line.keeps, song_.tempo), level});
            }
            song_ = *setLevelLine(song_, std::array{tracks_[i]}, line);
        }
    }
    [[nodiscard]] double at(const Song& song, std::size_t track, std::size_t point) const
    {
        const HeardLine heard(levelLineOf(song, tracks_[track]), song.tempo, song.rate);
        return toSeconds(heard.timeOfPoint(point), song.rate).count();
    }
    [[nodiscard]] double level(const Song& song, std::size_t track, std::size_t point) const
    {
        return levelLineOf(song, tracks_[track]).points[point].level;
    }

    Song song_;
    std::vector<TrackId> tracks_;
};

TEST_F(LinePointsTest, TheEndsOfSeveralLinesAreShiftedTogetherOrSetToOnePlace)
{
    const LinePoints ends = lastPoints(song_, tracks_);
    ASSERT_EQ(ends.size(), 3U);
    const Song later = *movePoints(song_, ends, Frames(24000), 0.0);
    const Song same = *placePoints(song_, ends, Frames(4 * 48000 + 24000));
    for (std::size_t i = 0; i < 3; ++i) {
        EXPECT_NEAR(at(later, i, 2), 4.5 + static_cast<double>(i), 1e-4);
        EXPECT_NEAR(at(same, i, 2), 4.5, 1e-4);
        EXPECT_NEAR(at(later, i, 1), 2.0, 1e-4);
        EXPECT_EQ(level(later, i, 2), kSilence);
        EXPECT_EQ(levelLineOf(later, tracks_[i]).keeps, i == 1 ? Keeps::Bars : Keeps::Time);
    }
}

TEST_F(LinePointsTest, NoneOfThemPassesAPointThatStays)
{
    // The first line's end can go back by 2 s only, and so do all.
    const Song back = *movePoints(song_, lastPoints(song_, tracks_), Frames(-48000 * 3), 0.0);
    EXPECT_NEAR(at(back, 0, 2), 2.001, 1e-4);
    EXPECT_NEAR(at(back, 2, 2), 4.001, 1e-4);
    // Neighbours that go along are no hindrance.
    const LinePoints two = pointsWithin(song_, std::array{tracks_[0]}, Frames(0), Frames(96000));
    ASSERT_EQ(two.size(), 2U);
    const Song on = *movePoints(song_, two, Frames(480000), 0.0);
    EXPECT_NEAR(at(on, 0, 1), 3.999, 1e-4);
    EXPECT_NEAR(at(on, 0, 0), 2.999, 1e-4);
    // One place, as near as each may come.
    const Song near = *placePoints(song_, lastPoints(song_, tracks_), Frames(48000));
    EXPECT_NEAR(at(near, 2, 2), 2.001, 1e-4);
}

TEST_F(LinePointsTest, LevelsGoTogetherAndStopAtTheirEnds)
{
    const LinePoints all = pointsWithin(song_, tracks_, Frames(0), Frames(480000));
    ASSERT_EQ(all.size(), 9U);
    const Song louder = *movePoints(song_, all, Frames(0), 15.0);
    EXPECT_EQ(level(louder, 0, 0), kMostLevel);
    EXPECT_EQ(level(louder, 0, 1), 9.0);
    EXPECT_EQ(level(louder, 0, 2), kSilence);
    EXPECT_EQ(
        levelLineOf(louder, tracks_[1]).points[1].at, levelLineOf(song_, tracks_[1]).points[1].at
    );
    const Song even = *levelPoints(song_, all, -3.0);
    EXPECT_EQ(level(even, 2, 2), -3.0);
    const Song none = *removePoints(song_, all);
    EXPECT_TRUE(levelLineOf(none, tracks_[2]).isEmpty());
    EXPECT_TRUE(pointsLeft(none, all).empty());
}

TEST_F(LinePointsTest, RefuseWhatCannotBe)
{
    EXPECT_FALSE(movePoints(song_, {}, Frames(1), 0.0));
    EXPECT_FALSE(movePoints(song_, {{tracks_[0], 9}}, Frames(1), 0.0));
    EXPECT_FALSE(placePoints(song_, {{tracks_[0], 0}, {tracks_[0], 1}}, Frames(0)));
    EXPECT_FALSE(levelPoints(song_, {{tracks_[0], 0}}, 50.0));
    EXPECT_FALSE(removePoints(song_, {{std::nullopt, 0}}));
}

}  // namespace
}  // namespace orthochron
