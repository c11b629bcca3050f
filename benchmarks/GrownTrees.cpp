#include "GrownTrees.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace orthochron {

namespace {

constexpr std::size_t kTrees = 160;
constexpr int kBins = 64;
constexpr double kPace = 0.12;    // of each tree's word that is taken
constexpr double kCaution = 2.0;  // what a leaf must know before it says much
constexpr double kFewest = 25.0;  // attacks in a leaf

// The attacks of all microphones in a row, each evidence in steps of about equal count.
struct Table {
    std::vector<std::array<std::uint8_t, kEvidence>> bins;
    std::vector<bool> isBlow;
    std::array<std::vector<float>, kEvidence> edges;  // bin k + 1 begins at edge k
};

Table tableOf(const Half& microphones)
{
    Table table;
    std::vector<std::array<double, kEvidence>> values;
    for (const Microphone& microphone : microphones) {
        for (const Attack& attack : microphone) {
            if (attack.counts) {
                values.push_back(listed(attack.evidence));
                table.isBlow.push_back(attack.isBlow);
            }
        }
    }
    table.bins.resize(values.size());
    for (std::size_t e = 0; e < kEvidence; ++e) {
        std::vector<float> sorted;
        for (const auto& value : values) {
            sorted.push_back(static_cast<float>(value[e]));
        }
        std::ranges::sort(sorted);
        auto& edges = table.edges[e];
        for (int bin = 1; bin < kBins; ++bin) {
            edges.push_back(sorted[sorted.size() * static_cast<std::size_t>(bin) / kBins]);
        }
        edges.erase(std::unique(edges.begin(), edges.end()), edges.end());
        for (std::size_t i = 0; i < values.size(); ++i) {
            const auto value = static_cast<float>(values[i][e]);
            table.bins[i][e] =
                static_cast<std::uint8_t>(std::ranges::upper_bound(edges, value) - edges.begin());
        }
    }
    return table;
}

struct Sums {
    double slope = 0.0;
    double curve = 0.0;
    double count = 0.0;

    void add(double s, double c)
    {
        slope += s;
        curve += c;
        count += 1.0;
    }
    [[nodiscard]] Sums without(const Sums& other) const
    {
        return {slope - other.slope, curve - other.curve, count - other.count};
    }
    [[nodiscard]] double gain() const { return slope * slope / (curve + kCaution); }
    [[nodiscard]] double word() const { return kPace * slope / (curve + kCaution); }
};

// One tree more, by Newton's steps on the logarithm of the likelihood (Friedman 2001).
BeliefTree growTree(const Table& table, std::vector<double>& odds)
{
    const std::size_t count = odds.size();
    std::vector<double> slope(count);
    std::vector<double> curve(count);
    for (std::size_t i = 0; i < count; ++i) {
        const double chance = 1.0 / (1.0 + std::exp(-odds[i]));
        slope[i] = (table.isBlow[i] ? 1.0 : 0.0) - chance;
        curve[i] = chance * (1.0 - chance);
    }
    BeliefTree tree;
    std::vector<std::size_t> at(count, 0);
    for (std::size_t question = 0; question < kQuestions; ++question) {
        Sums all;
        std::array<std::array<Sums, kBins + 1>, kEvidence> sums{};
        for (std::size_t i = 0; i < count; ++i) {
            if (at[i] == question) {
                all.add(slope[i], curve[i]);
                for (std::size_t e = 0; e < kEvidence; ++e) {
                    sums[e][table.bins[i][e]].add(slope[i], curve[i]);
                }
            }
        }
        double best = all.gain() + 1e-6;
        std::size_t edge = 0;
        tree.least[question] = 1e30F;  // nobody says yes where nothing is gained
        for (std::size_t e = 0; e < kEvidence; ++e) {
            Sums below;
            for (std::size_t k = 0; k < table.edges[e].size(); ++k) {
                below.slope += sums[e][k].slope;
                below.curve += sums[e][k].curve;
                below.count += sums[e][k].count;
                const Sums above = all.without(below);
                const double gain = below.gain() + above.gain();
                if (below.count >= kFewest && above.count >= kFewest && gain > best) {
                    best = gain;
                    edge = k;
                    tree.asked[question] = static_cast<std::uint8_t>(e);
                    tree.least[question] = table.edges[e][k];
                }
            }
        }
        for (std::size_t i = 0; i < count; ++i) {
            if (at[i] == question) {
                const bool isMore =
                    tree.least[question] < 1e29F && table.bins[i][tree.asked[question]] > edge;
                at[i] = 2 * question + (isMore ? 2 : 1);
            }
        }
    }
    std::array<Sums, kQuestions + 1> leaves{};
    for (std::size_t i = 0; i < count; ++i) {
        leaves[at[i] - kQuestions].add(slope[i], curve[i]);
    }
    for (std::size_t leaf = 0; leaf < leaves.size(); ++leaf) {
        tree.odds[leaf] = static_cast<float>(leaves[leaf].word());
    }
    for (std::size_t i = 0; i < count; ++i) {
        odds[i] += static_cast<double>(tree.odds[at[i] - kQuestions]);
    }
    return tree;
}

}  // namespace

Grown growTrees(const Half& half)
{
    const Table table = tableOf(half);
    const auto blows = static_cast<double>(std::ranges::count(table.isBlow, true));
    const auto all = static_cast<double>(table.isBlow.size());
    Grown grown{std::log(blows / (all - blows)), {}};
    std::vector<double> odds(table.isBlow.size(), grown.odds);
    for (std::size_t i = 0; i < kTrees; ++i) {
        grown.trees.push_back(growTree(table, odds));
    }
    return grown;
}

Grown voting(std::span<const Grown> all)
{
    const auto count = static_cast<double>(all.size());
    Grown mean;
    for (const Grown& each : all) {
        mean.odds += each.odds / count;
        for (BeliefTree tree : each.trees) {
            for (float& odds : tree.odds) {
                odds /= static_cast<float>(count);
            }
            mean.trees.push_back(tree);
        }
    }
    return mean;
}

}  // namespace orthochron
