#include "core/tune/Guide.h"

#include "core/tune/EndMoves.h"

#include <algorithm>
#include <cmath>

namespace orthochron {

namespace {

constexpr Seconds kFurthest{1.0};
constexpr double kApart = 0.15;    // seconds between two starts that cost one
constexpr double kInterval = 1.5;  // semitones that cost one
constexpr double kMostInterval = 4.0;
constexpr double kAlone = 1.5;     // what a note without another costs
constexpr double kHarmony = 0.75;  // semitones

double costOf(const HeardNote& note, const HeardNote& guide, Hertz rate)
{
    const double apart = std::abs(toSeconds(note.start - guide.start, rate).count());
    const double interval = std::min(std::abs(note.centre - guide.centre), kMostInterval);
    return apart / kApart + interval / kInterval;
}

using Pairs = std::vector<std::optional<std::size_t>>;

// Ends of those that are paired go towards the guide's.
void moveInTime(
    std::span<const HeardNote> heard,
    std::span<const HeardNote> guide,
    const Pairs& pairs,
    double amount,
    Hertz rate,
    std::vector<NoteTuning>& asked
)
{
    const auto partOf = [&](Frames way) {
        return Frames(std::llround(amount * static_cast<double>(way.count())));
    };
    std::vector<std::optional<EndMoves>> by(heard.size());
    for (std::size_t i = 0; i < heard.size(); ++i) {
        if (pairs[i]) {
            const HeardNote& other = guide[*pairs[i]];
            by[i] = {partOf(other.start - heard[i].start), partOf(other.end - heard[i].end)};
        }
    }
    moveEnds(by, rate, asked);
}

}  // namespace

std::vector<std::optional<std::size_t>>
pairedWith(std::span<const HeardNote> notes, std::span<const HeardNote> guide, Hertz rate)
{
    // Row by row the cheapest way to have come so far; only what begins near enough can be paired, so
    // that a row is as long as the guide has notes within two seconds.
    const Frames furthest = toFrames(kFurthest, rate);
    enum class Step : char { Pair, SkipNote, SkipGuide };
    struct Row {
        std::size_t first = 0;  // of the guide's notes that count here
        std::vector<double> cost;
        std::vector<Step> step;
    };
    std::vector<Row> rows(notes.size() + 1);
    const auto costAt = [&](const Row& row, std::size_t g) {
        if (g < row.first) {
            return 1e12;
        }
        const std::size_t k = g - row.first;
        // Beyond its end only the guide's notes are passed over.
        return k < row.cost.size()
                   ? row.cost[k]
                   : row.cost.back() + kAlone * static_cast<double>(k - row.cost.size() + 1);
    };
    for (std::size_t n = 0; n <= notes.size(); ++n) {
        Row& row = rows[n];
        std::size_t last = 0;
        if (n > 0) {
            const Frames at = notes[n - 1].start;
            row.first = static_cast<std::size_t>(
                std::ranges::lower_bound(guide, at - furthest, {}, &HeardNote::start) -
                guide.begin()
            );
            last = static_cast<std::size_t>(
                std::ranges::upper_bound(guide, at + furthest, {}, &HeardNote::start) -
                guide.begin()
            );
            row.first = std::max(row.first, rows[n - 1].first);
        }
        for (std::size_t g = row.first; g <= std::max(last, row.first); ++g) {
            double best = n == 0 && g == 0 ? 0.0 : 1e12;
            Step step = Step::SkipNote;
            if (n > 0) {
                best = costAt(rows[n - 1], g) + kAlone;
            }
            if (g > row.first && row.cost.back() + kAlone < best) {
                best = row.cost.back() + kAlone;
                step = Step::SkipGuide;
            }
            if (n > 0 && g > 0 && g - 1 >= rows[n - 1].first) {
                const Frames apart = notes[n - 1].start - guide[g - 1].start;
                const double paired =
                    costAt(rows[n - 1], g - 1) + costOf(notes[n - 1], guide[g - 1], rate);
                if (Frames(std::abs(apart.count())) <= furthest && paired < best) {
                    best = paired;
                    step = Step::Pair;
                }
            }
            row.cost.push_back(best);
            row.step.push_back(step);
        }
    }
    std::vector<std::optional<std::size_t>> pairs(notes.size());
    std::size_t g = rows.back().first + rows.back().cost.size() - 1;
    for (std::size_t n = notes.size(); n > 0;) {
        const Row& row = rows[n];
        const std::size_t k = g - row.first;
        if (k >= row.step.size()) {
            --g;
            continue;
        }
        switch (row.step[k]) {
        case Step::Pair:
            pairs[n - 1] = g - 1;
            --n;
            --g;
            break;
        case Step::SkipGuide: --g; break;
        case Step::SkipNote: --n; break;
        }
    }
    return pairs;
}

Result<std::vector<NoteTuning>> drawnTowards(
    std::span<const HeardNote> heard,
    std::span<const HeardNote> guide,
    std::vector<NoteTuning> asked,
    const GuideAmounts& amounts,
    Hertz rate
)
{
    const auto isPart = [](double amount) { return amount >= 0.0 && amount <= 1.0; };
    if (!isPart(amounts.pitch) || !isPart(amounts.time)) {
        return badArgument("a guide amount must be 0 to 100 %");
    }
    const auto pairs = pairedWith(heard, guide, rate);
    for (std::size_t i = 0; i < heard.size(); ++i) {
        if (!pairs[i]) {
            continue;
        }
        const HeardNote& own = heard[i];
        const HeardNote& other = guide[*pairs[i]];
        const bool isDouble = std::abs(other.centre - own.centre) <= kHarmony;
        const double way = isDouble ? other.centre - own.centre : other.offset - own.offset;
        asked[i].shift =
            std::clamp(asked[i].shift + amounts.pitch * way, -kMostSemitones, kMostSemitones);
    }
    if (amounts.time > 0.0) {
        moveInTime(heard, guide, pairs, amounts.time, rate, asked);
    }
    return asked;
}

}  // namespace orthochron
