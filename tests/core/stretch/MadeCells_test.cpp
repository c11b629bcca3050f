#include "core/stretch/MadeCells.h"

#include <gtest/gtest.h>

#include <latch>
#include <stdexcept>
#include <string>
#include <thread>

namespace orthochron {
namespace {

TEST(MadeCells, OneThatCannotBeMadeKeepsNobodyWaiting)
{
    MadeCells cells(Frames(100), 4);
    std::latch begun(1);
    std::latch mayThrow(1);
    std::jthread first([&] {
        const auto made = cells.at(3, [&]() -> Result<AudioBuffer> {
            begun.count_down();
            mayThrow.wait();
            throw std::runtime_error("no memory");
        });
        ASSERT_FALSE(made);
        EXPECT_NE(made.error().message.find("no memory"), std::string::npos);
    });
    begun.wait();
    std::jthread second([&] {
        const auto made = cells.at(3, [] { return AudioBuffer(1, Frames(100)); });
        EXPECT_TRUE(made);
    });
    mayThrow.count_down();
    first.join();
    second.join();
    EXPECT_TRUE(cells.has(3));
}

}  // namespace
}  // namespace orthochron
