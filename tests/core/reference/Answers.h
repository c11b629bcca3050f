#pragma once

#include "core/onset/OnsetDetector.h"
#include "testkit/Reference.h"

#include <cmath>
#include <vector>

// Answers as rows of numbers.
namespace orthochron {

inline double rounded(double value)
{
    return std::round(value * 1e4) / 1e4;
}

inline testkit::Json candidatesOf(const std::vector<OnsetCandidate>& candidates)
{
    testkit::Json list = testkit::Json::array();
    for (const OnsetCandidate& each : candidates) {
        if (each.onset.confidence > 0.02) {
            list.push_back(
                {each.onset.at.count(),
                 each.body.count(),
                 each.byItself.count(),
                 rounded(each.onset.strength),
                 rounded(each.onset.confidence),
                 rounded(each.riseDecibels),
                 rounded(each.noveltyDecibels),
                 rounded(each.overBleedDecibels),
                 rounded(each.owedDecibels),
                 rounded(each.sinceBlow.count()),
                 each.isRing ? 1 : 0,
                 each.ahead.size(),
                 each.othersBlows.size()}
            );
        }
    }
    return list;
}

}  // namespace orthochron
