#include "core/stretch/Attacks.h"

#include "core/onset/OnsetDetector.h"

namespace orthochron {

namespace {

// An attack too many is only left alone; one too few may be heard twice.
constexpr double kSensitivity = 90.0;

}  // namespace

Result<std::vector<Frames>> attacksOf(const Channel& channel, Hertz rate, const Work& work)
{
    auto analysis = analyseOnsets(channel, rate, work);
    if (!analysis) {
        return tl::unexpected(analysis.error());
    }
    weighPlainly(*analysis);
    const auto onsets = pickOnsets(analysis->candidates, rate, {.sensitivity = kSensitivity});
    if (!onsets) {
        return tl::unexpected(onsets.error());
    }
    std::vector<Frames> attacks;
    for (const Onset& onset : *onsets) {
        attacks.push_back(onset.at);
    }
    return attacks;
}

}  // namespace orthochron
