#include "core/onset/LeadHits.h"

#include <algorithm>
#include <cmath>
#include <cstdlib>

namespace orthochron {

namespace {

constexpr Seconds kTogether = milliseconds(5.0);  // sound travels 1.7 m in it
constexpr Seconds kSpread = milliseconds(0.4);    // of the delay between two fixed microphones
constexpr double kNearlyAll = 0.8;

struct Meeting {
    std::size_t first = 0;
    std::size_t second = 0;
    double delay = 0.0;  // frames, second after first
};

std::vector<Meeting>
meetings(const std::vector<Onset>& a, const std::vector<Onset>& b, double within)
{
    std::vector<Meeting> found;
    std::size_t k = 0;
    for (std::size_t i = 0; i < a.size(); ++i) {
        while (k < b.size() && static_cast<double>((b[k].at - a[i].at).count()) < -within) {
            ++k;
        }
        if (k < b.size() && static_cast<double>((b[k].at - a[i].at).count()) <= within) {
            found.push_back({i, k, static_cast<double>((b[k].at - a[i].at).count())});
        }
    }
    return found;
}

// The median delay when the two leads stand at one drum.
std::optional<double>
sameDrumDelay(const std::vector<Meeting>& met, std::size_t fewer, double spread)
{
    if (met.size() < 4 ||
        static_cast<double>(met.size()) < kNearlyAll * static_cast<double>(fewer)) {
        return std::nullopt;
    }
    std::vector<double> delays;
    for (const Meeting& meeting : met) {
        delays.push_back(meeting.delay);
    }
    std::ranges::sort(delays);
    const double middle = delays[delays.size() / 2];
    const auto close =
        std::ranges::count_if(delays, [&](double d) { return std::abs(d - middle) <= spread; });
    return static_cast<double>(close) >= kNearlyAll * static_cast<double>(delays.size())
               ? std::optional(middle)
               : std::nullopt;
}

}  // namespace

std::vector<LeadOnset> mergeLeads(const std::vector<std::vector<Onset>>& leads, Hertz rate)
{
    std::vector<std::vector<bool>> isDropped;
    for (const auto& onsets : leads) {
        isDropped.emplace_back(onsets.size(), false);
    }
    const double within = kTogether.count() * rate.count();
    const double spread = kSpread.count() * rate.count();
    for (std::size_t a = 0; a < leads.size(); ++a) {
        for (std::size_t b = a + 1; b < leads.size(); ++b) {
            const auto met = meetings(leads[a], leads[b], within);
            const auto delay =
                sameDrumDelay(met, std::min(leads[a].size(), leads[b].size()), spread);
            if (!delay) {
                continue;
            }
            for (const Meeting& meeting : met) {
                if (*delay >= 0.0) {
                    isDropped[b][meeting.second] = true;
                } else {
                    isDropped[a][meeting.first] = true;
                }
            }
        }
    }
    std::vector<LeadOnset> merged;
    for (std::size_t lead = 0; lead < leads.size(); ++lead) {
        for (std::size_t i = 0; i < leads[lead].size(); ++i) {
            if (!isDropped[lead][i]) {
                merged.push_back({static_cast<int>(lead), leads[lead][i]});
            }
        }
    }
    std::ranges::stable_sort(merged, {}, [](const LeadOnset& hit) { return hit.onset.at; });
    return merged;
}

}  // namespace orthochron
