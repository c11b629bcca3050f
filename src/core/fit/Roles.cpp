#include "core/fit/Roles.h"

#include <algorithm>
#include <cstdlib>

namespace orthochron {

namespace {

constexpr Seconds kFlam = milliseconds(60.0);  // a grace stroke lies at most this far ahead
constexpr double kGraceQuieter = 0.75;         // of the main stroke's strength
constexpr double kRollOfStep = 0.6;            // strokes closer than this part of a step are a roll
constexpr double kGhost = 0.36;                // of what the lead plays loud nearby, -9 dB
constexpr Seconds kNearby{5.0};                // about two bars to each side

using Indices = std::vector<std::size_t>;

Seconds between(const JudgedHit& a, const JudgedHit& b, Hertz rate)
{
    return toSeconds(b.played.beatPoint - a.played.beatPoint, rate);
}

// The strokes of one lead that follow each other faster than the grid: the last one is the main
// hit when they lead up to it, otherwise the first.
void attachRolls(
    std::vector<JudgedHit>& hits, const Indices& ofLead, const StepAt& stepAt, Hertz rate
)
{
    for (std::size_t i = 0; i < ofLead.size();) {
        std::size_t end = i + 1;
        while (end < ofLead.size()) {
            const JudgedHit& before = hits[ofLead[end - 1]];
            const JudgedHit& after = hits[ofLead[end]];
            const Seconds apart = between(before, after, rate);
            const bool isFlam =
                apart <= kFlam && before.played.strength < kGraceQuieter * after.played.strength;
            const Seconds step = stepAt(toSeconds(before.played.beatPoint, rate));
            if (!isFlam && apart.count() >= kRollOfStep * step.count()) {
                break;
            }
            ++end;
        }
        if (end - i > 1) {
            const auto loudest = std::max_element(
                ofLead.begin() + static_cast<std::ptrdiff_t>(i),
                ofLead.begin() + static_cast<std::ptrdiff_t>(end),
                [&](std::size_t a, std::size_t b) {
                    return hits[a].played.strength < hits[b].played.strength;
                }
            );
            const bool leadsUp =
                hits[*loudest].played.strength * kGraceQuieter > hits[ofLead[i]].played.strength;
            const std::size_t main = leadsUp ? *loudest : ofLead[i];
            for (std::size_t k = i; k < end; ++k) {
                hits[ofLead[k]].main = main;
                hits[ofLead[k]].role = ofLead[k] == main ? HitRole::Main : HitRole::Attached;
            }
        }
        i = end;
    }
}

// What this lead plays loud around a hit: its upper quartile there.
double
loudNearby(const std::vector<JudgedHit>& hits, const Indices& ofLead, std::size_t which, Hertz rate)
{
    std::vector<double> strengths;
    const auto near = [&](std::size_t k) {
        return std::abs(between(hits[ofLead[which]], hits[ofLead[k]], rate).count()) <=
               kNearby.count();
    };
    for (std::size_t k = which; k < ofLead.size() && near(k); ++k) {
        strengths.push_back(hits[ofLead[k]].played.strength);
    }
    for (std::size_t k = which; k-- > 0 && near(k);) {
        strengths.push_back(hits[ofLead[k]].played.strength);
    }
    const auto at = strengths.begin() + static_cast<std::ptrdiff_t>(strengths.size() * 3 / 4);
    std::ranges::nth_element(strengths, at);
    return *at;
}

void markGhosts(
    std::vector<JudgedHit>& hits, const Indices& ofLead, Hertz rate, std::vector<bool>& isGhost
)
{
    for (std::size_t i = 0; i < ofLead.size(); ++i) {
        const JudgedHit& hit = hits[ofLead[i]];
        if (hit.role == HitRole::Main &&
            hit.played.strength < kGhost * loudNearby(hits, ofLead, i, rate)) {
            isGhost[ofLead[i]] = !hit.played.line.has_value();
        }
    }
}

// Where two leads strike together, the one named first rules.
void attachOtherDrums(std::vector<JudgedHit>& hits, const std::vector<bool>& isGhost, Hertz rate)
{
    std::size_t ruler = hits.size();
    for (std::size_t i = 0; i < hits.size(); ++i) {
        if (hits[i].role != HitRole::Main || isGhost[i]) {
            continue;
        }
        if (ruler < hits.size() && hits[ruler].played.lead != hits[i].played.lead &&
            between(hits[ruler], hits[i], rate) <= kOneMoment) {
            const bool ruleStays = hits[ruler].played.lead < hits[i].played.lead;
            const std::size_t loser = ruleStays ? i : ruler;
            hits[loser].role = HitRole::Attached;
            hits[loser].main = ruleStays ? ruler : i;
            ruler = ruleStays ? ruler : i;
        } else {
            ruler = i;
        }
    }
}

void attachGhosts(std::vector<JudgedHit>& hits, const std::vector<bool>& isGhost)
{
    Indices mains;
    for (std::size_t i = 0; i < hits.size(); ++i) {
        if (hits[i].role == HitRole::Main && !isGhost[i]) {
            mains.push_back(i);
        }
    }
    if (mains.empty()) {
        return;
    }
    for (std::size_t i = 0; i < hits.size(); ++i) {
        if (!isGhost[i]) {
            continue;
        }
        const auto distance = [&](std::size_t k) {
            return std::abs((hits[k].played.beatPoint - hits[i].played.beatPoint).count());
        };
        hits[i].role = HitRole::Attached;
        hits[i].main = *std::ranges::min_element(mains, {}, distance);
    }
}

}  // namespace

std::vector<JudgedHit> assignRoles(std::vector<PlayedHit> played, const StepAt& stepAt, Hertz rate)
{
    std::ranges::stable_sort(played, {}, &PlayedHit::start);
    std::vector<JudgedHit> hits;
    int leads = 0;
    for (const PlayedHit& hit : played) {
        JudgedHit judged;
        judged.played = hit;
        judged.main = hits.size();
        hits.push_back(judged);
        leads = std::max(leads, hit.lead + 1);
    }
    std::vector<bool> isGhost(hits.size(), false);
    for (int lead = 0; lead < leads; ++lead) {
        Indices ofLead;
        for (std::size_t i = 0; i < hits.size(); ++i) {
            if (hits[i].played.lead == lead) {
                ofLead.push_back(i);
            }
        }
        attachRolls(hits, ofLead, stepAt, rate);
        markGhosts(hits, ofLead, rate, isGhost);
    }
    attachOtherDrums(hits, isGhost, rate);
    attachGhosts(hits, isGhost);
    // A roll may go with a hit that itself went with another drum or is a ghost: follow to the end.
    for (JudgedHit& hit : hits) {
        for (std::size_t hops = 0; hits[hit.main].main != hit.main && hops < 4; ++hops) {
            hit.main = hits[hit.main].main;
        }
    }
    return hits;
}

}  // namespace orthochron
