#include "core/tempo/BeatPlaces.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

namespace orthochron {
namespace {

struct Played {
    std::vector<Seconds> beats;  // as they were meant
    std::vector<Seconds> rough;  // known to 10 ms
    std::vector<BandAttack> attacks;
};

// Every beat is struck in two bands, each scattered by 5 ms. At `turn` the tempo changes at once.
Played play(std::size_t count, std::size_t turn)
{
    std::mt19937 random(7);
    std::normal_distribution<double> scatter(0.0, 0.005);
    std::uniform_real_distribution<double> rough(-0.01, 0.01);
    Played played;
    double time = 1.0;
    for (std::size_t k = 0; k < count; ++k) {
        played.beats.push_back(Seconds(time));
        played.rough.push_back(Seconds(time + rough(random)));
        for (const int band : {2, 3}) {
            played.attacks.push_back({Seconds(time + scatter(random)), 20.0, band});
        }
        time += (k < turn ? 0.5 : 0.6) + 0.01 * std::sin(0.3 * static_cast<double>(k));
    }
    std::ranges::sort(played.attacks, {}, &BandAttack::at);
    return played;
}

TEST(BeatPlaces, LieNearerToWhatWasMeantThanEitherStroke)
{
    const Played played = play(80, 80);
    const auto placed = placeBeats(played.rough, played.attacks);

    ASSERT_EQ(placed.size(), played.beats.size());
    double sum = 0.0;
    for (std::size_t k = 0; k < placed.size(); ++k) {
        const double off = (placed[k].at - played.beats[k]).count();
        sum += off * off;
        EXPECT_GT(placed[k].support, 0.3);
    }
    EXPECT_LT(std::sqrt(sum / static_cast<double>(placed.size())), 0.003);
}

TEST(BeatPlaces, FollowATempoThatChangesAtOnce)
{
    const Played played = play(80, 40);
    const auto placed = placeBeats(played.rough, played.attacks);

    for (std::size_t k = 35; k < 46; ++k) {
        EXPECT_NEAR(placed[k].at.count(), played.beats[k].count(), 0.012) << k;
    }
}

TEST(BeatPlaces, StayEvenWhereNothingIsPlayed)
{
    Played played = play(40, 40);
    std::erase_if(played.attacks, [&](const BandAttack& attack) {
        return attack.at > played.beats[18] - Seconds(0.1) &&
               attack.at < played.beats[21] + Seconds(0.1);
    });
    const auto placed = placeBeats(played.rough, played.attacks);

    for (std::size_t k = 18; k <= 21; ++k) {
        EXPECT_EQ(placed[k].support, 0.0);
        EXPECT_NEAR(placed[k].at.count(), played.beats[k].count(), 0.02);
    }
    // Where nothing at all is, they stay where they were.
    const std::vector<Seconds> even{Seconds(1.0), Seconds(1.5), Seconds(2.0), Seconds(2.5)};
    const auto left = placeBeats(even, {});
    ASSERT_EQ(left.size(), even.size());
    for (std::size_t k = 0; k < even.size(); ++k) {
        EXPECT_NEAR(left[k].at.count(), even[k].count(), 1e-3) << k;
    }
    EXPECT_TRUE(placeBeats({}, {}).empty());
    const std::vector<Seconds> one{Seconds(1.0)};
    EXPECT_EQ(placeBeats(one, {}).front().at, Seconds(1.0));
}

}  // namespace
}  // namespace orthochron
