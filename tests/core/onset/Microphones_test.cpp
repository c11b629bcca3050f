#include "core/onset/Microphones.h"

#include <gtest/gtest.h>

#include "core/demo/KitRecording.h"
#include "testkit/Rate.h"
#include "testkit/Voice.h"

#include <algorithm>
#include <cmath>

namespace orthochron {
namespace {

class Microphones : public testing::Test {
protected:
    // The kick and the snare lead, the rest bears witness.
    [[nodiscard]] std::vector<HeardMicrophone> heard() const
    {
        std::vector<HeardMicrophone> microphones;
        for (std::size_t m = 0; m < takes_.size(); ++m) {
            const bool isLead = m == 0 || m == 2;
            microphones.push_back(
                {channelOver(takes_[m].channel(0)),
                 Frames(0),
                 isLead ? std::optional(OnsetSettings()) : std::nullopt}
            );
        }
        return microphones;
    }

    [[nodiscard]] static std::vector<Onset> picked(const LeadAnalysis& lead)
    {
        return *pickOnsets(lead.candidates, kRate, {});
    }

    std::vector<AudioBuffer> takes_ = *demo::recordKit(demo::performKit({.bars = 24}), {});
};

TEST_F(Microphones, AreHeardInPartsAsTheyAreHeardAsOne)
{
    const auto whole = analyseMicrophones(heard(), kRate);
    // Where a stroke begins is learned from the others of its part, so there must be some.
    const auto parts = analyseMicrophones(
        heard(), kRate, {}, {.together = Seconds(80.0), .shortest = Seconds(20.0)}
    );

    ASSERT_TRUE(whole && parts);
    for (const std::size_t m : {std::size_t{0}, std::size_t{2}}) {
        const auto one = picked((*whole)[m]);
        const auto other = picked((*parts)[m]);
        ASSERT_GT(one.size(), 20U);
        std::size_t same = 0;
        for (const Onset& onset : one) {
            const auto near = std::ranges::find_if(other, [&](const Onset& o) {
                return std::abs((o.at - onset.at).count()) <= 48;
            });
            if (near != other.end()) {
                ++same;
                EXPECT_NEAR(toDecibels(near->strength), toDecibels(onset.strength), 1.5);
            }
        }
        EXPECT_GE(same + 1, one.size());
        EXPECT_LE(other.size(), one.size() + 1);
        // Nothing twice at a seam, and in order.
        for (std::size_t i = 1; i < (*parts)[m].candidates.size(); ++i) {
            EXPECT_GT((*parts)[m].candidates[i].onset.at, (*parts)[m].candidates[i - 1].onset.at);
        }
        // The curve goes on over the seams.
        const StrengthCurve& curve = (*whole)[m].strengths;
        const std::int64_t end = curve.hopOf(takes_[m].frames());
        for (std::int64_t hop = 0; hop < end; hop += 7) {
            const double there = std::max(curve.at(hop), 0.02);
            EXPECT_NEAR(
                toDecibels(std::max((*parts)[m].strengths.at(hop), 0.02)), toDecibels(there), 1.5
            );
        }
    }
    EXPECT_TRUE((*whole)[1].candidates.empty());  // no lead
}

TEST_F(Microphones, HearWeakAttacksByThemselvesWhateverElseIsThere)
{
    // Between its notes a voice has a gap; what drums sound like says nothing of them.
    const auto voice = testkit::singMelody(
        {{0.4, 0.0}, {0.9, 57.0}, {0.4, 0.0}, {0.9, 61.0}, {0.4, 0.0}, {0.9, 64.0}, {0.4, 0.0}}
    );
    const Channel channel = channelOver(voice.sound.channel(0));
    OnsetSettings weak;
    weak.way = OnsetWay::Weak;
    std::vector<HeardMicrophone> together{
        {channel, Frames(0), weak}, {channelOver(takes_[0].channel(0)), Frames(0), std::nullopt}};

    const auto alone = picked(analyseMicrophones(std::span(together).first(1), kRate)->front());
    const auto among = picked(analyseMicrophones(together, kRate)->front());

    EXPECT_GE(alone.size(), 3U);
    EXPECT_LE(alone.size(), 5U);
    EXPECT_EQ(among, alone);
}

TEST_F(Microphones, SayWhatTheyCannotHear)
{
    EXPECT_EQ(analyseMicrophones({}, kRate).error().kind, ErrorKind::BadArgument);
    EXPECT_EQ(analyseMicrophones(heard(), Hertz(100.0)).error().kind, ErrorKind::BadArgument);
    const std::vector<HeardMicrophone> empty{{channelOver({}), Frames(0), OnsetSettings()}};
    EXPECT_TRUE(analyseMicrophones(empty, kRate)->front().candidates.empty());
    std::stop_source stop;
    stop.request_stop();
    EXPECT_EQ(
        analyseMicrophones(heard(), kRate, {stop.get_token(), {}}).error().kind,
        ErrorKind::Cancelled
    );
}

}  // namespace
}  // namespace orthochron
