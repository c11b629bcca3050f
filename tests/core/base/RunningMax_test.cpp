#include "core/base/RunningMax.h"

#include <gtest/gtest.h>

#include "core/demo/Random.h"

namespace orthochron {
namespace {

TEST(RunningMax, IsTheGreatestOfTheLastSoMany)
{
    demo::Random random(5);
    std::vector<double> values(203);
    for (double& value : values) {
        value = std::abs(random.bell());
    }
    for (const std::size_t hold : {1U, 2U, 7U, 19U, 203U, 500U}) {
        const auto most = runningMax<double>(values, hold);

        ASSERT_EQ(most.size(), values.size());
        for (std::size_t n = 0; n < values.size(); ++n) {
            const std::size_t first = n + 1 > hold ? n + 1 - hold : 0;
            const double greatest = *std::max_element(
                values.begin() + static_cast<std::ptrdiff_t>(first),
                values.begin() + static_cast<std::ptrdiff_t>(n) + 1
            );
            EXPECT_EQ(most[n], greatest) << "up to " << n << ", " << hold << " held";
        }
    }
    EXPECT_TRUE(runningMax<double>({}, 3).empty());
}

}  // namespace
}  // namespace orthochron
