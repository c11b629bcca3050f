#include "core/audit/Findings.h"

#include <gtest/gtest.h>

#include "core/joins/Crossfade.h"
#include "core/joins/Layers.h"
#include "testkit/Ringing.h"

namespace orthochron {
namespace {

// A ring cut half a period on, led over in so many frames from 20 000 on; no hit is marked anywhere near.
std::vector<Finding> foundAfter(double ring, Frames length)
{
    const Frames at(20'000);
    EditMap map;
    map.rate = kRate;
    map.length = Frames(48'000);
    map.pieces = {{Frames(0), at + length, Frames(0)}, {at, Frames(48'000), Frames(400)}};
    map.joins = {{at, length, 0}};
    const auto recorded = [ring](int, Frames from, std::span<float> into) -> Result<void> {
        testkit::ringOn(ring, from, into);
        return {};
    };
    const auto edited = [&](int, Frames from, std::span<float> into) -> Result<void> {
        std::vector<float> before(into.size());
        std::vector<float> after(into.size());
        testkit::ringOn(ring, from, before);
        testkit::ringOn(ring, from - Frames(400), after);
        for (std::size_t i = 0; i < into.size(); ++i) {
            const double place = (from + Frames(static_cast<std::int64_t>(i)) - at) / length;
            const FadeGains gains = fadeGains(FadeShape::Matched, -1.0, place);
            into[i] = static_cast<float>(
                gains.out * static_cast<double>(before[i]) +
                gains.in * static_cast<double>(after[i])
            );
        }
        return {};
    };
    return *checkJoins({map, 1, edited, recorded});
}

bool holdsDoubleHit(const std::vector<Finding>& findings)
{
    return std::ranges::find(findings, FindingKind::DoubleHit, &Finding::kind) != findings.end();
}

TEST(Findings, AnAttackThatNeitherSideHasIsToldWithoutAnyMark)
{
    const auto findings = foundAfter(0.1, Frames(240));
    ASSERT_TRUE(holdsDoubleHit(findings));
    const auto found = std::ranges::find(findings, FindingKind::DoubleHit, &Finding::kind);
    EXPECT_EQ(found->at, Frames(20'000));
    EXPECT_GT(found->value, 7.0);
}

TEST(Findings, ALongCrossfadeOfALowRingIsNoAttackNorIsOneOfNoise)
{
    EXPECT_FALSE(holdsDoubleHit(foundAfter(0.1, Frames(2400))));
    EXPECT_FALSE(holdsDoubleHit(foundAfter(0.0, Frames(240))));
}

}  // namespace
}  // namespace orthochron
