#pragma once

#include "Cli.h"

#include <memory>

namespace orthochron {

// Eight bars of the demo kit, written once for all tests here.
class FitCommand : public testing::Test {
protected:
    static void SetUpTestSuite()
    {
        folder_ = std::make_unique<Folder>();
        kit_ = testkit::writeSmallKit(folder_->path() / "kit");
    }
    static void TearDownTestSuite() { folder_.reset(); }

    static std::string inputs()
    {
        std::string all;
        for (const auto& path : kit_.takes) {
            all += quoted(path) + " ";
        }
        return all;
    }
    static std::string fit(const std::string& out, const std::string& more, int bpm = 92)
    {
        return "fit " + inputs() + "--lead " + quoted(kit_.takes[0]) + " --lead " +
               quoted(kit_.takes[2]) + " --bpm " + std::to_string(bpm) +
               " --first-downbeat 0.5 --json --out-dir " + quoted(*folder_ / out) + " " + more;
    }

    static inline std::unique_ptr<Folder> folder_;
    static inline testkit::SmallKit kit_;
};

}  // namespace orthochron
