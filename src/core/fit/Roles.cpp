#include "core/fit/Roles.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <cstdlib>
#include <limits>
#include <numbers>
#include <optional>
#include <span>
#include <utility>

namespace orthochron {

namespace {

constexpr Seconds kFlam = milliseconds(60.0);        // a grace stroke lies at most this far ahead
constexpr double kGraceQuieter = 0.75;               // of the main stroke's strength
constexpr Seconds kWidestFlam = milliseconds(45.0);  // of one whose grace stroke is full
// The first stroke of a drag lies further ahead, and its second may not be heard.
constexpr Seconds kDrag = milliseconds(70.0);
constexpr double kDragQuieter = 0.5;
constexpr double kDragOfStep = 0.7;  // from there on it may be a blow of its own
constexpr double kRollOfStep = 0.6;  // strokes closer than this part of a step are a roll
constexpr double kGoesOn =
    1.45;  // of its own pace: what follows a roll within that is where it leads
constexpr Seconds kNearby{5.0};  // about two bars to each side
constexpr double kLeastLoud =
    0.7;  // of what it plays loud at all: nearby there may be ghosts alone

using Indices = std::vector<std::size_t>;

Seconds between(const JudgedHit& a, const JudgedHit& b, Hertz rate)
{
    return toSeconds(b.played.beatPoint - a.played.beatPoint, rate);
}

struct Lead {
    Indices strokes;    // hits, ascending
    double loud = 0.0;  // the strength of what it plays loud
};

// Strokes of one lead that follow each other faster than the grid.
struct Roll {
    Indices strokes;  // hits, ascending
    Seconds pace;     // between two of them, on average
};

// Whether a stroke is struck for the sake of the one after it.
bool isGrace(const JudgedHit& stroke, const JudgedHit& after, Seconds step, Hertz rate)
{
    const Seconds apart = between(stroke, after, rate);
    const double full = after.played.strength;
    return (apart <= kFlam && stroke.played.strength < kGraceQuieter * full) ||
           (apart <= kDrag && apart < step * kDragOfStep &&
            stroke.played.strength < kDragQuieter * full);
}

// A roll goes on at its own pace, whatever the step: the blow it leads up to belongs to it too.
std::vector<Roll>
rollsOf(const std::vector<JudgedHit>& hits, const Indices& ofLead, const GridAt& gridAt, Hertz rate)
{
    std::vector<Roll> rolls;
    for (std::size_t i = 0; i < ofLead.size();) {
        std::size_t end = i + 1;
        Seconds pace{0.0};
        while (end < ofLead.size()) {
            const JudgedHit& before = hits[ofLead[end - 1]];
            const JudgedHit& after = hits[ofLead[end]];
            const Seconds apart = between(before, after, rate);
            const Seconds step = gridAt(toSeconds(before.played.beatPoint, rate)).step;
            const double within = std::max(kRollOfStep * step.count(), kGoesOn * pace.count());
            if (!isGrace(before, after, step, rate) && apart.count() >= within) {
                break;
            }
            pace = between(hits[ofLead[i]], after, rate) / static_cast<double>(end - i);
            ++end;
        }
        if (end - i > 1) {
            rolls.push_back(
                {Indices(
                     ofLead.begin() + static_cast<std::ptrdiff_t>(i),
                     ofLead.begin() + static_cast<std::ptrdiff_t>(end)
                 ),
                 pace}
            );
        }
        i = end;
    }
    return rolls;
}

// Two full blows, so far apart that the one may have been meant for the next line and gone astray.
bool mayBeOfTwoLines(
    const std::vector<JudgedHit>& hits, const Roll& roll, double loud, Seconds step, Hertz rate
)
{
    constexpr double kFull = 0.6;                            // of what the lead plays loud
    constexpr double kFar = 0.4;                             // of a step
    constexpr Seconds kFurthestAstray = milliseconds(60.0);  // nobody errs by more
    const double first = hits[roll.strokes.front()].played.strength;
    const double last = hits[roll.strokes.back()].played.strength;
    const Seconds apart = between(hits[roll.strokes.front()], hits[roll.strokes.back()], rate);
    return roll.strokes.size() == 2 && std::min(first, last) >= kFull * loud &&
           apart >= step * kFar && step - apart <= kFurthestAstray &&
           (apart > kWidestFlam || first >= kGraceQuieter * last);
}

// Takes from the rolls of a lead what are two blows for two lines. Who means to strike twice does so again at the same
// place of another bar.
void leaveOutStrays(
    std::vector<Roll>& rolls,
    const std::vector<JudgedHit>& hits,
    double loud,
    const GridAt& gridAt,
    Hertz rate
)
{
    constexpr double kSamePlace = 0.25;  // of a step
    const auto there = [&](const Roll& roll) {
        return gridAt(toSeconds(hits[roll.strokes.front()].played.beatPoint, rate));
    };
    const auto isPair = [&](const Roll& roll) {
        return mayBeOfTwoLines(hits, roll, loud, there(roll).step, rate);
    };
    std::vector<double> places;
    for (const Roll& roll : rolls) {
        if (isPair(roll)) {
            places.push_back(there(roll).steps);
        }
    }
    std::ranges::sort(places);
    std::erase_if(rolls, [&](const Roll& roll) {
        const double place = there(roll).steps;
        const auto from = std::ranges::lower_bound(places, place - kSamePlace);
        const auto to = std::ranges::upper_bound(places, place + kSamePlace);
        return isPair(roll) && to - from < 2;
    });
}

void attach(std::vector<JudgedHit>& hits, const Indices& strokes, std::size_t main)
{
    for (const std::size_t stroke : strokes) {
        hits[stroke].main = main;
        hits[stroke].role = stroke == main ? HitRole::Main : HitRole::Attached;
    }
}

std::size_t loudestOf(const std::vector<JudgedHit>& hits, const Indices& strokes)
{
    return *std::ranges::max_element(strokes, {}, [&](std::size_t i) {
        return hits[i].played.strength;
    });
}

// Whether a long roll ends with a stroke that lies whole steps after its first one and is no softer than the rest: the blow it
// leads up to, though in the rattle of the strokes before it is not heard how loud it is.
bool arrives(const std::vector<JudgedHit>& hits, const Roll& roll, const GridAt& gridAt, Hertz rate)
{
    constexpr std::size_t kLong = 4;
    constexpr double kOnALine = 0.25;  // of a step
    const JudgedHit& first = hits[roll.strokes.front()];
    const JudgedHit& last = hits[roll.strokes.back()];
    const double steps =
        between(first, last, rate) / gridAt(toSeconds(first.played.beatPoint, rate)).step;
    return roll.strokes.size() >= kLong && std::abs(steps - std::round(steps)) < kOnALine &&
           last.played.strength >=
               kGraceQuieter * hits[loudestOf(hits, roll.strokes)].played.strength;
}

// Calls `visit` with every hit within so long of one, itself included.
template<typename Visit>
void visitAround(
    const std::vector<JudgedHit>& hits, std::size_t which, Seconds within, Hertz rate, Visit visit
)
{
    const auto isNear = [&](std::size_t i) {
        return std::abs(between(hits[which], hits[i], rate).count()) <= within.count();
    };
    for (std::size_t i = which; i < hits.size() && isNear(i); ++i) {
        visit(hits[i]);
    }
    for (std::size_t i = which; i-- > 0 && isNear(i);) {
        visit(hits[i]);
    }
}

// Where the lines are that were played for around a hit, in parts of a step from the grid's: the player may be ahead of it
// or behind.
double
phaseNearby(const std::vector<JudgedHit>& hits, std::size_t which, const GridAt& gridAt, Hertz rate)
{
    constexpr Seconds kAround{2.0};
    std::complex<double> sum;
    visitAround(hits, which, kAround, rate, [&](const JudgedHit& hit) {
        const double steps = gridAt(toSeconds(hit.played.beatPoint, rate)).steps;
        sum += std::polar(1.0, 2.0 * std::numbers::pi * steps);
    });
    return std::arg(sum) / (2.0 * std::numbers::pi);
}

// Whether another drum is struck at the moment of a hit.
bool isStruckTogether(const std::vector<JudgedHit>& hits, std::size_t which, Hertz rate)
{
    bool isTogether = false;
    visitAround(hits, which, kOneMoment, rate, [&](const JudgedHit& hit) {
        isTogether = isTogether || hit.played.lead != hits[which].played.lead;
    });
    return isTogether;
}

// Whether the last of two or three strokes at once is the blow, though the first is heard about as full: another drum is
// struck with that one alone, or it lies clearly nearer to a line.
bool isBlowAfterDrag(
    const std::vector<JudgedHit>& hits, const Roll& roll, const GridAt& gridAt, Hertz rate
)
{
    constexpr std::size_t kMost = 3;
    constexpr double kStillFull = 0.5;  // of the first
    constexpr double kNearer = 0.2;     // of a step
    const std::size_t first = roll.strokes.front();
    const std::size_t last = roll.strokes.back();
    if (roll.strokes.size() > kMost || between(hits[first], hits[last], rate) > kDrag ||
        hits[last].played.strength < kStillFull * hits[first].played.strength) {
        return false;
    }
    const bool isLastTogether = isStruckTogether(hits, last, rate);
    if (isStruckTogether(hits, first, rate) != isLastTogether) {
        return isLastTogether;
    }
    const double phase = phaseNearby(hits, first, gridAt, rate);
    const auto offLine = [&](std::size_t which) {
        const double steps = gridAt(toSeconds(hits[which].played.beatPoint, rate)).steps - phase;
        return std::abs(steps - std::round(steps));
    };
    return offLine(first) - offLine(last) > kNearer;
}

// The last one is the main hit when they lead up to it, otherwise the first. Of two so near that they can only be a flam it
// is the louder one, by however little: after a full grace stroke the blow is heard softer than it is.
void attachRoll(std::vector<JudgedHit>& hits, const Roll& roll, const GridAt& gridAt, Hertz rate)
{
    const std::size_t first = roll.strokes.front();
    const std::size_t last = roll.strokes.back();
    const std::size_t loudest = loudestOf(hits, roll.strokes);
    const bool isFlam = roll.strokes.size() == 2 && roll.pace <= kWidestFlam;
    if (hits[loudest].played.strength * kGraceQuieter > hits[first].played.strength) {
        attach(hits, roll.strokes, loudest);
    } else if (isBlowAfterDrag(hits, roll, gridAt, rate) || arrives(hits, roll, gridAt, rate)) {
        attach(hits, roll.strokes, last);
    } else {
        attach(hits, roll.strokes, isFlam ? loudest : first);
    }
}

// The strength that so many of a lead's strokes do not reach.
double strengthOf(std::vector<double> strengths, double share)
{
    const auto place = static_cast<std::size_t>(share * static_cast<double>(strengths.size()));
    const auto at = strengths.begin() + static_cast<std::ptrdiff_t>(place);
    std::ranges::nth_element(strengths, at);
    return *at;
}

Lead leadOf(const std::vector<JudgedHit>& hits, int number)
{
    constexpr double kLoud = 0.85;
    Lead lead;
    std::vector<double> strengths;
    for (std::size_t i = 0; i < hits.size(); ++i) {
        if (hits[i].played.lead == number) {
            lead.strokes.push_back(i);
            strengths.push_back(hits[i].played.strength);
        }
    }
    lead.loud = strengths.empty() ? 0.0 : strengthOf(std::move(strengths), kLoud);
    return lead;
}

// What this lead plays loud around a hit: its upper quartile there, and not much less than at all.
double
loudNearby(const std::vector<JudgedHit>& hits, const Lead& lead, std::size_t which, Hertz rate)
{
    const Indices& own = lead.strokes;
    std::vector<double> strengths;
    const auto near = [&](std::size_t k) {
        return std::abs(between(hits[own[which]], hits[own[k]], rate).count()) <= kNearby.count();
    };
    for (std::size_t k = which; k < own.size() && near(k); ++k) {
        strengths.push_back(hits[own[k]].played.strength);
    }
    for (std::size_t k = which; k-- > 0 && near(k);) {
        strengths.push_back(hits[own[k]].played.strength);
    }
    return std::max(strengthOf(std::move(strengths), 0.75), kLeastLoud * lead.loud);
}

// A stroke of a lead that is no part of a roll.
struct SingleStroke {
    std::size_t hit = 0;
    double level = 0.0;  // dB, against what its lead plays loud nearby
    Seconds at;
    double place = 0.0;  // in its bar, in steps
};

std::vector<SingleStroke> singleStrokesOf(
    const std::vector<JudgedHit>& hits, const Lead& lead, const GridAt& gridAt, Hertz rate
)
{
    std::vector<SingleStroke> strokes;
    for (std::size_t i = 0; i < lead.strokes.size(); ++i) {
        const JudgedHit& hit = hits[lead.strokes[i]];
        if (hit.role == HitRole::Main) {
            const double part = hit.played.strength / loudNearby(hits, lead, i, rate);
            const Seconds at = toSeconds(hit.played.beatPoint, rate);
            const double level = 20.0 * std::log10(std::max(part, 1e-6));
            strokes.push_back({lead.strokes[i], level, at, gridAt(at).steps});
        }
    }
    return strokes;
}

// Below how many dB a lead's strokes are ghosts, each against what it plays loud nearby: where the fewest of them lie between
// 6 and 9 dB; about as few, and it is 9.
double ghostsBelow(std::span<const SingleStroke> strokes)
{
    constexpr double kLowest = -9.0;
    constexpr double kHighest = -6.0;
    constexpr double kStep = 0.25;
    constexpr double kFarOff = 0.00125;  // of the strokes, for each dB² above the lowest
    double least = std::numeric_limits<double>::max();
    double edge = kLowest;
    for (double level = kLowest; level <= kHighest; level += kStep) {
        double near = 0.0;
        for (const SingleStroke& stroke : strokes) {
            near += std::exp(-0.5 * (stroke.level - level) * (stroke.level - level));
        }
        const double cost = near / static_cast<double>(strokes.size()) +
                            kFarOff * (level - kLowest) * (level - kLowest);
        if (cost < least) {
            least = cost;
            edge = level;
        }
    }
    return edge;
}

// Soft strokes at places of the bar where their lead plays full ones as often, with none of these near, take their place: a
// side stick through a verse, a backbeat held back. Ghosts fill in between.
class Substitutes {
public:
    Substitutes(std::span<const SingleStroke> strokes, double edge)
    {
        std::vector<double> gaps;
        for (const SingleStroke& stroke : strokes) {
            if (stroke.level < edge) {
                softPlaces_.push_back(stroke.place);
                continue;
            }
            if (!fullTimes_.empty()) {
                gaps.push_back((stroke.at - fullTimes_.back()).count());
            }
            fullPlaces_.push_back(stroke.place);
            fullTimes_.push_back(stroke.at);
        }
        std::ranges::sort(softPlaces_);
        std::ranges::sort(fullPlaces_);
        usualGap_ = Seconds(gaps.empty() ? 0.0 : strengthOf(std::move(gaps), 0.5));
    }

    [[nodiscard]] bool isOne(const SingleStroke& soft) const
    {
        constexpr double kNear = 0.8;  // of the usual gap
        const Seconds near = usualGap_ * kNear;
        const auto next = std::ranges::upper_bound(fullTimes_, soft.at - near);
        const bool isAlone = next == fullTimes_.end() || *next >= soft.at + near;
        return isAlone && countAt(fullPlaces_, soft.place) >= countAt(softPlaces_, soft.place);
    }

private:
    static std::ptrdiff_t countAt(const std::vector<double>& places, double place)
    {
        constexpr double kSamePlace = 0.25;  // of a step
        return std::ranges::upper_bound(places, place + kSamePlace) -
               std::ranges::lower_bound(places, place - kSamePlace);
    }

    std::vector<double> softPlaces_;  // ascending
    std::vector<double> fullPlaces_;  // ascending
    std::vector<Seconds> fullTimes_;  // ascending
    Seconds usualGap_{0.0};           // between two of them
};

void markGhosts(
    const std::vector<JudgedHit>& hits,
    const Lead& lead,
    const GridAt& gridAt,
    Hertz rate,
    std::vector<bool>& isGhost
)
{
    const std::vector<SingleStroke> strokes = singleStrokesOf(hits, lead, gridAt, rate);
    const double edge = ghostsBelow(strokes);
    // Who plays ghosts does not play one or two: in what rings of the blow before, a full one may be heard as soft.
    constexpr std::ptrdiff_t kFewest = 30;  // one in so many
    const auto isSoft = [&](const SingleStroke& stroke) { return stroke.level < edge; };
    if (std::ranges::count_if(strokes, isSoft) * kFewest < std::ssize(strokes)) {
        return;
    }
    const Substitutes substitutes(strokes, edge);
    for (const SingleStroke& stroke : strokes) {
        isGhost[stroke.hit] = isSoft(stroke) && !substitutes.isOne(stroke) &&
                              !hits[stroke.hit].played.line.has_value();
    }
}

// Where a roll arrives with another drum: a main hit of that at the moment of its last stroke, or after it at the roll's
// own pace.
std::optional<std::size_t> arrivalOf(
    const std::vector<JudgedHit>& hits,
    const Roll& roll,
    const std::vector<bool>& isGhost,
    Hertz rate
)
{
    const std::size_t last = roll.strokes.back();
    for (std::size_t i = roll.strokes.front() + 1; i < hits.size(); ++i) {
        const Seconds after = between(hits[last], hits[i], rate);
        if (after > roll.pace * kGoesOn) {
            break;
        }
        const bool isOther = hits[i].played.lead != hits[last].played.lead;
        if (after >= -kOneMoment && isOther && hits[i].role == HitRole::Main && !isGhost[i]) {
            return i;
        }
    }
    return std::nullopt;
}

// A soft roll, without a blow of its own but for one at the very moment of another drum's, goes with that.
void attachToOtherDrums(
    std::vector<JudgedHit>& hits,
    const Roll& roll,
    double loud,
    const std::vector<bool>& isGhost,
    Hertz rate
)
{
    const auto arrival = arrivalOf(hits, roll, isGhost, rate);
    if (!arrival) {
        return;
    }
    Indices own = roll.strokes;
    if (between(hits[own.back()], hits[*arrival], rate) <= kOneMoment) {
        own.pop_back();
    }
    if (hits[loudestOf(hits, own)].played.strength <= kGraceQuieter * loud) {
        attach(hits, roll.strokes, *arrival);
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

std::vector<JudgedHit> assignRoles(std::vector<PlayedHit> played, const GridAt& gridAt, Hertz rate)
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
    std::vector<std::pair<Roll, double>> rolls;  // and what their lead plays loud there
    for (int number = 0; number < leads; ++number) {
        const Lead lead = leadOf(hits, number);
        std::vector<Roll> ofLead = rollsOf(hits, lead.strokes, gridAt, rate);
        leaveOutStrays(ofLead, hits, lead.loud, gridAt, rate);
        for (Roll& roll : ofLead) {
            attachRoll(hits, roll, gridAt, rate);
            const auto first = std::ranges::lower_bound(lead.strokes, roll.strokes.front());
            const auto which = static_cast<std::size_t>(first - lead.strokes.begin());
            const double loud = loudNearby(hits, lead, which, rate);
            rolls.emplace_back(std::move(roll), loud);
        }
        markGhosts(hits, lead, gridAt, rate, isGhost);
    }
    for (const auto& [roll, loud] : rolls) {
        attachToOtherDrums(hits, roll, loud, isGhost, rate);
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
