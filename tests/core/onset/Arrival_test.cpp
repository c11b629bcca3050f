#include "core/onset/Arrival.h"

#include <gtest/gtest.h>

#include "core/demo/KitRecording.h"
#include "core/edits/MarkEdits.h"
#include "testkit/MarkedKit.h"

namespace orthochron {
namespace {

// The blows of one drum in the demo recording, as its own microphone hears them.
class Arrivals : public testing::Test {
protected:
    [[nodiscard]] std::vector<Arrival> of(std::size_t lead) const
    {
        std::vector<Frames> starts;
        for (const Mark& mark : kit_.song.tracks[lead]->marks) {
            starts.push_back(mark.at);
        }
        const auto measured = measureArrivals(
            starts,
            static_cast<int>(lead),
            8,
            kit_.song.rate,
            [&](int microphone, Frames from, std::span<float> into) {
                const Take& take = kit_.song.takes[static_cast<std::size_t>(microphone)];
                return kit_.sources->read(take.id, 0, from, into);
            }
        );
        EXPECT_TRUE(measured);
        return *measured;
    }
    [[nodiscard]] static double truthMs(std::size_t lead, std::size_t microphone, demo::Drum drum)
    {
        const auto& all = demo::boathouseMicrophones();
        return inMilliseconds(
            demo::heardAt(all[microphone], drum, Seconds(0.0)) -
            demo::heardAt(all[lead], drum, Seconds(0.0))
        );
    }

    const testkit::MarkedKit& kit_ = testkit::markedKit();
};

TEST_F(Arrivals, AreThoseOfTheRoomForEachLead)
{
    const auto kick = of(0);
    const auto snare = of(2);

    EXPECT_EQ(kick[0].after, Seconds(0.0));
    EXPECT_GT(kick[0].likeness, 0.5);
    int sure = 0;
    for (std::size_t m = 0; m < 7; ++m) {
        // What is said to be sure is right to 7 cm, bleed and all.
        if (kick[m].likeness >= 0.3) {
            EXPECT_NEAR(inMilliseconds(kick[m].after), truthMs(0, m, demo::Drum::Kick), 0.2) << m;
            ++sure;
        }
        if (snare[m].likeness >= 0.3) {
            EXPECT_NEAR(inMilliseconds(snare[m].after), truthMs(2, m, demo::Drum::Snare), 0.2) << m;
            ++sure;
        }
    }
    EXPECT_GE(sure, 13);
    EXPECT_NEAR(inMilliseconds(kick[1].after), truthMs(0, 1, demo::Drum::Kick), 0.1);
    EXPECT_NEAR(inMilliseconds(snare[3].after), truthMs(2, 3, demo::Drum::Snare), 0.1);
}

TEST_F(Arrivals, TellWhichMicrophoneSwingsTheOtherWay)
{
    const auto snare = of(2);
    const auto& microphones = demo::boathouseMicrophones();
    for (const std::size_t m : {std::size_t{3}, std::size_t{5}, std::size_t{6}}) {
        EXPECT_EQ(snare[m].isInverted, microphones[m].polarity * microphones[2].polarity < 0.0)
            << m;
    }
}

TEST(ArrivalsOfNothing, AreNotSure)
{
    const auto silence = [](int, Frames, std::span<float> into) -> Result<void> {
        std::ranges::fill(into, 0.0F);
        return {};
    };
    const auto none = measureArrivals({}, 0, 2, Hertz(48000.0), silence);
    ASSERT_TRUE(none);
    EXPECT_EQ((*none)[1].likeness, 0.0);
    const std::vector<Frames> one{Frames(100)};
    EXPECT_EQ((*measureArrivals(one, 0, 2, Hertz(8000.0), silence))[1].likeness, 0.0);
}

}  // namespace
}  // namespace orthochron
