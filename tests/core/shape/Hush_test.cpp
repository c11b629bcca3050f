#include "core/shape/Hush.h"

#include <gtest/gtest.h>

#include "core/shape/Smooth.h"
#include "testkit/Rate.h"

#include <vector>

// What a hush leaves of a sound, frame by frame.
namespace orthochron {
namespace {

const TempoMap& map()
{
    static const TempoMap kMap = *TempoMap::steady(120.0, {}, Seconds(0.0));
    return kMap;
}

// Silent from frame 1000 to frame 2000, with edges of so many frames.
Hush hush(std::int64_t edge, std::int64_t from = 1000, std::int64_t to = 2000)
{
    const auto place = [](std::int64_t frame) {
        return HeldPlace(toSeconds(Frames(frame), kRate).count());
    };
    Hush made;
    made.from = place(from);
    made.to = place(to);
    made.keeps = Keeps::Time;
    made.edge = toSeconds(Frames(edge), kRate);
    return made;
}

std::vector<float> gains(const std::vector<Hush>& hushes, std::int64_t from, std::size_t count)
{
    std::vector<float> values(count, 1.0F);
    applyHushes(hushes, map(), kRate, Frames(from), values);
    return values;
}

TEST(Hush, FallsBeforeItBeginsRisesBeforeItEndsAndIsSilentBetween)
{
    const auto heard = gains({hush(240)}, 0, 3000);
    for (std::size_t n = 0; n < heard.size(); ++n) {
        double gain = 1.0;
        if (n >= 760 && n < 1000) {
            gain = 1.0 - smooth((static_cast<double>(n) - 760.0) / 240.0);
        } else if (n >= 1000 && n < 1760) {
            gain = 0.0;
        } else if (n >= 1760 && n < 2000) {
            gain = smooth((static_cast<double>(n) - 1760.0) / 240.0);
        }
        ASSERT_FLOAT_EQ(heard[n], static_cast<float>(gain)) << n;
    }
}

TEST(Hush, IsTheSameInWhateverBlocksItIsHeard)
{
    for (const std::int64_t edge : {0, 1, 240, 5000}) {
        const std::vector<Hush> hushes{hush(edge), hush(edge, 2100, 2140)};
        const auto whole = gains(hushes, 0, 3000);
        for (std::int64_t first = 0; first < 3000; first += 50) {
            for (const std::int64_t count : {1, 10, 50, 300}) {
                const auto part = gains(hushes, first, static_cast<std::size_t>(count));
                for (std::size_t n = 0; n < part.size() && first + std::ssize(part) <= 3000; ++n) {
                    ASSERT_EQ(part[n], whole[static_cast<std::size_t>(first) + n])
                        << first << "+" << n;
                }
            }
        }
    }
}

TEST(Hush, ShorterThanItsEdgeItOnlyFallsAndRises)
{
    const auto heard = gains({hush(240, 1000, 1100)}, 0, 1200);
    EXPECT_EQ(heard[759], 1.0F);
    EXPECT_EQ(heard[1000], 0.0F);
    EXPECT_FLOAT_EQ(heard[1050], 0.5F);
    EXPECT_EQ(heard[1100], 1.0F);
    // With no edge asked for it falls within a frame; of no length it is but that.
    EXPECT_EQ(gains({hush(0)}, 998, 4), (std::vector{1.0F, 1.0F, 0.0F, 0.0F}));
    EXPECT_EQ(gains({hush(0)}, 1998, 4), (std::vector{0.0F, 0.0F, 1.0F, 1.0F}));
    EXPECT_EQ(gains({hush(0, 1000, 1000)}, 998, 4), (std::vector<float>(4, 1.0F)));
}

TEST(Hush, LeavesNothingOnlyWhereAllOfItIsSilent)
{
    const std::vector<Hush> hushes{hush(240)};
    const auto silent = [&](std::int64_t from, std::int64_t to) {
        return isSilent(hushes, map(), kRate, Frames(from), Frames(to));
    };
    EXPECT_TRUE(silent(1000, 1760));
    EXPECT_FALSE(silent(999, 1760));
    EXPECT_FALSE(silent(1000, 1761));
    EXPECT_FALSE(silent(2100, 2200));
    EXPECT_FALSE(isSilent({}, map(), kRate, Frames(1000), Frames(1760)));
}

}  // namespace
}  // namespace orthochron
